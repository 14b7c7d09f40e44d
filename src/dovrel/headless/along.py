"""Clips along time: readings and changes of light, a box followed, a subject held, a drift removed."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import numpy as np

from dovrel.core.colour import encodings, tables
from dovrel.core.match import Evidence, match
from dovrel.core.measure.frame import render
from dovrel.core.steps.correction import BALANCE, PLAIN, Correction, Step
from dovrel.core.steps.primary import IDENTITY, Primary
from dovrel.core.time import hold
from dovrel.core.time.changes import Course, course_of
from dovrel.core.time.follow import Box, Place, follow, follow_again
from dovrel.core.time.light import Light, light_along
from dovrel.core.time.run import Run
from dovrel.core.time.seen import seen_by
from dovrel.errors import Refused
from dovrel.headless.files import Input
from dovrel.headless.measuring import readings_record
from dovrel.media.clip import ClipInfo
from dovrel.media.footage import probe
from dovrel.media.limits import STILL_SUFFIXES
from dovrel.media.picture import PREVIEW_WIDTH, WayIn
from dovrel.media.runs import read_run

READINGS = 25
"""Frames of a clip whose readings are reported."""


@dataclass(frozen=True)
class Clip:
    """A clip and how it is seen."""

    file: Path
    encoding: str | None
    output: str

    def __post_init__(self) -> None:
        encodings.describe(self.source(0).encoding_id)

    def source(self, frame: int) -> Input:
        return Input(self.file, self.encoding, frame)

    @cached_property
    def info(self) -> ClipInfo:
        if self.file.suffix.lower() in STILL_SUFFIXES:
            raise Refused(f"{self.file.name} is a still picture; it has no length")
        return probe(self.file)

    @property
    def way(self) -> WayIn:
        encoding = self.source(0).encoding_id
        return WayIn(encoding, self.output, floating=self.info.floating, ceiling=self.info.ceiling)

    @property
    def table(self) -> tables.Table:
        return tables.output_table(self.output)

    @property
    def rate(self) -> float:
        return float(self.info.rate)

    def run(self, first: int = 0, last: int | None = None) -> Run:
        return read_run(self.file, self.info, self.way, first, last)

    def frame_of(self, at: int | None, otherwise: int) -> int:
        """A frame that was asked for, or another where none was.

        Raises
        ------
        Refused
            If the clip has no such frame.
        """
        if at is None:
            return otherwise
        if not 0 <= at < self.info.frames:
            raise Refused(f"{self.file.name} has frames 0 to {self.info.frames - 1}; {at} is not one of them")
        return at


def drift(clip: Clip) -> dict:
    """Readings along a clip, its changes of light, and whether it is steady."""
    run = clip.run()
    light = light_along(run)
    course = course_of(run, light, seen_by(run.frames[len(run) // 2], (), clip.table), clip.rate)
    told = sorted({int(place) for place in np.linspace(0, len(run) - 1, min(READINGS, len(run)))})
    return {
        "file": clip.file.name,
        "frames": clip.info.frames,
        "rate": clip.rate,
        "readings": [_readings(run, place, clip) for place in told],
        "changes": [
            {**one.as_record(), "cast": {"warm": round(one.warm, 3), "green": round(one.green, 3)}}
            for one in course.changes
        ],
        "steadiness": course.steadiness,
        "steady": course.steadiness == "steady",
        "flicker": round(course.flicker, 3),
        "notes": _notes(course, light),
    }


def _readings(run: Run, place: int, clip: Clip) -> dict:
    frame = run.frames[place]
    return {"frame": frame.number, "readings": readings_record(render(frame.packed, [], clip.table).readings)}


def _notes(course: Course, light: Light) -> list[str]:
    notes = [f"the light flickers from frame to frame, by {course.flicker:.1f}"] if course.flickers else []
    blind = int((~light.seen[1:]).sum())
    if blind > 0.2 * max(len(light.seen) - 1, 1):
        notes.append(f"{blind} frames could not be laid over their neighbours; there the light is taken to stay")
    return notes


def track(clip: Clip, box: Box, at: int | None) -> dict:
    """A box followed through a clip."""
    found = follow(clip.run(), box, clip.frame_of(at, 0))
    return {"places": [_place_record(place) for place in found.places], "notes": list(found.notes)}


def _place_record(place: Place) -> dict:
    box = place.box
    numbers = {"x": box.x, "y": box.y, "width": box.width, "height": box.height}
    return {
        "frame": place.frame,
        **{name: round(value, 5) for name, value in numbers.items()},
        "angle": round(box.angle, 2),
        "sure": round(place.sure, 3),
    }


@dataclass(frozen=True)
class Stretch:
    """The frames that something is done on, and the one that says how it is to look."""

    at: int | None = None
    first: int = 0
    last: int | None = None


@dataclass(frozen=True)
class Subject:
    """A box around it, further boxes around it on other frames, and the CIEDE2000 that may remain."""

    box: Box
    again: tuple[tuple[int, Box], ...] = ()
    tolerance: float = hold.TOLERANCE


def held(clip: Clip, subject: Subject, stretch: Stretch, reference: Path | None) -> tuple[dict, Correction]:
    """Keep what is in a box as it looks at a frame, or as a reference has it there."""
    run = clip.run(clip.frame_of(stretch.first, 0), stretch.last)
    at = int(run.numbers[run.nearest(clip.frame_of(stretch.at, stretch.first))])
    again = [(int(run.numbers[run.nearest(clip.frame_of(frame, 0))]), box) for frame, box in subject.again]
    followed = follow_again(run, [(at, subject.box), *again])
    base, notes = (IDENTITY, []) if reference is None else _matched(clip, reference, at)
    found = hold.hold(run, followed, at, hold.Under(clip.table, base), subject.tolerance)
    return _answer(found, base, notes)


def _matched(clip: Clip, reference: Path, at: int) -> tuple[Primary, list[str]]:
    there, here = (one.read(clip.output, PREVIEW_WIDTH) for one in (Input(reference), clip.source(at)))
    finished = (Input(reference).finished, clip.source(at).finished)
    found = match(Evidence(there.working, here.working, here.reach, clip.table, finished=finished))
    return found.numbers, [f"matched to {reference.name} at frame {at}: {note}" for note in found.notes[:1]]


def steadied(clip: Clip) -> tuple[dict, Correction]:
    """Take a camera's slow wander off."""
    run = clip.run()
    return _answer(hold.steady(run, light_along(run), clip.rate, hold.Under(clip.table)), IDENTITY, [])


