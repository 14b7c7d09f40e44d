"""corrections are documents of steps; kept frames keep all four levels; shots and families start with a template"""

import json
from collections.abc import Callable

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

JSON = postgresql.JSONB(astext_type=sa.Text())
OWN = {"camera": "trim", "shot": "balance", "family": "look", "show": "finish"}
TABLES = {"production": "show", "camera": "camera", "family": "family"}
UNCORRECTED = [1.0, 1.0, 1.0, 0.0, 0.0, 0.0, 1.0, 1.0, 1.0, 1.0]


def _document(level: str, numbers: list, extended: list | None = None, *, on: bool = True) -> dict:
    n = [float(x) for x in numbers]
    primary = {"slope": n[0:3], "offset": n[3:6], "power": n[6:9], "saturation": n[9], "kind": "primary"}
    steps: list[dict] = [{"id": OWN[level], "values": primary, "on": True}]
    if extended is not None:
        e = [float(x) for x in extended]
        values = {"matrix": [e[0:3], e[3:6], e[6:9]], "curves": [e[9:14], e[14:19], e[19:24]], "kind": "extended"}
        steps.append({"id": "extended", "values": values, "on": on})
    return {"schema": 1, "steps": steps}


def _numbers(level: str, document: dict) -> list:
    v = next(step["values"] for step in document["steps"] if step["id"] == OWN[level])
    return [*v["slope"], *v["offset"], *v["power"], v["saturation"]]


def _extended(document: dict) -> tuple[list | None, bool]:
    for step in document["steps"]:
        if step["id"] == "extended":
            v = step["values"]
            return [x for part in (*v["matrix"], *v["curves"]) for x in part], step["on"]
    return None, True


def _rewrite(query: str, change: str, made: Callable[[dict], dict]) -> None:
    """Run `change` for each row of `query`, with what `made` makes of it; documents go in as JSON."""
    connection = op.get_bind()
    for row in connection.execute(sa.text(query)).mappings().all():
        values = {k: json.dumps(v) if isinstance(v, (dict, list)) else v for k, v in made(dict(row)).items()}
        connection.execute(sa.text(change), values)


def upgrade() -> None:
    for table, column in (*((table, "correction") for table in TABLES), ("version", "correction"),
                          ("kept_frame", "levels"), ("shot", "start"), ("production", "template")):  # fmt: skip
        op.add_column(table, sa.Column(column, JSON, nullable=True))
    for table, level in TABLES.items():
        _rewrite(
            f"SELECT id, numbers FROM {table}",
            f"UPDATE {table} SET correction = CAST(:document AS jsonb) WHERE id = :id",
            lambda row, level=level: {"id": row["id"], "document": _document(level, row["numbers"])},
        )
    _rewrite(
        "SELECT id, numbers, extended, extended_on FROM version",
        "UPDATE version SET correction = CAST(:document AS jsonb) WHERE id = :id",
        lambda row: {
            "id": row["id"],
            "document": _document("shot", row["numbers"], row["extended"], on=row["extended_on"]),
        },
    )
    _rewrite(
        "SELECT k.id, k.numbers, k.extended, c.correction AS camera, f.correction AS family, p.correction AS show "
        "FROM kept_frame k JOIN shot s ON s.id = k.shot_id JOIN camera c ON c.id = s.camera_id "
        "JOIN production p ON p.id = s.production_id LEFT JOIN family f ON f.id = s.family_id",
        "UPDATE kept_frame SET levels = CAST(:document AS jsonb) WHERE id = :id",
        lambda row: {
            "id": row["id"],
            "document": {
                "camera": row["camera"],
                "shot": _document("shot", row["numbers"], row["extended"]),
                "family": row["family"] or _document("family", UNCORRECTED),
                "show": row["show"],
            },
        },
    )
    start, template = _document("shot", UNCORRECTED), {lv: _document(lv, UNCORRECTED) for lv in ("shot", "family")}
    connection = op.get_bind()
    connection.execute(sa.text("UPDATE shot SET start = CAST(:it AS jsonb)"), {"it": json.dumps(start)})
    connection.execute(sa.text("UPDATE production SET template = CAST(:it AS jsonb)"), {"it": json.dumps(template)})
    _rewrite(
        "SELECT id, target, before, after FROM operation_item WHERE before ? 'numbers' OR after ? 'numbers'",
        "UPDATE operation_item SET before = CAST(:before AS jsonb), after = CAST(:after AS jsonb) WHERE id = :id",
        lambda row: {"id": row["id"], **{way: _with_document(row["target"], row[way]) for way in ("before", "after")}},
    )
    _rewrite(
        "SELECT id, orders FROM operation WHERE kind = 'copy'",
        "UPDATE operation SET orders = CAST(:orders AS jsonb) WHERE id = :id",
        lambda row: {"id": row["id"], "orders": _orders_by_step(row["orders"])},
    )
    for table in TABLES:
        op.drop_column(table, "numbers")
        op.alter_column(table, "correction", nullable=False)
    for table, columns in (
        ("version", ("numbers", "extended", "extended_on")),
        ("kept_frame", ("numbers", "extended")),
    ):
        for column in columns:
            op.drop_column(table, column)
    for table, column in (("version", "correction"), ("kept_frame", "levels"), ("shot", "start"),
                          ("production", "template")):  # fmt: skip
        op.alter_column(table, column, nullable=False)


