"""A picture at the size at which it is compared, before its balance."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from dovrel.core.colour.working import from_linear, to_linear
from dovrel.errors import Refused

WORK_WIDTH = 640
"""Pictures are matched at about this width."""


@dataclass(frozen=True)
class Side:
    """A picture at work size, before its balance.

    Attributes
    ----------
    light : float32 (H, W, 3), linear AP1. Means are taken of it: light adds up, its logarithms
        do not, so a mean of working values sinks with every sharp dark letter on the paper
    working, recorded : float32 (H, W, 3); a reference's recording is not looked at
    metered : bool (H, W), the pixels that count
    finished : whether the source is display-referred
    """

    light: np.ndarray
    working: np.ndarray
    recorded: np.ndarray
    metered: np.ndarray
    finished: bool = False


def side_of(working: np.ndarray, recorded: np.ndarray, mask: np.ndarray | None, *, finished: bool = False) -> Side:
    light = to_work_size(to_linear(working.astype(np.float32)))
    height, width = light.shape[:2]
    if mask is None:
        metered = np.ones((height, width), bool)
    else:
        metered = cv2.resize(mask, (width, height), interpolation=cv2.INTER_NEAREST) != 0
    if not metered.any():
        raise Refused("nothing was measured: the meter holds no pixels")
    return Side(light, from_linear(light), to_work_size(recorded), metered, finished)


def to_work_size(image: np.ndarray, width: int = WORK_WIDTH) -> np.ndarray:
    """An image (H, W, C) at most `width` wide, by area means; float32."""
    if image.shape[1] <= width:
        return np.ascontiguousarray(image, np.float32)
    size = (width, max(2, round(image.shape[0] * width / image.shape[1])))
    return cv2.resize(np.ascontiguousarray(image, np.float32), size, interpolation=cv2.INTER_AREA)