def _answer(found: hold.Held, base: Primary, notes: list[str]) -> tuple[dict, Correction]:
    record = {
        "keyframes": [
            {"frame": one.frame, "numbers": one.values.as_array().tolist(), "ease": one.ease} for one in found.keyframes
        ],
        "left": {"mean": round(found.mean, 3), "largest": round(found.largest, 3)},
        "was": round(found.was, 3),
        "notes": [*notes, *found.notes],
    }
    return record, PLAIN["shot"].with_step(Step(BALANCE, base, keyframes=found.keyframes))


def describe(result: dict) -> str:
    """Any of the answers in words."""
    lines = []
    if "steadiness" in result:
        lines.append(f"{result['file']}: {result['frames']} frames, {result['steadiness']}")
        lines += [
            f"  frames {one['first']} to {one['last']}: {one['said']} ({one['seen']:.1f} CIEDE2000)"
            for one in result["changes"]
        ]
    if "places" in result:
        lines.append(f"followed over {len(result['places'])} frames, from {result['places'][0]['frame']} on")
    if "left" in result:
        lines.append(
            f"{len(result['keyframes'])} keyframes; left of the change: {result['left']['mean']:.2f} on average, "
            f"{result['left']['largest']:.2f} at most"
        )
    return "\n".join([*lines, *(f"  {note}" for note in result["notes"])])
