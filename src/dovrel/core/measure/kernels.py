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


def pack(working: np.ndarray) -> np.ndarray:
    """Working values → 16-bit codes over -0.1..1.5, values beyond being clipped (uint16)."""
    clean = np.nan_to_num(np.asarray(working, np.float32), nan=0.0, posinf=1.5, neginf=PACK_LOW)
    return np.clip((clean - PACK_LOW) * PACK_SCALE + 0.5, 0, 65535).astype(np.uint16)


def unpack(codes: np.ndarray) -> np.ndarray:
    """16-bit codes → working values, float32."""
    return codes.astype(np.float32) / np.float32(PACK_SCALE) + np.float32(PACK_LOW)


@njit(inline="always")
def _correct(r, g, b, curves, saturations):
    """All levels in order: slope-offset-power by table, saturation about Rec.709 luma."""
    for level in range(saturations.size):
        position = min(max((r - CURVE_LOW) * _CURVE_STEP, np.float32(0)), np.float32(CURVE_SIZE - 1.001))
        index = int(position)
        fraction = position - np.float32(index)
        low = curves[level, 0, index]
        r = low + fraction * (curves[level, 0, index + 1] - low)
        position = min(max((g - CURVE_LOW) * _CURVE_STEP, np.float32(0)), np.float32(CURVE_SIZE - 1.001))
        index = int(position)
        fraction = position - np.float32(index)
        low = curves[level, 1, index]
        g = low + fraction * (curves[level, 1, index + 1] - low)
        position = min(max((b - CURVE_LOW) * _CURVE_STEP, np.float32(0)), np.float32(CURVE_SIZE - 1.001))
        index = int(position)
        fraction = position - np.float32(index)
        low = curves[level, 2, index]
        b = low + fraction * (curves[level, 2, index + 1] - low)
        luma = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
        saturation = saturations[level]
        r = luma + saturation * (r - luma)
        g = luma + saturation * (g - luma)
        b = luma + saturation * (b - luma)
    return r, g, b


@njit(inline="always")
def _look_up(r, g, b, nodes, low, step):
    """Tetrahedral interpolation in a cubic table (six tetrahedra about the grey diagonal)."""
    top = np.float32(nodes.shape[0] - 1)
    limit = nodes.shape[0] - 2
    r = min(max((r - low) * step, np.float32(0)), top)
    g = min(max((g - low) * step, np.float32(0)), top)
    b = min(max((b - low) * step, np.float32(0)), top)
    i, j, k = min(int(r), limit), min(int(g), limit), min(int(b), limit)
    x, y, z = r - np.float32(i), g - np.float32(j), b - np.float32(k)
    i1, j1, k1, i2, j2, k2 = i, j, k, i, j, k
    if x >= y:
        if y >= z:
            i1, i2, j2 = i + 1, i + 1, j + 1
            first, second, third = x, y, z
        elif x >= z:
            i1, i2, k2 = i + 1, i + 1, k + 1
            first, second, third = x, z, y
        else:
            k1, i2, k2 = k + 1, i + 1, k + 1
            first, second, third = z, x, y
    elif x >= z:
        j1, i2, j2 = j + 1, i + 1, j + 1
        first, second, third = y, x, z
    elif y >= z:
        j1, j2, k2 = j + 1, j + 1, k + 1
        first, second, third = y, z, x
    else:
        k1, j2, k2 = k + 1, j + 1, k + 1
        first, second, third = z, y, x
    w0 = np.float32(1) - first
    w1 = first - second
    w2 = second - third
    red = (
        w0 * nodes[i, j, k, 0]
        + w1 * nodes[i1, j1, k1, 0]
        + w2 * nodes[i2, j2, k2, 0]
        + third * nodes[i + 1, j + 1, k + 1, 0]
    )
    green = (
        w0 * nodes[i, j, k, 1]
        + w1 * nodes[i1, j1, k1, 1]
        + w2 * nodes[i2, j2, k2, 1]
        + third * nodes[i + 1, j + 1, k + 1, 1]
    )
    blue = (
        w0 * nodes[i, j, k, 2]
        + w1 * nodes[i1, j1, k1, 2]
        + w2 * nodes[i2, j2, k2, 2]
        + third * nodes[i + 1, j + 1, k + 1, 2]
    )
    return red, green, blue


@njit(inline="always")
def _wave_level(value):
    level = int((value - np.float32(WAVE_LOW)) * _WAVE_STEP)
    return min(max(level, 0), WAVE_LEVELS - 1)


