"""Thumbnails: a shot's middle frame under the corrections in force, kept by what they are."""

from __future__ import annotations

import hashlib
from pathlib import Path

import cv2
import numpy as np
import simplejpeg

from dovrel.core.steps.carried import combined
from dovrel.core.steps.chain import Chain
from dovrel.machine.files import written_aside
from dovrel.media.frames import Source

THUMBNAIL_WIDTH = 256


def thumbnail_path(data: Path, source: Source, chain: Chain) -> Path:
    """Where the thumbnail of a shot under a chain of corrections lies, if it has been made."""
    shown = repr((source.digest, combined(chain), source.info.read_as, source.encoding, source.output))
    return data / "thumbnails" / f"{source.shot_id}.{hashlib.sha256(shown.encode()).hexdigest()[:16]}.jpg"


def newest_thumbnail(data: Path, shot_id: int) -> Path | None:
    """The thumbnail of a shot that was made last, under whatever was in force then; None if there is none."""
    made = (data / "thumbnails").glob(f"{shot_id}.*.jpg")
    return max(made, key=lambda path: path.stat().st_mtime_ns, default=None)


def write_thumbnail(picture: np.ndarray, path: Path) -> None:
    """Write a small JPEG of a picture uint8 (H, W, 3), whole or not at all."""
    path.parent.mkdir(parents=True, exist_ok=True)
    height = max(2, round(picture.shape[0] * THUMBNAIL_WIDTH / picture.shape[1]))
    small = cv2.resize(picture, (THUMBNAIL_WIDTH, height), interpolation=cv2.INTER_AREA)
    with written_aside(path) as aside:
        aside.write_bytes(simplejpeg.encode_jpeg(np.ascontiguousarray(small), 88, colorsubsampling="444"))
