"""Handing over: files of corrections, a report, rendered clips in the background, and a list of what was handed over."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from datetime import datetime
from pathlib import Path

from fastapi import APIRouter
from fastapi.responses import FileResponse
from sqlalchemy import select
from sqlalchemy.orm import Session, selectinload

from dovrel.formats import day_report
from dovrel.formats.day_report import DayTold
from dovrel.jobs import handing_numbers, naming, queue, reporting
from dovrel.jobs.handing import ENDED, seal
from dovrel.jobs.handing_numbers import Handed, Numbers, Written, sum_of
from dovrel.jobs.picturing import Pictures
from dovrel.machine.files import folder_aside
from dovrel.media.writing import KINDS
from dovrel.service.context import Context, ContextDep, the_shot
from dovrel.service.fields import Id
from dovrel.service.handover_schemas import HandedFile, HandoverIn, HandoverNamesIn, HandoverNamesOut, HandoverOut
from dovrel.store import corrections
from dovrel.store.models import Handover, HandoverItem, Shot
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
    """Write the asked formats of the asked shots into a new folder, which is there whole or not at all."""
    work = context.works.begin(order.work)
    day = _report_of(order, context) if order.report else None
    with context.session() as session:
        title = the_production(session).name
        shots = _shots(session, order.shots)
        handed = handing_numbers.handed(naming.stems(shots, order.names), context.frames)
        sums = {shot.id: sum_of(shot) for shot in shots}
        words = {shot.id: _burnt(shot) for shot in shots} if order.burnt else {}
    stamp = datetime.now().strftime("%Y-%m-%d_%H%M%S_%f")[:-3]
    folder = context.settings.data / "handover" / stamp
    # Writing takes longer than a transaction may, so it is done between two.
    with folder_aside(folder) as aside:
        numbers = Numbers(tuple(order.formats), order.sampling, order.cube_size)
        files = handing_numbers.write(aside, handed, numbers, title, work.told)
        if day:
            files += [Written(path.name, "report") for path in day_report.write_all(aside, day)]
    if not order.clips:
        seal(folder)
    with context.session() as session:
        row = Handover(
            production_id=the_production(session).id,
            folder=str(folder),
            files=[HandedFile.model_validate(asdict(file)).model_dump() for file in files],
            shots=[
                {"id": one.id, "name": one.name, "version_id": one.version_id, "sum": sums[one.id]} for one in handed
            ],
        )
        row.items = [_item(one, kind, order, words.get(one.id)) for one in handed for kind in order.clips]
        session.add(row)
        session.flush()
        queue.defer_renders(session, [item.id for item in row.items])
        return HandoverOut.model_validate(row)


def _shots(session: Session, ids: Sequence[int]) -> list[Shot]:
    """The shots that are asked for, each once.

    Raises
    ------
    ValueError
        If one is not measured, or faulty.
    """
    shots = [the_shot(session, shot_id) for shot_id in dict.fromkeys(ids)]
    for shot in shots:
        if shot.progress != "ready":
            raise ValueError(f"{shot.name} cannot be handed over: {shot.fault or 'it is not measured yet'}")
    return shots


def _report_of(order: HandoverIn, context: Context) -> DayTold:
    with context.session() as session:
        listed = reporting.listed(the_production(session), _shots(session, order.shots))
    return reporting.told(listed, context.frames)


def _burnt(shot: Shot) -> str:
    """What is burnt into a shot's pictures beside the timecode."""
    words = naming.words_of(shot)
    return "  ".join(word for word in (shot.name, words["camera"], words["roll"], words["clip"]) if word)


def _item(shot: Handed, kind: str, order: HandoverIn, burnt: str | None) -> HandoverItem:
    """A shot to be rendered, under all that is in force now."""
    as_file = KINDS[kind]
    pictures = Pictures(order.width, order.aspect, burnt)
    return HandoverItem(
        shot_id=shot.id,
        version_id=shot.version_id,
        levels=corrections.kept_columns(shot.levels),
        kind=kind,
        name=f"{shot.stem}_{kind}{'' if as_file.is_sequence else as_file.suffix}",
        pictures=asdict(pictures),
        state="waiting",
        part=0.0,
        said="",
    )


@router.post("/{handover_id}/cancel")
def cancel(handover_id: Id, context: ContextDep) -> HandoverOut:
    """End what is still being rendered; what is done stays."""
    with context.session() as session:
        row = session.get(Handover, handover_id, with_for_update=True)
        if row is None:
            raise LookupError("there is no such handover")
        row.cancelled = True
        for item in row.items:
            if item.state == "waiting":
                item.state = "cancelled"
        session.flush()
        ended, told = all(item.state in ENDED for item in row.items), HandoverOut.model_validate(row)
    if ended:
        seal(Path(told.folder))
    return told


@router.get("")
def read_handovers(context: ContextDep) -> list[HandoverOut]:
    """What was handed over, newest first, and which of its shots are others now."""
    with context.session() as session:
        rows = list(session.scalars(select(Handover).order_by(Handover.id.desc()).limit(100)))
        ids = {one["id"] for row in rows for one in row.shots}
        with_all = [selectinload(one) for one in (Shot.version, Shot.camera, Shot.family, Shot.production)]
        shots = session.scalars(select(Shot).where(Shot.id.in_(ids)).options(*with_all))
        now = {shot.id: sum_of(shot) for shot in shots}
        found = []
        for row in rows:
            changed = [one["name"] for one in row.shots if now.get(one["id"]) != one["sum"]]
            found.append(HandoverOut.model_validate(row).model_copy(update={"changed": changed}))
        return found


@router.get("/{handover_id}/{name}", response_class=FileResponse)
def read_file(handover_id: Id, name: str, context: ContextDep) -> FileResponse:
    """One handed-over file."""
    with context.session() as session:
        row = session.get(Handover, handover_id)
        rendered = {item.name for item in row.items if item.state == "done"} if row else set()
        if row is None or name not in {file["name"] for file in row.files} | rendered:
            raise LookupError("there is no such file in that handover")
        path = Path(row.folder) / name
    if path.is_dir():
        raise ValueError(f"{name} is a folder of stills; it lies at {path}")
    if not path.is_file():
        raise LookupError(f"{name} has been moved or deleted since it was handed over")
    return FileResponse(path, filename=name)
