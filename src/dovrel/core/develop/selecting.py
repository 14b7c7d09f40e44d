"""Selections as the kernels take them: how far colours belong to a pick, and both sides brought together; lock released."""

from __future__ import annotations

import numpy as np

from dovrel.core.develop.plane import HALF, LB, LG, LR, SIXTH, TWO_SIXTHS, smooth
from dovrel.core.steps.pick import LEVEL_WEIGHT, SOFT_DEPTH, SOFT_HUE, SOFT_LEVEL
from dovrel.machine.kernels import njit

PICK, AREA, ELSEWHERE, TOGETHER = range(10, 14)
"""Stages: a selection by colour or by place begins, goes on with what is done elsewhere, and brings both together."""

_FAR = np.float32(1e9)
_LEVEL_WEIGHT = np.float32(LEVEL_WEIGHT)
_SOFT_LEVEL, _SOFT_DEPTH, _SOFT_HUE = np.float32(SOFT_LEVEL), np.float32(SOFT_DEPTH), np.float32(SOFT_HUE)
_TO_DEGREES = np.float32(180 / np.pi)


@njit(nogil=True, cache=True, fastmath=True)
def _nearest(values, samples, first, count, nearest):
    """How far pixels are from the nearest of some samples, squared: one sample over all pixels, then the next."""
    nearest[:] = _FAR
    for at in range(first, first + count):
        x0, y0, level0 = samples[at, 0], samples[at, 1], samples[at, 2]
        ux, uy, along_by, across_by = samples[at, 3], samples[at, 4], samples[at, 5], samples[at, 6]
        for n in range(values.shape[0]):
            r, g, b = values[n, 0], values[n, 1], values[n, 2]
            x, y = TWO_SIXTHS * r - SIXTH * (g + b) - x0, HALF * (g - b) - y0
            along, across = along_by * (ux * x + uy * y), across_by * (ux * y - uy * x)
            away = _LEVEL_WEIGHT * (LR * r + LG * g + LB * b - level0)
            nearest[n] = min(nearest[n], along * along + across * across + away * away)


@njit(nogil=True, cache=True, fastmath=True)
def _picked(values, place, numbers, samples, times, share):
    """How far pixels belong to a pick, at so many times its reach: see :mod:`dovrel.core.steps.pick`.

    Numbers: its first sample, how many are taken and left, reach, softness, ends of levels and depths, middle and half of hues.
    """
    first, taken, left = int(numbers[place, 0]), int(numbers[place, 1]), int(numbers[place, 2])
    reach, soft = numbers[place, 3] * times, numbers[place, 4] * times
    out = np.empty(share.shape[0] if left > 0 else 0, np.float32)
    _nearest(values, samples, first, taken, share)
    half, one, by = np.float32(0.5), np.float32(1), np.float32(1) / soft
    if left > 0:
        _nearest(values, samples, first + taken, left, out)
        for n in range(share.shape[0]):
            near = np.sqrt(share[n])
            beside = smooth(half + (np.sqrt(out[n]) - near) * (half * by))
            share[n] = smooth(one + (reach - near) * by) * beside
    else:
        for n in range(share.shape[0]):
            share[n] = smooth(one + (reach - np.sqrt(share[n])) * by)
    if numbers[place, 5] > -_UNBOUND or numbers[place, 7] > -_UNBOUND or numbers[place, 10] < np.float32(180):
        _kept_to_ranges(values, place, numbers, share)


@njit(nogil=True, cache=True, fastmath=True)
def _kept_to_ranges(values, place, numbers, share):
    half = np.float32(0.5)
    for n in range(share.shape[0]):
        r, g, b = values[n, 0], values[n, 1], values[n, 2]
        level = LR * r + LG * g + LB * b
        x, y = TWO_SIXTHS * r - SIXTH * (g + b), HALF * (g - b)
        depth = np.sqrt(x * x + y * y)
        kept = smooth(half + (level - numbers[place, 5]) / _SOFT_LEVEL)
        kept *= smooth(half + (numbers[place, 6] - level) / _SOFT_LEVEL)
        kept *= smooth(half + (depth - numbers[place, 7]) / _SOFT_DEPTH)
        kept *= smooth(half + (numbers[place, 8] - depth) / _SOFT_DEPTH)
        if numbers[place, 10] < np.float32(180):
            away = (np.arctan2(y, x) * _TO_DEGREES - numbers[place, 9]) * np.float32(1 / 360)
            away = np.abs(away - np.round(away)) * np.float32(360)
            kept *= smooth(half + (numbers[place, 10] - away) / _SOFT_HUE)
        share[n] *= kept


_UNBOUND = np.float32(100)
"""Ends of ranges beyond this keep everything."""


@njit(nogil=True, cache=True, fastmath=True)
def shares_in(values, stage, place, numbers, samples, masks, first, share):
    """How far pixels belong to a selection; the most of any."""
    most = np.float32(0)
    if stage == PICK:
        _picked(values, place, numbers, samples, np.float32(1), share)
    elif masks.shape[1] > 0:
        mask = int(numbers[place, 0])
        share[:] = masks[mask, first : first + share.shape[0]]
    else:
        return most
    for n in range(share.shape[0]):
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
    share, bound = np.empty(values.shape[0], np.float32), np.empty(values.shape[0], np.float32)
    _picked(values, place, numbers, samples, np.float32(1), share)
    _picked(values, place, numbers, samples, np.float32(2), bound)
    for n in range(values.shape[0]):
        values[n, 0], values[n, 1], values[n, 2] = share[n], max(share[n], bound[n]), np.float32(0)
