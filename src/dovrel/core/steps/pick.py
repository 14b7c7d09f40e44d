"""A colour pick: which colours of a picture are taken, from samples of it.

Colours are compared in the opponent space of :mod:`dovrel.core.steps.opponent`, where a stop more or less of light adds to the level
and leaves the colour. A colour is part of the pick if a sample that was taken in lies within reach of it, and nearer than
any that was left out. Light falls differently on one thing: gloss makes its colour paler, folds make it deeper, so
depth counts less than hue where a sample has a hue, and the level hardly at all. All of this, and a camera's noise, grows with
the depth of a colour, and so does what counts as near.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from dovrel.core.colour.working import STOP
from dovrel.core.steps import opponent
from dovrel.errors import Refused

MOST_SAMPLES = 24
"""Taken in, and as many left out."""

LEVEL_WEIGHT = 0.1
"""What a working value of level counts beside one of colour."""

DEPTH_WEIGHT = 0.8
"""What depth counts beside hue, at a colour that is deep."""

DOUBLED_AT = 0.3
"""The depth of a sample at which what lies twice as far counts as near as at a grey, working values."""

SOFT_LEVEL, SOFT_DEPTH, SOFT_HUE = STOP, 0.03, 15.0
"""How softly a range of level, depth and hue ends: working values, working values, degrees."""

LEAST_SOFT = 0.015
REACHES, SOFTNESSES = (0.0, 0.5), (LEAST_SOFT, 0.3)

Range = tuple[float, float]


@dataclass(frozen=True)
class Sample:
    """A colour: mean level and two differences, working values."""

    level: float
    x: float
    y: float

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        numbers = np.array([self.level, self.x, self.y])
        if not np.isfinite(numbers).all() or np.abs(numbers).max() > 10:
            raise Refused("a sample of a pick is a colour of working values, within -10 and 10")

    @classmethod
    def of(cls, working: np.ndarray) -> Sample:
        """Of one colour of working values (3,)."""
        level, colour = opponent.split(working)
        return cls(float(level), float(colour[0]), float(colour[1]))

    def working(self) -> np.ndarray:
        """The colour as working values, float64 (3,)."""
        return opponent.joined(np.array(self.level), np.array([self.x, self.y]))


Samples = tuple[Sample, ...]


@dataclass(frozen=True)
class Pick:
    """Colours taken, by samples.

    Attributes
    ----------
    taken, left : samples taken in and left out, up to 24 each
    reach : how far from a taken sample colours belong wholly, 0..0.5: working values about a grey, more about a deep colour
    soft : within how much more they cease to, 0.015..0.3
    levels, depths : the range of mean level and of depth of colour that is kept, working values; None for all
    hues : the first and the last hue kept, degrees 0..360, round the circle; None for all
    specks, holes, edge : how large specks are that are taken out of the matte, how large holes that are filled,
        how wide its edge is made soft: parts of the picture's width, 0..0.05

    Raises
    ------
    Refused
        If nothing is taken in, one colour is both taken in and left out, or a number is beyond its range.
    """

    taken: Samples
    left: Samples = ()
    reach: float = 0.03
    soft: float = 0.03
    levels: Range | None = None
    depths: Range | None = None
    hues: Range | None = None
    specks: float = 0.0
    holes: float = 0.0
    edge: float = 0.0

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if not self.taken:
            raise Refused("a pick includes at least one colour; click one in the picture")
        if max(len(self.taken), len(self.left)) > MOST_SAMPLES:
            raise Refused(f"a pick has at most {MOST_SAMPLES} included and {MOST_SAMPLES} excluded samples")
        if set(self.taken) & set(self.left):
            raise Refused("one colour cannot be both included and excluded")
        _within("reach", self.reach, REACHES)
        _within("softness", self.soft, SOFTNESSES)
        for name, size in (("specks", self.specks), ("holes", self.holes), ("edge", self.edge)):
            _within(name, size, (0.0, 0.05))
        for name, kept in (("level", self.levels), ("depth of colour", self.depths)):
            if kept is not None and not (np.isfinite(kept).all() and kept[0] < kept[1]):
                raise Refused(f"a range of {name} goes from low to high")
        if self.hues is not None and not all(0 <= hue <= 360 for hue in self.hues):
            raise Refused("hues lie between 0 and 360 degrees")

    @property
    def is_cleaned(self) -> bool:
        """Whether its matte depends on more than each pixel's own colour."""
        return max(self.specks, self.holes, self.edge) > 0

    def as_array(self) -> np.ndarray:
        """All its numbers: float64 (N,)."""
        samples = [(one.level, one.x, one.y) for one in (*self.taken, *self.left)]
        ranges = [end for kept in (self.levels, self.depths, self.hues) if kept for end in kept]
        return np.array([*np.ravel(samples), self.reach, self.soft, *ranges, self.specks, self.holes, self.edge])

    def distance(self, working: np.ndarray) -> np.ndarray:
        """How far colours are from the nearest sample taken in, working values: float64 (...)."""
        level, colour = opponent.split(working)
        return _nearest(level, colour, self.taken)

    def share(self, working: np.ndarray) -> np.ndarray:
        """How far colours belong, 0..1: float64 (...).

        Parameters
        ----------
        working : float array (..., 3), working values
        """
        return self._membership(working, 1.0)

    def bound(self, working: np.ndarray) -> np.ndarray:
        """The same at twice the reach and softness: beyond it, cleaning up changes nothing."""
        return np.maximum(self._membership(working, 2.0), self.share(working))

    def _membership(self, working: np.ndarray, times: float) -> np.ndarray:
        level, colour = opponent.split(working)
        near = _nearest(level, colour, self.taken)
        soft = self.soft * times
        share = smooth((self.reach * times + soft - near) / soft)
        if self.left:
            share = share * smooth(0.5 + (_nearest(level, colour, self.left) - near) / (2 * soft))
        if self.levels:
            share = share * _in_range(level, self.levels, SOFT_LEVEL)
        if self.depths:
            share = share * _in_range(opponent.depth_of(colour), self.depths, SOFT_DEPTH)
        if self.hues:
            middle, half = middle_and_half(self.hues)
            away = np.abs((opponent.hue_of(colour) - middle + 180) % 360 - 180)
            share = share * smooth(0.5 + (half - away) / SOFT_HUE)
        return share


