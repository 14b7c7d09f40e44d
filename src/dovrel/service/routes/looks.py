"""Looks: files brought in and kept, a file made of a correction, and what each does to a frame."""

from __future__ import annotations

import asyncio
import base64
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Annotated

import cv2
import numpy as np
import simplejpeg
from fastapi import APIRouter, Query, Request
from fastapi.responses import FileResponse

from dovrel.core.colour import codes, look_files, spaces, tables
from dovrel.core.develop.frame import picture_with_grain
from dovrel.core.develop.whole import look_of
from dovrel.core.measure.frame import render
from dovrel.core.measure.looked import looked, what_cannot_be_right
from dovrel.core.measure.sampled import take_sample
from dovrel.core.steps.chain import apply_in_order
from dovrel.core.steps.correction import OWN, Correction, Step
from dovrel.core.steps.levels import AtFrame
from dovrel.core.steps.look import Look
from dovrel.errors import NotFound, Refused
from dovrel.formats import cube
from dovrel.jobs.subject import Subject, kept_subject, subject_of
from dovrel.machine.files import room_told
from dovrel.service.context import Context, ContextDep, the_shot
from dovrel.service.fields import Id, Name
from dovrel.service.look_schemas import (
    CastOut,
    KeptLookedIn,
    LookedIn,
    LookedOut,
    LookFileOut,
    LookMadeIn,
    LooksOut,
    SheetLevel,
    SpaceOut,
)
from dovrel.store.models import KeptFrame

router = APIRouter(prefix="/api", tags=["looks"])

WIDTH = 480
"""Of a picture on the sheet."""
SAMPLED = 4000
TRIED = "the look that is tried"


@router.get("/looks")
def read_looks() -> LooksOut:
    """All looks that are kept, and all spaces that one may take or give."""
    return LooksOut(
        files=[LookFileOut.of(file) for file in look_files.kept()],
        spaces=[SpaceOut(id=one.id, name=one.name) for one in spaces.available()],
    )


@router.post("/looks")
async def bring_in(name: Annotated[Name, Query()], request: Request) -> LookFileOut:
    """Keep a look's file, whose content is the request's body; `name` is the file's, with its suffix."""
    content = await request.body()
    return LookFileOut.of(await asyncio.to_thread(_kept, name, content))


def _kept(name: str, content: bytes) -> look_files.LookFile:
    safe = Path(name.replace("\\", "/")).name
    with tempfile.TemporaryDirectory() as folder:
        # Under its own suffix, which says how it is read; under a name of ours, whatever its own holds.
        file = Path(folder, f"look{Path(safe).suffix.lower()[:8]}")
        with room_told(safe):
            file.write_bytes(content)
        try:
            return look_files.keep(file, safe)
        except ValueError as error:
            raise Refused(str(error).replace(file.name, safe, 1)) from error


@router.post("/looks/made")
def make(order: LookMadeIn) -> LookFileOut:
    """Make a look's file of what a correction does to colours, from ACEScct to ACEScct."""
    chain = order.correction.at(0).chain
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder, "look.cube")
        cube.write(file, look_of(chain), order.name, "takes ACEScct, gives ACEScct; tetrahedral interpolation")
        return LookFileOut.of(look_files.keep(file, f"{order.name}.cube"))


@router.get("/looks/{digest}/file")
def read_file(digest: str) -> FileResponse:
    """A look's file, as it was brought in."""
    path = look_files.path_of(digest)
    names = {one.digest: one.name for one in look_files.kept()}
    return FileResponse(path, filename=f"{names.get(digest, 'look')}{path.suffix}")


@router.post("/shots/{shot_id}/looked")
def look_at_shot(shot_id: Id, order: LookedIn, context: ContextDep) -> LookedOut:
    """A shot's frame under a look; nothing is saved."""
    with context.session() as session:
        subject = subject_of(the_shot(session, shot_id))
    levels = order.here
    correction = levels.of(order.level)
    step = correction.step(order.step)
    if isinstance(step.values, Look):
        place, others = correction.place(step.id), [one for one in correction.steps if one.id != step.id]
    else:
        place, others = correction.place(step.id) + 1, list(correction.steps)
    return _looked(context, subject, order.frame, levels, order.level, order.look, others, place)


@router.post("/kept/{kept_id}/looked")
def look_at_kept(kept_id: Id, order: KeptLookedIn, context: ContextDep) -> LookedOut:
    """A kept frame under a look, in the place of those of its level; nothing is saved."""
    with context.session() as session:
        kept = session.get(KeptFrame, kept_id)
        if kept is None:
            raise NotFound(f"there is no kept frame {kept_id}")
        subject, frame = kept_subject(kept), kept.frame
    levels = subject.levels.at(frame)
    others = [one for one in levels.of(order.level).steps if not isinstance(one.values, Look)]
    place = [one.id for one in others].index(OWN[order.level]) + 1
    return _looked(context, subject, frame, levels, order.level, order.look, others, place)


def _looked(
    context: Context,
    subject: Subject,
    frame: int,
    levels: AtFrame,
    level: SheetLevel,
    look: Look | None,
    others: list[Step],
    place: int,
) -> LookedOut:
    """A frame under a look at a place among the other steps of its level, beside the same without it."""
    picture = context.frames.treated_preview(subject.source, frame, levels.treatment)
    table = tables.output_table(subject.source.output)
    without = levels.replaced(level, Correction(tuple(others)))
    tried = without
    if look:
        steps = (*others[:place], Step(TRIED, look), *others[place:])
        tried = levels.replaced(level, Correction(steps))
    after = render(picture.packed, tried.in_order, table, percentiles=subject.percentiles)
    did, said = None, []
    if look:
        before = render(picture.packed, without.in_order, table)
        did = looked(before.display[:, ::2, ::2], after.display[:, ::2, ::2])
        sample = codes.unpack(take_sample(picture.packed, SAMPLED))
        said = what_cannot_be_right(replace(look, strength=1.0), _reaching(sample, tried, level))
    return LookedOut(
        picture=_jpeg(picture_with_grain(after.display, tried.in_order, frame)),
        readings=after.readings.tolist(),
        skin_before=did.skin_before if did else None,
        skin_after=did.skin_after if did else None,
        casts=[CastOut(zone=zone, before=one, after=two) for zone, (one, two) in did.casts.items()] if did else [],
        said=said,
    )


def _reaching(sample: np.ndarray, levels: AtFrame, level: SheetLevel) -> np.ndarray:
    return apply_in_order(sample, levels.before(level, TRIED)).astype(np.float32)


def _jpeg(picture: np.ndarray) -> str:
    height = max(2, round(picture.shape[0] * WIDTH / picture.shape[1]))
    small = cv2.resize(picture, (WIDTH, height), interpolation=cv2.INTER_AREA)
    return base64.b64encode(simplejpeg.encode_jpeg(np.ascontiguousarray(small), 88, colorsubsampling="444")).decode()
