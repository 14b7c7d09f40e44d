"""which match left a shot as it was"""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("shot", sa.Column("left_by_id", sa.Integer(), nullable=True))
    op.create_foreign_key("fk_shot_left_by_id_operation", "shot", "operation", ["left_by_id"], ["id"])


def downgrade() -> None:
    op.drop_constraint("fk_shot_left_by_id_operation", "shot", type_="foreignkey")
    op.drop_column("shot", "left_by_id")
