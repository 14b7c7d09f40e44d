"""Density, a kind of step: colour that darkens as it deepens, as dyes do, and colour that acts on pale tones more than on deep ones.

With c the depth of colour and m the mean level (:mod:`dovrel.core.steps.opponent`), in working values::

    m' = m - STOP · density · c / DEEP
    c' = c · (1 + pale · exp(-c / SOON))
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import ClassVar, Literal

import numpy as np

from dovrel.core.colour.working import STOP
from dovrel.core.steps import opponent
from dovrel.errors import Refused

MOST = 3.0
LEAST_PALE, MOST_PALE = -0.9, 3.0
SOON = 0.06
"""Depth of colour at which what acts on pale tones has fallen to a third; skin is about as deep."""


@dataclass(frozen=True)
class Density:
    """How strongly colour darkens, and how much more colour pale tones get.

    Attributes
    ----------
    density : how many stops a strong colour grows darker, -3..3
    pale : what pale colours gain beside their own, -0.9..3; deep ones hardly change

    Raises
    ------
    Refused
        If a number is not finite or beyond its range.
    """

    density: float = 0.0
    pale: float = 0.0
    kind: Literal["density"] = field(default="density", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if not np.isfinite(self.as_array()).all():
            raise Refused("the numbers of a density step must all be finite")
        if abs(self.density) > MOST:
            raise Refused(f"density is {MOST:g} stops at most, not {self.density:g}")
        if not LEAST_PALE <= self.pale <= MOST_PALE:
            raise Refused(f"colour of pale tones lies between {LEAST_PALE:g} and {MOST_PALE:g}, not at {self.pale:g}")

    @property
    def is_identity(self) -> bool:
        return self.density == 0 and self.pale == 0

    def as_array(self) -> np.ndarray:
        """Density and pale, float64 (2,)."""
        return np.array([self.density, self.pale], np.float64)

    def between(self, other: Density, part: float) -> Density:
        """`part` (0..1) of the way to another, number by number."""
        density, pale = (float(x) for x in self.as_array() + part * (other.as_array() - self.as_array()))
        return Density(density, pale)

    def darker(self, depth: np.ndarray) -> np.ndarray:
        """What comes off the mean level at a depth of colour, working values."""
        return STOP * self.density / opponent.DEEP * depth

    def strength(self, depth: np.ndarray) -> np.ndarray:
        """How many times deeper a colour grows."""
        return 1 + self.pale * np.exp(-depth / SOON)

    def apply(self, working: np.ndarray) -> np.ndarray:
        """Darken and strengthen colours by their depth.

        Parameters
        ----------
        working : float array (..., 3), working values

        Returns
        -------
        float64 array (..., 3)
        """
        level, colour = opponent.split(working)
        depth = opponent.depth_of(colour)
        return opponent.joined(level - self.darker(depth), colour * self.strength(depth)[..., None])
