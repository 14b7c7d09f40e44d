"""Clipped highs, a kind of step: what is clipped in one or two recorded channels moved to the neutral of its surroundings.

Where a channel could hold no more light, the others went on: paper turns cyan or magenta as soon as a correction moves the
channels apart. Near the level at which a channel's recording ends, what is nearly neutral is moved to a neutral under the shot's
light, as light as the channel says that holds most. What has a colour of its own, as a blue shirt has, is left alone.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import ClassVar, Literal

import numpy as np

from dovrel.core.colour.working import STOP
from dovrel.core.steps import opponent
from dovrel.core.steps.primary import Triple
from dovrel.errors import Refused

NO_CEILING = 2.0
"""Of a channel that is not clipped: no working value reaches it."""


@dataclass(frozen=True)
class ClippedHighs:
    """Highs moved to neutral.

    Attributes
    ----------
    ceilings : working values at which the recording of red, green and blue ends
    neutral : what red, green and blue of a neutral lie above their mean, working values
    soft : stops below its ceiling at which leading begins, 0.1..4
    reach : depth of colour about the neutral from which on nothing is led, working values

    Raises
    ------
    Refused
        If a number is not finite or beyond its range, or the neutral's three do not sum to nothing.
    """

    ceilings: Triple = (NO_CEILING, NO_CEILING, NO_CEILING)
    neutral: Triple = (0.0, 0.0, 0.0)
    soft: float = 0.6
    reach: float = 0.1
    kind: Literal["highs"] = field(default="highs", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if not np.isfinite(self.as_array()).all():
            raise Refused("the numbers of clipped highs must all be finite")
        if min(self.ceilings) <= 0 or max(self.ceilings) > NO_CEILING or not 0.1 <= self.soft <= 4:
            raise Refused(
                f"ceilings of clipped highs lie up to {NO_CEILING:g}, and the way to neutral is 0.1 to 4 stops long"
            )
        if not 0.01 <= self.reach <= 1:
            raise Refused(f"the chroma limit lies between 0.01 and 1, not at {self.reach:g}")
        if max(map(abs, self.neutral)) > 1 or abs(sum(self.neutral)) > 1e-6:
            raise Refused("red, green and blue of a neutral target must sum to zero")

    @property
    def is_identity(self) -> bool:
        return min(self.ceilings) >= NO_CEILING

    def as_array(self) -> np.ndarray:
        """Ceilings, neutral, soft, reach: float64 (8,)."""
        return np.array([*self.ceilings, *self.neutral, self.soft, self.reach], np.float64)

    def between(self, other: ClippedHighs, part: float) -> ClippedHighs:
        """`part` (0..1) of the way to another, number by number."""
        n = [float(x) for x in self.as_array() + part * (other.as_array() - self.as_array())]
        return ClippedHighs((n[0], n[1], n[2]), (n[3], n[4], n[5]), n[6], n[7])

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
        near = np.clip(1 + ((values - np.array(self.ceilings)) / (self.soft * STOP)).max(axis=-1), 0.0, 1.0)
        held = values - np.array(self.neutral)
        away = np.clip(2 - 2 * opponent.depth_of(opponent.split(held)[1]) / self.reach, 0.0, 1.0)
        share = (near * near * (3 - 2 * near) * away * away * (3 - 2 * away))[..., None]
        return values + share * (held.max(axis=-1, keepdims=True) - held)
