"""The first measurement of a shot: probe, checksum, thumbnail, drift, proxy where needed."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from sqlalchemy.orm import Session, sessionmaker

from dovrel.core.colour import tables
from dovrel.core.measure.frame import render
from dovrel.core.measure.limits import RECORDED_HIGH
from dovrel.core.measure.readings import Percentiles
from dovrel.jobs.thumbnails import thumbnail_path, write_thumbnail
from dovrel.media.faults import MediaFault
from dovrel.media.picture import to_picture
from dovrel.media.proxy import needs_proxy, write_proxy
from dovrel.media.video import ClipInfo, checksum, decode_frames, probe, size_within, to_rgb
from dovrel.store.models import Shot

DRIFT_POINTS = 25
DRIFT_WIDTH = 320


def clip_record(info: ClipInfo) -> dict:
    """What probing found, as the database keeps it."""
    return {
        "width": info.width,
        "height": info.height,
        "rate": [info.rate.numerator, info.rate.denominator],
        "frames": info.frames,
        "bit_depth": info.bit_depth,
        "full_range": info.full_range,
        "matrix": info.matrix,
        "codec": info.codec,
        "pixel_format": info.pixel_format,
        "timecode": info.timecode,
        "tags": info.tags,
        "warnings": list(info.warnings),
    }


def measure_shot(factory: sessionmaker[Session], shot_id: int, data: Path) -> None:
    """Measure one shot; a file that cannot be used is listed with its fault, and the rest goes on."""
    with factory.begin() as session:
        shot = session.get(Shot, shot_id)
        if shot is None or shot.progress == "ready":
            return
        shot.progress = "measuring"
        path, encoding = Path(shot.path), shot.camera.encoding
        output, percentiles = shot.production.output, Percentiles(*shot.production.percentiles)
    try:
        info = probe(path)
        digest = checksum(path)
        proxy = data / "proxies" / f"{digest}.mov"
        if needs_proxy(info) and not proxy.exists():
            write_proxy(path, info, proxy)
        readings, clipped, drift = _measure(path, info, encoding, output, percentiles, data, shot_id)
    except (MediaFault, ValueError) as fault:
        with factory.begin() as session:
            shot = session.get_one(Shot, shot_id)
            shot.progress, shot.fault = "faulty", str(fault)[:1000]
        return
    with factory.begin() as session:
        shot = session.get_one(Shot, shot_id)
        shot.clip, shot.checksum = clip_record(info), digest
        shot.proxy = str(proxy) if needs_proxy(info) else ""
        shot.measured = {"readings": readings, "clipped": clipped}
        shot.drift = drift
        shot.progress, shot.fault = "ready", ""


def _measure(
    path: Path, info: ClipInfo, encoding: str, output: str, percentiles: Percentiles, data: Path, shot_id: int
) -> tuple[list[float], float, list]:
    table = tables.output_table(output)
    chosen = sorted(set(np.linspace(0, info.frames - 1, min(DRIFT_POINTS, info.frames)).astype(int).tolist()))
    middle = chosen[len(chosen) // 2]
    drift = []
    readings: list[float] = []
    clipped = 0.0
    last = chosen[-1]
    # Every frame is decoded, so that damage anywhere is found; those measured are turned to RGB.
    for index, frame in enumerate(decode_frames(path, 0, last + 1, info)):
        if index not in chosen:
            continue
        small = to_rgb(frame, size_within(info, DRIFT_WIDTH)).astype(np.float32) / np.float32(65535)
        measured = render(to_picture(small, encoding, output).packed, [], table, percentiles=percentiles)
        drift.append([index, *[round(float(r), 3) for r in measured.readings]])
        if index == middle:
            picture = to_picture(to_rgb(frame).astype(np.float32) / np.float32(65535), encoding, output)
            whole = render(picture.packed, [], table, percentiles=percentiles)
            readings = whole.readings.tolist()
            clipped = float(np.mean(picture.flags & RECORDED_HIGH != 0))
            write_thumbnail(whole.picture, thumbnail_path(data, shot_id, []))
    return readings, clipped, drift
