"""Noise reduced, a kind of step: along time and within the frame, colour apart from luma."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import ClassVar, Literal, Self

from dovrel.core.steps.plain_numbers import PlainNumbers
from dovrel.core.steps.treatment import Treatment

MOST_FRAMES = 3


@dataclass(frozen=True)
class Denoise(PlainNumbers, Treatment):
    """How far noise is reduced; what is noise is measured in the picture itself.

    Attributes
    ----------
    luma, chroma : how much of the noise that was found is removed, 0..1
    frames : how many frames before and after are looked at, a whole number 0..3
    """

    luma: float = 0.6
    chroma: float = 1.0
    frames: int = 2
    kind: Literal["denoise"] = field(default="denoise", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}
    RANGES: ClassVar = {"luma": (0.0, 1.0), "chroma": (0.0, 1.0), "frames": (0.0, MOST_FRAMES)}

    @property
    def is_identity(self) -> bool:
        return self.luma == self.chroma == 0

    def between(self, other: Self, part: float) -> Self:  # pyrefly: ignore[bad-override]  # Self narrows it
        """`part` (0..1) of the way to another; as many frames as in the nearer."""
        mixed = self.as_array() + part * (other.as_array() - self.as_array())
        return type(self)(float(mixed[0]), float(mixed[1]), (other if part >= 0.5 else self).frames)
