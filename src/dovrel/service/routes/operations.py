"""Doing things to many shots at once, in the background where it takes time; undone as one."""

from __future__ import annotations

from pathlib import Path

from fastapi import APIRouter
from sqlalchemy.orm import Session

from dovrel.core.sorting import natural
from dovrel.errors import InConflict, NotFound, Refused
from dovrel.jobs import queue
from dovrel.jobs.anew import measure_anew
from dovrel.media.footage import is_still
from dovrel.service.context import Context, ContextDep, the_shot
from dovrel.service.fields import Id
from dovrel.service.intake_schemas import JoinIn, ReadingIn
from dovrel.service.schemas import BatchIn, OperationOut, ShotOut, ShotsChange, TurnedOut, TurnIn
from dovrel.service.views import operation_out, shot_out
from dovrel.store import corrections, operations
from dovrel.store.models import Camera, Family, Operation, Shot
from dovrel.store.production import the_production

router = APIRouter(prefix="/api", tags=["operations"])
_WHICHEVER = TurnIn()
_WORDS = {"balance": "balance", "match": "match", "copy": "copy to"}


@router.post("/batches")
def start_batch(order: BatchIn, context: ContextDep) -> OperationOut:
    """Balance or match shots, or copy a correction to them, in the background.

    References are not matched to themselves, and a shot is not copied onto itself.
    """
    with context.session() as session:
        operation, chosen = _begin(order, session)
        # Where there are several families, each worker compares and solves one; a single one is shared by all of them.
        several = order.kind == "match" and len({shot.family_id for shot in chosen}) > 1
        queue.defer_batch(session, operation.id, chosen, by_family=several)
        return operation_out(operation)


def _begin(order: BatchIn, session: Session) -> tuple[Operation, list[Shot]]:
    production = the_production(session)
    shots = [the_shot(session, shot_id) for shot_id in dict.fromkeys(order.shots)]
    if order.kind == "match":
        shots = [s for s in shots if not (s.family and s.family.reference and s.family.reference.shot_id == s.id)]
        shots.sort(key=lambda shot: shot.family_id or 0)
    if order.kind == "copy":
        if order.source is None:
            raise Refused("choose the shot to copy from")
        the_shot(session, order.source)
        shots = [s for s in shots if s.id != order.source]
    shots = [s for s in shots if s.progress == "ready"]
    if not shots:
        raise Refused(f"nothing to {order.kind}: choose shots that are measured and are not the reference")
    count = f"{len(shots)} shot{'s' if len(shots) > 1 else ''}"
    operation = operations.begin(
        session,
        production,
        order.kind,
        f"{_WORDS[order.kind]} {count}",
        total=len(shots),
        source=order.source,
        steps=order.steps,
        controls=order.controls,
        strength=order.strength,
        extended=order.extended,
        versions={str(shot.id): shot.version_id for shot in shots},
    )
    return operation, shots


@router.get("/operations/{operation_id}")
def read_operation(operation_id: Id, context: ContextDep) -> OperationOut:
    """One operation and how far it is."""
    return _read(context, operation_id)


@router.post("/operations/{operation_id}/cancel")
def cancel(operation_id: Id, context: ContextDep) -> OperationOut:
    """Stop a batch: what is done stays, the rest is not begun."""
    with context.session() as session:
        operation = session.get(Operation, operation_id, with_for_update=True)
        if operation is None:
            raise NotFound(f"there is no operation {operation_id}")
        operation.cancelled = operation.cancelled or len(operation.items) < operation.total
    return _read(context, operation_id)


@router.post("/operations/undo")
def undo(context: ContextDep, order: TurnIn = _WHICHEVER) -> TurnedOut:
    """Take the newest operation back as one."""
    return _turn(context, order, back=True)


@router.post("/operations/redo")
def redo(context: ContextDep, order: TurnIn = _WHICHEVER) -> TurnedOut:
    """Do the operation that was undone last once more."""
    return _turn(context, order, back=False)


def _turn(context: Context, order: TurnIn, *, back: bool) -> TurnedOut:
    with context.session() as session:
        # One after another, so that two quick presses take back two operations.
        session.refresh(the_production(session), with_for_update=True)
        operation = operations.newest(session, undone=not back)
        if operation is None:
            raise Refused("there is nothing to undo" if back else "there is nothing to do again")
        if order.last is not None and order.last != operation.id:
            raise InConflict(f"another window did something since: {operation.what}; look at it and try again")
        left = operations.turn(session, operation, back=back)
        queue.defer_measure_again(
            session, [shot.id for item in operation.items for shot in operations.touched(session, item)]
        )
        measure_anew(session, [shot for item in operation.items for shot in operations.to_measure(session, item)])
        return TurnedOut(what=operation.what, left=left)


