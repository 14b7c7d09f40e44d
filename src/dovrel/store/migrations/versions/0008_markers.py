"""markers on the scopes, kept with the production"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    markers = sa.Column("markers", postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default="[]")
    op.add_column("production", markers)
    op.alter_column("production", "markers", server_default=None)


def downgrade() -> None:
    op.drop_column("production", "markers")
