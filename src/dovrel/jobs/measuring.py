"""What is kept of a shot's middle frame under all its levels: readings, and a small picture."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from sqlalchemy.orm import Session

from dovrel.core.colour import tables
from dovrel.core.develop.frame import develop, picture_of
from dovrel.core.measure.frame import render
from dovrel.jobs.subject import Subject, kept_subject, subject_of
from dovrel.jobs.thumbnails import write_thumbnail
from dovrel.media.faults import MediaFault
from dovrel.media.frames import FrameStore
from dovrel.store.models import Shot

THINNED = 3
"""A saved version is measured on every third pixel and row of the preview."""


def readings_of(frames: FrameStore, subject: Subject) -> list[float] | None:
    """What a shot's middle frame measures under all its levels; None if it cannot be read."""
    try:
        picture = frames.treated_preview(subject.source, subject.middle, subject.in_middle.treatment)
    except MediaFault:
        return None
    thin = np.ascontiguousarray(picture.packed[::THINNED, ::THINNED])
    table = tables.output_table(subject.source.output)
    return render(thin, subject.in_middle.in_order, table, percentiles=subject.percentiles).readings.tolist()


def make_thumbnail(frames: FrameStore, subject: Subject, path: Path) -> None:
    """Write the small picture of a shot's middle frame under all its levels.

    Raises
    ------
    MediaFault
        If the frame cannot be read.
    """
    picture = frames.treated_preview(subject.source, subject.middle, subject.in_middle.treatment)
    chain, table = subject.in_middle.in_order, tables.output_table(subject.source.output)
    small = np.ascontiguousarray(picture.packed[::THINNED, ::THINNED])
    write_thumbnail(picture_of(develop(small, chain, table)), path)


def measure_again(session: Session, frames: FrameStore, shot: Shot) -> None:
    """Bring the readings kept with a shot up to the levels that are in force now."""
    subject = subject_of(shot)
    readings = readings_of(frames, subject)
    if readings is None:
        return
    if shot.version:
        shot.version.readings = readings
    else:
        shot.measured = {**shot.measured, "readings": readings}
    family = shot.family
    if family and family.reference and family.reference.shot_id == shot.id:
        family.reference.readings = readings_of(frames, kept_subject(family.reference)) or readings
    session.flush()
