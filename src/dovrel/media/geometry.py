"""How a recorded picture is to be seen: upright, with pixels as wide as high, without its bars."""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

Box = tuple[float, float, float, float]
"""Left, top, right and bottom, in parts of the upright picture's width and height."""
WHOLE: Box = (0.0, 0.0, 1.0, 1.0)
_HAIR = 1e-6


@dataclass(frozen=True)
class Fitting:
    """What a picture is scaled to before it is turned, and which pixels of it are kept after that.

    Attributes
    ----------
    scaled : (width, height), as the picture lies in the file
    box : left, top, right, bottom in pixels of the scaled picture once it is upright
    """

    scaled: tuple[int, int]
    box: tuple[int, int, int, int]

    @property
    def size(self) -> tuple[int, int]:
        left, top, right, bottom = self.box
        return right - left, bottom - top


@dataclass(frozen=True)
class Geometry:
    """
    Attributes
    ----------
    coded : (width, height) of the stored samples
    aspect : a sample's width to its height
    turn : clockwise turn in degrees (0, 90, 180, 270) that makes the picture stand upright
    active : the part that holds picture; the rest are bars
    """

    coded: tuple[int, int]
    aspect: Fraction = Fraction(1)
    turn: int = 0
    active: Box = WHOLE

    @property
    def is_plain(self) -> bool:
        return self.aspect == 1 and self.turn == 0 and self.active == WHOLE

    @property
    def upright(self) -> tuple[int, int]:
        """(width, height) of the whole picture, turned and with square pixels."""
        width, height = max(2, round(self.coded[0] * self.aspect)), self.coded[1]
        return (height, width) if self.turn % 180 else (width, height)

    @property
    def size(self) -> tuple[int, int]:
        """(width, height) of what is seen."""
        return self.within(None).size

    def within(self, width: int | None) -> Fitting:
        """How to make the picture at most `width` pixels wide."""
        whole, box = self._whole()
        seen = box[2] - box[0], box[3] - box[1]
        if width is None or width >= seen[0]:
            return Fitting(self._as_stored(whole), box)
        height = max(2, round(seen[1] * width / seen[0]))
        scaled = max(width, round(whole[0] * width / seen[0])), max(height, round(whole[1] * width / seen[0]))
        left = min(math.ceil(self.active[0] * scaled[0] - _HAIR), scaled[0] - width)
        top = min(math.ceil(self.active[1] * scaled[1] - _HAIR), scaled[1] - height)
        return Fitting(self._as_stored(scaled), (left, top, left + width, top + height))

    def _whole(self) -> tuple[tuple[int, int], tuple[int, int, int, int]]:
        width, height = self.upright
        left, right = _inside(self.active[0], self.active[2], width)
        top, bottom = _inside(self.active[1], self.active[3], height)
        return (width, height), (left, top, right, bottom)

    def _as_stored(self, size: tuple[int, int]) -> tuple[int, int]:
        return (size[1], size[0]) if self.turn % 180 else size

    def cut_to(self, aspect: float) -> Geometry:
        """The same picture, cut about its middle to a ratio of width to height."""
        width, height = self.size
        left, top, right, bottom = self.active
        if width / height > aspect:
            spare = (right - left) * (1 - aspect * height / width) / 2
            left, right = left + spare, right - spare
        else:
            spare = (bottom - top) * (1 - width / aspect / height) / 2
            top, bottom = top + spare, bottom - spare
        return Geometry(self.coded, self.aspect, self.turn, (left, top, right, bottom))


def _inside(low: float, high: float, size: int) -> tuple[int, int]:
    """The whole pixels between two places, two at least."""
    first = min(math.ceil(low * size - _HAIR), size - 2)
    return first, max(first + 2, min(math.floor(high * size + _HAIR), size))


def seen(picture: np.ndarray, turn: int, box: tuple[int, int, int, int]) -> np.ndarray:
    """A scaled picture (H, W, ...) turned upright, and of it the pixels in `box`."""
    upright = np.rot90(picture, -(turn // 90)) if turn else picture
    left, top, right, bottom = box
    return np.ascontiguousarray(upright[top:bottom, left:right])