def _with_document(target: str, changed: dict) -> dict:
    if "numbers" not in changed:
        return changed
    return {**{k: v for k, v in changed.items() if k != "numbers"}, "correction": _document(target, changed["numbers"])}


def _orders_by_step(orders: dict) -> dict:
    others = {k: v for k, v in orders.items() if k not in ("steps", "extended")}
    steps = ["balance", *(["extended"] if orders.get("extended") else [])]
    return {**others, "steps": steps, "controls": orders.get("steps", [])}


def downgrade() -> None:
    """Back to ten numbers and an extended part a shot; other steps are lost."""
    for table in (*TABLES, "version", "kept_frame"):
        op.add_column(table, sa.Column("numbers", JSON, nullable=True))
    for table in ("version", "kept_frame"):
        op.add_column(table, sa.Column("extended", JSON, nullable=True))
    op.add_column("version", sa.Column("extended_on", sa.Boolean(), nullable=False, server_default=sa.true()))
    op.alter_column("version", "extended_on", server_default=None)
    for table, level in TABLES.items():
        _rewrite(
            f"SELECT id, correction FROM {table}",
            f"UPDATE {table} SET numbers = CAST(:numbers AS jsonb) WHERE id = :id",
            lambda row, level=level: {"id": row["id"], "numbers": _numbers(level, row["correction"])},
        )
    for table, column in (("version", "correction"), ("kept_frame", "levels -> 'shot'")):
        _rewrite(
            f"SELECT id, {column} AS correction FROM {table}",
            f"UPDATE {table} SET numbers = CAST(:numbers AS jsonb), extended = CAST(:extended AS jsonb) WHERE id = :id",
            lambda row: {
                "id": row["id"],
                "numbers": _numbers("shot", row["correction"]),
                "extended": _extended(row["correction"])[0],
            },
        )
    _rewrite(
        "SELECT id, correction FROM version",
        "UPDATE version SET extended_on = :switched WHERE id = :id",
        lambda row: {"id": row["id"], "switched": _extended(row["correction"])[1]},
    )
    _rewrite(
        "SELECT id, target, before, after FROM operation_item WHERE before ? 'correction' OR after ? 'correction'",
        "UPDATE operation_item SET before = CAST(:before AS jsonb), after = CAST(:after AS jsonb) WHERE id = :id",
        lambda row: {"id": row["id"], **{way: _with_numbers(row["target"], row[way]) for way in ("before", "after")}},
    )
    _rewrite(
        "SELECT id, orders FROM operation WHERE kind = 'copy'",
        "UPDATE operation SET orders = CAST(:orders AS jsonb) WHERE id = :id",
        lambda row: {"id": row["id"], "orders": _orders_by_part(row["orders"])},
    )
    for table in (*TABLES, "version", "kept_frame"):
        op.alter_column(table, "numbers", nullable=False)
    for table, column in (*((table, "correction") for table in TABLES), ("version", "correction"),
                          ("kept_frame", "levels"), ("shot", "start"), ("production", "template")):  # fmt: skip
        op.drop_column(table, column)


def _with_numbers(target: str, changed: dict) -> dict:
    if "correction" not in changed:
        return changed
    others = {k: v for k, v in changed.items() if k != "correction"}
    return {**others, "numbers": _numbers(target, changed["correction"])}


def _orders_by_part(orders: dict) -> dict:
    others = {k: v for k, v in orders.items() if k not in ("steps", "controls")}
    return {**others, "steps": orders.get("controls", []), "extended": "extended" in orders.get("steps", [])}
