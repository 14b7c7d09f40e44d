"""A pixel's way from the working space to display and back: compiled, lock released."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit

from dovrel.core.colour.codes import PACK_LOW, PACK_SCALE
from dovrel.core.colour.working import LOG_OFFSET, STOP, TOE_LINEAR, TOE_OFFSET, TOE_SLOPE, TOE_WORKING

CURVE_SIZE = 2048
CURVE_LOW = -0.5
CURVE_SPAN = 2.5
CURVE_AXIS = np.linspace(CURVE_LOW, CURVE_LOW + CURVE_SPAN, CURVE_SIZE)
_CURVE_STEP = np.float32((CURVE_SIZE - 1) / CURVE_SPAN)


class Baked(NamedTuple):
    """Corrections in order as the kernels take them, n of them.

    Attributes
    ----------
    mixes : bool (n,), whether a matrix comes first
    matrices : float32 (n, 9), in linear AP1, row by row
    curves : float32 (n, 3, CURVE_SIZE), over working values
    saturations : float32 (n,)
    """

    mixes: np.ndarray
    matrices: np.ndarray
    curves: np.ndarray
    saturations: np.ndarray


@njit(inline="always")
def _along_curve(value, curve):
    position = min(max((value - np.float32(CURVE_LOW)) * _CURVE_STEP, np.float32(0)), np.float32(CURVE_SIZE - 1.001))
    index = np.uint32(position)
    low = curve[index]
    return low + (position - np.float32(index)) * (curve[np.uint32(index + np.uint32(1))] - low)


@njit(inline="always")
def _to_linear(value):
    if value <= np.float32(TOE_WORKING):
        return (value - np.float32(TOE_OFFSET)) * np.float32(1 / TOE_SLOPE)
    return np.exp2(value * np.float32(1 / STOP) - np.float32(LOG_OFFSET))


@njit(inline="always")
def _from_linear(value):
    if value <= np.float32(TOE_LINEAR):
        return value * np.float32(TOE_SLOPE) + np.float32(TOE_OFFSET)
    return (np.log2(value) + np.float32(LOG_OFFSET)) * np.float32(STOP)


@njit(inline="always")
def _mixed(r, g, b, matrix):
    r, g, b = _to_linear(r), _to_linear(g), _to_linear(b)
    return (
        _from_linear(matrix[0] * r + matrix[1] * g + matrix[2] * b),
        _from_linear(matrix[3] * r + matrix[4] * g + matrix[5] * b),
        _from_linear(matrix[6] * r + matrix[7] * g + matrix[8] * b),
    )


@njit(inline="always")
def correct(r, g, b, baked):
    """All corrections in order: a matrix where there is one, curves by table, saturation about Rec.709 luma."""
    curves, saturations = baked.curves, baked.saturations
    for level in range(saturations.size):
        if baked.mixes[level]:
            r, g, b = _mixed(r, g, b, baked.matrices[level])
        r = _along_curve(r, curves[level, 0])
        g = _along_curve(g, curves[level, 1])
        b = _along_curve(b, curves[level, 2])
        luma = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
        saturation = saturations[level]
        r = luma + saturation * (r - luma)
        g = luma + saturation * (g - luma)
        b = luma + saturation * (b - luma)
    return r, g, b


@njit(inline="always")
def look_up(r, g, b, nodes, size, low, step):
    """Tetrahedral interpolation in a cubic table (six tetrahedra about the grey diagonal).

    `nodes` is flat, four floats a node (the fourth unused), red slowest. Values beyond the
    table give its edge.
    """
    top = np.float32(size - 1)
    r = min(max((r - low) * step, np.float32(0)), top)
    g = min(max((g - low) * step, np.float32(0)), top)
    b = min(max((b - low) * step, np.float32(0)), top)
    return _interpolate(r, g, b, nodes, size)


@njit(inline="always")
def _interpolate(r, g, b, nodes, size):
    """Interpolate at a position in nodes; a little beyond the table the outermost cell goes on.

    Indices are unsigned, which spares the check for negative ones.
    """
    limit = np.uint32(size - 2)
    zero = np.float32(0)
    i = min(np.uint32(max(r, zero)), limit)
    j = min(np.uint32(max(g, zero)), limit)
    k = min(np.uint32(max(b, zero)), limit)
    x, y, z = r - np.float32(i), g - np.float32(j), b - np.float32(k)
    along_b = np.uint32(4)
    along_g = np.uint32(4 * size)
    along_r = np.uint32(4 * size * size)
    # The largest fraction's axis is stepped along first, the smallest's last; written without
    # branches, which real pictures would make unpredictable.
    xy, yz, xz = x >= y, y >= z, x >= z
    first = along_r if xy & xz else (along_g if yz else along_b)
    last = along_b if yz & xz else (along_g if xy | xz else along_r)
    high = max(x, max(y, z))
    low_fraction = min(x, min(y, z))
    middle = x + y + z - high - low_fraction
    n0 = np.uint32((i * np.uint32(size) + j) * np.uint32(size) + k) * np.uint32(4)
    n1 = np.uint32(n0 + first)
    n3 = np.uint32(n0 + along_r + along_g + along_b)
    n2 = np.uint32(n3 - last)
    x, y, z = high, middle, low_fraction
    w0, w1, w2 = np.float32(1) - x, x - y, y - z
    one, two = np.uint32(1), np.uint32(2)
    red = w0 * nodes[n0] + w1 * nodes[n1] + w2 * nodes[n2] + z * nodes[n3]
    green = (
        w0 * nodes[np.uint32(n0 + one)]
        + w1 * nodes[np.uint32(n1 + one)]
        + w2 * nodes[np.uint32(n2 + one)]
        + z * nodes[np.uint32(n3 + one)]
    )
    blue = (
        w0 * nodes[np.uint32(n0 + two)]
        + w1 * nodes[np.uint32(n1 + two)]
        + w2 * nodes[np.uint32(n2 + two)]
        + z * nodes[np.uint32(n3 + two)]
    )
    return red, green, blue


@njit(nogil=True, cache=True, fastmath=True)
def display_of(working, baked, nodes, size, low, step, out):
    """Correct and output float32 working values (N, 3) into `out` float32 (N, 3)."""
    for n in range(working.shape[0]):
        r, g, b = correct(working[n, 0], working[n, 1], working[n, 2], baked)
        out[n, 0], out[n, 1], out[n, 2] = look_up(r, g, b, nodes, size, low, step)


@njit(nogil=True, cache=True, fastmath=True)
def display_to_packed(display, inverse, inverse_size, nodes, size, low, step, rounds, out):
    """Display values (N, 3) → packed working values uint16 (N, 3) that show as them again.

    `inverse` spans display values 0..1; `nodes`, `size`, `low` and `step` are the output table.

    The inverse table gives a first answer; what the output table makes of it beside what was
    asked is handed back, `rounds` times. At the gamut's faces that leads a little beyond the
    inverse table, which is continued there.
    """
    reach = np.float32(0.08)
    lowest, highest = -reach, np.float32(1) + reach
    span = np.float32(inverse_size - 1)
    for n in range(display.shape[0]):
        r0, g0, b0 = display[n, 0], display[n, 1], display[n, 2]
        r, g, b = r0, g0, b0
        for _ in range(rounds):
            x, y, z = _interpolate(r * span, g * span, b * span, inverse, inverse_size)
            x, y, z = look_up(x, y, z, nodes, size, low, step)
            r = min(max(r + (r0 - x), lowest), highest)
            g = min(max(g + (g0 - y), lowest), highest)
            b = min(max(b + (b0 - z), lowest), highest)
        x, y, z = _interpolate(r * span, g * span, b * span, inverse, inverse_size)
        out[n, 0] = int(min(max((x - PACK_LOW) * PACK_SCALE + 0.5, 0.0), 65535.0))
        out[n, 1] = int(min(max((y - PACK_LOW) * PACK_SCALE + 0.5, 0.0), 65535.0))
        out[n, 2] = int(min(max((z - PACK_LOW) * PACK_SCALE + 0.5, 0.0), 65535.0))


@njit(nogil=True, cache=True, fastmath=True)
def bake_curve(slope, offset, power, curve):
    """Tabulate ``(x · slope + offset) ^ power``, negatives passing the power, into `curve`."""
    slope, offset, power, least = np.float32(slope), np.float32(offset), np.float32(power), np.float32(1e-30)
    for index in range(CURVE_SIZE):
        value = (np.float32(CURVE_LOW) + np.float32(index) / _CURVE_STEP) * slope + offset
        curve[index] = value
        if power != np.float32(1):
            bent = np.exp2(np.log2(max(value, least)) * power)
            curve[index] = bent if value > np.float32(0) else value
