"""Selections as the kernels take them: how far colours belong to a pick, and both sides brought together; lock released."""

from __future__ import annotations

import numpy as np
from numba import njit

from dovrel.core.develop.plane import HALF, LB, LG, LR, SIXTH, TWO_SIXTHS, smooth
from dovrel.core.steps.pick import LEVEL_WEIGHT, SOFT_DEPTH, SOFT_HUE, SOFT_LEVEL

PICK, AREA, ELSEWHERE, TOGETHER = range(5, 9)
"""Stages: a selection by colour or by place begins, goes on with what is done elsewhere, and brings both together."""

_FAR = np.float32(1e9)
_LEVEL_WEIGHT = np.float32(LEVEL_WEIGHT)
_SOFT_LEVEL, _SOFT_DEPTH, _SOFT_HUE = np.float32(SOFT_LEVEL), np.float32(SOFT_DEPTH), np.float32(SOFT_HUE)
_TO_DEGREES = np.float32(180 / np.pi)


@njit(inline="always")
def _nearest(x, y, level, samples, first, count):
    nearest = _FAR
    for n in range(first, first + count):
        across_x, across_y = x - samples[n, 0], y - samples[n, 1]
        along = samples[n, 5] * (samples[n, 3] * across_x + samples[n, 4] * across_y)
        across = samples[n, 6] * (samples[n, 3] * across_y - samples[n, 4] * across_x)
        away = _LEVEL_WEIGHT * (level - samples[n, 2])
        nearest = min(nearest, along * along + across * across + away * away)
    return np.sqrt(nearest)


@njit(inline="always")
def _picked(r, g, b, place, numbers, samples, times):
    """How far a colour belongs to a pick, at so many times its reach: see :mod:`dovrel.core.steps.pick`.

    Numbers: its first sample, how many are taken and left, reach, softness, ends of levels and depths, middle and half of hues.
    """
    level = LR * r + LG * g + LB * b
    x, y = TWO_SIXTHS * r - SIXTH * (g + b), HALF * (g - b)
    first, taken, left = int(numbers[place, 0]), int(numbers[place, 1]), int(numbers[place, 2])
    soft = numbers[place, 4] * times
    near = _nearest(x, y, level, samples, first, taken)
    share = smooth((numbers[place, 3] * times + soft - near) / soft)
    if share == np.float32(0):
        return share
    if left:
        out = _nearest(x, y, level, samples, first + taken, left)
        share *= smooth(np.float32(0.5) + (out - near) / (np.float32(2) * soft))
    half = np.float32(0.5)
    share *= smooth(half + (level - numbers[place, 5]) / _SOFT_LEVEL)
    share *= smooth(half + (numbers[place, 6] - level) / _SOFT_LEVEL)
    depth = np.sqrt(x * x + y * y)
    share *= smooth(half + (depth - numbers[place, 7]) / _SOFT_DEPTH)
    share *= smooth(half + (numbers[place, 8] - depth) / _SOFT_DEPTH)
    if numbers[place, 10] < np.float32(180):
        away = (np.arctan2(y, x) * _TO_DEGREES - numbers[place, 9]) * np.float32(1 / 360)
        away = np.abs(away - np.round(away)) * np.float32(360)
        share *= smooth(half + (numbers[place, 10] - away) / _SOFT_HUE)
    return share


@njit(nogil=True, cache=True, fastmath=True)
def shares_in(values, stage, place, numbers, samples, masks, first, share):
    """How far pixels belong to a selection; the most of any."""
    most = np.float32(0)
    if stage == PICK:
        for n in range(values.shape[0]):
            share[n] = _picked(values[n, 0], values[n, 1], values[n, 2], place, numbers, samples, np.float32(1))
            most = max(most, share[n])
    elif masks.shape[1] > 0:
        mask = int(numbers[place, 0])
        for n in range(values.shape[0]):
            share[n] = masks[mask, first + n]
            most = max(most, share[n])
    return most


@njit(nogil=True, cache=True, fastmath=True)
def brought_back(values, before, share):
    """Brought together where nothing is done elsewhere."""
    for n in range(values.shape[0]):
        for channel in range(3):
            values[n, channel] = before[n, channel] + share[n] * (values[n, channel] - before[n, channel])


@njit(nogil=True, cache=True, fastmath=True)
def brought_together(values, there, share):
    for n in range(values.shape[0]):
        for channel in range(3):
            values[n, channel] += share[n] * (there[n, channel] - values[n, channel])


@njit(nogil=True, cache=True, fastmath=True)
def matte_of(values, place, numbers, samples):
    """In the place of colours, how far they belong to a pick, and how far at twice its reach."""
    for n in range(values.shape[0]):
        r, g, b = values[n, 0], values[n, 1], values[n, 2]
        share = _picked(r, g, b, place, numbers, samples, np.float32(1))
        values[n, 0] = share
        values[n, 1] = max(share, _picked(r, g, b, place, numbers, samples, np.float32(2)))
        values[n, 2] = np.float32(0)