@njit(inline="always")
def _fine_bin(value):
    index = int((value - np.float32(FINE_LOW)) * np.float32(FINE_PER_UNIT))
    return min(max(index, 0), FINE_BINS - 1)


@njit(nogil=True, cache=True, fastmath=True)
def render_and_measure(
    source,
    curves,
    saturations,
    nodes,
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
    nodes, low, step : the output table, its lowest value, nodes per unit
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
    x0, y0, x1, y1 = meter[0], meter[1], meter[2], meter[3]
    column_of = np.empty(width, np.int64)
    for x in range(width):
        column_of[x] = x * columns // width
    squared = 0.0
    counted = 0
    tile = first_column
    while tile < last_column:
        tile_end = min(tile + _TILE_COLUMNS, last_column)
        left = (tile * width + columns - 1) // columns
        right = (tile_end * width + columns - 1) // columns
        for y in range(height):
            row_metered = y0 <= y < y1
            for x in range(left, right):
                r = np.float32(source[y, x, 0]) * inverse + pack_low
                g = np.float32(source[y, x, 1]) * inverse + pack_low
                b = np.float32(source[y, x, 2]) * inverse + pack_low
                r, g, b = _correct(r, g, b, curves, saturations)
                r, g, b = _look_up(r, g, b, nodes, low, step)
                half = np.float32(0.5)
                picture[y, x, 0] = int(min(max(r, np.float32(0)), np.float32(1)) * np.float32(255) + half)
                picture[y, x, 1] = int(min(max(g, np.float32(0)), np.float32(1)) * np.float32(255) + half)
                picture[y, x, 2] = int(min(max(b, np.float32(0)), np.float32(1)) * np.float32(255) + half)
                if row_metered and x0 <= x < x1:
                    column = column_of[x]
                    luma = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
                    parade[0, column, _wave_level(r)] += 1
                    parade[1, column, _wave_level(g)] += 1
                    parade[2, column, _wave_level(b)] += 1
                    waveform[column, _wave_level(luma)] += 1
                    cb = (b - luma) * np.float32(1 / CB_DIVISOR)
                    cr = (r - luma) * np.float32(1 / CR_DIVISOR)
                    squared += cb * cb + cr * cr
                    across = int((cb + np.float32(VECTOR_HALF)) * _VECTOR_STEP)
                    down = int((np.float32(VECTOR_HALF) - cr) * _VECTOR_STEP)
                    across = min(max(across, 0), VECTOR_SIZE - 1)
                    down = min(max(down, 0), VECTOR_SIZE - 1)
                    vector[down, across] += 1
                    fine[0, _fine_bin(r)] += 1
                    fine[1, _fine_bin(g)] += 1
                    fine[2, _fine_bin(b)] += 1
                    fine[3, _fine_bin(luma)] += 1
                    counted += 1
        tile = tile_end
    sums[0] += squared
    sums[1] += counted


@njit(nogil=True, cache=True, fastmath=True)
def display_of(working, curves, saturations, nodes, low, step, out):
    """Correct and output float32 working values (N, 3) into `out` float32 (N, 3)."""
    for n in range(working.shape[0]):
        r, g, b = _correct(working[n, 0], working[n, 1], working[n, 2], curves, saturations)
        out[n, 0], out[n, 1], out[n, 2] = _look_up(r, g, b, nodes, low, step)


@njit(nogil=True, cache=True, fastmath=True)
def look_up_codes(codes, nodes, low, step, out):
    """Apply a table to float32 values (N, 3) and pack the result: uint16 (N, 3)."""
    for n in range(codes.shape[0]):
        r, g, b = _look_up(codes[n, 0], codes[n, 1], codes[n, 2], nodes, low, step)
        out[n, 0] = int(min(max((r - PACK_LOW) * PACK_SCALE + 0.5, 0.0), 65535.0))
        out[n, 1] = int(min(max((g - PACK_LOW) * PACK_SCALE + 0.5, 0.0), 65535.0))
        out[n, 2] = int(min(max((b - PACK_LOW) * PACK_SCALE + 0.5, 0.0), 65535.0))


@njit(nogil=True, cache=True)
def bake_curve(slope, offset, power, curve):
    """Tabulate ``(x · slope + offset) ^ power``, negatives passing the power, into `curve`."""
    for index in range(CURVE_SIZE):
        value = (CURVE_LOW + index * CURVE_SPAN / (CURVE_SIZE - 1)) * slope + offset
        if value > 0.0 and power != 1.0:
            value = math.exp(math.log(value) * power)
        curve[index] = value
