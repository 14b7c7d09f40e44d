"""Curves, a kind of step: levels held or moved, for all channels alike and for each by itself.

A curve goes through its points as a monotone cubic (Fritsch and Carlson 1980), and straight on beyond the outermost, as
steeply as it came there; or it is held there, so that nothing passes that level.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import pairwise
from typing import TYPE_CHECKING, ClassVar, Literal

import numpy as np

from dovrel.errors import Refused

if TYPE_CHECKING:
    from scipy.interpolate import PchipInterpolator

MOST_POINTS = 24
LEAST_APART = 0.002
"""Working values between two points of a curve; a thirtieth of a stop."""
LEAST_RISE = 0.02
"""A curve rises by at least this part of the way that its levels do: less would crush them into one."""
LOWEST, HIGHEST = -2.0, 4.0

Point = tuple[float, float]
"""A level that comes in, and the one that goes out: working values."""


@dataclass(frozen=True)
class Curve:
    """One curve over working values.

    Attributes
    ----------
    points : level in and level out, rising both; none for no change, one for a shift of all
    low_held, high_held : whether nothing goes out below the first or above the last

    Raises
    ------
    Refused
        If a number is not finite or beyond all reason, two points stand at one level, a point lies above its neighbour,
        levels would be crushed into one, or there are too many.
    """

    points: tuple[Point, ...] = ()
    low_held: bool = False
    high_held: bool = False

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if len(self.points) > MOST_POINTS:
            raise Refused(f"a curve has at most {MOST_POINTS} points, not {len(self.points)}")
        numbers = np.array(self.points, np.float64)
        if not np.isfinite(numbers).all():
            raise Refused("the points of a curve must all be finite")
        if numbers.size and (numbers.min() < LOWEST or numbers.max() > HIGHEST):
            raise Refused(f"the points of a curve lie between {LOWEST:g} and {HIGHEST:g}")
        for (level, out), (after, after_out) in pairwise(self.points):
            if abs(after - level) < LEAST_APART:
                raise Refused(f"two points of a curve have one level ({level:.3f}); move one, or remove it")
            if after < level:
                raise Refused(f"points of a curve stand in order; {level:.3f} comes before {after:.3f}")
            if after_out < out:
                raise Refused(
                    f"the point at {level:.3f} would lie above its neighbour at {after:.3f}: the curve would turn back"
                )
            if after_out - out < LEAST_RISE * (after - level):
                raise Refused(f"all levels between {level:.3f} and {after:.3f} would become one")

    @property
    def is_identity(self) -> bool:
        return all(level == out for level, out in self.points) and not (self.low_held or self.high_held)

    def at(self, working: np.ndarray) -> np.ndarray:
        """The curve at working values of any shape, float64."""
        values = np.asarray(working, np.float64)
        if not self.points:
            return values
        (first, low), (last, high) = self.points[0], self.points[-1]
        if len(self.points) == 1:
            moved = values + (low - first)
        else:
            curve, below, above = _through(self.points)
            moved = curve(np.clip(values, first, last))
            moved = np.where(values < first, low + below * (values - first), moved)
            moved = np.where(values > last, high + above * (values - last), moved)
        if self.low_held:
            moved = np.maximum(moved, low)
        return np.minimum(moved, high) if self.high_held else moved

    def between(self, other: Curve, part: float) -> Curve:
        """`part` (0..1) of the way to another, at the levels of both; it rises where both do."""
        levels = _thinned(sorted({level for level, _ in (*self.points, *other.points)}))
        here, there = self.at(np.array(levels)), other.at(np.array(levels))
        outs = here + part * (there - here)
        points = tuple((float(level), float(out)) for level, out in zip(levels, outs, strict=True))
        nearer = other if part >= 0.5 else self
        return Curve(points, nearer.low_held and bool(points), nearer.high_held and bool(points))


@dataclass(frozen=True)
class Curves:
    """A curve for all channels alike, and then one for each.

    Attributes
    ----------
    all : for red, green and blue alike, first; red, green, blue : after it, each for its channel
    """

    all: Curve = Curve()
    red: Curve = Curve()
    green: Curve = Curve()
    blue: Curve = Curve()
    kind: Literal["curves"] = field(default="curves", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    @property
    def channels(self) -> tuple[Curve, Curve, Curve]:
        return self.red, self.green, self.blue

    @property
    def is_identity(self) -> bool:
        return all(curve.is_identity for curve in (self.all, *self.channels))

    def as_array(self) -> np.ndarray:
        """All its numbers, one after another, float64."""
        return np.array(
            [0.0, *(number for curve in (self.all, *self.channels) for point in curve.points for number in point)]
        )

    def between(self, other: Curves, part: float) -> Curves:
        """`part` (0..1) of the way to another, curve by curve."""
        here, there = (self.all, *self.channels), (other.all, *other.channels)
        found = [one.between(two, part) for one, two in zip(here, there, strict=True)]
        return Curves(found[0], found[1], found[2], found[3])

    def along(self, working: np.ndarray, channel: int) -> np.ndarray:
        """What becomes of one channel's values, of any shape, float64."""
        return self.channels[channel].at(self.all.at(working))

    def apply(self, working: np.ndarray) -> np.ndarray:
        """Each channel through the curve for all, and then through its own.

        Parameters
        ----------
        working : float array (..., 3), working values

        Returns
        -------
        float64 array (..., 3)
        """
        values = np.asarray(working, np.float64)
        return np.stack([self.along(values[..., channel], channel) for channel in range(3)], axis=-1)


def _thinned(levels: Sequence[float]) -> list[float]:
    """Levels in order without those that lie too close to the one before."""
    kept = list(levels[:1])
    for level in levels[1:]:
        if level - kept[-1] >= LEAST_APART:
            kept.append(level)
    while len(kept) > MOST_POINTS:
        closest = min(range(1, len(kept) - 1), key=lambda place: kept[place + 1] - kept[place - 1])
        del kept[closest]
    return kept


@lru_cache(256)
def _through(points: tuple[Point, ...]) -> tuple[PchipInterpolator, float, float]:
    """The curve through two points or more, and how steep it is at its ends."""
    # Loaded where there is a curve: most commands have none, and it takes half a second.
    from scipy.interpolate import PchipInterpolator

    levels, outs = np.array(points).T
    with np.errstate(divide="ignore", over="ignore", invalid="ignore"):
        curve = PchipInterpolator(levels, outs)
    below, above = (max(float(slope), LEAST_RISE) for slope in curve(levels[[0, -1]], 1))
    return curve, below, above
