"""A pixel's way from the working space to display and back: compiled, lock released."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from dovrel.core.colour.codes import PACK_LOW, PACK_SCALE
from dovrel.core.colour.working import LOG_OFFSET, STOP, TOE_LINEAR, TOE_OFFSET, TOE_SLOPE, TOE_WORKING
from dovrel.core.develop.cells import AT_ONCE
from dovrel.core.develop.curving import (
    CURVE_LOW,
    CURVE_SIZE,
    CURVE_STEP,
    in_both_through_curves,
    in_part_through_curves,
    through_curves,
)
from dovrel.core.develop.plane import HALF, LB, LG, LR, SIXTH, TWO_SIXTHS, smooth
from dovrel.core.develop.selecting import (
    AREA,
    ELSEWHERE,
    PICK,
    TOGETHER,
    brought_back,
    brought_together,
    matte_of,
    shares_in,
)
from dovrel.machine.kernels import njit

HUES = 1440
"""Parts of the hue circle in a table of hues, which has one more place."""
DEPTHS = 1024
DEPTH_SPAN = 2.0
"""Depths of colour that a table of depths spans, working values."""
DEPTH_AXIS = DEPTH_SPAN * np.linspace(0, 1, DEPTHS) ** 2
"""Closer together towards grey, where more depends on them."""

CURVES, MATRIX, COLOUR, REBUILD, HIGHS, LOOK = range(6)
"""Stages: curves with a saturation, the same after a matrix, work in the opponent space, a channel made of all, clipped highs led, a look's table;
those of selections are in :mod:`dovrel.core.develop.selecting`."""

OUTPUT, MATTE, NOTHING = range(3)
"""What comes after all stages."""
AS_SIGNAL = 0.7
"""Working values times this are within the range of signal codes, by which they are kept where nothing comes after."""

NUMBERS = 12
"""Numbers of a stage."""
INNER = NUMBERS - 1
"""Where a selection's beginning keeps how many stages after it those for elsewhere begin."""

NO_MASKS = np.zeros((0, 0), np.float32)
"""Of pixels that have no place: they lie in no area."""


class Baked(NamedTuple):
    """Steps in order as the kernels take them, n of them, k of which work in the opponent space.

    Attributes
    ----------
    stages : int64 (n,), which stage each takes
    numbers : float32 (n + 1, NUMBERS), its numbers: a matrix in linear AP1 row by row, or those of :func:`_rebuilt`, :func:`_led`,
        those of a pick; of an area, which mask; the last row is the pick whose matte is wanted
    curves : float32 (n, 3, CURVE_SIZE), over working values
    saturations : float32 (n,)
    slots : int64 (n,), where a step's tables of colour stand among the k, or a look's among the m
    hues : float32 (k, HUES + 1, 3): cosine and sine of the turn times colour, lightness
    depths : float32 (k, DEPTHS, 3): times of colour, what is added to the level, how far lightness is felt
    zones : float32 (k, CURVE_SIZE, 2), tints over the mean level
    looks : float32 (m, 4 size³), what looks add, as :func:`look_up` reads them
    limits : float32 (3,), low, high and softness of the display signal; far apart where there are none
    limited : whether there are any
    samples : float32 (s, 7), of picks: colour, level, own direction, weights along and across it
    selects : whether there are selections
    end : what comes after them: the output, the matte of the pick in the last row, or nothing
    """

    stages: np.ndarray
    numbers: np.ndarray
    curves: np.ndarray
    saturations: np.ndarray
    slots: np.ndarray
    hues: np.ndarray
    depths: np.ndarray
    zones: np.ndarray
    looks: np.ndarray
    limits: np.ndarray
    limited: bool
    samples: np.ndarray
    selects: bool
    end: int


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
def _mixed(r, g, b, place, numbers):
    r, g, b = _to_linear(r), _to_linear(g), _to_linear(b)
    return (
        _from_linear(numbers[place, 0] * r + numbers[place, 1] * g + numbers[place, 2] * b),
        _from_linear(numbers[place, 3] * r + numbers[place, 4] * g + numbers[place, 5] * b),
        _from_linear(numbers[place, 6] * r + numbers[place, 7] * g + numbers[place, 8] * b),
    )


_TO_HUES = np.float32(HUES / (2 * np.pi))
_TO_DEPTHS = np.float32((DEPTHS - 1) / np.sqrt(DEPTH_SPAN))


