"""The part of a picture that holds picture: where black bars lie above and below it, or beside it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

BLACK_AT = 0.04
"""Recorded level that nothing in a bar goes above; log recordings keep their blacks above it."""
EVEN_WITHIN = 0.012
"""How far a bar's levels may lie apart."""
SEEN_AT = 0.03
"""How much brighter the picture's first lines must be than the bar, in some frame, over :data:`SEEN_OVER` of their length."""
SEEN_OVER = 0.3
SMALLEST = 0.015
"""Parts of the picture; a smaller bar is none."""
ALIKE_WITHIN = 0.02
"""Two bars that differ by more are none: they come in pairs."""
LARGEST = 0.35
EDGE = 0.03
"""Parts of the picture within which it must begin behind a bar's black lines."""

Box = tuple[float, float, float, float]


def active_picture(frames: Sequence[np.ndarray]) -> Box | None:
    """Where the picture lies between bars.

    Parameters
    ----------
    frames : float arrays (H, W, 3) of one size, recorded code values of frames from all over a clip

    Returns
    -------
    left, top, right, bottom in parts of width and height; None where there are no bars: none that
    are black and even in every frame, end at a straight line where picture begins, and come in pairs.
    """
    # The highest channel, channel by channel: many times faster than along an axis of three.
    levels = np.stack([np.maximum(np.maximum(f[..., 0], f[..., 1]), f[..., 2]) for f in frames])
    top, bottom = _pair(levels)
    left, right = _pair(levels.transpose(0, 2, 1))
    if (top, bottom, left, right) == (0.0, 0.0, 0.0, 0.0):
        return None
    return left, top, 1 - right, 1 - bottom


def _pair(levels: np.ndarray) -> tuple[float, float]:
    """Bars at the start and the end of the second axis, in parts of its length; none unless both are there."""
    length = levels.shape[1]
    lowest, highest = np.quantile(levels, (0.005, 0.995), axis=2)
    first = _bar(levels, lowest, highest) / length
    last = _bar(levels[:, ::-1], lowest[:, ::-1], highest[:, ::-1]) / length
    if min(first, last) < SMALLEST or max(first, last) > LARGEST or abs(first - last) > ALIKE_WITHIN:
        return 0.0, 0.0
    return first, last


def _bar(levels: np.ndarray, lowest: np.ndarray, highest: np.ndarray) -> int:
    """Lines from the start that are black and even in every frame, if picture is seen to begin behind them.

    `lowest` and `highest` are robust levels of each line, (frames, lines).
    """
    black = (highest <= BLACK_AT).all(axis=0) & (np.ptp(highest, axis=0) <= EVEN_WITHIN)
    black &= (highest - lowest <= EVEN_WITHIN).all(axis=0)
    count = int(np.argmin(black)) if not black.all() else len(black)
    if count in (0, len(black)):
        return 0
    # Compression carries picture into the bar's last lines; those, and a line that is part bar, go with the bar.
    edge = levels[:, count : count + 2 + round(EDGE * len(black))]
    seen = edge > np.median(levels[:, :count], axis=(1, 2))[:, None, None] + SEEN_AT
    begins = (seen.mean(axis=2) >= SEEN_OVER).any(axis=0)
    return count + int(np.argmax(begins)) + 1 if begins.any() else 0
