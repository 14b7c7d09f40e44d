"""Clipped highs, a kind of step: what is clipped in one or two recorded channels led to the neutral of its surroundings.

Where a channel could hold no more light, the others went on: paper turns cyan or magenta as soon as a correction moves the
channels apart. Near the level at which the recording ends, colour is led to that of a neutral under the shot's light, as
light as the channel says that holds most.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import ClassVar, Literal

import numpy as np

from dovrel.core.colour.working import STOP
from dovrel.core.steps.primary import Triple


@dataclass(frozen=True)
class ClippedHighs:
    """Highs led to neutral.

    Attributes
    ----------
    ceiling : working value at which the recording ends
    neutral : what red, green and blue of a neutral lie above their mean, working values
    soft : stops below the ceiling at which leading begins, 0.1..4

    Raises
    ------
    ValueError
        If a number is not finite or beyond its range, or the neutral's three do not sum to nothing.
    """

    ceiling: float = 1.0
    neutral: Triple = (0.0, 0.0, 0.0)
    soft: float = 0.6
    kind: Literal["highs"] = field(default="highs", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if not np.isfinite(self.as_array()).all():
            raise ValueError("the numbers of clipped highs must all be finite")
        if not 0 < self.ceiling <= 2 or not 0.1 <= self.soft <= 4 or max(map(abs, self.neutral)) > 1:
            raise ValueError("clipped highs have a ceiling up to 2, and are led over 0.1 to 4 stops")
        if abs(sum(self.neutral)) > 1e-6:
            raise ValueError("a neutral's red, green and blue lie about their mean: the three must sum to nothing")

    @property
    def is_identity(self) -> bool:
        return False

    def as_array(self) -> np.ndarray:
        """Ceiling, neutral, soft: float64 (5,)."""
        return np.array([self.ceiling, *self.neutral, self.soft], np.float64)

    def between(self, other: ClippedHighs, part: float) -> ClippedHighs:
        """`part` (0..1) of the way to another, number by number."""
        n = [float(x) for x in self.as_array() + part * (other.as_array() - self.as_array())]
        return ClippedHighs(n[0], (n[1], n[2], n[3]), n[4])

    def apply(self, working: np.ndarray) -> np.ndarray:
        """Lead clipped highs to neutral.

        Parameters
        ----------
        working : float array (..., 3), working values

        Returns
        -------
        float64 array (..., 3)
        """
        values = np.asarray(working, np.float64)
        part = np.clip(1 + (values.max(axis=-1) - self.ceiling) / (self.soft * STOP), 0.0, 1.0)
        share = (part * part * (3 - 2 * part))[..., None]
        neutral = np.array(self.neutral)
        led = neutral + (values - neutral).max(axis=-1, keepdims=True)
        return values + share * (led - values)
