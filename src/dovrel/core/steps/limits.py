"""Limits, a kind of step: the display signal kept within a range, softly.

EBU R 103 (2020) lets R′G′B′ lie within -5..105 % and luma within -1..103 %. Luma is a weighted mean of the three: kept within
-1..103 % each, all of it is kept. Nearer to a limit than `soft`, what is left of the way is bent by an exponential that
reaches the limit nowhere and leaves the knee as steeply as it came.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import ClassVar, Literal

import numpy as np

from dovrel.errors import Refused

LOWEST, HIGHEST = -12.0, 112.0


@dataclass(frozen=True)
class Limits:
    """The range of the display signal, in percent.

    It acts on what the output makes of working values, so it stands at the show's level, and does its work after all others
    wherever it stands there.

    Attributes
    ----------
    low, high : what red, green and blue do not pass, -12..112
    soft : percent before a limit from which on they are bent, 0..20

    Raises
    ------
    Refused
        If a number is not finite or beyond its range, or the limits are too near to each other.
    """

    low: float = -1.0
    high: float = 103.0
    soft: float = 3.0
    kind: Literal["limits"] = field(default="limits", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if not np.isfinite(self.as_array()).all():
            raise Refused("limits must all be finite")
        if self.low < LOWEST or self.high > HIGHEST or not 0 <= self.soft <= 20:
            raise Refused(f"limits lie between {LOWEST:g} and {HIGHEST:g} %, and are 0 to 20 % soft")
        if self.high - self.low < 2 * self.soft + 10:
            raise Refused(f"a softness of {self.soft:g} % does not fit between {self.low:g} and {self.high:g} %")

    @property
    def is_identity(self) -> bool:
        return self.low <= LOWEST and self.high >= HIGHEST

    def as_array(self) -> np.ndarray:
        """Low, high, soft: float64 (3,)."""
        return np.array([self.low, self.high, self.soft], np.float64)

    def between(self, other: Limits, part: float) -> Limits:
        """`part` (0..1) of the way to another, number by number."""
        low, high, soft = (float(x) for x in self.as_array() + part * (other.as_array() - self.as_array()))
        return Limits(low, high, soft)

    def apply(self, working: np.ndarray) -> np.ndarray:
        """Working values as they are: the work is done on the display signal, by :meth:`limited`."""
        return working

    def limited(self, display: np.ndarray) -> np.ndarray:
        """Display values of any shape within the limits, float64."""
        values = np.asarray(display, np.float64)
        low, high, soft = self.low / 100, self.high / 100, max(self.soft / 100, 1e-6)
        over, under = values - (high - soft), (low + soft) - values
        values = np.where(over > 0, high - soft * np.exp(-np.maximum(over, 0) / soft), values)
        return np.where(under > 0, low + soft * np.exp(-np.maximum(under, 0) / soft), values)
