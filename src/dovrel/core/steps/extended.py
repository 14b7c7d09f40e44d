"""Extended, a kind of step: a 3 × 3 matrix and a curve for each channel.

Matching puts it after a shot's balance, where it does what ten numbers cannot: cameras see colours
through filters of their own, and bend light into code in ways of their own.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import TYPE_CHECKING, ClassVar, Literal

import numpy as np

from dovrel.core.colour.working import MID_GREY, STOP, from_linear, to_linear
from dovrel.core.steps.primary import Triple
from dovrel.errors import Refused

if TYPE_CHECKING:
    from scipy.interpolate import PchipInterpolator

KNOT_STOPS = (-4.0, -2.0, 0.0, 2.0, 4.0)
"""Where the curves are given, in stops from mid grey."""

KNOTS = tuple(MID_GREY + stops * STOP for stops in KNOT_STOPS)
"""The same in working values."""

STEEPEST = 1 / 3
"""A curve's offset may fall by no more than this of the way between two knots: it always rises."""

_ROW_SLACK = 1e-6

Offsets = tuple[float, float, float, float, float]
_PLAIN: Offsets = (0.0, 0.0, 0.0, 0.0, 0.0)


@dataclass(frozen=True)
class Extended:
    """A matrix in linear AP1 and then a curve for each channel in the working space.

    Attributes
    ----------
    matrix : three rows that sum to one each, so that grey stays grey
    curves : what is added to red, green and blue at :data:`KNOTS`, working values; between
        them monotone cubics (Fritsch and Carlson 1980), beyond them the last offset

    Raises
    ------
    Refused
        If a number is not finite, a row does not sum to one, or a curve falls anywhere.
    """

    matrix: tuple[Triple, Triple, Triple] = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))
    curves: tuple[Offsets, Offsets, Offsets] = (_PLAIN, _PLAIN, _PLAIN)
    kind: Literal["extended"] = field(default="extended", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if not np.isfinite(self.as_array()).all():
            raise Refused("the numbers of an extended step must all be finite")
        if np.abs(np.sum(self.matrix, axis=1) - 1).max() > _ROW_SLACK:
            raise Refused("each row of the matrix must sum to one, so that grey stays grey")
        if (np.diff(self.curves, axis=1) < -STEEPEST * np.diff(KNOTS)).any():
            raise Refused("a curve of the extended step falls")

    @property
    def is_identity(self) -> bool:
        return self == NOTHING

    def as_array(self) -> np.ndarray:
        """The matrix row by row and the curves one after another, float64 (24,)."""
        return np.concatenate([np.ravel(self.matrix), np.ravel(self.curves)]).astype(np.float64)

    @classmethod
    def from_array(cls, numbers: Sequence[float] | np.ndarray) -> Extended:
        """The inverse of :meth:`as_array`."""
        n = [float(x) for x in numbers]
        if len(n) != 24:
            raise Refused(f"an extended step has 24 numbers, not {len(n)}")
        rows = ((n[0], n[1], n[2]), (n[3], n[4], n[5]), (n[6], n[7], n[8]))
        a, b, c = ((k[0], k[1], k[2], k[3], k[4]) for k in (n[9:14], n[14:19], n[19:24]))
        return cls(rows, (a, b, c))

    def at_strength(self, strength: float) -> Extended:
        """A part of it, 0..1: from nothing to the whole, evenly."""
        return NOTHING.between(self, strength)

    def between(self, other: Extended, part: float) -> Extended:
        """`part` (0..1) of the way to another: each number by itself; rows go on summing to one, curves rising."""
        here, there = self.as_array(), other.as_array()
        return Extended.from_array(here + part * (there - here))

    def apply(self, working: np.ndarray) -> np.ndarray:
        """Apply the matrix and then the curves.

        Parameters
        ----------
        working : float array (..., 3), working values

        Returns
        -------
        float64 array (..., 3)
        """
        mixed = from_linear(to_linear(np.asarray(working, np.float64)) @ np.array(self.matrix).T)
        return np.stack([along_curve(mixed[..., c], self.curves[c]) for c in range(3)], axis=-1)


NOTHING = Extended()


@lru_cache(64)
def _offset(offsets: Offsets) -> PchipInterpolator:
    # Loaded where there is an extended step: most commands have none, and it takes half a second.
    from scipy.interpolate import PchipInterpolator

    # Where a curve turns or hardly moves, SciPy divides by its slopes before it leaves them out.
    with np.errstate(divide="ignore", over="ignore", invalid="ignore"):
        return PchipInterpolator(KNOTS, offsets)


def along_curve(working: np.ndarray, offsets: Offsets) -> np.ndarray:
    """One channel's curve on working values, any shape."""
    if not any(offsets):
        return working
    return working + _offset(offsets)(np.clip(working, KNOTS[0], KNOTS[-1]))
