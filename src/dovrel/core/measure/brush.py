"""Brushes: ranges marked on scopes, and the pixels that lie in all of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.measure.signals import chroma_codes, luma_codes

Signal = Literal["red", "green", "blue", "luma"]
_CHANNEL = {"red": 0, "green": 1, "blue": 2}


@dataclass(frozen=True)
class LevelBrush:
    """A range of one signal's level in percent, over part of the picture's width."""

    signal: Signal
    low: float
    high: float
    left: float = 0.0
    right: float = 1.0


@dataclass(frozen=True)
class PlaneBrush:
    """A rectangle on the vectorscope: Cb and Cr in percent, from -62.5 to 62.5."""

    cb: tuple[float, float]
    cr: tuple[float, float]


Brush = LevelBrush | PlaneBrush


def brushed(display: np.ndarray, brushes: Sequence[Brush], within: np.ndarray | None = None) -> np.ndarray:
    """Pixels that lie in every brush.

    Parameters
    ----------
    display : uint16 (3, H, W), display codes
    within : uint8 (H, W), a mask they must lie in too

    Returns
    -------
    uint8 (H, W)
    """
    height, width = display.shape[1:]
    inside = np.ones((height, width), bool) if within is None else within.astype(bool)
    for brush in brushes:
        if isinstance(brush, LevelBrush):
            signal = luma_codes(display) if brush.signal == "luma" else display[_CHANNEL[brush.signal]]
            low, high = codes.encode_signal(np.array([brush.low, brush.high]) / 100)
            inside &= (signal >= low) & (signal <= high)
            columns = (np.arange(width) + 0.5) / width
            inside &= (columns >= brush.left) & (columns <= brush.right)
        else:
            cb, cr = chroma_codes(display)
            for plane, (low, high) in ((cb, brush.cb), (cr, brush.cr)):
                inside &= (plane >= low / 100 * codes.SIGNAL_SCALE) & (plane <= high / 100 * codes.SIGNAL_SCALE)
    return inside.astype(np.uint8)
