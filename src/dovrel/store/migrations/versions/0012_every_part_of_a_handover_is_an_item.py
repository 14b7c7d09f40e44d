"""every part of a handover is an item, and what is handed over of a shot is kept once"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None

JSON = postgresql.JSONB(astext_type=sa.Text())

HANDED = """
    INSERT INTO handed_shot (handover_id, shot_id, version_id, name, stem, family, sum, uses, levels)
    SELECT handover.id, shot.id, (told->>'version_id')::int, told->>'name', told->>'name', '', told->>'sum', '[]',
        COALESCE((SELECT levels FROM handover_item AS item
            WHERE item.handover_id = handover.id AND item.shot_id = shot.id LIMIT 1), '{}')
    FROM handover, jsonb_array_elements(handover.shots) AS told JOIN shot ON shot.id = (told->>'id')::int
    ORDER BY handover.id, shot.id
"""
WHOSE = """
    UPDATE handover_item AS item SET handed_id = handed.id FROM handed_shot AS handed
    WHERE handed.handover_id = item.handover_id AND handed.shot_id = item.shot_id
"""
NUMBERS = """
    INSERT INTO handover_item (handover_id, kind, name, pictures, state, part, said, files)
    SELECT id, 'lists', 'lists', '{}', 'done', 1, '', files FROM handover WHERE files <> '[]' ORDER BY id
"""
CHECKSUMS = """
    INSERT INTO handover_item (handover_id, kind, name, pictures, state, part, said, files)
    SELECT id, 'checksums', 'checksums', '{}', CASE WHEN EXISTS (
        SELECT FROM handover_item AS item WHERE item.handover_id = handover.id AND item.state IN ('waiting', 'working'))
        THEN 'waiting' ELSE 'done' END, 0, '', '[]' FROM handover ORDER BY id
"""


def upgrade() -> None:
    op.create_table(
        "handed_shot",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("handover_id", sa.Integer(), sa.ForeignKey("handover.id"), nullable=False),
        sa.Column("shot_id", sa.Integer(), sa.ForeignKey("shot.id"), nullable=False),
        sa.Column("version_id", sa.Integer()),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("stem", sa.String(200), nullable=False),
        sa.Column("family", sa.String(200), nullable=False),
        sa.Column("sum", sa.String(64), nullable=False),
        sa.Column("uses", JSON, nullable=False),
        sa.Column("levels", JSON, nullable=False),
    )
    op.create_index(op.f("ix_handed_shot_handover_id"), "handed_shot", ["handover_id"])
    op.add_column("handover_item", sa.Column("handed_id", sa.Integer(), sa.ForeignKey("handed_shot.id")))
    op.add_column("handover_item", sa.Column("files", JSON, nullable=False, server_default="[]"))
    op.alter_column("handover_item", "files", server_default=None)
    op.add_column("handover", sa.Column("order", JSON, nullable=False, server_default="{}"))
    op.alter_column("handover", "order", server_default=None)
    op.execute(HANDED)
    op.execute(WHOSE)
    for gone in ("shot_id", "version_id", "levels"):
        op.drop_column("handover_item", gone)
    op.execute(NUMBERS)
    op.execute(CHECKSUMS)
    op.drop_column("handover", "files")
    op.drop_column("handover", "shots")


def downgrade() -> None:
    for name in ("shots", "files"):
        op.add_column("handover", sa.Column(name, JSON, nullable=False, server_default="[]"))
        op.alter_column("handover", name, server_default=None)
    op.execute(
        """UPDATE handover SET shots = COALESCE((SELECT jsonb_agg(jsonb_build_object('id', shot_id, 'name', name,
            'version_id', version_id, 'sum', sum) ORDER BY id) FROM handed_shot WHERE handover_id = handover.id), '[]')"""
    )
    op.execute(
        """UPDATE handover SET files = COALESCE((SELECT jsonb_agg(file ORDER BY item.id, place) FROM handover_item AS item,
            jsonb_array_elements(item.files) WITH ORDINALITY AS listed (file, place)
            WHERE item.handover_id = handover.id), '[]')"""
    )
    op.execute("DELETE FROM handover_item WHERE kind IN ('numbers', 'lists', 'report', 'checksums')")
    op.add_column("handover_item", sa.Column("shot_id", sa.Integer(), sa.ForeignKey("shot.id")))
    op.add_column("handover_item", sa.Column("version_id", sa.Integer()))
    op.add_column("handover_item", sa.Column("levels", JSON))
    op.execute(
        """UPDATE handover_item SET shot_id = handed.shot_id, version_id = handed.version_id, levels = handed.levels
            FROM handed_shot AS handed WHERE handed.id = handed_id"""
    )
    for name in ("shot_id", "levels"):
        op.alter_column("handover_item", name, nullable=False)
    op.drop_column("handover", "order")
    op.drop_column("handover_item", "files")
    op.drop_column("handover_item", "handed_id")
    op.drop_table("handed_shot")
