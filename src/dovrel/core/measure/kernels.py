"""The fused pass: correction, output, 8-bit picture and all counts in one walk over the pixels.

Sources are kept as 16-bit codes of the working space (:func:`pack`), 2.4e-5 a step. The
pass walks in tiles of whole waveform columns so that a tile's counters stay in cache, and
releases the interpreter lock so that two halves of a picture run on two threads.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

PACK_LOW = -0.1
PACK_SCALE = 65535.0 / 1.6

CURVE_SIZE = 8192
CURVE_LOW = -0.5
CURVE_SPAN = 2.5
_CURVE_STEP = np.float32((CURVE_SIZE - 1) / CURVE_SPAN)

FINE_PER_UNIT = 4096
FINE_LOW = -0.125
FINE_BINS = 5120
"""Fine histogram: 4096 bins per 100 % from -12.5 % to 112.5 %."""

WAVE_LEVELS = 256
WAVE_LOW = -0.07
WAVE_HIGH = 1.09
_WAVE_STEP = np.float32(WAVE_LEVELS / (WAVE_HIGH - WAVE_LOW))

VECTOR_SIZE = 256
VECTOR_HALF = 0.625
_VECTOR_STEP = np.float32(VECTOR_SIZE / (2 * VECTOR_HALF))

CB_DIVISOR = 1.8556
CR_DIVISOR = 1.5748
"""BT.709: Cb = (B′ − Y′) / 1.8556, Cr = (R′ − Y′) / 1.5748."""

_TILE_COLUMNS = 16
_TILE_PIXELS = 256


def pack(working: np.ndarray) -> np.ndarray:
    """Working values → 16-bit codes over -0.1..1.5, values beyond being clipped (uint16)."""
    clean = np.nan_to_num(np.asarray(working, np.float32), nan=0.0, posinf=1.5, neginf=PACK_LOW)
    return np.clip((clean - PACK_LOW) * PACK_SCALE + 0.5, 0, 65535).astype(np.uint16)


def unpack(codes: np.ndarray) -> np.ndarray:
    """16-bit codes → working values, float32."""
    return codes.astype(np.float32) / np.float32(PACK_SCALE) + np.float32(PACK_LOW)


@njit(inline="always")
def _along_curve(value, curve):
    position = min(max((value - np.float32(CURVE_LOW)) * _CURVE_STEP, np.float32(0)), np.float32(CURVE_SIZE - 1.001))
    index = np.uint32(position)
    low = curve[index]
    return low + (position - np.float32(index)) * (curve[np.uint32(index + np.uint32(1))] - low)


@njit(inline="always")
def _correct(r, g, b, curves, saturations):
    """All levels in order: slope-offset-power by table, saturation about Rec.709 luma."""
    for level in range(saturations.size):
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
def _look_up(r, g, b, nodes, size, low, step):
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
def _bin(value, low, step, count):
    return np.uint32(min(max((value - low) * step, np.float32(0)), np.float32(count - 1)))


@njit(nogil=True, cache=True, fastmath=True)
def render_and_measure(
    source,
    curves,
    saturations,
    nodes,
    size,
    low,
    step,
    first_column,
    last_column,
    columns,
    meter,
    picture,
    parade,
    waveform,
    vector,
    fine,
    sums,
):
    """Render and measure the waveform columns ``first_column..last_column``.

    Parameters
    ----------
    source : uint16 (H, W, 3), packed working values
    curves : float32 (levels, 3, CURVE_SIZE); saturations : float32 (levels,)
    nodes, size, low, step : the output table, flat with four floats a node; nodes a side, its
        lowest value, nodes per unit
    columns : number of waveform columns over the whole width
    meter : int64 (4,), x0, y0, x1, y1 in pixels; only these pixels are counted
    picture : uint8 (H, W, 3), written
    parade : uint32 (3, columns, WAVE_LEVELS), waveform : uint32 (columns, WAVE_LEVELS),
    vector : uint32 (VECTOR_SIZE, VECTOR_SIZE) [Cr from the top, Cb from the left],
    fine : uint32 (4, FINE_BINS), red, green, blue and luma,
    sums : float64 (2,), sum of squared chroma, pixels counted; all added to
    """
    height, width = source.shape[0], source.shape[1]
    inverse = np.float32(1.0 / PACK_SCALE)
    pack_low = np.float32(PACK_LOW)
    wave_low = np.float32(WAVE_LOW)
    fine_low, fine_step = np.float32(FINE_LOW), np.float32(FINE_PER_UNIT)
    half_plane = np.float32(VECTOR_HALF)
    zero, one, full = np.float32(0), np.float32(1), np.float32(255)
    x0, y0, x1, y1 = meter[0], meter[1], meter[2], meter[3]
    column_of = np.empty(width, np.int64)
    for x in range(width):
        column_of[x] = x * columns // width
    shown = np.empty((_TILE_PIXELS, 3), np.float32)
    squared = 0.0
    counted = 0
    tile = first_column
    while tile < last_column:
        tile_end = min(tile + _TILE_COLUMNS, last_column)
        left = (tile * width + columns - 1) // columns
        right = (tile_end * width + columns - 1) // columns
        for y in range(height):
            row_metered = y0 <= y < y1
            for start in range(left, right, _TILE_PIXELS):
                end = min(start + _TILE_PIXELS, right)
                for x in range(start, end):
                    r = np.float32(source[y, x, 0]) * inverse + pack_low
                    g = np.float32(source[y, x, 1]) * inverse + pack_low
                    b = np.float32(source[y, x, 2]) * inverse + pack_low
                    r, g, b = _correct(r, g, b, curves, saturations)
                    r, g, b = _look_up(r, g, b, nodes, size, low, step)
                    n = x - start
                    shown[n, 0], shown[n, 1], shown[n, 2] = r, g, b
                    picture[y, x, 0] = np.uint8(min(max(r, zero), one) * full + np.float32(0.5))
                    picture[y, x, 1] = np.uint8(min(max(g, zero), one) * full + np.float32(0.5))
                    picture[y, x, 2] = np.uint8(min(max(b, zero), one) * full + np.float32(0.5))
                if not row_metered:
                    continue
                for x in range(max(start, x0), min(end, x1)):
                    n = x - start
                    r, g, b = shown[n, 0], shown[n, 1], shown[n, 2]
                    column = column_of[x]
                    luma = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
                    parade[0, column, _bin(r, wave_low, _WAVE_STEP, WAVE_LEVELS)] += 1
                    parade[1, column, _bin(g, wave_low, _WAVE_STEP, WAVE_LEVELS)] += 1
                    parade[2, column, _bin(b, wave_low, _WAVE_STEP, WAVE_LEVELS)] += 1
                    waveform[column, _bin(luma, wave_low, _WAVE_STEP, WAVE_LEVELS)] += 1
                    cb = (b - luma) * np.float32(1 / CB_DIVISOR)
                    cr = (r - luma) * np.float32(1 / CR_DIVISOR)
                    squared += cb * cb + cr * cr
                    across = _bin(cb, -half_plane, _VECTOR_STEP, VECTOR_SIZE)
                    vector[_bin(half_plane - cr, zero, _VECTOR_STEP, VECTOR_SIZE), across] += 1
                    fine[0, _bin(r, fine_low, fine_step, FINE_BINS)] += 1
                    fine[1, _bin(g, fine_low, fine_step, FINE_BINS)] += 1
                    fine[2, _bin(b, fine_low, fine_step, FINE_BINS)] += 1
                    fine[3, _bin(luma, fine_low, fine_step, FINE_BINS)] += 1
                    counted += 1
        tile = tile_end
    sums[0] += squared
    sums[1] += counted


@njit(nogil=True, cache=True, fastmath=True)
def display_of(working, curves, saturations, nodes, size, low, step, out):
    """Correct and output float32 working values (N, 3) into `out` float32 (N, 3)."""
    for n in range(working.shape[0]):
        r, g, b = _correct(working[n, 0], working[n, 1], working[n, 2], curves, saturations)
        out[n, 0], out[n, 1], out[n, 2] = _look_up(r, g, b, nodes, size, low, step)


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
            x, y, z = _look_up(x, y, z, nodes, size, low, step)
            r = min(max(r + (r0 - x), lowest), highest)
            g = min(max(g + (g0 - y), lowest), highest)
            b = min(max(b + (b0 - z), lowest), highest)
        x, y, z = _interpolate(r * span, g * span, b * span, inverse, inverse_size)
        out[n, 0] = int(min(max((x - PACK_LOW) * PACK_SCALE + 0.5, 0.0), 65535.0))
        out[n, 1] = int(min(max((y - PACK_LOW) * PACK_SCALE + 0.5, 0.0), 65535.0))
        out[n, 2] = int(min(max((z - PACK_LOW) * PACK_SCALE + 0.5, 0.0), 65535.0))


@njit(nogil=True, cache=True)
def bake_curve(slope, offset, power, curve):
    """Tabulate ``(x · slope + offset) ^ power``, negatives passing the power, into `curve`."""
    for index in range(CURVE_SIZE):
        value = (CURVE_LOW + index * CURVE_SPAN / (CURVE_SIZE - 1)) * slope + offset
        if value > 0.0 and power != 1.0:
            value = math.exp(math.log(value) * power)
        curve[index] = value
