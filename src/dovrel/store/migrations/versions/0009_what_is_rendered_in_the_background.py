"""what of a handover is rendered in the background"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("handover", sa.Column("cancelled", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("handover", "cancelled", server_default=None)
    op.create_table(
        "handover_item",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("handover_id", sa.Integer(), sa.ForeignKey("handover.id"), nullable=False),
        sa.Column("shot_id", sa.Integer(), sa.ForeignKey("shot.id"), nullable=False),
        sa.Column("version_id", sa.Integer()),
        sa.Column("levels", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("width", sa.Integer()),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("part", sa.Float(), nullable=False),
        sa.Column("difference", sa.Float()),
        sa.Column("said", sa.String(1000), nullable=False),
    )
    op.create_index(op.f("ix_handover_item_handover_id"), "handover_item", ["handover_id"])


def downgrade() -> None:
    op.drop_table("handover_item")
    op.drop_column("handover", "cancelled")
