"""A pixel's way from the working space to display and back: compiled, lock released."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit

from dovrel.core.colour.codes import PACK_LOW, PACK_SCALE
from dovrel.core.colour.working import LOG_OFFSET, STOP, TOE_LINEAR, TOE_OFFSET, TOE_SLOPE, TOE_WORKING
from dovrel.core.steps import opponent

CURVE_SIZE = 2048
CURVE_LOW = -0.5
CURVE_SPAN = 2.5
CURVE_AXIS = np.linspace(CURVE_LOW, CURVE_LOW + CURVE_SPAN, CURVE_SIZE)
_CURVE_STEP = np.float32((CURVE_SIZE - 1) / CURVE_SPAN)


HUES = 1440
"""Parts of the hue circle in a table of hues, which has one more place."""
DEPTHS = 1024
DEPTH_SPAN = 2.0
"""Depths of colour that a table of depths spans, working values."""
DEPTH_AXIS = DEPTH_SPAN * np.linspace(0, 1, DEPTHS) ** 2
"""Closer together towards grey, where more depends on them."""

CURVES, MATRIX, COLOUR, REBUILD, HIGHS = range(5)
"""Stages: curves with a saturation, the same after a matrix, work in the opponent space, a channel made of all, clipped highs led."""


class Baked(NamedTuple):
    """Steps in order as the kernels take them, n of them, k of which work in the opponent space.

    Attributes
    ----------
    stages : int64 (n,), which stage each takes
    numbers : float32 (n, 9), its numbers: a matrix in linear AP1 row by row, or those of :func:`_rebuilt` and :func:`_led`
    curves : float32 (n, 3, CURVE_SIZE), over working values
    saturations : float32 (n,)
    slots : int64 (n,), where a step's tables of colour stand among the k
    hues : float32 (k, HUES + 1, 3): cosine and sine of the turn times colour, lightness
    depths : float32 (k, DEPTHS, 3): times of colour, what is added to the level, how far lightness is felt
    zones : float32 (k, CURVE_SIZE, 2), tints over the mean level
    limits : float32 (3,), low, high and softness of the display signal; far apart where there are none
    """

    stages: np.ndarray
    numbers: np.ndarray
    curves: np.ndarray
    saturations: np.ndarray
    slots: np.ndarray
    hues: np.ndarray
    depths: np.ndarray
    zones: np.ndarray
    limits: np.ndarray


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


_LR, _LG, _LB = (np.float32(weight) for weight in opponent.LUMA)
_TWO_SIXTHS, _SIXTH, _HALF = np.float32(2 / np.sqrt(6)), np.float32(1 / np.sqrt(6)), np.float32(1 / np.sqrt(2))
_TO_HUES = np.float32(HUES / (2 * np.pi))
_TO_DEPTHS = np.float32((DEPTHS - 1) / np.sqrt(DEPTH_SPAN))


@njit
def _coloured(r, g, b, hues, depths, zones):
    """Turned and weighed by hue, by depth of colour, tinted by level: in :mod:`dovrel.core.steps.opponent`."""
    level = _LR * r + _LG * g + _LB * b
    x = _TWO_SIXTHS * r - _SIXTH * (g + b)
    y = _HALF * (g - b)

    angle = np.arctan2(y, x) * _TO_HUES
    if angle < np.float32(0):
        angle += np.float32(HUES)
    hue = min(np.uint32(angle), np.uint32(HUES - 1))
    part = angle - np.float32(hue)
    after = np.uint32(hue + np.uint32(1))
    cosine = hues[hue, 0] + part * (hues[after, 0] - hues[hue, 0])
    sine = hues[hue, 1] + part * (hues[after, 1] - hues[hue, 1])
    lightness = hues[hue, 2] + part * (hues[after, 2] - hues[hue, 2])

    place = min(np.sqrt(np.sqrt(x * x + y * y)) * _TO_DEPTHS, np.float32(DEPTHS - 1.001))
    deep = np.uint32(place)
    part = place - np.float32(deep)
    after = np.uint32(deep + np.uint32(1))
    strength = depths[deep, 0] + part * (depths[after, 0] - depths[deep, 0])
    added = depths[deep, 1] + part * (depths[after, 1] - depths[deep, 1])
    felt = depths[deep, 2] + part * (depths[after, 2] - depths[deep, 2])

    place = min(max((level - np.float32(CURVE_LOW)) * _CURVE_STEP, np.float32(0)), np.float32(CURVE_SIZE - 1.001))
    zone = np.uint32(place)
    part = place - np.float32(zone)
    after = np.uint32(zone + np.uint32(1))
    tint_x = zones[zone, 0] + part * (zones[after, 0] - zones[zone, 0])
    tint_y = zones[zone, 1] + part * (zones[after, 1] - zones[zone, 1])

    level += lightness * felt + added
    x, y = strength * (cosine * x - sine * y) + tint_x, strength * (sine * x + cosine * y) + tint_y
    r, g, b = _TWO_SIXTHS * x, _HALF * y - _SIXTH * x, -_HALF * y - _SIXTH * x
    level -= _LR * r + _LG * g + _LB * b
    return r + level, g + level, b + level


@njit(inline="always")
def _smooth(part):
    part = min(max(part, np.float32(0)), np.float32(1))
    return part * part * (np.float32(3) - np.float32(2) * part)


@njit
def _rebuilt(r, g, b, numbers):
    """Numbers: weights of the three, offset, level from which the channel is kept, softness, amount, which channel."""
    made = numbers[0] * r + numbers[1] * g + numbers[2] * b + numbers[3]
    which = numbers[7]
    own = r if which == np.float32(0) else (g if which == np.float32(1) else b)
    own += numbers[6] * (np.float32(1) - _smooth((own - numbers[4]) / numbers[5])) * (made - own)
    if which == np.float32(0):
        return own, g, b
    if which == np.float32(1):
        return r, own, b
    return r, g, own


@njit
def _led(r, g, b, numbers):
    """Numbers: ceilings of the three, working values over which highs are led, the neutral's three about their mean, reach."""
    near = _smooth(np.float32(1) + max(r - numbers[0], max(g - numbers[1], b - numbers[2])) / numbers[3])
    if near == np.float32(0):
        return r, g, b
    x, y, z = r - numbers[4], g - numbers[5], b - numbers[6]
    across, along = _TWO_SIXTHS * x - _SIXTH * (y + z), _HALF * (y - z)
    away = np.sqrt(across * across + along * along) / numbers[7]
    share = near * _smooth(np.float32(2) - np.float32(2) * away)
    most = max(x, max(y, z))
    return r + share * (most - x), g + share * (most - y), b + share * (most - z)


