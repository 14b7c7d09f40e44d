"""a line-up of uses: a clip may stand in it more than once"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

JSON = postgresql.JSONB(astext_type=sa.Text())


def _forget_arrangements() -> None:
    """What was arranged in the other form can no longer be taken back."""
    ids = "SELECT id FROM operation WHERE kind = 'line-up'"
    op.execute(f"DELETE FROM operation_item WHERE operation_id IN ({ids})")
    op.execute("DELETE FROM operation WHERE kind = 'line-up'")


def upgrade() -> None:
    op.add_column("production", sa.Column("line_up", JSON, nullable=False, server_default="[]"))
    op.execute(
        """
        UPDATE production SET line_up = placed.uses FROM (
            SELECT production_id,
                   jsonb_agg(jsonb_build_object('shot', id, 'span', span) ORDER BY position, id) AS uses
            FROM shot WHERE position IS NOT NULL GROUP BY production_id
        ) AS placed WHERE placed.production_id = production.id
        """
    )
    _forget_arrangements()
    op.drop_column("shot", "span")
    op.drop_column("shot", "position")


def downgrade() -> None:
    op.add_column("shot", sa.Column("position", sa.Integer(), nullable=True))
    op.add_column("shot", sa.Column("span", JSON, nullable=True))
    op.execute(
        """
        UPDATE shot SET position = used.place, span = used.span FROM (
            SELECT DISTINCT ON (use ->> 'shot') (use ->> 'shot')::int AS id, place - 1 AS place, use -> 'span' AS span
            FROM production, jsonb_array_elements(line_up) WITH ORDINALITY AS uses(use, place)
            ORDER BY use ->> 'shot', place
        ) AS used WHERE used.id = shot.id
        """
    )
    _forget_arrangements()
    op.drop_column("production", "line_up")
