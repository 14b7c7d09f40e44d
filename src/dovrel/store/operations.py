"""Operations: changes to many rows that are undone, and done again, as one."""

from __future__ import annotations

from typing import Any

from sqlalchemy import exists, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from dovrel.store.corrections import make_current
from dovrel.store.models import Camera, Family, Operation, OperationItem, Production, Shot, Version, now

Row = Shot | Camera | Family | Production
_KINDS: dict[str, type[Row]] = {"shot": Shot, "camera": Camera, "family": Family, "show": Production}


def kind_of(row: Row) -> str:
    return next(name for name, model in _KINDS.items() if isinstance(row, model))


def begin(
    session: Session, production: Production, kind: str, what: str, *, total: int = 0, **orders: Any
) -> Operation:
    """Open an operation; rows changed through it are undone with it."""
    operation = Operation(production_id=production.id, kind=kind, what=what[:200], total=total, orders=orders)
    session.add(operation)
    session.flush()
    return operation


def change(session: Session, operation: Operation, row: Row, **after: Any) -> None:
    """Set attributes of a row as a part of an operation."""
    before = {name: getattr(row, name) for name in after}
    if before == after:
        return
    for name, value in after.items():
        setattr(row, name, value)
    record(session, operation.id, row, before, after)


def record(
    session: Session,
    operation_id: int,
    row: Row,
    before: dict[str, Any],
    after: dict[str, Any],
    said: str = "",
    *,
    failed: bool = False,
) -> bool:
    """Note what an operation did to a row; False if that is noted already, and nothing is done."""
    noted = session.execute(
        insert(OperationItem)
        .values(
            operation_id=operation_id,
            target=kind_of(row),
            target_id=row.id,
            before=before,
            after=after,
            said=said[:1000],
            failed=failed,
            made_at=now(),
        )
        .on_conflict_do_nothing()
        .returning(OperationItem.id)
    ).scalar_one_or_none()
    return noted is not None


def newest(session: Session, *, undone: bool) -> Operation | None:
    """What undo would take back, or redo would do again."""
    order = Operation.id.asc() if undone else Operation.id.desc()
    query = select(Operation).where(Operation.undone == undone)
    if undone:
        # What was undone before something new was done stays undone.
        last = select(Operation.id).where(~Operation.undone).order_by(Operation.id.desc()).limit(1).scalar_subquery()
        query = query.where(Operation.id > last) if newest(session, undone=False) else query
    return session.scalars(query.order_by(order).limit(1)).first()


def turn(session: Session, operation: Operation, *, back: bool) -> list[str]:
    """Undo an operation (`back`), or do it again; rows changed since are left and named."""
    left = []
    for item in operation.items:
        if item.failed or not item.after:
            continue
        row = session.get(_KINDS[item.target], item.target_id, with_for_update=True)
        if row is None:
            continue
        now_in, wanted = (item.after, item.before) if back else (item.before, item.after)
        if any(getattr(row, name) != value for name, value in now_in.items()):
            left.append(row.letter if isinstance(row, Camera) else row.name)
            continue
        for name, value in wanted.items():
            if name == "version_id":
                assert isinstance(row, Shot)
                make_current(row, session.get(Version, value) if value else None)
            else:
                setattr(row, name, value)
    operation.undone = back
    if back:
        operation.cancelled = operation.cancelled or len(operation.items) < operation.total
    session.flush()
    return left


def recent(session: Session, production: Production, limit: int = 30) -> list[Operation]:
    """Operations, newest first."""
    return list(
        session.scalars(
            select(Operation).where(Operation.production_id == production.id).order_by(Operation.id.desc()).limit(limit)
        )
    )


def touched(session: Session, item: OperationItem) -> list[Shot]:
    """The shots whose readings an item's change of a level or a framing touches; none for other items."""
    if not {"correction", "framing"} & set(item.after):
        return []
    row = session.get(_KINDS[item.target], item.target_id)
    return shots_under(session, row) if row is not None else []


_MEASURED_BY = {"camera_id", "encoding", "reading", "output", "percentiles"}
"""Attributes that a measurement rests on."""


def to_measure(session: Session, item: OperationItem) -> list[Shot]:
    """The shots that an item's change makes one measure anew."""
    if not _MEASURED_BY & set(item.after):
        return []
    row = session.get(_KINDS[item.target], item.target_id)
    return all_under(session, row) if row is not None else []


def all_under(session: Session, row: Row) -> list[Shot]:
    """The shots of a camera, a family or the production; a shot alone."""
    column = {Camera: Shot.camera_id, Family: Shot.family_id, Production: Shot.production_id, Shot: Shot.id}[type(row)]
    return list(session.scalars(select(Shot).where(column == row.id)))


def shots_under(session: Session, row: Row) -> list[Shot]:
    """The shots that a camera's trim, a family's look or the show's finish is in force on."""
    return [shot for shot in all_under(session, row) if shot.progress == "ready"]


def changed_by_hand(session: Session, shot: Shot, since: int | None) -> bool:
    """Whether a shot's version is another than `since`, and not by batches alone."""
    version = shot.version
    while (version.id if version else None) != since:
        if version is None or not _is_of_a_batch(session, version):
            return True
        version = session.get(Version, version.parent_id) if version.parent_id else None
    return False


def _is_of_a_batch(session: Session, version: Version) -> bool:
    made = OperationItem.after["version_id"].as_integer() == version.id
    of = OperationItem.target == "shot", OperationItem.target_id == version.shot_id
    return bool(session.scalar(select(exists().where(made, *of))))