@njit(inline="always")
def correct(r, g, b, baked):
    """All steps in order."""
    curves, saturations = baked.curves, baked.saturations
    for place in range(saturations.size):
        stage = baked.stages[place]
        if stage > MATRIX:
            if stage == COLOUR:
                slot = baked.slots[place]
                r, g, b = _coloured(r, g, b, baked.hues[slot], baked.depths[slot], baked.zones[slot])
            elif stage == REBUILD:
                r, g, b = _rebuilt(r, g, b, baked.numbers[place])
            else:
                r, g, b = _led(r, g, b, baked.numbers[place])
            continue
        if stage == MATRIX:
            r, g, b = _mixed(r, g, b, baked.numbers[place])
        r = _along_curve(r, curves[place, 0])
        g = _along_curve(g, curves[place, 1])
        b = _along_curve(b, curves[place, 2])
        luma = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
        saturation = saturations[place]
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


@njit(inline="always")
def limited(value, limits):
    """A display value within low, high, softness."""
    low, high, soft = limits[0], limits[1], limits[2]
    if value > high - soft:
        return high - soft * np.exp((high - soft - value) / soft)
    if value < low + soft:
        return low + soft * np.exp((value - low - soft) / soft)
    return value


@njit(inline="always")
def shown(r, g, b, baked, nodes, size, low, step):
    """All steps, the output, and the limits of its signal."""
    r, g, b = correct(r, g, b, baked)
    r, g, b = look_up(r, g, b, nodes, size, low, step)
    limits = baked.limits
    return limited(r, limits), limited(g, limits), limited(b, limits)


@njit(nogil=True, cache=True, fastmath=True)
def display_of(working, baked, nodes, size, low, step, out):
    """Correct and output float32 working values (N, 3) into `out` float32 (N, 3)."""
    for n in range(working.shape[0]):
        r, g, b = working[n, 0], working[n, 1], working[n, 2]
        out[n, 0], out[n, 1], out[n, 2] = shown(r, g, b, baked, nodes, size, low, step)


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
