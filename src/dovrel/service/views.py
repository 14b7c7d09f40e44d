"""Rows as the page sees them."""

from __future__ import annotations

from pathlib import Path
from typing import cast

from dovrel.core.colour.cdl import IDENTITY
from dovrel.service.schemas import ShotOut, State, VersionOut
from dovrel.store.models import Shot, Version


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
        version_id=shot.version_id,
        numbers=shot.version.numbers if shot.version else IDENTITY.as_array().tolist(),
    )


def version_out(version: Version) -> VersionOut:
    return VersionOut.model_validate(version)
