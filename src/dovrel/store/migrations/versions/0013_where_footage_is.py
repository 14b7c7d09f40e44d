"""where a shot's footage is"""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("shot", sa.Column("footage", sa.String(length=20), nullable=False, server_default="here"))
    op.alter_column("shot", "footage", server_default=None)


def downgrade() -> None:
    op.drop_column("shot", "footage")
