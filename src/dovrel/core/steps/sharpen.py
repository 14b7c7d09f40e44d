"""Sharpening, a kind of step: fine detail of luma made stronger (unsharp masking), noise left as it is."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import ClassVar, Literal

import numpy as np

from dovrel.core.steps.finish import LARGEST, SMALLEST, Finish, blurred, luma


@dataclass(frozen=True)
class Sharpen(Finish):
    """``x + amount · s(Y − G(Y))`` in all channels alike, so that hues stay.

    Y is luma, G a Gaussian blur. ``s(d) = sign(d) · max(|d| − least, 0)`` leaves out what is smaller than noise
    (soft thresholding, Donoho 1995).

    Attributes
    ----------
    size : standard deviation of the blur, in parts of the picture's width
    amount : how much of the detail is added, 0..4
    least : detail smaller than this is not added, percent of the signal
    """

    size: float = 0.0008
    amount: float = 0.5
    least: float = 0.3
    kind: Literal["sharpen"] = field(default="sharpen", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}
    RANGES: ClassVar = {"size": (SMALLEST, LARGEST), "amount": (0.0, 4.0), "least": (0.0, 10.0)}

    @property
    def is_identity(self) -> bool:
        return self.amount == 0

    def finished(self, display: np.ndarray, frame: int = 0) -> np.ndarray:
        grey = luma(display)
        detail = grey - blurred(grey, self.size)
        strong = np.sign(detail) * np.maximum(np.abs(detail) - self.least / 100, 0)
        return display + self.amount * strong[..., None]
