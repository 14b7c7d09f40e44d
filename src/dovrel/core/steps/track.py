"""A track: where a subject that an area follows is, frame by frame."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from dovrel.core.steps.shapes import Motion

MOST_PLACES = 20_000

Placed = tuple[float, float, float, float]
"""Middle in parts of the picture's width and height, degrees clockwise, size beside that on the frame it was drawn on."""


@dataclass(frozen=True)
class Track:
    """Places of a subject on frames one after another.

    Attributes
    ----------
    drawn : the frame on which what follows it was drawn
    first : the frame of the first place
    places : one for each frame from there on
    aspect : the picture's width by its height

    Raises
    ------
    ValueError
        If there is no place, a number is beyond reason, or the frame drawn on is not among them.
    """

    drawn: int
    first: int
    places: tuple[Placed, ...]
    aspect: float

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if not 0 < len(self.places) <= MOST_PLACES:
            raise ValueError(f"a track has 1 to {MOST_PLACES} places, not {len(self.places)}")
        if not 0 <= self.drawn - self.first < len(self.places) or self.first < 0:
            raise ValueError("a track holds the frame that it was drawn on")
        numbers = np.array(self.places)
        if not np.isfinite(numbers).all() or np.abs(numbers[:, :2]).max() > 3 or numbers[:, 3].min() <= 0:
            raise ValueError("a track's places are finite, near the picture, and of some size")
        if not 0.1 <= self.aspect <= 10:
            raise ValueError("a picture is 0.1 to 10 times as wide as it is high")

    @property
    def last(self) -> int:
        return self.first + len(self.places) - 1

    def motion(self, frame: int) -> Motion:
        """How the subject has moved on a frame since it was drawn; where it was lost it stays as it was last seen."""
        x, y, angle, size = self.places[self.drawn - self.first]
        at = min(max(frame, self.first), self.last) - self.first
        now_x, now_y, now_angle, now_size = self.places[at]
        return Motion(x, y, now_x - x, now_y - y, now_angle - angle, now_size / size)
