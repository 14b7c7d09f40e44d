"""Tracks: their places, which corrections name by a digest."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from fastapi import APIRouter, Path, Response

from dovrel.core.steps import track
from dovrel.errors import NotFound

router = APIRouter(prefix="/api/tracks", tags=["tracks"])
Digest = Annotated[str, Path(pattern=r"^[0-9a-f]{32}$")]
_NEVER_CHANGES = {"Cache-Control": "private, max-age=31536000, immutable"}


@router.get("/{digest}", response_class=Response)
def places(digest: Digest) -> Response:
    """The places of a track: little-endian float64, four a frame: x, y, angle, size."""
    try:
        found = track.known(digest)
    except track.UnknownTrack as error:
        raise NotFound(str(error)) from None
    content = np.asarray(found.places, "<f8").tobytes()
    return Response(content, media_type="application/octet-stream", headers=_NEVER_CHANGES)