def middle_and_half(hues: Range) -> tuple[float, float]:
    """The middle of a range of hues and half its width, degrees."""
    width = (hues[1] - hues[0]) % 360 or 360.0
    return (hues[0] + width / 2) % 360, width / 2


def metric(sample: Sample) -> tuple[float, float, float, float]:
    """A sample's own direction of colour (two numbers), and what counts along it and across; alike where it has no hue."""
    depth = float(np.hypot(sample.x, sample.y))
    across = 1 / (1 + depth / DOUBLED_AT)
    along = across * (1 - (1 - DEPTH_WEIGHT) * float(opponent.coloured(np.array(depth))))
    return (sample.x / depth, sample.y / depth, along, across) if depth > 0 else (1.0, 0.0, along, across)


def _nearest(level: np.ndarray, colour: np.ndarray, samples: Samples) -> np.ndarray:
    nearest = np.full(np.shape(level), np.inf)
    for sample in samples:
        ux, uy, weight, other = metric(sample)
        x, y = colour[..., 0] - sample.x, colour[..., 1] - sample.y
        along, across = weight * (ux * x + uy * y), other * (ux * y - uy * x)
        away = LEVEL_WEIGHT * (level - sample.level)
        nearest = np.minimum(nearest, np.sqrt(along * along + across * across + away * away))
    return nearest


def smooth(part: np.ndarray) -> np.ndarray:
    """A smooth step, 3p² − 2p³, of parts held within 0..1."""
    part = np.clip(part, 0.0, 1.0)
    return part * part * (3 - 2 * part)


def _in_range(value: np.ndarray, kept: Range, soft: float) -> np.ndarray:
    return smooth(0.5 + (value - kept[0]) / soft) * smooth(0.5 + (kept[1] - value) / soft)


def _within(name: str, value: float, limits: Range) -> None:
    if not limits[0] <= value <= limits[1]:
        raise Refused(f"a pick's {name} lies between {limits[0]:g} and {limits[1]:g}, not at {value:g}")
