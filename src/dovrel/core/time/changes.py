"""Changes of light along a shot: where they are, how large, and whether the shot is steady, drifts or changes."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Literal

import numpy as np

from dovrel.core.time import pieces
from dovrel.core.time.light import Light
from dovrel.core.time.run import Run
from dovrel.core.time.seen import cast_of, exposure_of, size_of

SEEN = 1.5
"""CIEDE2000 below which a change of light along a shot is not worth telling."""
_CLOSE = 0.6
"""CIEDE2000 within which the light's course is reported in pieces."""
FLICKERING = 0.8
"""CIEDE2000 from frame to frame that come and go at once."""
_QUICK = 2.5
"""CIEDE2000 a second above which light does not drift, but changes."""

Steadiness = Literal["steady", "drifting", "changing"]


@dataclass(frozen=True)
class Change:
    """One change of light.

    Attributes
    ----------
    first, last : frames between which it happens
    stops : of exposure
    warm, green : by how much it is warmer, and greener, stops
    seen : CIEDE2000, how much the picture changes with it
    """

    first: int
    last: int
    stops: float
    warm: float
    green: float
    seen: float

    def as_record(self) -> dict:
        """As JSON keeps it, with its words."""
        numbers = {name: round(value, 3) for name, value in asdict(self).items()}
        return {**numbers, "said": self.said}

    @property
    def said(self) -> str:
        """In words, as “−1.5 stops, warmer”."""
        words = [f"{self.stops:+.1f} stops".replace("-", "−")] if abs(self.stops) >= 0.05 else []
        if abs(self.warm) >= 0.08:
            words.append("warmer" if self.warm > 0 else "cooler")
        if abs(self.green) >= 0.08:
            words.append("greener" if self.green > 0 else "more magenta")
        return ", ".join(words) or "hardly any"


@dataclass(frozen=True)
class Course:
    """The light's course along a shot.

    Attributes
    ----------
    steadiness : steady, drifting or changing
    changes : in order
    flicker : CIEDE2000 that come and go from frame to frame
    """

    steadiness: Steadiness
    changes: tuple[Change, ...]
    flicker: float

    @property
    def flickers(self) -> bool:
        return self.flicker > FLICKERING

    def as_record(self) -> dict:
        """As JSON keeps it."""
        return {
            "steadiness": self.steadiness,
            "changes": [one.as_record() for one in self.changes],
            "flicker": round(self.flicker, 2) if self.flickers else None,
        }


def flicker_of(stops: np.ndarray, seen: np.ndarray) -> float:
    """What comes and goes from frame to frame in light (n, 3), CIEDE2000: the median of each frame against its two neighbours."""
    if len(stops) < 5:
        return 0.0
    apart = stops[1:-1] - (stops[2:] + stops[:-2]) / 2
    return float(np.median(size_of(apart, seen)))


def course_of(run: Run, light: Light, seen: np.ndarray, rate: float) -> Course:
    """The changes in a run's light; `seen` is of :func:`dovrel.core.time.seen.seen_by`, `rate` frames a second."""
    flicker = flicker_of(light.stops, seen)
    stops = _without_flicker(light.stops) if flicker > FLICKERING else light.stops
    numbers = run.numbers
    if len(run) < 2 or size_of(stops - np.median(stops, axis=0), seen).max() <= SEEN / 2:
        return Course("steady", (), flicker)
    found = pieces.fit(stops, seen, _CLOSE, numbers=numbers)
    changes = changes_in(numbers, found, seen)
    if not changes:
        return Course("steady", (), flicker)
    speeds = [one.seen * rate / max(one.last - one.first, 1) for one in changes]
    return Course("changing" if max(speeds) > _QUICK else "drifting", changes, flicker)


def _without_flicker(stops: np.ndarray) -> np.ndarray:
    padded = np.pad(stops, ((2, 2), (0, 0)), mode="edge")
    return np.mean([padded[i : i + len(stops)] for i in range(5)], axis=0)


def changes_in(numbers: np.ndarray, found: pieces.Pieces, seen: np.ndarray) -> tuple[Change, ...]:
    """The changes that a curve of light in pieces makes, at frames of `numbers`: pieces that go one way are one change; what comes and goes by less than is seen is none."""
    joined: list[tuple[int, int, np.ndarray]] = []
    for at in range(len(found.places) - 1):
        by = found.values[at + 1] - found.values[at]
        if size_of(by, seen) < SEEN / 4:
            continue
        first, last = int(numbers[found.places[at]]), int(numbers[found.places[at + 1]])
        goes_on = joined and joined[-1][1] == first and joined[-1][2] @ seen @ by > 0
        if goes_on:
            joined[-1] = (joined[-1][0], last, joined[-1][2] + by)
        else:
            joined.append((first, last, by))
    return tuple(
        Change(first, last, exposure_of(by), *cast_of(by), float(size_of(by, seen)))
        for first, last, by in joined
        if size_of(by, seen) >= SEEN
    )
