"""Rows as the page sees them."""

from __future__ import annotations

import hashlib
import json
from pathlib import Path
from typing import cast

from dovrel.core.steps import documents
from dovrel.core.steps.carried import FORMATS, left_out
from dovrel.jobs.footage_state import Footage
from dovrel.jobs.standing import standing_of, why_left
from dovrel.jobs.subject import tolerance_of
from dovrel.service.clip_schemas import ClipOut, ReadingOut
from dovrel.service.fields import State
from dovrel.service.intake_schemas import Marker
from dovrel.service.schemas import ItemOut, OperationOut, ProductionOut, ReportOut, ShotOut, Template, VersionOut
from dovrel.store.corrections import levels_of
from dovrel.store.models import Operation, Production, Shot, Version


def shot_out(shot: Shot) -> ShotOut:
    tags, levels = shot.clip.get("tags", {}), levels_of(shot)
    own = levels.shot
    return ShotOut(
        id=shot.id,
        family_id=shot.family_id,
        camera_id=shot.camera_id,
        name=shot.name,
        file=Path(shot.path).name,
        roll=tags.get("roll", ""),
        clip=cast(ClipOut, shot.clip),
        reading=cast(ReadingOut, shot.reading),
        off=shot.off,
        checksum=shot.checksum,
        fault=shot.fault,
        progress=shot.progress,
        footage=cast(Footage, shot.footage),
        state=cast(State, shot.state),
        measured={name: value for name, value in shot.measured.items() if name != "course"},
        course=shot.measured.get("course"),
        changes=bool(own.frames),
        beyond=[frame for frame in own.frames if frame >= shot.clip.get("frames", frame + 1)],
        corrected=shot.version.readings if shot.version else shot.measured.get("readings"),
        distance=shot.distance,
        tolerance=tolerance_of(shot),
        standing=standing_of(shot),
        left_as_it_was=why_left(shot),
        note=shot.note,
        version_id=shot.version_id,
        correction=own,
        left_out={form: names for form in FORMATS if (names := left_out(levels, form))},
        report=ReportOut.model_validate(shot.version.report) if shot.version and shot.version.report else None,
    )


def line_up_stamp(production: Production) -> str:
    """Names the line-up as it is; empty while there is none."""
    if not production.line_up:
        return ""
    return hashlib.sha256(json.dumps(production.line_up).encode()).hexdigest()[:16]


def production_out(production: Production) -> ProductionOut:
    return ProductionOut(
        id=production.id,
        name=production.name,
        day=production.day,
        output=production.output,
        percentiles=production.percentiles,
        tolerance=production.tolerance,
        assumed_encoding=production.assumed_encoding,
        encodings=production.encodings,
        markers=[Marker.model_validate(one) for one in production.markers],
        correction=documents.read(production.correction),
        template=Template.model_validate(production.template),
        line_up=production.line_up,
        line_up_stamp=line_up_stamp(production),
    )


def version_out(version: Version) -> VersionOut:
    return VersionOut.model_validate(version)


def operation_out(operation: Operation) -> OperationOut:
    last = max((item.made_at for item in operation.items), default=operation.made_at)
    return OperationOut(
        id=operation.id,
        kind=operation.kind,
        what=operation.what,
        total=operation.total,
        done=len(operation.items) if operation.total else 0,
        compared=operation.compared,
        cancelled=operation.cancelled,
        undone=operation.undone,
        made_at=operation.made_at,
        seconds=max((last - operation.made_at).total_seconds(), 0.0),
        failed=[ItemOut.model_validate(item) for item in operation.items if item.failed],
    )
