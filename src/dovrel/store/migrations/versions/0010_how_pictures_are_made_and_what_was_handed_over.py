"""how rendered pictures are made, and what of each shot was handed over"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

JSON = postgresql.JSONB(astext_type=sa.Text())


def upgrade() -> None:
    op.add_column("handover", sa.Column("shots", JSON, nullable=False, server_default="[]"))
    op.alter_column("handover", "shots", server_default=None)
    op.add_column("handover_item", sa.Column("pictures", JSON, nullable=False, server_default="{}"))
    op.alter_column("handover_item", "pictures", server_default=None)
    op.execute("UPDATE handover_item SET pictures = jsonb_build_object('width', width) WHERE width IS NOT NULL")
    op.drop_column("handover_item", "width")


def downgrade() -> None:
    op.add_column("handover_item", sa.Column("width", sa.Integer()))
    op.execute("UPDATE handover_item SET width = (pictures ->> 'width')::integer")
    op.drop_column("handover_item", "pictures")
    op.drop_column("handover", "shots")
