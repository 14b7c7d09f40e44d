"""tracks are kept once, by their digest; documents name them"""

import json
from collections.abc import Callable
from typing import Any

import numpy as np
import sqlalchemy as sa
import xxhash
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None

COLUMNS = (
    ("version", "correction"),
    ("version", "report"),
    ("kept_frame", "levels"),
    ("handed_shot", "levels"),
    ("shot", "start"),
    ("operation_item", "before"),
    ("operation_item", "after"),
    ("operation", "orders"),
)


def _changed(part: Any, change: Callable[[dict], dict | None]) -> Any:
    """Any part of a document with its tracks changed; `change` answers None for what is none."""
    if isinstance(part, list):
        return [_changed(one, change) for one in part]
    if not isinstance(part, dict):
        return part
    return change(part) or {name: _changed(value, change) for name, value in part.items()}


def _rewrite(change: Callable[[dict], dict | None], mark: str) -> None:
    connection = op.get_bind()
    for table, column in COLUMNS:
        found = connection.execute(
            sa.text(f"SELECT id, {column} FROM {table} WHERE CAST({column} AS text) LIKE :mark"), {"mark": f"%{mark}%"}
        ).all()
        for number, document in found:
            connection.execute(
                sa.text(f"UPDATE {table} SET {column} = CAST(:document AS jsonb) WHERE id = :number"),
                {"document": json.dumps(_changed(document, change)), "number": number},
            )


def upgrade() -> None:
    op.create_table(
        "track",
        sa.Column("digest", sa.String(length=32), primary_key=True),
        sa.Column("drawn", sa.Integer(), nullable=False),
        sa.Column("first", sa.Integer(), nullable=False),
        sa.Column("aspect", sa.Float(), nullable=False),
        sa.Column("places", sa.LargeBinary(), nullable=False),
    )
    connection = op.get_bind()

    def named(part: dict) -> dict | None:
        if not {"drawn", "first", "places", "aspect"} <= part.keys() or not part["places"]:
            return None
        places = np.array(part["places"], "<f8").tobytes()
        head = np.array([part["drawn"], part["first"], part["aspect"]], "<f8").tobytes()
        digest = xxhash.xxh128_hexdigest(head + places)
        connection.execute(
            sa.text(
                "INSERT INTO track (digest, drawn, first, aspect, places) "
                "VALUES (:digest, :drawn, :first, :aspect, :places) ON CONFLICT DO NOTHING"
            ),
            {"digest": digest, "places": places, **{name: part[name] for name in ("drawn", "first", "aspect")}},
        )
        said = {name: part[name] for name in ("drawn", "first", "aspect")}
        return {**said, "digest": digest, "frames": len(part["places"]), "places": None}

    _rewrite(named, '"places": [')


def downgrade() -> None:
    connection = op.get_bind()

    def whole(part: dict) -> dict | None:
        if not {"digest", "drawn", "first", "aspect"} <= part.keys():
            return None
        places = connection.execute(
            sa.text("SELECT places FROM track WHERE digest = :digest"), {"digest": part["digest"]}
        ).scalar_one()
        numbers = np.frombuffer(places, "<f8").reshape(-1, 4).tolist()
        return {"drawn": part["drawn"], "first": part["first"], "places": numbers, "aspect": part["aspect"]}

    _rewrite(whole, '"digest": ')
    op.drop_table("track")
