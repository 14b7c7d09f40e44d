"""Curves by table with a saturation, as the kernels take them; lock released."""

from __future__ import annotations

import numpy as np

from dovrel.machine.kernels import njit

CURVE_SIZE = 2048
CURVE_LOW = -0.5
CURVE_SPAN = 2.5
CURVE_AXIS = np.linspace(CURVE_LOW, CURVE_LOW + CURVE_SPAN, CURVE_SIZE)
CURVE_STEP = np.float32((CURVE_SIZE - 1) / CURVE_SPAN)


@njit(inline="always")
def _along_curve(value, curves, place, channel):
    # By places: a view of an array in a loop would be counted in and out at each pixel.
    position = min(max((value - np.float32(CURVE_LOW)) * CURVE_STEP, np.float32(0)), np.float32(CURVE_SIZE - 1.001))
    index = np.uint32(position)
    low = curves[place, channel, index]
    return low + (position - np.float32(index)) * (curves[place, channel, np.uint32(index + np.uint32(1))] - low)


@njit(inline="always")
def _curved(r, g, b, place, curves, saturations):
    """A colour through curves by table, saturation about Rec.709 luma."""
    saturation = saturations[place]
    r = _along_curve(r, curves, place, 0)
    g = _along_curve(g, curves, place, 1)
    b = _along_curve(b, curves, place, 2)
    luma = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
    return luma + saturation * (r - luma), luma + saturation * (g - luma), luma + saturation * (b - luma)


@njit(nogil=True, cache=True, fastmath=True)
def through_curves(values, place, curves, saturations):
    """Working values float32 (N, 3) in place."""
    for n in range(values.shape[0]):
        values[n, 0], values[n, 1], values[n, 2] = _curved(
            values[n, 0], values[n, 1], values[n, 2], place, curves, saturations
        )


@njit(nogil=True, cache=True, fastmath=True)
def in_part_through_curves(values, share, place, curves, saturations):
    """As :func:`through_curves`, as far as pixels belong: the commonest selection, in one loop."""
    for n in range(values.shape[0]):
        part = share[n]
        if part > np.float32(0):
            r, g, b = _curved(values[n, 0], values[n, 1], values[n, 2], place, curves, saturations)
            values[n, 0] += part * (r - values[n, 0])
            values[n, 1] += part * (g - values[n, 1])
            values[n, 2] += part * (b - values[n, 2])


@njit(nogil=True, cache=True, fastmath=True)
def in_both_through_curves(values, share, inside, outside, curves, saturations):
    """The same with other curves elsewhere."""
    for n in range(values.shape[0]):
        part = share[n]
        r, g, b = values[n, 0], values[n, 1], values[n, 2]
        x, y, z = r, g, b
        if part > np.float32(0):
            r, g, b = _curved(r, g, b, inside, curves, saturations)
        if part < np.float32(1):
            x, y, z = _curved(x, y, z, outside, curves, saturations)
        values[n, 0], values[n, 1], values[n, 2] = x + part * (r - x), y + part * (g - y), z + part * (b - z)


@njit(nogil=True, cache=True, fastmath=True)
def bake_curve(slope, offset, power, curve):
    """Tabulate ``(x · slope + offset) ^ power``, negatives passing the power, into `curve`."""
    slope, offset, power, least = np.float32(slope), np.float32(offset), np.float32(power), np.float32(1e-30)
    for index in range(CURVE_SIZE):
        value = (np.float32(CURVE_LOW) + np.float32(index) / CURVE_STEP) * slope + offset
        curve[index] = value
        if power != np.float32(1):
            bent = np.exp2(np.log2(max(value, least)) * power)
            curve[index] = bent if value > np.float32(0) else value
