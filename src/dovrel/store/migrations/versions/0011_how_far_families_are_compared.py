"""how far a batch has compared the shots of a family with one another"""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("operation", sa.Column("compared", sa.Float(), nullable=False, server_default="1"))
    op.alter_column("operation", "compared", server_default=None)


def downgrade() -> None:
    op.drop_column("operation", "compared")
