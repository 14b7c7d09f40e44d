"""A shot along time, as the desk works on it: its run of frames, what it is held by."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from dovrel.core.colour import tables
from dovrel.core.develop.treating import steadied
from dovrel.core.measure.frame import render
from dovrel.core.measure.meter import Meter
from dovrel.core.steps.correction import Correction, Step
from dovrel.core.steps.levels import FourLevels
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.shapes import Ellipse, Shape
from dovrel.core.steps.steady_picture import SteadyPicture
from dovrel.core.steps.track import Track
from dovrel.core.time import hold
from dovrel.core.time.camera_path import camera_path
from dovrel.core.time.changes import Course, course_of
from dovrel.core.time.follow import Box, NothingToFollow, follow, follow_again
from dovrel.core.time.light import Light, Progress, light_along
from dovrel.core.time.run import Frame, Run
from dovrel.core.time.seen import seen_by
from dovrel.errors import Refused
from dovrel.jobs.subject import Subject, seen_under
from dovrel.media.frames import Source
from dovrel.media.picture import WayIn
from dovrel.media.runs import every_frame, read_run

READINGS = 33
"""Frames whose readings are reported."""
_LEAST_SIDE = 0.01
_LEAST_PART = 0.002
"""Of the picture that skin or neutrals must cover to be held."""


def run_of_shot(source: Source, told: Progress) -> Run:
    """All frames of a shot, small, from its proxy if it has one."""
    info = source.info
    way = WayIn(source.encoding, source.output, floating=info.floating, ceiling=info.ceiling)
    return read_run(source.path, info, way, told=told)


def as_steadied(run: Run, levels: FourLevels) -> Run:
    """A run's frames as the desk shows them, where a shot's picture is steadied: what is drawn on it is drawn there."""
    frames = []
    for frame in run.frames:
        steady = [one for one in levels.at(frame.number).treatment if isinstance(one, SteadyPicture)]
        packed, clean = frame.packed, frame.clean
        for values in steady:
            packed = steadied(values, frame.number, packed)
            clean = steadied(values, frame.number, clean.astype(np.uint8)) != 0
        frames.append(Frame(frame.number, packed, clean) if steady else frame)
    return Run(frames)


def path_of_camera(source: Source, told: Progress) -> Track:
    """Where a shot's camera looked on each of its frames.

    Raises
    ------
    Refused
        If that cannot be told.
    """
    info = source.info
    way = WayIn(source.encoding, source.output, floating=info.floating, ceiling=info.ceiling)
    return camera_path(every_frame(source.path, info, way, told))


def course_of_run(run: Run, light: Light, source: Source) -> Course:
    seen = seen_by(run.frames[len(run) // 2], (), tables.output_table(source.output))
    return course_of(run, light, seen, float(source.info.rate))


def readings_along(
    run: Run, subject: Subject, levels: FourLevels, meter: Meter, at: int
) -> tuple[list[int], list[list[float]], list[list[float]]]:
    """Frames, and their ten readings as recorded and under four levels, percent.

    A box or outline was drawn on frame `at`, and is followed from there; where it is lost, frames have no readings.
    """
    table = tables.output_table(subject.source.output)
    frames, recorded, corrected = [], [], []
    for frame, metered in _followed(run, meter, at):
        here = levels.at(frame.number)
        try:
            mask = seen_under(metered, here).mask(frame.packed, table)
        except ValueError:
            # No skin, or no neutrals, on this frame: it has no readings.
            continue
        frames.append(frame.number)
        for chain, found in (((), recorded), (here.in_order, corrected)):
            measured = render(frame.packed, list(chain), table, mask, subject.percentiles)
            found.append([round(float(one), 2) for one in measured.readings])
    return frames, recorded, corrected


def _followed(run: Run, meter: Meter, at: int) -> Iterator[tuple[Frame, Meter]]:
    """A run's frames with what is metered on each."""
    if meter.kind not in ("box", "outline"):
        yield from ((frame, meter) for frame in run.frames)
        return
    try:
        places = follow(run, _around(meter), at).places
    except NothingToFollow:
        yield from ((frame, meter) for frame in run.frames)
        return
    frames = {frame.number: frame for frame in run.frames}
    for place in places:
        box = place.box
        low, high = (np.clip(one, 0, 1) for one in ((box.x, box.y), (box.x + box.width, box.y + box.height)))
        if (high - low > _LEAST_SIDE).all():
            yield frames[place.frame], Meter("box", ((low[0], low[1]), (high[0], high[1])))


