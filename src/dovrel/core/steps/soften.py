"""Softening, a kind of step: fine detail taken back."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import ClassVar, Literal

import numpy as np

from dovrel.core.steps.finish import LARGEST, SMALLEST, Finish, blurred


@dataclass(frozen=True)
class Soften(Finish):
    """``x + amount · (G(x) − x)``, where G is a Gaussian blur.

    Attributes
    ----------
    size : standard deviation of the blur, in parts of the picture's width
    amount : how much of the picture is the blurred one, 0..1
    """

    size: float = 0.001
    amount: float = 0.5
    kind: Literal["soften"] = field(default="soften", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}
    RANGES: ClassVar = {"size": (SMALLEST, LARGEST), "amount": (0.0, 1.0)}

    @property
    def is_identity(self) -> bool:
        return self.amount == 0

    def finished(self, display: np.ndarray, frame: int = 0) -> np.ndarray:
        return display + self.amount * (blurred(display, self.size) - display)
