"""Zone tints, a kind of step: a tint of their own for lows, mids and highs, with soft borders between them.

A tint is added to the colour of :mod:`dovrel.core.steps.opponent`; the mean level stays. The weights of the three zones add
up to one at every level: lows fall and highs rise as a smooth step (3p² − 2p³) about their borders, mids have the rest.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import ClassVar, Literal

import numpy as np

from dovrel.core.colour.working import MID_GREY, STOP
from dovrel.core.steps import opponent
from dovrel.errors import Refused

MOST = 0.2
"""Working values: three and a half stops of one channel."""

TINTS = np.array([[1.0, 0.0, -1.0], [-1.0, 2.0, -1.0]]) / np.sqrt([[2.0], [6.0]])
"""Warmer (red against blue) and greener (green against red and blue), as directions of working values."""

Tint = tuple[float, float]
"""Warmer and greener, working values."""


@dataclass(frozen=True)
class ZoneTints:
    """A tint for each of three zones.

    Attributes
    ----------
    lows, mids, highs : tints, each number -0.2..0.2
    low, high : stops from mid grey at which lows end and highs begin, half way through the border
    soft : stops from one end of a border to the other, 0.5..6
    opposed : whether mids get the opposite of what lows and highs get, beside their own tint

    Raises
    ------
    Refused
        If a number is not finite or beyond its range, or highs begin below the end of lows.
    """

    lows: Tint = (0.0, 0.0)
    mids: Tint = (0.0, 0.0)
    highs: Tint = (0.0, 0.0)
    low: float = -2.5
    high: float = 1.0
    soft: float = 2.5
    opposed: bool = False
    kind: Literal["zones"] = field(default="zones", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        numbers = self.as_array()
        if not np.isfinite(numbers).all():
            raise Refused("the numbers of zone tints must all be finite")
        if np.abs(numbers[:6]).max() > MOST:
            raise Refused(f"a zone's tint lies between -{MOST:g} and {MOST:g}")
        if not 0.5 <= self.soft <= 6:
            raise Refused(f"a border between zones is 0.5 to 6 stops wide, not {self.soft:g}")
        if max(abs(self.low), abs(self.high)) > 10:
            raise Refused("zone borders lie within 10 stops of mid grey")
        if self.high <= self.low:
            raise Refused(f"highs begin above the end of lows, {self.low:g} stops from mid grey, not at {self.high:g}")

    @property
    def is_identity(self) -> bool:
        return not np.any(self.as_array()[:6])

    def as_array(self) -> np.ndarray:
        """The tints one after another, the borders, their width: float64 (9,)."""
        return np.array([*self.lows, *self.mids, *self.highs, self.low, self.high, self.soft], np.float64)

    def between(self, other: ZoneTints, part: float) -> ZoneTints:
        """`part` (0..1) of the way to another, number by number."""
        n = [float(x) for x in self.as_array() + part * (other.as_array() - self.as_array())]
        opposed = (other if part >= 0.5 else self).opposed
        return ZoneTints((n[0], n[1]), (n[2], n[3]), (n[4], n[5]), n[6], n[7], n[8], opposed)

    def tint_at(self, level: np.ndarray) -> np.ndarray:
        """The tint at mean levels, as a colour of the opponent space: float64 (..., 2)."""
        stops = (np.asarray(level, np.float64) - MID_GREY) / STOP
        lows, highs = 1 - _risen(stops, self.low, self.soft), _risen(stops, self.high, self.soft)
        # Wide borders that cross share what they both claim.
        over = np.maximum(lows + highs, 1.0)
        lows, highs = lows / over, highs / over
        weights = np.stack([lows, 1 - lows - highs, highs], axis=-1)
        tints = np.array([self.lows, self.mids, self.highs])
        if self.opposed:
            tints[1] -= (tints[0] + tints[2]) / 2
        return weights @ tints @ TINTS @ opponent.PLANE.T

    def apply(self, working: np.ndarray) -> np.ndarray:
        """Add the tints.

        Parameters
        ----------
        working : float array (..., 3), working values

        Returns
        -------
        float64 array (..., 3)
        """
        level, colour = opponent.split(working)
        return opponent.joined(level, colour + self.tint_at(level))


def _risen(stops: np.ndarray, border: float, soft: float) -> np.ndarray:
    part = np.clip((stops - border) / soft + 0.5, 0.0, 1.0)
    return part * part * (3 - 2 * part)
