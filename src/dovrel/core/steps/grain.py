"""Grain, a kind of step: fine noise as film has it, another on each frame and always the same on one.

A field of it is made once, as Gaussian noise blurred to the size of a grain, whose ends join on all sides. Each frame takes a
piece of it from a place, and mirrored in a way, that its number alone decides. The field has 1920 columns to a
picture's width: a preview has the means of its pixels, as it would have if the full frame were made smaller.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache
from typing import ClassVar, Literal

import cv2
import numpy as np

from dovrel.core.steps.finish import Finish, luma

COLUMNS = 1920
"""Of the field, to a picture's width."""
_TO_SIGMA = 1 / (2 * np.sqrt(2 * np.log(2)))
"""A Gaussian's standard deviation for a full width at half its height of 1."""


@dataclass(frozen=True)
class Grain(Finish):
    """``x + a(Y) · n``: n is noise of mean 0 and deviation 1 in the field, a what it is at a luma.

    Attributes
    ----------
    size : how wide a grain is at half its height, in parts of the picture's width
    lows, mids, highs : how strong it is at black, half and white, as a deviation in percent of the signal; between them in proportion
    colour : how far red, green and blue have grains of their own, 0..1
    """

    size: float = 0.0009
    lows: float = 0.8
    mids: float = 2.0
    highs: float = 0.8
    colour: float = 0.3
    kind: Literal["grain"] = field(default="grain", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}
    RANGES: ClassVar = {
        "size": (0.0003, 0.006),
        "lows": (0.0, 15.0),
        "mids": (0.0, 15.0),
        "highs": (0.0, 15.0),
        "colour": (0.0, 1.0),
    }

    @property
    def is_identity(self) -> bool:
        return self.lows == self.mids == self.highs == 0

    @property
    def strengths(self) -> tuple[float, float, float]:
        """Deviations at a luma of 0, 0.5 and 1, in parts of the signal."""
        return self.lows / 100, self.mids / 100, self.highs / 100

    @property
    def shares(self) -> tuple[float, float]:
        """How much of a channel's noise all three share, and how much is its own; their squares add up to 1."""
        length = np.hypot(1 - self.colour, self.colour)
        return float((1 - self.colour) / length), float(self.colour / length)

    def pieces(self, frame: int, height: int, width: int) -> np.ndarray:
        """The noise on a frame, float32: (1, H, W), or (4, H, W), what channels share and then each one's own."""
        return np.stack([_piece(self.size, frame, place, height, width) for place in range(4 if self.colour else 1)])

    def finished(self, display: np.ndarray, frame: int = 0) -> np.ndarray:
        strength = np.interp(luma(display), (0.0, 0.5, 1.0), self.strengths)[..., None]
        pieces = self.pieces(frame, *display.shape[:2]).astype(np.float64)
        noise, shares = pieces[0][..., None], self.shares
        if self.colour:
            noise = shares[0] * noise + shares[1] * np.moveaxis(pieces[1:], 0, -1)
        return display + strength * noise


@lru_cache(maxsize=1)
def _white() -> np.ndarray:
    """Gaussian noise float32, as high as wide."""
    return np.random.default_rng(1895).standard_normal((COLUMNS, COLUMNS), np.float32)


@lru_cache(maxsize=2)
def _field(size: float) -> np.ndarray:
    """Noise of mean 0 and deviation 1, its grains as wide as `size` of the picture's width; ends join."""
    from scipy import ndimage  # here, since it takes long to load

    made = ndimage.gaussian_filter(_white(), size * COLUMNS * _TO_SIGMA, mode="wrap", truncate=4.0)
    return (made - made.mean()) / made.std()


_APART = 12
"""Pieces begin at multiples of this, so that a half, a third, a quarter and a sixth of the field's columns are means of whole ones."""
_PLACES = (COLUMNS // _APART) ** 2
_TURNS = 4 * _PLACES
"""So many frames have pieces of their own: an hour and eleven minutes at 24 a second."""
_STRIDE = 0x9E37
"""Odd, and no multiple of 3 or 5, so that no two of these frames have one piece."""


@lru_cache(maxsize=8)
def _scaled(size: float, times: int) -> np.ndarray:
    """The field with each square of `times` × `times` as its mean."""
    if times == 1:
        return _field(size)
    side = COLUMNS // times
    return _field(size).reshape(side, times, side, times).mean(axis=(1, 3), dtype=np.float32)


@lru_cache(maxsize=8)
def _piece(size: float, frame: int, place: int, height: int, width: int) -> np.ndarray:
    """A frame's piece of the field, float32 (H, W); `place` tells several of one frame apart."""
    chosen = (frame * _STRIDE + place * 7919) % _TURNS
    mirrored, at = divmod(chosen, _PLACES)
    top, left = (_APART * n for n in divmod(at, COLUMNS // _APART))
    rows = max(1, round(COLUMNS * height / width))
    times = next((n for n in (1, 2, 3, 4, 6) if n * width == COLUMNS and rows == n * height), 0)
    made = _scaled(size, times or 1)[:: -1 if mirrored & 1 else 1, :: -1 if mirrored & 2 else 1]
    if times:
        return _wrapped(_wrapped(made, top // times, height, 0), left // times, width, 1)
    cut = _wrapped(_wrapped(made, top, rows, 0), left, COLUMNS, 1)
    return cv2.resize(cut, (width, height), interpolation=cv2.INTER_AREA if width < COLUMNS else cv2.INTER_CUBIC)


def _wrapped(field: np.ndarray, first: int, length: int, axis: int) -> np.ndarray:
    """A stretch of a field whose ends join, from `first` on."""
    parts, at, left = [], first, length
    while left > 0:
        stretch = min(left, field.shape[axis] - at)
        parts.append(field[at : at + stretch] if axis == 0 else field[:, at : at + stretch])
        at, left = 0, left - stretch
    return parts[0] if len(parts) == 1 else np.concatenate(parts, axis)
