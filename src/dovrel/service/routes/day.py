"""The day's list: production, cameras, families, shots; taking in."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import numpy as np
import simplejpeg
from fastapi import APIRouter, Query, Response
from fastapi.responses import FileResponse
from sqlalchemy import select
from sqlalchemy.orm import Session

from dovrel.core.colour import encodings, tables
from dovrel.core.colour.cdl import TenNumbers
from dovrel.core.correct.levels import ShotBalance
from dovrel.core.measure.frame import develop, picture_of, render
from dovrel.core.sorting import natural
from dovrel.jobs import automatic, queue
from dovrel.jobs.intake import clips_below, list_clips, stored_path
from dovrel.jobs.thumbnails import thumbnail_path
from dovrel.service.context import ContextDep, the_production, the_shot
from dovrel.service.schemas import (
    CameraChange,
    CameraOfShot,
    CameraOut,
    DayOut,
    EncodingOut,
    FamilyOut,
    Frame,
    Id,
    IntakeIn,
    IntakeOut,
    ShotOut,
)
from dovrel.service.views import operation_out, production_out, shot_out
from dovrel.store import corrections, operations
from dovrel.store.models import Camera, Shot, Version

router = APIRouter(prefix="/api", tags=["day"])
KEPT_BY_THE_PAGE = {"Cache-Control": "private, max-age=600"}
"""The page asks under another address whenever a correction has changed."""
RECENT = 8
"""Operations that the page is told of."""


@router.get("/day")
def read_day(context: ContextDep) -> DayOut:
    """The whole day: production, cameras, families, shots."""
    with context.session() as session:
        production = the_production(session)
        # All at once, so that no shot asks for its own.
        _versions = session.scalars(select(Version).join(Shot, Shot.version_id == Version.id)).all()
        return DayOut(
            production=production_out(production),
            cameras=[CameraOut.model_validate(c) for c in production.cameras],
            families=[FamilyOut.model_validate(f) for f in production.families if not f.retired],
            shots=[shot_out(s) for s in sorted(production.shots, key=lambda s: natural(s.name))],
            operations=[operation_out(o) for o in operations.recent(session, production, RECENT)],
        )


@router.get("/folders")
def read_folders(context: ContextDep) -> list[str]:
    """The folders clips may be taken in from."""
    return [str(folder) for folder in context.settings.folders]


@router.get("/encodings")
def read_encodings(context: ContextDep) -> list[EncodingOut]:
    """Encodings to choose from, those in use included."""
    found = [EncodingOut.model_validate(e) for e in encodings.available()]
    with context.session() as session:
        for used in session.scalars(select(Camera.encoding).distinct()):
            if used.startswith("file:"):
                found.append(EncodingOut(id=used, name=Path(used[5:]).stem, kind="file"))
    return found


@router.post("/intake")
def take_in(order: IntakeIn, context: ContextDep) -> IntakeOut:
    """List the clips below a folder and measure them in the background."""
    folder = context.settings.allowed(Path(order.folder))
    if not folder.is_dir():
        raise ValueError(f"{order.folder}: there is no such folder")
    paths, ignored = clips_below(folder)
    with context.session() as session:
        production = the_production(session)
        # One at a time, so that a card that two windows take in at once is listed once.
        session.refresh(production, with_for_update=True)
        known = set(session.scalars(select(Shot.path)))
        added = list_clips(session, production, [path for path in paths if stored_path(path) not in known])
        queue.defer_measures(session, [shot.id for shot in added if shot.progress == "waiting"])
        return IntakeOut(added=len(added), already=len(paths) - len(added), ignored=ignored)


@router.patch("/shots/{shot_id}")
def change_shot(shot_id: Id, change: CameraOfShot, context: ContextDep) -> ShotOut:
    """Say which camera a shot is of; it is measured again."""
    with context.session() as session:
        shot = corrections.locked(session, shot_id)
        if session.get(Camera, change.camera_id) is None:
            raise LookupError(f"there is no camera {change.camera_id}")
        shot.camera_id = change.camera_id
        _measure_again(session, [shot])
        session.flush()
        session.refresh(shot)
        return shot_out(shot)


def _measure_again(session: Session, shots: list[Shot]) -> None:
    """Measure shots anew, once, when no more changes come."""
    for shot in shots:
        shot.progress, shot.fault = "waiting", ""
    queue.defer_measures(session, [shot.id for shot in shots], after=queue.SETTLING)


@router.patch("/cameras/{camera_id}")
def change_camera(camera_id: Id, change: CameraChange, context: ContextDep) -> CameraOut:
    """Give a camera its encoding; its shots are measured again."""
    if change.encoding.startswith("file:"):
        context.settings.allowed(Path(change.encoding[5:]))
    encodings.describe(change.encoding)
    with context.session() as session:
        camera = session.get(Camera, camera_id, with_for_update=True)
        if camera is None:
            raise LookupError(f"there is no camera {camera_id}")
        if camera.encoding != change.encoding:
            camera.encoding = change.encoding
            _measure_again(session, list(session.scalars(select(Shot).where(Shot.camera_id == camera_id))))
        return CameraOut.model_validate(camera)


@router.post("/shots/{shot_id}/measure")
def measure_again(shot_id: Id, context: ContextDep) -> ShotOut:
    """Try a faulty or outdated shot again."""
    with context.session() as session:
        shot = corrections.locked(session, shot_id)
        _measure_again(session, [shot])
        return shot_out(shot)


@router.get("/shots/{shot_id}/thumbnail.jpg", response_class=FileResponse)
def read_thumbnail(shot_id: Id, context: ContextDep) -> FileResponse:
    """The shot's middle frame with its current correction, made when first asked for."""
    with context.session() as session:
        subject = automatic.subject_of(the_shot(session, shot_id))
    path = thumbnail_path(context.settings.data, shot_id, subject.levels.in_order)
    if not path.is_file():
        automatic.make_thumbnail(context.frames, subject, path)
    return FileResponse(path, headers={"Cache-Control": "no-cache"})


@router.get("/shots/{shot_id}/frames/{frame}.jpg")
def read_frame(
    shot_id: Id, frame: Frame, context: ContextDep, numbers: Annotated[str, Query(max_length=400)] = ""
) -> Response:
    """A frame as corrected, small: what a cut is judged by; under another balance if ten numbers are given."""
    with context.session() as session:
        subject = automatic.subject_of(the_shot(session, shot_id))
    levels = subject.levels
    if numbers:
        levels = levels.with_balance(ShotBalance(TenNumbers.from_array([float(n) for n in numbers.split(",")])))
    picture = context.frames.playing(subject.source, frame)
    shown = picture_of(develop(picture.packed, levels.in_order, tables.output_table(subject.source.output)))
    jpeg = simplejpeg.encode_jpeg(np.ascontiguousarray(shown), 88, colorsubsampling="444")
    return Response(jpeg, media_type="image/jpeg", headers=KEPT_BY_THE_PAGE)


@router.get("/shots/{shot_id}/frames/{frame}/readings")
def read_frame_readings(shot_id: Id, frame: Frame, context: ContextDep) -> list[float]:
    """The ten readings of a frame as corrected, percent."""
    with context.session() as session:
        subject = automatic.subject_of(the_shot(session, shot_id))
    picture = context.frames.playing(subject.source, frame)
    table = tables.output_table(subject.source.output)
    measured = render(picture.packed, subject.levels.in_order, table, percentiles=subject.percentiles)
    return measured.readings.tolist()
