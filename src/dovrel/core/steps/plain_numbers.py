"""What kinds of steps share that are a few numbers, each within a range of its own."""

from __future__ import annotations

from typing import ClassVar, Self

import numpy as np

from dovrel.errors import Refused


class PlainNumbers:
    """A kind whose numbers are named in `RANGES`, in order.

    Raises
    ------
    ValueError
        On being made, if a number is not finite or lies beyond its range; it names the number and the range.
    """

    RANGES: ClassVar[dict[str, tuple[float, float]]]

    def __post_init__(self) -> None:
        for name, (low, high) in self.RANGES.items():
            value = getattr(self, name)
            if not low <= value <= high:  # NaN lies within nothing.
                raise Refused(f"“{name}” lies between {low:g} and {high:g}, not at {value:g}")

    def as_array(self) -> np.ndarray:
        """The numbers in order, float64."""
        return np.array([getattr(self, name) for name in self.RANGES], np.float64)

    def between(self, other: Self, part: float) -> Self:
        """`part` (0..1) of the way to another, number by number."""
        mixed = self.as_array() + part * (other.as_array() - self.as_array())
        return type(self)(**{name: float(value) for name, value in zip(self.RANGES, mixed, strict=True)})
