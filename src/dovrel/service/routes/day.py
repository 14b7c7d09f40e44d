"""The day's list: production, cameras, families, shots, and their frames."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

import numpy as np
import simplejpeg
from fastapi import APIRouter, Query, Response
from fastapi.responses import FileResponse
from sqlalchemy import select

from dovrel.core.colour import tables
from dovrel.core.develop.frame import develop, picture_with_grain
from dovrel.core.measure.frame import render
from dovrel.core.sorting import natural
from dovrel.core.steps.controls import pushed
from dovrel.core.steps.primary import Primary
from dovrel.errors import Refused
from dovrel.jobs import measuring
from dovrel.jobs.anew import take_in_again
from dovrel.jobs.subject import subject_of
from dovrel.jobs.thumbnails import newest_thumbnail, thumbnail_path
from dovrel.media.faults import Offline
from dovrel.media.geometry import WHOLE
from dovrel.media.identity import Replaced
from dovrel.service.context import ContextDep, the_shot
from dovrel.service.fields import Frame, Id, Peek
from dovrel.service.schemas import CameraOut, DayOut, FamilyOut, ShotOut
from dovrel.service.views import operation_out, production_out, shot_out
from dovrel.store import corrections, operations
from dovrel.store.models import Shot, Version
from dovrel.store.production import the_production

router = APIRouter(prefix="/api", tags=["day"])
KEPT_BY_THE_PAGE = {"Cache-Control": "private, max-age=600"}
"""The page asks under another address whenever a correction has changed."""
RECENT = 8
"""Operations that the page gets."""


@router.get("/day")
def read_day(context: ContextDep) -> DayOut:
    """The whole day: production, cameras, families, shots."""
    with context.session() as session:
        production = the_production(session)
        # All at once, so that no shot asks for its own.
        _versions = session.scalars(select(Version).join(Shot, Shot.version_id == Version.id)).all()
        return DayOut(
            production=production_out(production),
            cameras=[CameraOut.model_validate(c) for c in production.cameras if not c.retired],
            families=[FamilyOut.model_validate(f) for f in production.families if not f.retired],
            shots=[shot_out(s) for s in sorted(production.shots, key=lambda s: natural(s.name))],
            operations=[operation_out(o) for o in operations.recent(session, production, RECENT)],
        )


@router.get("/drift")
def read_drift(context: ContextDep) -> dict[int, list[list[float]]]:
    """How every shot's readings go along it as recorded: rows of a frame's number and its ten readings."""
    with context.session() as session:
        found = session.execute(select(Shot.id, Shot.drift).where(Shot.progress == "ready"))
        return {row.id: row.drift for row in found}


@router.post("/shots/{shot_id}/measure")
def measure_again(shot_id: Id, context: ContextDep) -> ShotOut:
    """Take a faulty or outdated shot, or one whose file was replaced, in again with its corrections."""
    with context.session() as session:
        shot = corrections.locked(session, shot_id)
        take_in_again(session, shot)
        return shot_out(shot)


@router.get("/shots/{shot_id}/thumbnail.jpg", response_class=FileResponse)
def read_thumbnail(shot_id: Id, context: ContextDep) -> FileResponse:
    """The shot's middle frame with its current correction, made when first asked for; while its footage is away, as it was seen last."""
    with context.session() as session:
        subject = subject_of(the_shot(session, shot_id))
    path = thumbnail_path(context.settings.data, subject.source, subject.in_middle.in_order)
    if not path.is_file():
        try:
            measuring.make_thumbnail(context.frames, subject, path)
        except (Offline, Replaced):
            before = newest_thumbnail(context.settings.data, shot_id)
            if before is None:
                raise
            path = before
    return FileResponse(path, headers={"Cache-Control": "no-cache"})


@router.get("/shots/{shot_id}/frames/{frame}.jpg")
def read_frame(
    shot_id: Id,
    frame: Frame,
    context: ContextDep,
    numbers: Annotated[str, Query(max_length=400)] = "",
    version: Annotated[int | None, Query(ge=0, le=2**31 - 1)] = None,
    peek: Peek = 0.0,
    whole: bool = False,
) -> Response:
    """A frame as corrected, small: what a cut is judged by.

    Under another balance if ten numbers are given, as an earlier version of the shot has it if one is named (0 is what it
    started with); pushed by some stops; with its bars, if it has any and `whole` is asked for.
    """
    with context.session() as session:
        shot = the_shot(session, shot_id)
        subject = subject_of(shot)
        levels, source = subject.levels, subject.source
        if version is not None:
            levels = levels.replaced("shot", corrections.correction_as_of(session, shot, version))
    if whole:
        source = replace(source, info=replace(source.info, geometry=replace(source.info.geometry, active=WHOLE)))
    if numbers:
        levels = levels.replaced("shot", levels.shot.balanced(_numbers_in(numbers)))
    read = context.frames.playing if version is None else context.frames.preview
    picture = read(source, frame)
    here = levels.at(frame)
    picture = context.frames.treated(source, frame, picture, here.treatment)
    chain = [*here.in_order, *pushed(peek)]
    shown = picture_with_grain(develop(picture.packed, chain, tables.output_table(source.output)), chain, frame)
    jpeg = simplejpeg.encode_jpeg(np.ascontiguousarray(shown), 88, colorsubsampling="444")
    return Response(jpeg, media_type="image/jpeg", headers=KEPT_BY_THE_PAGE)


@router.get("/shots/{shot_id}/frames/{frame}/readings")
def read_frame_readings(shot_id: Id, frame: Frame, context: ContextDep) -> list[float]:
    """The ten readings of a frame as corrected, percent."""
    with context.session() as session:
        subject = subject_of(the_shot(session, shot_id))
    here = subject.levels.at(frame)
    picture = context.frames.treated(
        subject.source, frame, context.frames.playing(subject.source, frame), here.treatment
    )
    table = tables.output_table(subject.source.output)
    measured = render(picture.packed, here.in_order, table, percentiles=subject.percentiles)
    return measured.readings.tolist()


def _numbers_in(text: str) -> Primary:
    """Ten numbers of an address, with commas between."""
    try:
        numbers = [float(number) for number in text.split(",")]
    except ValueError:
        raise Refused(f"“{text[:40]}” is not ten numbers with commas between") from None
    return Primary.from_array(numbers)
