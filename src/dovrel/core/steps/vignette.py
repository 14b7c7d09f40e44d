"""A vignette, a kind of step: the picture darker, or lighter, away from a middle."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import ClassVar, Literal

import numpy as np

from dovrel.core.colour.outputs import GAMMA
from dovrel.core.steps.finish import Finish


@dataclass(frozen=True)
class Vignette(Finish):
    """``x · 2^(stops · s(r) / 2.4)``: stops of the light that the display makes of the signal (BT.1886), in all channels.

    ``r`` is how far a place lies from the middle, 1 at the corners of a picture whose middle it is;
    ``s(r) = t² (3 − 2 t)`` with ``t = (r − begins) / soft``, kept within 0..1.

    Attributes
    ----------
    stops : what is reached at the outside, -4..2
    begins : where it begins; soft : over how much of the way it comes in
    round : 0 where it has the shape of the picture, 1 where it is a circle
    x, y : its middle, in parts of width and height
    """

    stops: float = -0.5
    begins: float = 0.4
    soft: float = 0.7
    round: float = 0.3
    x: float = 0.5
    y: float = 0.5
    kind: Literal["vignette"] = field(default="vignette", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}
    RANGES: ClassVar = {
        "stops": (-4.0, 2.0),
        "begins": (0.0, 1.4),
        "soft": (0.02, 2.0),
        "round": (0.0, 1.0),
        "x": (0.0, 1.0),
        "y": (0.0, 1.0),
    }

    @property
    def is_identity(self) -> bool:
        return self.stops == 0

    def gain(self, height: int, width: int) -> np.ndarray:
        """What the signal is multiplied by at each pixel, float64 (H, W)."""
        dx = ((np.arange(width) + 0.5) / width - self.x)[None, :]
        dy = ((np.arange(height) + 0.5) / height - self.y)[:, None]
        shaped = np.sqrt(2 * (dx * dx + dy * dy))
        circle = 2 * np.sqrt((dx * width) ** 2 + (dy * height) ** 2) / np.hypot(width, height)
        away = shaped + self.round * (circle - shaped)
        part = np.clip((away - self.begins) / self.soft, 0, 1)
        return np.exp2(self.stops / GAMMA * part * part * (3 - 2 * part))

    def finished(self, display: np.ndarray, frame: int = 0) -> np.ndarray:
        return display * self.gain(*display.shape[:2])[..., None]
