"""Rebuild, a kind of step: a channel that the recording hardly holds, rebuilt from the others.

Light that has come through tinted glass or green water has next to no red left: what the camera recorded there is noise. The
channel is made a weighted sum of all three working values, wholly where it lies below a level, and not at all well above it.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import ClassVar, Literal

import numpy as np

from dovrel.core.colour.working import STOP
from dovrel.core.steps.primary import Triple
from dovrel.errors import Refused

CHANNELS: tuple[Literal["red", "green", "blue"], ...] = ("red", "green", "blue")
SOFT = 2.0 * STOP
"""From where a channel is wholly rebuilt to where it is kept as recorded, working values."""
_SLACK = 1e-6
_MOST = 4.0


@dataclass(frozen=True)
class Rebuild:
    """One channel made of all three.

    Attributes
    ----------
    channel : which is rebuilt
    weights : of red, green and blue; they sum to one, so that a stop more of light is a stop more of the channel
    offset : what is added, working values
    kept : working value above which the channel is kept as it was recorded
    amount : how far it is rebuilt, 0..1

    Raises
    ------
    Refused
        If a number is not finite or beyond its range, or the weights do not sum to one.
    """

    channel: Literal["red", "green", "blue"] = "red"
    weights: Triple = (0.0, 1.0, 0.0)
    offset: float = 0.0
    kept: float = 2.0
    amount: float = 1.0
    kind: Literal["rebuild"] = field(default="rebuild", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        numbers = self.as_array()
        if not np.isfinite(numbers).all():
            raise Refused("the numbers of a rebuilt channel must all be finite")
        if np.abs(numbers).max() > _MOST or not 0 <= self.amount <= 1:
            raise Refused(f"a channel is rebuilt by an amount of 0 to 1, with numbers between -{_MOST:g} and {_MOST:g}")
        if abs(sum(self.weights) - 1) > _SLACK:
            raise Refused("the weights of a rebuilt channel must sum to one, so that more light stays more light")

    @property
    def is_identity(self) -> bool:
        return self.amount == 0 or (self.offset == 0 and self.weights[CHANNELS.index(self.channel)] == 1)

    def as_array(self) -> np.ndarray:
        """Weights, offset, kept, amount: float64 (6,)."""
        return np.array([*self.weights, self.offset, self.kept, self.amount], np.float64)

    def between(self, other: Rebuild, part: float) -> Rebuild:
        """`part` (0..1) of the way to another, number by number."""
        n = [float(x) for x in self.as_array() + part * (other.as_array() - self.as_array())]
        return replace(other if part >= 0.5 else self, weights=(n[0], n[1], n[2]), offset=n[3], kept=n[4], amount=n[5])

    def apply(self, working: np.ndarray) -> np.ndarray:
        """Rebuild the channel.

        Parameters
        ----------
        working : float array (..., 3), working values

        Returns
        -------
        float64 array (..., 3)
        """
        values = np.array(working, np.float64)
        place = CHANNELS.index(self.channel)
        own = values[..., place]
        risen = np.clip((own - self.kept) / SOFT, 0.0, 1.0)
        share = self.amount * (1 - risen * risen * (3 - 2 * risen))
        values[..., place] = own + share * (values @ np.array(self.weights) + self.offset - own)
        return values
