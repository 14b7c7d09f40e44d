"""Cameras: added, named, given their encoding, split, merged."""

from __future__ import annotations

from pathlib import Path

from fastapi import APIRouter
from sqlalchemy import select
from sqlalchemy.orm import Session

from dovrel.core.colour import encodings
from dovrel.errors import NotFound, Refused
from dovrel.jobs.anew import measure_anew
from dovrel.service.context import Context, ContextDep
from dovrel.service.fields import Id
from dovrel.service.intake_schemas import CameraChange, CameraIn, EncodingOut
from dovrel.service.schemas import CameraOut
from dovrel.store import corrections, operations
from dovrel.store.models import Camera, Operation, Production, Shot
from dovrel.store.production import the_production

router = APIRouter(prefix="/api", tags=["cameras"])
CHOSEN = "chosen by hand"


@router.get("/encodings")
def read_encodings(context: ContextDep) -> list[EncodingOut]:
    """Encodings to choose from, those in use included."""
    found = [EncodingOut.model_validate(e) for e in encodings.available()]
    with context.session() as session:
        for used in session.scalars(select(Camera.encoding).distinct()):
            if used.startswith("file:"):
                found.append(EncodingOut(id=used, name=Path(used[5:]).stem, kind="file"))
    return found


def check_encoding(context: Context, encoding: str) -> None:
    """Refuse an encoding that is not known, or whose file may not be read."""
    if encoding.startswith("file:"):
        context.settings.allowed(Path(encoding[5:]))
    encodings.describe(encoding)


def _the_camera(session: Session, camera_id: int) -> Camera:
    camera = session.get(Camera, camera_id, with_for_update=True)
    if camera is None or camera.retired:
        raise NotFound(f"there is no camera {camera_id}")
    return camera


def _refuse_taken(production: Production, letter: str) -> None:
    if any(camera.letter == letter and not camera.retired for camera in production.cameras):
        raise Refused(f"there is a camera {letter} already; choose another letter")


@router.post("/cameras")
def make_camera(order: CameraIn, context: ContextDep) -> CameraOut:
    """Add a camera, and move shots to it: so a camera is split."""
    check_encoding(context, order.encoding)
    with context.session() as session:
        production = the_production(session)
        _refuse_taken(production, order.letter)
        shots = [corrections.locked(session, shot_id) for shot_id in dict.fromkeys(order.shots)]
        camera = Camera(
            production_id=production.id,
            letter=order.letter,
            name=order.name,
            make=shots[0].camera.make if shots else "",
            model=shots[0].camera.model if shots else "",
            encoding=order.encoding,
            reason=CHOSEN,
            retired=True,
        )
        session.add(camera)
        session.flush()
        operation = operations.begin(session, production, "camera", f"camera {order.letter} added")
        # It comes to be, and goes with an undo, by the same switch that merging uses.
        operations.change(session, operation, camera, retired=False)
        move_shots(session, operation, shots, camera)
        session.flush()
        return CameraOut.model_validate(camera)


def move_shots(session: Session, operation: Operation, shots: list[Shot], camera: Camera) -> None:
    """Put shots on a camera; those that this gives another encoding are measured anew."""
    changed = [shot for shot in shots if shot.camera.encoding != camera.encoding]
    for shot in shots:
        operations.change(session, operation, shot, camera_id=camera.id)
    measure_anew(session, changed)


@router.patch("/cameras/{camera_id}")
def change_camera(camera_id: Id, change: CameraChange, context: ContextDep) -> CameraOut:
    """Give a camera another letter, name or encoding, or merge it into another; shots are measured anew where needed."""
    if change.encoding is not None:
        check_encoding(context, change.encoding)
    with context.session() as session:
        production, camera = the_production(session), _the_camera(session, camera_id)
        if change.into is not None:
            return _merge(session, production, camera, _the_camera(session, change.into))
        after = {name: value for name in ("letter", "name") if (value := getattr(change, name)) is not None}
        if change.letter is not None and change.letter != camera.letter:
            _refuse_taken(production, change.letter)
        if change.encoding is not None:
            after |= {"encoding": change.encoding, "assumed": False, "reason": CHOSEN}
        moved = "encoding" in after and after["encoding"] != camera.encoding
        what = f"camera {camera.letter}: {', '.join(name for name in after if name not in ('assumed', 'reason'))}"
        operation = operations.begin(session, production, "camera", what)
        operations.change(session, operation, camera, **after)
        if change.remember and change.encoding and camera.make:
            _remember(session, operation, production, camera)
        if moved:
            measure_anew(session, operations.all_under(session, camera))
        session.flush()
        return CameraOut.model_validate(camera)


def _remember(session: Session, operation: Operation, production: Production, camera: Camera) -> None:
    """Put a camera's encoding into the production's table, in the place of what stood there for it."""
    new = {"make": camera.make, "model": camera.model, "encoding": camera.encoding}
    kept = [one for one in production.encodings if (one["make"], one["model"]) != (camera.make, camera.model)]
    operations.change(session, operation, production, encodings=[*kept, new])


def _merge(session: Session, production: Production, camera: Camera, into: Camera) -> CameraOut:
    if into is camera:
        raise Refused(f"camera {camera.letter} cannot be merged into itself")
    operation = operations.begin(session, production, "camera", f"camera {camera.letter} merged into {into.letter}")
    move_shots(session, operation, operations.all_under(session, camera), into)
    operations.change(session, operation, camera, retired=True)
    session.flush()
    return CameraOut.model_validate(into)