@njit(inline="always")
def _coloured(r, g, b, slot, hues, depths, zones):
    """Turned and weighed by hue, by depth of colour, tinted by level: in :mod:`dovrel.core.steps.opponent`."""
    level = LR * r + LG * g + LB * b
    x = TWO_SIXTHS * r - SIXTH * (g + b)
    y = HALF * (g - b)

    angle = np.arctan2(y, x) * _TO_HUES
    if angle < np.float32(0):
        angle += np.float32(HUES)
    hue = min(np.uint32(angle), np.uint32(HUES - 1))
    part = angle - np.float32(hue)
    after = np.uint32(hue + np.uint32(1))
    cosine = hues[slot, hue, 0] + part * (hues[slot, after, 0] - hues[slot, hue, 0])
    sine = hues[slot, hue, 1] + part * (hues[slot, after, 1] - hues[slot, hue, 1])
    lightness = hues[slot, hue, 2] + part * (hues[slot, after, 2] - hues[slot, hue, 2])

    place = min(np.sqrt(np.sqrt(x * x + y * y)) * _TO_DEPTHS, np.float32(DEPTHS - 1.001))
    deep = np.uint32(place)
    part = place - np.float32(deep)
    after = np.uint32(deep + np.uint32(1))
    strength = depths[slot, deep, 0] + part * (depths[slot, after, 0] - depths[slot, deep, 0])
    added = depths[slot, deep, 1] + part * (depths[slot, after, 1] - depths[slot, deep, 1])
    felt = depths[slot, deep, 2] + part * (depths[slot, after, 2] - depths[slot, deep, 2])

    place = min(max((level - np.float32(CURVE_LOW)) * CURVE_STEP, np.float32(0)), np.float32(CURVE_SIZE - 1.001))
    zone = np.uint32(place)
    part = place - np.float32(zone)
    after = np.uint32(zone + np.uint32(1))
    tint_x = zones[slot, zone, 0] + part * (zones[slot, after, 0] - zones[slot, zone, 0])
    tint_y = zones[slot, zone, 1] + part * (zones[slot, after, 1] - zones[slot, zone, 1])

    level += lightness * felt + added
    x, y = strength * (cosine * x - sine * y) + tint_x, strength * (sine * x + cosine * y) + tint_y
    r, g, b = TWO_SIXTHS * x, HALF * y - SIXTH * x, -HALF * y - SIXTH * x
    level -= LR * r + LG * g + LB * b
    return r + level, g + level, b + level


@njit(inline="always")
def _rebuilt(r, g, b, place, numbers):
    """Numbers: weights of the three, offset, level from which the channel is kept, softness, amount, which channel."""
    made = numbers[place, 0] * r + numbers[place, 1] * g + numbers[place, 2] * b + numbers[place, 3]
    which = numbers[place, 7]
    red, green = which == np.float32(0), which == np.float32(1)
    own = r if red else (g if green else b)
    share = smooth((own - numbers[place, 4]) / numbers[place, 5])
    own += numbers[place, 6] * (np.float32(1) - share) * (made - own)
    return own if red else r, own if green else g, b if red or green else own


@njit(inline="always")
def _led(r, g, b, place, numbers):
    """Numbers: ceilings of the three, working values over which highs are led, the neutral's three about their mean, reach."""
    over = max(r - numbers[place, 0], max(g - numbers[place, 1], b - numbers[place, 2]))
    near = smooth(np.float32(1) + over / numbers[place, 3])
    x, y, z = r - numbers[place, 4], g - numbers[place, 5], b - numbers[place, 6]
    across, along = TWO_SIXTHS * x - SIXTH * (y + z), HALF * (y - z)
    away = np.sqrt(across * across + along * along) / numbers[place, 7]
    share = near * smooth(np.float32(2) - np.float32(2) * away)
    most = max(x, max(y, z))
    return r + share * (most - x), g + share * (most - y), b + share * (most - z)


@njit(nogil=True, cache=True, fastmath=True)
def _through_matrix(values, place, numbers):
    for n in range(values.shape[0]):
        values[n, 0], values[n, 1], values[n, 2] = _mixed(values[n, 0], values[n, 1], values[n, 2], place, numbers)


@njit(inline="always")
def _is_curves_alone(stages, place):
    """Whether the selection that begins at `place` does one thing, by curves, and nothing elsewhere."""
    if stages[place + 1] != CURVES or stages[place + 2] != ELSEWHERE:
        return False
    return stages[place + 3] == TOGETHER


@njit(inline="always")
def _is_curves_in_both(stages, place):
    """The same of one that does one thing elsewhere too, by curves."""
    if stages[place + 1] != CURVES or stages[place + 2] != ELSEWHERE or stages[place + 3] != CURVES:
        return False
    return stages[place + 4] == TOGETHER


@njit(nogil=True, cache=True, fastmath=True)
def _through_colour(values, slot, hues, depths, zones):
    for n in range(values.shape[0]):
        values[n, 0], values[n, 1], values[n, 2] = _coloured(
            values[n, 0], values[n, 1], values[n, 2], slot, hues, depths, zones
        )


