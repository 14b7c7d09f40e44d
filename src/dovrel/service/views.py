"""Rows as the page sees them."""

from __future__ import annotations

from pathlib import Path
from typing import cast

from dovrel.core.colour.cdl import IDENTITY
from dovrel.service.schemas import ItemOut, OperationOut, ReportOut, ShotOut, State, VersionOut
from dovrel.store.models import Operation, Shot, Version


def shot_out(shot: Shot) -> ShotOut:
    tags = shot.clip.get("tags", {})
    return ShotOut(
        id=shot.id,
        family_id=shot.family_id,
        camera_id=shot.camera_id,
        name=shot.name,
        file=Path(shot.path).name,
        roll=tags.get("roll", ""),
        clip={k: v for k, v in shot.clip.items() if k != "tags"},
        checksum=shot.checksum,
        fault=shot.fault,
        progress=shot.progress,
        state=cast(State, shot.state),
        measured=shot.measured,
        corrected=shot.version.readings if shot.version else shot.measured.get("readings"),
        drift=shot.drift,
        distance=shot.distance,
        note=shot.note,
        version_id=shot.version_id,
        numbers=shot.version.numbers if shot.version else IDENTITY.as_array().tolist(),
        extended=shot.version.extended if shot.version else None,
        extended_on=shot.version.extended_on if shot.version else True,
        report=ReportOut.model_validate(shot.version.report) if shot.version and shot.version.report else None,
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
        cancelled=operation.cancelled,
        undone=operation.undone,
        made_at=operation.made_at,
        seconds=max((last - operation.made_at).total_seconds(), 0.0),
        failed=[ItemOut.model_validate(item) for item in operation.items if item.failed],
    )
