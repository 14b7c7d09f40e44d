"""Halation, a kind of step: a glow around what is bright, as light that a film's base sends back through its layers."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import ClassVar, Literal

import numpy as np

from dovrel.core.steps.finish import LARGEST, SMALLEST, Finish, blurred, luma


@dataclass(frozen=True)
class Halation(Finish):
    """``x + amount · tint · G(e) · (1 − x)`` below white, where ``e = max(Y − begins, 0) / (1 − begins)`` up to 1.

    The base sends back most to the layer that lies next to it, which is red's; so green and blue glow less.

    Attributes
    ----------
    size : standard deviation of the blur, in parts of the picture's width
    amount : how strong the glow is in red, 0..2
    begins : the luma from which on something glows, percent
    green, blue : how much of the glow they have, 0..1
    """

    size: float = 0.008
    amount: float = 0.3
    begins: float = 75.0
    green: float = 0.35
    blue: float = 0.1
    kind: Literal["halation"] = field(default="halation", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}
    RANGES: ClassVar = {
        "size": (SMALLEST, LARGEST),
        "amount": (0.0, 2.0),
        "begins": (10.0, 99.0),
        "green": (0.0, 1.0),
        "blue": (0.0, 1.0),
    }

    @property
    def is_identity(self) -> bool:
        return self.amount == 0

    @property
    def tint(self) -> tuple[float, float, float]:
        """How strong the glow is in each channel."""
        return self.amount, self.amount * self.green, self.amount * self.blue

    def finished(self, display: np.ndarray, frame: int = 0) -> np.ndarray:
        begins = self.begins / 100
        glow = blurred(np.clip((luma(display) - begins) / (1 - begins), 0, 1), self.size)
        return display + glow[..., None] * self.tint * np.maximum(1 - display, 0)
