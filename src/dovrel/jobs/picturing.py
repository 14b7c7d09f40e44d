"""How rendered pictures are made of developed frames: cut to a shape, made smaller, with words burnt in."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import cv2
import numpy as np
import opentimelineio as otio

from dovrel.core.colour import codes
from dovrel.errors import Refused
from dovrel.formats.edit_list import frames_of_timecode

LETTERS = 0.03
"""How high capitals are, in parts of the picture's height."""
_WHITE = 0.8
_BEHIND = 0.35
"""How much of the picture is left behind letters."""
_FONT = cv2.FONT_HERSHEY_DUPLEX
_CAPITALS = 22
"""Pixels of that font's capitals at scale 1."""


@dataclass(frozen=True)
class Pictures:
    """How rendered pictures are to look.

    Attributes
    ----------
    width : of the pictures, if they are to be smaller
    aspect : width by height that they are cut to about their middle, if they are to be
    burnt : words that stand in the lower left corner, with the timecode in the lower right one; nothing stands there if None
    first : the number of the first still of a sequence; by its timecode, in frames since midnight, if None

    Raises
    ------
    Refused
        If the shape is beyond reason.
    """

    width: int | None = None
    aspect: float | None = None
    burnt: str | None = None
    first: int | None = None

    def __post_init__(self) -> None:
        if self.aspect is not None and not 0.2 <= self.aspect <= 5:
            raise Refused(f"pictures are 0.2 to 5 times as wide as high, not {self.aspect:g} times")

    def cut(self, size: tuple[int, int]) -> tuple[slice, slice]:
        """The rows and columns of a frame of this width and height that are shown."""
        width, height = size
        if self.aspect is None:
            return slice(0, height), slice(0, width)
        rows = min(round(width / self.aspect), height)
        columns = min(round(height * self.aspect), width)
        top, left = (height - rows) // 2, (width - columns) // 2
        return slice(top, top + rows), slice(left, left + columns)

    def size(self, size: tuple[int, int]) -> tuple[int, int]:
        """Width and height, both even, of the pictures of frames of this size."""
        rows, columns = self.cut(size)
        width, height = columns.stop - columns.start, rows.stop - rows.start
        if self.width is None or self.width >= width:
            return width // 2 * 2, height // 2 * 2
        return self.width // 2 * 2, max(round(height * self.width / width / 2) * 2, 2)

    def made(self, frame: np.ndarray, timecode: str) -> np.ndarray:
        """The picture of a developed frame, display codes uint16 or light float32 (3, H, W); the frame is left as it is."""
        width, height = self.size((frame.shape[2], frame.shape[1]))
        rows, columns = self.cut((frame.shape[2], frame.shape[1]))
        shown = frame[:, rows, columns]
        if shown.shape[2] // 2 * 2 == width:
            shown = shown[:, :height, :width]
        else:
            planes = [
                cv2.resize(np.ascontiguousarray(plane), (width, height), interpolation=cv2.INTER_AREA)
                for plane in shown
            ]
            shown = np.stack([np.asarray(plane, frame.dtype) for plane in planes])
        return shown if self.burnt is None else _with_words(shown, self.burnt, timecode)


def number_at(begins: str, rate: Fraction) -> int:
    """The number of a clip's first still by its timecode: frames since midnight; 1 without a timecode."""
    return frames_of_timecode(begins, rate) if begins else 1


def timecode_at(begins: str, rate: Fraction, frame: int) -> str:
    """The timecode of a clip's frame; of one without a timecode its number."""
    if not begins:
        return str(frame + 1)
    nominal = round(rate)
    drops = ";" in begins and nominal % 30 == 0
    at = float(Fraction(nominal * 1000, 1001)) if drops else float(nominal)
    time = otio.opentime.RationalTime(frames_of_timecode(begins, rate) + frame, at)
    return otio.opentime.to_timecode(time, at, drop_frame=drops)


def _with_words(shown: np.ndarray, left: str, right: str) -> np.ndarray:
    """A picture with words in its lower corners, in front of a darker ground."""
    _, height, width = shown.shape
    in_codes = shown.dtype == np.uint16
    black, white = (codes.BLACK_CODE, codes.WHITE_CODE) if in_codes else (0.0, 1.0)
    lettered = black + _WHITE * (white - black)
    scale = LETTERS * height / _CAPITALS
    burnt = np.array(shown)
    margin = max(round(LETTERS * height), 2)
    for words, at_right in ((left, False), (right, True)):
        if not words:
            continue
        (across, up), below = cv2.getTextSize(words, _FONT, scale, 1)
        across = min(across, width - 2 * margin)
        x, y = (width - margin - across if at_right else margin), height - margin - below
        letters = np.zeros((height, width), np.uint8)
        cv2.putText(letters, words, (x, y), _FONT, scale, 255, 1, cv2.LINE_AA)
        top, foot = max(y - up - below, 0), min(y + 2 * below, height)
        ground = slice(top, foot), slice(max(x - below, 0), min(x + across + below, width))
        share = letters[ground].astype(np.float32) / 255
        for plane in burnt:
            darker = black + _BEHIND * (plane[ground].astype(np.float32) - black)
            mixed = darker + share * (lettered - darker)
            plane[ground] = np.clip(mixed + 0.5, 0, 65535) if in_codes else mixed
    return burnt