@router.patch("/shots")
def change_shots(change: ShotsChange, context: ContextDep) -> list[ShotOut]:
    """Move shots to a family or camera, say how their clips are read, mark or note them, as one operation."""
    after = change.model_dump(exclude={"shots", "notes_before", "reading", "camera_id"}, exclude_none=True)
    if not after and change.reading is None and change.camera_id is None:
        raise Refused("name what to change of the shots")
    with context.session() as session:
        production = the_production(session)
        shots = [corrections.locked(session, shot_id) for shot_id in change.shots]
        if change.note is not None:
            _refuse_overtaken(shots, change.notes_before or [""] * len(shots), change.note)
        operation = operations.begin(session, production, "sort", _what(session, change, after, len(shots)))
        before = {shot.id: (shot.camera.encoding, shot.reading) for shot in shots}
        camera = _camera_of(session, change)
        for shot in shots:
            reading = _read_as(shot, change.reading)
            moved = {"camera_id": camera.id} if camera else {}
            operations.change(session, operation, shot, **after, **moved, **reading)
        session.flush()
        for shot in shots:
            session.refresh(shot)
        measure_anew(session, [shot for shot in shots if (shot.camera.encoding, shot.reading) != before[shot.id]])
        session.flush()
        for shot in shots:
            session.refresh(shot)
        return [shot_out(shot) for shot in shots]


@router.post("/shots/join")
def join_shots(order: JoinIn, context: ContextDep) -> ShotOut:
    """Join the files of one take into its first shot, in the order of their names; the others are set aside."""
    with context.session() as session:
        shots = [corrections.locked(session, shot_id) for shot_id in dict.fromkeys(order.shots)]
        first, *others = sorted(shots, key=lambda shot: natural(Path(shot.path).name))
        if not others:
            raise Refused("choose two shots or more to join")
        strays = [shot.name for shot in shots if Path(shot.path).parent != Path(first.path).parent]
        if strays or any(shot.reading.get("numbers") or is_still(Path(shot.path)) for shot in shots):
            raise Refused("only clips that lie in one folder can be joined into a take")
        operation = operations.begin(
            session, the_production(session), "sort", f"{len(shots)} clips joined into {first.name}"
        )
        parts = [name for shot in others for name in (Path(shot.path).name, *shot.reading.get("parts", ()))]
        reading = {**first.reading, "parts": [*first.reading.get("parts", ()), *parts]}
        operations.change(session, operation, first, reading=reading)
        for shot in others:
            operations.change(session, operation, shot, off=True)
        measure_anew(session, [first])
        session.flush()
        session.refresh(first)
        return shot_out(first)


def _what(session: Session, change: ShotsChange, after: dict, count: int) -> str:
    """What a change of shots is called."""
    shots = f"{count} shot{'s' if count > 1 else ''}"
    if change.family_id is not None:
        family = session.get(Family, change.family_id)
        if family is None:
            raise NotFound(f"there is no family {change.family_id}")
        return f"{shots} to {family.name}"
    if change.camera_id is not None:
        camera = _camera_of(session, change)
        return f"{shots} to camera {camera.letter if camera else ''}"
    if change.reading is not None:
        return f"{' and '.join(sorted(change.reading.model_fields_set))} of {shots}"
    if change.off is not None:
        return f"{shots} {'set aside' if change.off else 'brought back'}"
    return f"{', '.join(after)} of {shots}"


def _camera_of(session: Session, change: ShotsChange) -> Camera | None:
    if change.camera_id is None:
        return None
    camera = session.get(Camera, change.camera_id)
    if camera is None or camera.retired:
        raise NotFound(f"there is no camera {change.camera_id}")
    return camera


def _read_as(shot: Shot, reading: ReadingIn | None) -> dict:
    """A shot's reading with what is said now, as attributes to change."""
    if reading is None:
        return {}
    said = {**shot.reading, **reading.model_dump(mode="json", include=reading.model_fields_set)}
    return {"reading": {name: value for name, value in said.items() if value is not None}}


def _refuse_overtaken(shots: list[Shot], before: list[str], note: str) -> None:
    other = [s.name for s, was in zip(shots, before, strict=True) if s.note not in (was, note)]
    if other:
        raise InConflict(
            f"the note of {', '.join(other[:5])} was changed in another window; read it, then write yours again"
        )


def _read(context: Context, operation_id: Id) -> OperationOut:
    with context.session() as session:
        operation = session.get(Operation, operation_id)
        if operation is None:
            raise NotFound(f"there is no operation {operation_id}")
        return operation_out(operation)
