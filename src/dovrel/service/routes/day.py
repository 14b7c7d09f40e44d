"""The day's list: production, cameras, families, shots; taking in."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import numpy as np
import simplejpeg
from fastapi import APIRouter, Query, Response
from fastapi.responses import FileResponse
from sqlalchemy import select

from dovrel.core.colour import encodings, tables
from dovrel.core.colour.cdl import TenNumbers
from dovrel.core.correct.levels import ShotBalance
from dovrel.core.measure.frame import develop, picture_of, render
from dovrel.jobs import automatic
from dovrel.jobs.intake import clips_below, list_clip
from dovrel.jobs.tasks import first_measure
from dovrel.jobs.thumbnails import thumbnail_path
from dovrel.service.context import ContextDep, the_production, the_shot
from dovrel.service.schemas import (
    CameraChange,
    CameraOfShot,
    CameraOut,
    DayOut,
    EncodingOut,
    FamilyOut,
    IntakeIn,
    IntakeOut,
    ProductionOut,
    ShotOut,
)
from dovrel.service.views import operation_out, shot_out
from dovrel.store import operations
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
            production=ProductionOut.model_validate(production),
            cameras=[CameraOut.model_validate(c) for c in production.cameras],
            families=[FamilyOut.model_validate(f) for f in production.families if not f.retired],
            shots=[shot_out(s) for s in production.shots],
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
async def take_in(order: IntakeIn, context: ContextDep) -> IntakeOut:
    """List the clips below a folder and measure them in the background."""
    folder = context.settings.allowed(Path(order.folder))
    if not folder.is_dir():
        raise ValueError(f"{order.folder}: there is no such folder")
    paths, ignored = clips_below(folder)
    added: list[int] = []
    with context.session() as session:
        production = the_production(session)
        known = set(session.scalars(select(Shot.path)))
        for path in paths:
            if str(path) not in known:
                added.append(list_clip(session, production, path).id)
    for shot_id in added:
        await first_measure.configure(queueing_lock=f"measure-{shot_id}").defer_async(shot_id=shot_id)
    return IntakeOut(added=len(added), already=len(paths) - len(added), ignored=ignored)


async def _measure_again(shot_ids: list[int]) -> None:
    for shot_id in shot_ids:
        await first_measure.defer_async(shot_id=shot_id)


@router.patch("/shots/{shot_id}")
async def change_shot(shot_id: int, change: CameraOfShot, context: ContextDep) -> ShotOut:
    """Say which camera a shot is of; it is measured again."""
    with context.session() as session:
        shot = the_shot(session, shot_id)
        if session.get(Camera, change.camera_id) is None:
            raise LookupError(f"there is no camera {change.camera_id}")
        shot.camera_id, shot.progress = change.camera_id, "waiting"
        session.flush()
        session.refresh(shot)
        result = shot_out(shot)
    await _measure_again([shot_id])
    return result


@router.patch("/cameras/{camera_id}")
async def change_camera(camera_id: int, change: CameraChange, context: ContextDep) -> CameraOut:
    """Give a camera its encoding; its shots are measured again."""
    if change.encoding.startswith("file:"):
        context.settings.allowed(Path(change.encoding[5:]))
    encodings.describe(change.encoding)
    with context.session() as session:
        camera = session.get(Camera, camera_id)
        if camera is None:
            raise LookupError(f"there is no camera {camera_id}")
        camera.encoding = change.encoding
        shots = session.scalars(select(Shot).where(Shot.camera_id == camera_id)).all()
        for shot in shots:
            shot.progress = "waiting"
        again = [shot.id for shot in shots]
        result = CameraOut.model_validate(camera)
    await _measure_again(again)
    return result


@router.post("/shots/{shot_id}/measure")
async def measure_again(shot_id: int, context: ContextDep) -> ShotOut:
    """Try a faulty or outdated shot again."""
    with context.session() as session:
        shot = the_shot(session, shot_id)
        shot.progress, shot.fault = "waiting", ""
        result = shot_out(shot)
    await _measure_again([shot_id])
    return result


@router.get("/shots/{shot_id}/thumbnail.jpg", response_class=FileResponse)
def read_thumbnail(shot_id: int, context: ContextDep) -> FileResponse:
    """The shot's middle frame with its current correction, made when first asked for."""
    with context.session() as session:
        subject = automatic.subject_of(the_shot(session, shot_id))
    path = thumbnail_path(context.settings.data, shot_id, subject.levels.in_order)
    if not path.is_file():
        automatic.make_thumbnail(context.frames, subject, path)
    return FileResponse(path, headers={"Cache-Control": "no-cache"})


@router.get("/shots/{shot_id}/frames/{frame}.jpg")
def read_frame(
    shot_id: int, frame: int, context: ContextDep, numbers: Annotated[str, Query(max_length=400)] = ""
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
def read_frame_readings(shot_id: int, frame: int, context: ContextDep) -> list[float]:
    """The ten readings of a frame as corrected, percent."""
    with context.session() as session:
        subject = automatic.subject_of(the_shot(session, shot_id))
    picture = context.frames.playing(subject.source, frame)
    table = tables.output_table(subject.source.output)
    measured = render(picture.packed, subject.levels.in_order, table, percentiles=subject.percentiles)
    return measured.readings.tolist()
