"""the extended part of a shot's balance, with its switch; what matching said"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

JSON = postgresql.JSONB(astext_type=sa.Text())


def upgrade() -> None:
    for table in ("version", "kept_frame"):
        op.add_column(table, sa.Column("extended", JSON, nullable=True))
    op.add_column("version", sa.Column("report", JSON, nullable=True))
    op.add_column("version", sa.Column("extended_on", sa.Boolean(), nullable=False, server_default=sa.true()))


def downgrade() -> None:
    op.drop_column("version", "extended_on")
    op.drop_column("version", "report")
    for table in ("kept_frame", "version"):
        op.drop_column(table, "extended")
