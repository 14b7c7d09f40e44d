"""Primary, the first kind of step: the ten numbers of the ASC CDL, version 1.2."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import ClassVar, Literal

import numpy as np

from dovrel.errors import Refused

REC709_LUMA = np.array([0.2126, 0.7152, 0.0722])
"""Weights of red, green and blue in the CDL's saturation and in BT.709 luma."""

LARGEST = 1e6
"""Numbers beyond this are no correction's, though a search may pass them."""

Triple = tuple[float, float, float]


@dataclass(frozen=True)
class Primary:
    """Slope, offset and power for red, green and blue, and one saturation.

    Raises
    ------
    Refused
        If a number is not finite, a slope or the saturation is negative, or a power is not
        positive.
    """

    slope: Triple = (1.0, 1.0, 1.0)
    offset: Triple = (0.0, 0.0, 0.0)
    power: Triple = (1.0, 1.0, 1.0)
    saturation: float = 1.0
    kind: Literal["primary"] = field(default="primary", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if not np.isfinite(self.as_array()).all():
            raise Refused("a correction's ten numbers must all be finite")
        if min(self.slope) < 0 or self.saturation < 0 or min(self.power) <= 0:
            raise Refused("slope and saturation cannot be negative, and power must be above zero")

    @property
    def is_identity(self) -> bool:
        return self == IDENTITY

    def as_array(self) -> np.ndarray:
        """The numbers as float64 (10,): slopes, offsets, powers, saturation."""
        return np.array([*self.slope, *self.offset, *self.power, self.saturation], np.float64)

    @classmethod
    def from_array(cls, numbers: Sequence[float] | np.ndarray) -> Primary:
        n = [float(x) for x in numbers]
        if len(n) != 10:
            raise Refused(f"a correction has ten numbers, not {len(n)}")
        return cls((n[0], n[1], n[2]), (n[3], n[4], n[5]), (n[6], n[7], n[8]), n[9])

    def with_offset_added(self, offset: Sequence[float] | np.ndarray) -> Primary:
        a, b, c = (float(x + y) for x, y in zip(self.offset, offset, strict=True))
        return replace(self, offset=(a, b, c))

    def between(self, other: Primary, part: float) -> Primary:
        """`part` (0..1) of the way to another: each number by itself, so light goes on evenly in stops."""
        here, there = self.as_array(), other.as_array()
        return Primary.from_array(here + part * (there - here))

    def apply(self, working: np.ndarray) -> np.ndarray:
        """Apply the ten numbers in the no-clamp style: negatives pass the power untouched.

        Parameters
        ----------
        working : float array (..., 3), working-space values.

        Returns
        -------
        float64 array (..., 3).

        Notes
        -----
        ASC CDL 1.2: ``out = (in · slope + offset) ^ power`` per channel, then saturation about
        Rec.709 luma.
        """
        value = np.asarray(working, np.float64) * self.slope + self.offset
        value = np.where(value > 0, np.abs(value) ** np.asarray(self.power), value)
        luma = (value @ REC709_LUMA)[..., None]
        return luma + self.saturation * (value - luma)


IDENTITY = Primary()
