"""What the report of a day says: gathered from the day's list, with pictures before and after."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

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
from dovrel.store.models import Production, Shot

WIDTH = 420
"""Of a picture."""


@dataclass(frozen=True)
class Listed:
    """A day as it stands in the list, its pictures still to be looked at, which takes longer than a transaction may."""

    day: DayTold
    subjects: list[Subject]
    references: dict[str, tuple[Subject, int]]


def listed(production: Production, shots: Iterable[Shot]) -> Listed:
    """The day of some shots in story order, those of no place in it behind."""
    placed = {use["shot"]: place for place, use in reversed([*enumerate(production.line_up)])}
    ordered = sorted(shots, key=lambda shot: (placed.get(shot.id, len(placed)), shot.name))
    kept = {shot.family.name: shot.family.reference for shot in ordered if shot.family and shot.family.reference}
    references = {family: (kept_subject(one), one.frame) for family, one in kept.items()}
    name = outputs.find(production.output).name
    day = DayTold(production.name, production.day, name, [_shot(shot) for shot in ordered], {})
    return Listed(day, [subject_of(shot) for shot in ordered], references)


def told(day: Listed, frames: FrameStore, progress: Callable[[float], None] = lambda _: None) -> DayTold:
    """The day with its pictures and their readings; a frame that cannot be read has none. `progress` is reported, 0..1."""
    shots = []
    for shot, subject in zip(day.day.shots, day.subjects, strict=True):
        shots.append(_looked_at(shot, subject, frames))
        progress(len(shots) / len(day.subjects))
    references = {}
    for family, (subject, frame) in day.references.items():
        with contextlib.suppress(MediaFault):
            references[family] = _seen(subject, frame, frames)[0]
    return replace(day.day, shots=shots, references=references)


def _shot(shot: Shot) -> ShotTold:
    report = (shot.version.report if shot.version else None) or {}
    is_reference = bool(shot.family and shot.family.reference and shot.family.reference.shot_id == shot.id)
    recorded = shot.measured.get("readings", [0.0] * 10)
    return ShotTold(
        name=shot.name,
        family=shot.family.name if shot.family else "unsorted",
        camera=shot.camera.letter,
        state=shot.state,
        version=shot.version_id,
        timecode=shot.clip.get("timecode", ""),
        reference=is_reference,
        before=None,
        after=None,
        recorded=recorded,
        corrected=(shot.version.readings if shot.version else None) or recorded,
        distance=None if is_reference else shot.distance,
        tolerance=tolerance_of(shot),
        clipped=shot.measured.get("clipped", 0.0),
        notes=[*report.get("notes", ()), *([shot.note] if shot.note else ())],
    )


def _looked_at(shot: ShotTold, subject: Subject, frames: FrameStore) -> ShotTold:
    with contextlib.suppress(MediaFault):
        before, recorded = _seen(subject, subject.middle, frames, corrected=False)
        after, corrected = _seen(subject, subject.middle, frames)
        return replace(shot, before=before, after=after, recorded=recorded, corrected=corrected)
    return shot


def _seen(subject: Subject, frame: int, frames: FrameStore, *, corrected: bool = True) -> tuple[bytes, list[float]]:
    """A frame as a JPEG, and its ten readings."""
    levels = subject.levels.at(frame) if corrected else AtFrame()
    picture = frames.treated_preview(subject.source, frame, levels.treatment)
    table = tables.output_table(subject.source.output)
    measured = render(picture.packed, levels.in_order, table, percentiles=subject.percentiles)
    height = max(2, round(measured.picture.shape[0] * WIDTH / measured.picture.shape[1]))
    small = cv2.resize(measured.picture, (WIDTH, height), interpolation=cv2.INTER_AREA)
    return simplejpeg.encode_jpeg(np.ascontiguousarray(small), 85), measured.readings.tolist()
