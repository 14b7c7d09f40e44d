"""Where a shot's frames come from, by its row."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

from dovrel.core.measure.readings import Percentiles
from dovrel.media.frames import Source
from dovrel.media.opening import allowed
from dovrel.media.video import ClipInfo
from dovrel.store.models import Production, Shot


def source_of(shot: Shot) -> Source:
    """The source of a measured shot.

    Raises
    ------
    ValueError
        If the shot is not ready: faulty, or not measured yet.
    """
    if shot.progress != "ready":
        reason = shot.fault or "it has not been measured yet; wait for Intake to finish"
        raise ValueError(f"{shot.name} cannot be shown: {reason}")
    clip = shot.clip
    info = ClipInfo(
        **{k: clip[k] for k in ("width", "height", "frames", "bit_depth", "full_range", "matrix", "codec")},
        rate=Fraction(*clip["rate"]),
        pixel_format=clip["pixel_format"],
        timecode=clip["timecode"],
        tags=clip["tags"],
        warnings=tuple(clip["warnings"]),
        start=clip.get("start"),
        times=tuple(clip.get("times", ())),
        transfer=clip.get("transfer", ""),
        primaries=clip.get("primaries", ""),
    )
    proxy = Path(shot.proxy) if shot.proxy and Path(shot.proxy).is_file() else None
    check_encoding(shot.camera.encoding)
    return Source(shot.id, Path(shot.path), info, shot.camera.encoding, shot.production.output, proxy)


def check_encoding(encoding: str) -> None:
    """Refuse an encoding's file that does not lie, or not any more, where this process may read.

    Raises
    ------
    MediaFault
    """
    if encoding.startswith("file:"):
        allowed(Path(encoding[5:]))


def percentiles_of(production: Production) -> Percentiles:
    return Percentiles(*production.percentiles)