def tracked(run: Run, shapes: Sequence[Shape], drawn: int, told: Progress) -> tuple[Track, list[str]]:
    """The track of the subject that lies within shapes drawn on a frame, and what is to be said of it.

    Frames that a run leaves out lie evenly between those that it has.

    Raises
    ------
    Refused
        If the shapes lie outside the picture, or there is nothing to follow.
    """
    height, width = run.frames[0].packed.shape[:2]
    places = np.array([place for shape in shapes for place in _extent(shape, width / height)])
    (left, top), (right, bottom) = places.min(axis=0), places.max(axis=0)
    low, high = np.clip((left, top), 0, 1), np.clip((right, bottom), 0, 1)
    if (high - low < _LEAST_SIDE).any():
        raise Refused("the area lies outside the picture; draw it around the subject")
    box = Box(float(low[0]), float(low[1]), float(high[0] - low[0]), float(high[1] - low[1]))
    followed = follow(run, box, drawn, told)
    at = int(run.numbers[run.nearest(drawn)])
    known = {place.frame: place.box for place in followed.places}
    first, last = min(known), max(known)
    frames = np.arange(first, last + 1)
    stand = sorted(known)
    columns = np.array([(*known[n].middle, known[n].angle, known[n].width / known[at].width) for n in stand])
    placed = np.stack([np.interp(frames, stand, column) for column in columns.T], axis=1).round(5)
    return Track(at, first, placed, width / height), list(followed.notes)


def _extent(shape: Shape, aspect: float) -> list[tuple[float, float]]:
    """Places that a shape reaches to."""
    if not isinstance(shape, Ellipse):
        return list(shape.points)
    cosine, sine = np.cos(np.radians(shape.angle)), np.sin(np.radians(shape.angle))
    across = float(np.hypot(shape.width * cosine, shape.height * sine)) / 2
    down = float(np.hypot(shape.width * sine, shape.height * cosine)) / 2 * aspect
    return [(shape.x - across, shape.y - down), (shape.x + across, shape.y + down)]


@dataclass(frozen=True)
class Holding:
    """What is held, and how.

    Attributes
    ----------
    frame : the one that says how it is to look; `drawn` : the one on which a box or outline was drawn
    meter : what is metered; all of the picture if None
    again : further frames on which the same subject's box was drawn
    tolerance : CIEDE2000 that may be left
    """

    frame: int
    drawn: int
    meter: Meter | None
    again: tuple[tuple[int, Meter], ...] = ()
    tolerance: float = hold.TOLERANCE


def held(run: Run, subject: Subject, step: str, holding: Holding, told: Progress) -> hold.Held:
    """Keyframes of a shot's step that keep what is metered, or all, as it looks at a frame.

    Raises
    ------
    Refused
        If there is nothing to follow, it is lost before it comes to the frame, or it cannot be compared.
    """
    meter = holding.meter
    at, drawn = (int(run.numbers[run.nearest(frame)]) for frame in (holding.frame, holding.drawn))
    under, before = _under(subject, step, at), subject.levels.at(at).before("shot", step)
    seen = run.under(before)
    if meter is None or meter.kind == "whole":
        return hold.hold_all(seen, light_along(seen, told), at, under, holding.tolerance)
    drawn = drawn if meter.kind in ("box", "outline") else at
    again = [(int(run.numbers[run.nearest(frame)]), _around(one)) for frame, one in holding.again]
    followed = follow_again(seen, [(drawn, _box_of(run, subject, meter, at)), *again], told)
    if followed.at(at) is None:
        raise Refused(f"what was metered on frame {drawn + 1} is lost before frame {at + 1}; draw it again on this one")
    return hold.hold(seen, followed, at, under, holding.tolerance)


def light_steadied(run: Run, light: Light, subject: Subject, step: str) -> hold.Held:
    """Keyframes of a shot's step that take a slow wander off."""
    under = _under(subject, step, subject.middle)
    return hold.steady(run, light, float(subject.source.info.rate), under)


def with_held(correction: Correction, step: str, found: hold.Held) -> Correction:
    """A correction whose step has the keyframes that were found; as it is if there are none."""
    if not found.keyframes:
        return correction
    return correction.with_step(Step(step, found.keyframes[0].values, keyframes=found.keyframes))


def _under(subject: Subject, step: str, frame: int) -> hold.Under:
    here = subject.levels.at(frame)
    base = here.shot.step(step).values
    if not isinstance(base, Primary):
        raise Refused(f"“{step}” has no ten numbers; make a step that has them current")
    return hold.Under(tables.output_table(subject.source.output), base, here.after("shot", step))


def _around(meter: Meter) -> Box:
    xs, ys = ([point[axis] for point in meter.points] for axis in (0, 1))
    return Box(min(xs), min(ys), max(xs) - min(xs), max(ys) - min(ys))


def _box_of(run: Run, subject: Subject, meter: Meter, at: int) -> Box:
    """The box around what is metered: of skin or neutrals, around the largest piece that hangs together."""
    if meter.kind in ("box", "outline"):
        return _around(meter)
    frame = run.frames[run.nearest(at)]
    here = subject.levels.at(at)
    mask = seen_under(meter, here).mask(frame.packed, tables.output_table(subject.source.output))
    width, height = run.size
    whole = np.zeros((height, width), np.uint8) if mask is None else (mask != 0).astype(np.uint8)
    count, _, stats, _ = cv2.connectedComponentsWithStats(
        cv2.morphologyEx(whole, cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8))
    )
    sizes = stats[1:, cv2.CC_STAT_AREA] if count > 1 else np.zeros(0)
    if len(sizes) == 0 or sizes.max() < _LEAST_PART * width * height:
        raise Refused(f"there is too little of {meter.kind} in this frame to hold; draw a box around it")
    x, y, w, h, _ = stats[1 + int(np.argmax(sizes))]
    return Box(x / width, y / height, w / width, h / height)
