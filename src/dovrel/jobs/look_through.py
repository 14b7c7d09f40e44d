"""Looking a clip through once: readings, drift, bars, and the proxy where one is needed."""

from __future__ import annotations

from contextlib import nullcontext
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from dovrel.core.colour import codes, tables
from dovrel.core.develop.frame import picture_of
from dovrel.core.measure.bars import active_picture
from dovrel.core.measure.frame import measure
from dovrel.core.measure.limits import RECORDED_HIGH, recorded_flags
from dovrel.core.measure.readings import Percentiles
from dovrel.core.time.changes import course_of
from dovrel.core.time.light import light_along
from dovrel.core.time.run import run_of
from dovrel.core.time.seen import seen_by
from dovrel.media.clip import ClipInfo, Reading
from dovrel.media.footage import frames, missing_said
from dovrel.media.geometry import WHOLE, Geometry
from dovrel.media.picture import WayIn
from dovrel.media.proxy import writing_proxy
from dovrel.media.ycbcr import luma_weights

DRIFT_POINTS = 25
DRIFT_WIDTH = 320
COURSE_POINTS = 49
"""Frames that show whether a shot's light changes."""
MEASURED_WIDTH = 1920
"""The middle frame is measured at no more than this."""
BEYOND = 1.02
"""Luma above which a recording uses levels beyond white, and is not just ringing at it."""
BEYOND_PART = 0.0005
HIGHEST_NARROW = 1.09
"""Where narrow-range luma ends: (1019 - 64) / 876 in ten bits."""


@dataclass(frozen=True)
class Under:
    """What a measurement goes by besides the file."""

    encoding: str
    output: str
    percentiles: Percentiles
    reading: Reading
    listed: dict
    """As :attr:`dovrel.store.models.Shot.listed`."""


@dataclass(frozen=True)
class Found:
    """What was found in looking a clip through.

    Attributes
    ----------
    info : the clip, with its bars and ceiling, and which frames cannot be decoded
    readings : of the middle frame, percent; clipped : part of it that the recording clipped
    picture : the middle frame as it is shown, uint8 (H, W, 3)
    drift : frame number and ten readings of frames all over the clip
    course : whether its light is steady, drifts or changes, and its changes, as JSON keeps it
    """

    info: ClipInfo
    readings: list[float]
    clipped: float
    picture: np.ndarray
    drift: list[list[float]]
    course: dict


def look_through(path: Path, info: ClipInfo, under: Under, proxy: Path | None) -> Found:
    """Decode every frame once; measure some, and write `proxy` if one is asked for.

    Raises
    ------
    MediaFault
        If it cannot be decoded.
    NoRoom
        If the disc is full.
    """
    chosen = sorted(set(np.linspace(0, info.frames - 1, min(DRIFT_POINTS, info.frames)).astype(int).tolist()))
    middle = chosen[len(chosen) // 2]
    whole = replace(info, geometry=replace(info.geometry, active=WHOLE))
    looked_at = set(np.linspace(0, info.frames - 1, min(COURSE_POINTS, info.frames)).astype(int).tolist())
    small: dict[int, np.ndarray] = {}
    large = np.empty(0)
    missing: list[int] = []
    with writing_proxy(whole, proxy) if proxy else nullcontext() as writer:
        wanted = info.frames if writer else chosen[-1] + 1
        for index, frame in enumerate(frames(path, 0, wanted, whole, missing)):
            if writer:
                writer.add(frame)
            if index in chosen or index in looked_at:
                small[index] = frame.codes(DRIFT_WIDTH)
            if index == middle:
                large = frame.codes(MEASURED_WIDTH)
    info = _with_what_is_seen(info, [codes.decode_signal(one) for one in small.values()], under.reading)
    if missing:
        info = replace(info, warnings=(*info.warnings, missing_said(missing)))
    way = WayIn(under.encoding, under.output, floating=info.floating, ceiling=info.ceiling)

    def measured(recorded: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        display = way.shown(codes.decode_signal(recorded))
        return display, measure(display, percentiles=under.percentiles)[1]

    drift = []
    for index in chosen:
        one = small[index]
        _, readings = measured(_active(one, info.geometry))
        drift.append([index, *(round(float(r), 3) for r in readings)])
    large = _active(large, info.geometry)
    display, readings = measured(large)
    clipped = float(np.mean(recorded_flags(large, info.ceiling) & RECORDED_HIGH != 0))
    course = _course({index: _active(one, info.geometry) for index, one in small.items()}, way, float(info.rate))
    return Found(info, readings.tolist(), clipped, picture_of(display), drift, course)


def _course(small: dict[int, np.ndarray], way: WayIn, rate: float) -> dict:
    """The course of light along small frames of recorded codes, by their numbers."""
    pictures = ((index, way.quickly(code)) for index, code in small.items())
    run = run_of((index, one.packed, one.flags) for index, one in pictures)
    seen = seen_by(run.frames[len(run) // 2], (), tables.output_table(way.output))
    return course_of(run, light_along(run), seen, rate).as_record()


def _with_what_is_seen(info: ClipInfo, seen: list[np.ndarray], reading: Reading) -> ClipInfo:
    """A clip with the bars that its frames have, unless they are set by hand, and its ceiling."""
    if not info.full_range and not info.floating:
        beyond = max(float(np.mean(one @ luma_weights(info.matrix) > BEYOND)) for one in seen)
        info = replace(info, ceiling=HIGHEST_NARROW if beyond > BEYOND_PART else 1.0)
    if reading.active is None:
        info = replace(info, geometry=replace(info.geometry, active=active_picture(seen) or WHOLE))
    return info


def _active(recorded: np.ndarray, geometry: Geometry) -> np.ndarray:
    """The part of a whole upright picture of any size that holds picture."""
    height, width = recorded.shape[:2]
    left, top, right, bottom = Geometry((width, height), active=geometry.active).within(None).box
    return recorded[top:bottom, left:right]
