"""The first measurement of a shot: probe, checksum, thumbnail, drift, proxy where needed."""

from __future__ import annotations

import traceback
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from sqlalchemy.orm import Session, sessionmaker

from dovrel.core.colour import tables
from dovrel.core.measure.frame import render
from dovrel.core.measure.limits import RECORDED_HIGH
from dovrel.core.measure.readings import Percentiles
from dovrel.jobs.sources import check_encoding
from dovrel.jobs.thumbnails import thumbnail_path, write_thumbnail
from dovrel.machine.files import NoRoom, says_no_room
from dovrel.media.faults import MediaFault
from dovrel.media.picture import to_picture
from dovrel.media.proxy import needs_proxy, write_proxy
from dovrel.media.video import ClipInfo, checksum, decode_frames, probe, size_within, to_rgb
from dovrel.store.database import AWAY
from dovrel.store.models import Shot
from dovrel.store.texts import storable

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
        "timecode": storable(info.timecode, 40),
        "tags": {storable(k, 60): storable(v, 200) for k, v in info.tags.items()},
        "transfer": info.transfer,
        "primaries": info.primaries,
        "warnings": list(info.warnings),
        "start": info.start,
        "times": list(info.times),
    }


def measure_shot(factory: sessionmaker[Session], shot_id: int, data: Path) -> None:
    """Measure one shot; what goes wrong is noted with it, and the rest of the day goes on.

    A shot that was given to another camera, or whose camera was changed, while it was measured
    waits: it is in the queue again.

    Raises
    ------
    NoRoom
        If the disc is full; the shot says so, and is to be measured when there is room.
    """
    with factory.begin() as session:
        shot = session.get(Shot, shot_id)
        if shot is None or shot.progress == "ready":
            return
        shot.progress, shot.fault = "measuring", ""
        path, under = Path(shot.path), _measured_under(shot)
    try:
        _keep(factory, shot_id, under, _measured(path, under, data, shot_id))
    except (MediaFault, ValueError) as fault:
        give_up(factory, shot_id, str(fault))
        return
    except AWAY:
        raise
    except Exception as error:
        if says_no_room(error):
            full = NoRoom(path)
            give_up(factory, shot_id, f"waiting: {full}", progress="waiting")
            raise full from error
        traceback.print_exc()
        give_up(factory, shot_id, f"{path.name}: measuring it failed ({type(error).__name__}: {error})")


def _keep(factory: sessionmaker[Session], shot_id: int, under: _Under, found: dict) -> None:
    """Keep what was found with the shot, unless it was found under what is no longer so."""
    with factory.begin() as session:
        shot = session.get_one(Shot, shot_id)
        if _measured_under(shot) != under:
            shot.progress = "waiting"
            return
        for name, value in found.items():
            setattr(shot, name, value)
        shot.progress, shot.fault = "ready", ""


def give_up(factory: sessionmaker[Session], shot_id: int, why: str, progress: str = "faulty") -> None:
    """Note with a shot why it is not measured."""
    with factory.begin() as session:
        shot = session.get_one(Shot, shot_id)
        shot.progress, shot.fault = progress, storable(why, 1000)


@dataclass(frozen=True)
class _Under:
    """What a measurement goes by besides the file."""

    encoding: str
    output: str
    percentiles: Percentiles


def _measured_under(shot: Shot) -> _Under:
    return _Under(shot.camera.encoding, shot.production.output, Percentiles(*shot.production.percentiles))


def _measured(path: Path, under: _Under, data: Path, shot_id: int) -> dict:
    """A shot's columns as measuring its file finds them."""
    check_encoding(under.encoding)
    info = probe(path)
    digest = checksum(path)
    proxy = data / "proxies" / f"{digest}.mov"
    if needs_proxy(info) and not proxy.exists():
        write_proxy(path, info, proxy)
    missing: list[int] = []
    readings, clipped, drift = _measure(path, info, under, data, shot_id, missing)
    if missing:
        info = replace(info, warnings=(*info.warnings, _said_of(missing)))
    return {
        "clip": clip_record(info),
        "checksum": digest,
        "proxy": str(proxy) if needs_proxy(info) else "",
        "measured": {"readings": readings, "clipped": clipped},
        "drift": drift,
    }


def _said_of(missing: list[int]) -> str:
    """Which frames cannot be decoded."""
    if len(missing) == 1:
        return f"frame {missing[0]} cannot be decoded; its neighbour is shown in its place"
    named = ", ".join(map(str, missing[:5])) + (" and more" if len(missing) > 5 else "")
    return f"{len(missing)} frames cannot be decoded, their neighbours are shown: {named}"


def _measure(
    path: Path, info: ClipInfo, under: _Under, data: Path, shot_id: int, missing: list[int]
) -> tuple[list[float], float, list]:
    encoding, output, percentiles = under.encoding, under.output, under.percentiles
    table = tables.output_table(output)
    chosen = sorted(set(np.linspace(0, info.frames - 1, min(DRIFT_POINTS, info.frames)).astype(int).tolist()))
    middle = chosen[len(chosen) // 2]
    drift = []
    readings: list[float] = []
    clipped = 0.0
    last = chosen[-1]
    # Every frame is decoded, so that damage anywhere is found; those measured are turned to RGB.
    for index, frame in enumerate(decode_frames(path, 0, last + 1, info, missing)):
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
