"""A run: frames of one shot in order, small, as they were recorded."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np

from dovrel.core.colour import codes
from dovrel.core.colour.working import AP1_LUMA, TOE_WORKING
from dovrel.core.steps.chain import Chain, apply_in_order
from dovrel.errors import Refused

RUN_WIDTH = 480
"""Frames are looked at this wide: enough to follow a face in a wide view, and a hundred of them take a second."""
MOST_FRAMES = 200
"""Of a longer shot only every second, third … frame is looked at."""
SMOOTHED = 5
"""Pixels across which colours are averaged before they are compared."""
_LOCAL = 0.03
"""Sigma of the local mean that structure is seen against, in parts of the width."""
_SOFTENED = 0.8
"""Sigma in pixels that takes a recording's noise down before structure is looked for."""
_FAINT = 0.006
"""Contrast in working values that stays faint: else noise would be seen as structure."""
_DARKEST = TOE_WORKING + 0.02
"""Below, the working space is no logarithm, and a change of light no difference."""
_DARKEST_CODE = int(codes.pack(np.array(_DARKEST)))


@dataclass(frozen=True)
class Frame:
    """One frame.

    Attributes
    ----------
    number : in the clip
    packed : uint16 (H, W, 3), working codes
    clean : bool (H, W), neither clipped nor crushed in the recording
    """

    number: int
    packed: np.ndarray
    clean: np.ndarray

    @cached_property
    def colours(self) -> np.ndarray:
        """Working codes averaged over some pixels, uint16 (H, W, 3): a run of floats would fill the memory."""
        return cv2.blur(self.packed, (SMOOTHED, SMOOTHED))

    @cached_property
    def comparable(self) -> np.ndarray:
        """Where colours can be compared as logarithms of light, bool (H, W): clean around, and not too dark."""
        clean = cv2.erode(self.clean.astype(np.uint8), np.ones((SMOOTHED, SMOOTHED), np.uint8))
        return (clean != 0) & (self.colours.min(axis=-1) > _DARKEST_CODE)

    @cached_property
    def structure(self) -> np.ndarray:
        """What the picture shows, whatever the light, uint8 (H, W): luma against its surroundings, in their own contrast."""
        luma = cv2.GaussianBlur(np.asarray(codes.unpack(self.packed) @ AP1_LUMA, np.float32), (0, 0), _SOFTENED)
        sigma = _LOCAL * luma.shape[1]
        apart = luma - cv2.GaussianBlur(luma, (0, 0), sigma)
        contrast = np.sqrt(cv2.GaussianBlur(np.square(apart), (0, 0), sigma)) + _FAINT
        return np.clip(128 + 48 * apart / contrast, 0, 255).astype(np.uint8)


@dataclass(frozen=True)
class Run:
    """Frames in the order of their numbers; at least one."""

    frames: Sequence[Frame]

    def __len__(self) -> int:
        return len(self.frames)

    @property
    def numbers(self) -> np.ndarray:
        """Of the frames, int (n,)."""
        return np.array([frame.number for frame in self.frames])

    @property
    def size(self) -> tuple[int, int]:
        height, width = self.frames[0].packed.shape[:2]
        return width, height

    def nearest(self, number: int) -> int:
        """The place of the frame that is nearest to a number."""
        return int(np.argmin(np.abs(self.numbers - number)))

    def under(self, chain: Chain) -> Run:
        """The same frames with a chain applied: what a correction's later steps begin with."""
        if all(values.is_identity for values in chain):
            return self
        return Run(
            [
                Frame(frame.number, codes.pack(apply_in_order(codes.unpack(frame.packed), chain)), frame.clean)
                for frame in self.frames
            ]
        )


def numbers_to_look_at(frames: int, first: int = 0, last: int | None = None) -> list[int]:
    """Frames of a clip that a run is made of: all, or evenly some of a long one."""
    end = frames - 1 if last is None else min(last, frames - 1)
    step = max(1, -(-(end - first + 1) // MOST_FRAMES))
    return sorted({*range(first, end + 1, step), end})


def run_of(pictures: Iterable[tuple[int, np.ndarray, np.ndarray]]) -> Run:
    """A run of numbers, working codes uint16 (H, W, 3) and flags uint8 (H, W) of what the recording clipped or crushed.

    Raises
    ------
    Refused
        If there is no frame.
    """
    frames = [Frame(number, packed, flags == 0) for number, packed, flags in pictures]
    if not frames:
        raise Refused("there is no frame to look at")
    return Run(frames)
