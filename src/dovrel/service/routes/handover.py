"""Handing over: ordered here and written by the workers, and a list of what was handed over."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from fastapi import APIRouter
from fastapi.responses import FileResponse
from sqlalchemy import select
from sqlalchemy.orm import Session, selectinload

from dovrel.errors import NotFound, Refused
from dovrel.jobs import naming
from dovrel.jobs.handing import seal_if_ended
from dovrel.jobs.handing_numbers import Numbers, sum_of
from dovrel.jobs.ordering import Order, place_order
from dovrel.jobs.picturing import Pictures
from dovrel.media.writing import KINDS
from dovrel.service.context import ContextDep, the_shot
from dovrel.service.fields import Id
from dovrel.service.handover_schemas import HandoverIn, HandoverNamesIn, HandoverNamesOut, HandoverOut
from dovrel.store.models import HandedShot, Handover, HandoverItem, Shot
from dovrel.store.production import the_production

router = APIRouter(prefix="/api/handovers", tags=["handover"])


@router.post("/names")
def names(order: HandoverNamesIn, context: ContextDep) -> HandoverNamesOut:
    """What the files of shots would be called by a pattern, and which of them it gives one name; nothing is written."""
    with context.session() as session:
        shots = _shots(session, order.shots)
        called = {shot.id: stem for shot, stem in naming.stems(shots, order.names).items()}
        return HandoverNamesOut(called=called, clashes=naming.clashes(shots, order.names))


@router.post("")
def hand_over(order: HandoverIn, context: ContextDep) -> HandoverOut:
    """Hand over the asked shots as they are now; the workers write everything into a new folder."""
    asked = Order(
        Numbers(tuple(order.formats), order.sampling, order.cube_size),
        order.clips,
        order.report,
        Pictures(order.width, order.aspect, first=order.first),
        order.burnt,
        order.names,
    )
    with context.session() as session:
        shots = _shots(session, order.shots)
        below = context.settings.data / "handover"
        row = place_order(session, the_production(session), shots, asked, below, context.frames)
        return HandoverOut.model_validate(row)


def _shots(session: Session, ids: Sequence[int]) -> list[Shot]:
    """The shots that are asked for, each once.

    Raises
    ------
    Refused
        If one is not measured, or faulty.
    """
    shots = [the_shot(session, shot_id) for shot_id in dict.fromkeys(ids)]
    for shot in shots:
        if shot.progress != "ready":
            raise Refused(f"{shot.name} cannot be handed over: {shot.fault or 'it is not measured yet'}")
    return shots


@router.post("/{handover_id}/cancel")
def cancel(handover_id: Id, context: ContextDep) -> HandoverOut:
    """End what is not written yet; what is done stays, with its checksums."""
    with context.session() as session:
        row = session.get(Handover, handover_id, with_for_update=True)
        if row is None:
            raise NotFound("there is no such handover")
        row.cancelled = True
        for item in row.items[:-1]:
            if item.state == "waiting":
                item.state = "cancelled"
        session.flush()
        seal_if_ended(session, row)
        return HandoverOut.model_validate(row)


MOST_LISTED = 100


@router.get("")
def read_handovers(context: ContextDep) -> list[HandoverOut]:
    """What was handed over, newest first, and which of its shots are others now."""
    with context.session() as session:
        query = select(Handover).order_by(Handover.id.desc()).limit(MOST_LISTED)
        return _told(
            session,
            session.scalars(query.options(selectinload(Handover.items).selectinload(HandoverItem.handed))).all(),
        )


@router.get("/{handover_id}")
def read_handover(handover_id: Id, context: ContextDep) -> HandoverOut:
    """One handover: how far it is."""
    with context.session() as session:
        row = session.get(Handover, handover_id)
        if row is None:
            raise NotFound("there is no such handover")
        return _told(session, [row])[0]


def _told(session: Session, rows: Sequence[Handover]) -> list[HandoverOut]:
    columns = HandedShot.handover_id, HandedShot.shot_id, HandedShot.name, HandedShot.sum
    handed = session.execute(select(*columns).where(HandedShot.handover_id.in_([row.id for row in rows]))).all()
    with_all = [selectinload(one) for one in (Shot.version, Shot.camera, Shot.family, Shot.production)]
    shots = session.scalars(select(Shot).where(Shot.id.in_({one.shot_id for one in handed})).options(*with_all))
    now = {shot.id: sum_of(shot) for shot in shots}
    changed: dict[int, list[str]] = {row.id: [] for row in rows}
    for handover, shot, name, then in handed:
        if now.get(shot) != then:
            changed[handover].append(name)
    return [HandoverOut.model_validate(row).model_copy(update={"changed": changed[row.id]}) for row in rows]


@router.get("/{handover_id}/{name}", response_class=FileResponse)
def read_file(handover_id: Id, name: str, context: ContextDep) -> FileResponse:
    """One handed-over file."""
    with context.session() as session:
        row = session.get(Handover, handover_id)
        rendered = {item.name for item in row.items if item.state == "done" and item.kind in KINDS} if row else set()
        if row is None or name not in {file["name"] for file in row.files} | rendered:
            raise NotFound("there is no such file in that handover")
        path = Path(row.folder) / name
    if path.is_dir():
        raise Refused(f"{name} is a folder of stills; it lies at {path}")
    if not path.is_file():
        raise NotFound(f"{name} has been moved or deleted since it was handed over")
    return FileResponse(path, filename=name)