@njit(nogil=True, cache=True, fastmath=True)
def _through_rebuild(values, place, numbers):
    for n in range(values.shape[0]):
        values[n, 0], values[n, 1], values[n, 2] = _rebuilt(values[n, 0], values[n, 1], values[n, 2], place, numbers)


@njit(nogil=True, cache=True, fastmath=True)
def _through_highs(values, place, numbers):
    for n in range(values.shape[0]):
        values[n, 0], values[n, 1], values[n, 2] = _led(values[n, 0], values[n, 1], values[n, 2], place, numbers)


@njit(nogil=True, cache=True, fastmath=True)
def correct(values, baked, masks, first):
    """All steps in order, on working values float32 (N, 3), in place: one step over all, then the next.

    `masks` float32 (k, M) hold pixel n's share in areas at ``first + n``, or are `NO_MASKS`.
    A small loop for each kind runs several times faster than one loop that does whatever is asked for.
    """
    count = values.shape[0] if baked.selects else 0
    share, before, there = (
        np.empty(count, np.float32),
        np.empty((count, 3), np.float32),
        np.empty((count, 3), np.float32),
    )
    most = np.float32(0)
    place = -1
    while place + 1 < baked.stages.size:
        place += 1
        stage = baked.stages[place]
        if stage in (PICK, AREA):
            most = shares_in(values, stage, place, baked.numbers, baked.samples, masks, first, share)
            if most > 0 and _is_curves_alone(baked.stages, place):
                in_part_through_curves(values, share, place + 1, baked.curves, baked.saturations)
                place += 3
            elif most > 0 and _is_curves_in_both(baked.stages, place):
                in_both_through_curves(values, share, place + 1, place + 3, baked.curves, baked.saturations)
                place += 4
            elif most > 0:
                before[:] = values
            else:
                # Nothing of it here: on with what is done elsewhere.
                place += int(baked.numbers[place, INNER])
        elif stage == ELSEWHERE:
            if baked.stages[place + 1] == TOGETHER:
                brought_back(values, before, share)
                place += 1
            else:
                there[:] = values
                values[:] = before
        elif stage == TOGETHER:
            if most > 0:
                brought_together(values, there, share)
        elif stage == COLOUR:
            _through_colour(values, baked.slots[place], baked.hues, baked.depths, baked.zones)
        elif stage == REBUILD:
            _through_rebuild(values, place, baked.numbers)
        elif stage == HIGHS:
            _through_highs(values, place, baked.numbers)
        elif stage == LOOK:
            _through_look(values, place, baked.numbers, baked.looks[baked.slots[place]])
        else:
            if stage == MATRIX:
                _through_matrix(values, place, baked.numbers)
            through_curves(values, place, baked.curves, baked.saturations)


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
def _through_look(values, place, numbers, nodes):
    """What a table adds, at a strength; numbers are the strength, nodes a side, lowest value, nodes per unit."""
    strength, size = numbers[place, 0], np.int64(numbers[place, 1])
    low, step = numbers[place, 2], numbers[place, 3]
    for n in range(values.shape[0]):
        r, g, b = look_up(values[n, 0], values[n, 1], values[n, 2], nodes, size, low, step)
        values[n, 0] += strength * r
        values[n, 1] += strength * g
        values[n, 2] += strength * b


@njit(nogil=True, cache=True, fastmath=True)
def limit(values, limits):
    """Display values float32 (N, 3) kept within low, high, softness, in place."""
    low, high, soft = limits[0], limits[1], limits[2]
    for n in range(values.shape[0]):
        for channel in range(3):
            value = values[n, channel]
            if value > high - soft:
                values[n, channel] = high - soft * np.exp((high - soft - value) / soft)
            elif value < low + soft:
                values[n, channel] = low + soft * np.exp((value - low - soft) / soft)


@njit(nogil=True, cache=True, fastmath=True)
def put_out(values, nodes, size, low, step):
    """Working values float32 (N, 3) through the output table, in place."""
    for n in range(values.shape[0]):
        values[n, 0], values[n, 1], values[n, 2] = look_up(
            values[n, 0], values[n, 1], values[n, 2], nodes, size, low, step
        )


@njit(nogil=True, cache=True, fastmath=True)
def display_of(working, baked, masks, nodes, size, low, step, out):
    """Correct and output float32 working values (N, 3) into `out` float32 (N, 3); masks as of :func:`correct`."""
    for first in range(0, working.shape[0], AT_ONCE):
        values = out[first : first + AT_ONCE]
        values[:] = working[first : first + AT_ONCE]
        correct(values, baked, masks, first)
        if baked.end == MATTE:
            matte_of(values, baked.stages.size, baked.numbers, baked.samples)
        elif baked.end == NOTHING:
            values *= np.float32(AS_SIGNAL)
        else:
            put_out(values, nodes, size, low, step)
            if baked.limited:
                limit(values, baked.limits)


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
