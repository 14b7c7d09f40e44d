"""What the report of a day says: gathered from the day's list, with pictures before and after."""

from __future__ import annotations

import contextlib
from collections.abc import Iterable

import cv2
import numpy as np
import simplejpeg

from dovrel.core.colour import outputs, tables
from dovrel.core.measure.frame import render
from dovrel.core.steps.levels import AtFrame
from dovrel.formats.day_report import DayTold, ShotTold
from dovrel.jobs.subject import Subject, kept_subject, subject_of, tolerance_of
from dovrel.media.faults import MediaFault
from dovrel.media.frames import FrameStore
from dovrel.store.models import Family, Production, Shot

WIDTH = 420
"""Of a picture."""


def told(production: Production, shots: Iterable[Shot], frames: FrameStore) -> DayTold:
    """The day as its report has it: the shots in story order, those of no place in it behind."""
    placed = {use["shot"]: place for place, use in reversed([*enumerate(production.line_up)])}
    ordered = sorted(shots, key=lambda shot: (placed.get(shot.id, len(placed)), shot.name))
    families = {shot.family.id: shot.family for shot in ordered if shot.family}
    references = {}
    for family in families.values():
        if picture := _reference(family, frames):
            references[family.name] = picture
    name = outputs.find(production.output).name
    return DayTold(production.name, production.day, name, [_shot(shot, frames) for shot in ordered], references)


def _reference(family: Family, frames: FrameStore) -> bytes | None:
    if family.reference is None:
        return None
    with contextlib.suppress(MediaFault, ValueError):
        return _seen(kept_subject(family.reference), family.reference.frame, frames)[0]
    return None


def _shot(shot: Shot, frames: FrameStore) -> ShotTold:
    subject, report = subject_of(shot), (shot.version.report if shot.version else None) or {}
    before = after = None
    recorded = corrected = shot.measured.get("readings", [0.0] * 10)
    with contextlib.suppress(MediaFault):
        before, recorded = _seen(subject, subject.middle, frames, corrected=False)
        after, corrected = _seen(subject, subject.middle, frames)
    is_reference = bool(shot.family and shot.family.reference and shot.family.reference.shot_id == shot.id)
    return ShotTold(
        name=shot.name,
        family=shot.family.name if shot.family else "unsorted",
        camera=shot.camera.letter,
        state=shot.state,
        version=shot.version_id,
        timecode=shot.clip.get("timecode", ""),
        reference=is_reference,
        before=before,
        after=after,
        recorded=recorded,
        corrected=corrected,
        distance=None if is_reference else shot.distance,
        tolerance=tolerance_of(shot),
        clipped=shot.measured.get("clipped", 0.0),
        notes=[*report.get("notes", ()), *([shot.note] if shot.note else ())],
    )


def _seen(subject: Subject, frame: int, frames: FrameStore, *, corrected: bool = True) -> tuple[bytes, list[float]]:
    """A frame as a JPEG, and its ten readings."""
    levels = subject.levels.at(frame) if corrected else AtFrame()
    picture = frames.treated_preview(subject.source, frame, levels.treatment)
    table = tables.output_table(subject.source.output)
    measured = render(picture.packed, levels.in_order, table, percentiles=subject.percentiles)
    height = max(2, round(measured.picture.shape[0] * WIDTH / measured.picture.shape[1]))
    small = cv2.resize(measured.picture, (WIDTH, height), interpolation=cv2.INTER_AREA)
    return simplejpeg.encode_jpeg(np.ascontiguousarray(small), 85), measured.readings.tolist()
