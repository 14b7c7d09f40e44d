"""Counting display codes into scopes, exactly: every pixel that is metered, once in each scope."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.develop.threads import THREADS, in_parts, part_number
from dovrel.core.measure.signals import chroma_of, chroma_place, luma_codes, luma_of
from dovrel.machine.kernels import njit

WAVE_COLUMNS = 320
_STRIP = 16
_TILE = 2048
"""Waveform columns and pixels counted together: a tile's values and counters stay in cache."""


@dataclass(frozen=True)
class Scopes:
    """Exact counts; the sum over each scope (over each channel of the parade) is `pixels`.

    A level is one of 256 over -12.5..112.5 %.

    Attributes
    ----------
    parade : uint32 (3, columns, 256), R′G′B′ by column and level
    waveform : uint32 (columns, 256), Y′
    vector : uint32 (256, 256), Cr downwards from +0.625, Cb rightwards from -0.625
    fine : uint32 (3, 5120), R′G′B′ at 4096 bins per 100 % from -12.5 %
    mean_squared_chroma : mean of Cb² + Cr²
    pixels : number of pixels measured
    """

    parade: np.ndarray
    waveform: np.ndarray
    vector: np.ndarray
    fine: np.ndarray
    mean_squared_chroma: float
    pixels: int


def count(display: np.ndarray, mask: np.ndarray | None = None, columns: int = WAVE_COLUMNS) -> Scopes:
    """Count display codes.

    Parameters
    ----------
    display : uint16 (3, H, W)
    mask : uint8 (H, W), pixels to count where not zero; all by default
    columns : columns of waveform and parade, no more than the picture has
    """
    columns = min(columns, display.shape[2])
    parade = np.zeros((3, columns, codes.BINS), np.uint32)
    waveform = np.zeros((columns, codes.BINS), np.uint32)
    vectors = np.zeros((THREADS, 256 * 256), np.uint32)
    fines = np.zeros((THREADS, 3, codes.FINE_BINS), np.uint32)
    sums = np.zeros((THREADS, 2), np.int64)
    metered = mask is not None
    chosen = mask if mask is not None else np.zeros((1, 1), np.uint8)

    def part(first: int, last: int) -> None:
        thread = part_number(first, columns)
        _count(
            display,
            chosen,
            metered,
            columns,
            first,
            last,
            parade,
            waveform,
            vectors[thread],
            fines[thread],
            sums[thread],
        )

    in_parts(columns, part)
    squared, pixels = (int(value) for value in sums.sum(axis=0))
    return Scopes(
        parade,
        waveform,
        vectors.sum(axis=0, dtype=np.uint32).reshape(256, 256),
        fines.sum(axis=0, dtype=np.uint32),
        squared / max(pixels, 1) / codes.SIGNAL_SCALE**2,
        pixels,
    )


@njit(nogil=True, cache=True)
def _count(display, mask, metered, columns, first, last, parade, waveform, vector, fine, sums):
    height, width = display.shape[1], display.shape[2]
    red, green, blue = np.empty(_TILE, np.uint16), np.empty(_TILE, np.uint16), np.empty(_TILE, np.uint16)
    luma, place = np.empty(_TILE, np.uint16), np.empty(_TILE, np.uint16)
    column_of = np.empty(_TILE, np.uint16)
    column_at = np.empty(width, np.uint16)
    for x in range(width):
        column_at[x] = x * columns // width
    for tile in range(first, last, _STRIP):
        tile_end = min(tile + _STRIP, last)
        left = (tile * width + columns - 1) // columns
        right = (tile_end * width + columns - 1) // columns
        held = 0
        for y in range(height):
            for start in range(left, right, _TILE):
                end = min(start + _TILE, right)
                if held + end - start > _TILE:
                    _count_tile(red, green, blue, luma, place, column_of, held, parade, waveform, vector, fine, sums)
                    held = 0
                if metered:
                    for x in range(start, end):
                        if mask[y, x] != 0:
                            red[held], green[held], blue[held] = display[0, y, x], display[1, y, x], display[2, y, x]
                            column_of[held] = column_at[x]
                            held += 1
                else:
                    for x in range(start, end):
                        n = held + x - start
                        red[n], green[n], blue[n] = display[0, y, x], display[1, y, x], display[2, y, x]
                        column_of[n] = column_at[x]
                    held += end - start
        _count_tile(red, green, blue, luma, place, column_of, held, parade, waveform, vector, fine, sums)


@njit(nogil=True, inline="always")
def _count_tile(red, green, blue, luma, place, column_of, held, parade, waveform, vector, fine, sums):
    """One loop for each counter, so that few lines of memory are in use at a time."""
    one, five, six, eight = np.uint32(1), np.uint32(5), np.uint32(6), np.uint16(8)
    squared = np.int64(0)
    for n in range(held):
        r, g, b = np.int32(red[n]), np.int32(green[n]), np.int32(blue[n])
        y = luma_of(r, g, b)
        luma[n] = y
        cb, cr = chroma_of(r, b, y)
        squared += np.int64(cb) * cb + np.int64(cr) * cr
        across = chroma_place(cb)
        down = min(max(np.int32(32767) - cr, np.int32(0)), np.int32(65535))
        place[n] = (down & np.int32(0xFF00)) | (across >> np.int32(8))
    sums[0] += squared
    sums[1] += held
    for n in range(held):
        fine[0, (np.uint32(red[n]) * five) >> six] += one
    for n in range(held):
        fine[1, (np.uint32(green[n]) * five) >> six] += one
    for n in range(held):
        fine[2, (np.uint32(blue[n]) * five) >> six] += one
    for n in range(held):
        parade[0, column_of[n], red[n] >> eight] += one
    for n in range(held):
        parade[1, column_of[n], green[n] >> eight] += one
    for n in range(held):
        parade[2, column_of[n], blue[n] >> eight] += one
    for n in range(held):
        waveform[column_of[n], luma[n] >> eight] += one
    for n in range(held):
        vector[place[n]] += one


CAST_SPAN = 0.25
"""Cast by level shows differences from luma of at most this much to either side."""


def count_chroma(display: np.ndarray, mask: np.ndarray | None = None) -> np.ndarray:
    """Cb and Cr by column and level: uint32 (2, columns, 256); no chroma lies at level 128."""
    columns = min(WAVE_COLUMNS, display.shape[2])
    found = np.zeros((2, columns, codes.BINS), np.uint32)
    chosen = mask if mask is not None else np.zeros((1, 1), np.uint8)
    _count_chroma(display, chosen, mask is not None, columns, found)
    return found


def count_cast(display: np.ndarray, mask: np.ndarray | None = None) -> np.ndarray:
    """Cast by level: R′, G′ and B′ less Y′, by Y′.

    Returns
    -------
    uint32 (3, 256, 256): channel, luma level, difference from -25 % to 25 %; differences beyond
    lie in the outermost
    """
    found = np.zeros((3, codes.BINS, 256), np.uint32)
    chosen = mask if mask is not None else np.zeros((1, 1), np.uint8)
    _count_cast(display, chosen, mask is not None, found)
    return found


def count_vector(display: np.ndarray, low: float, high: float, mask: np.ndarray | None = None) -> np.ndarray:
    """The vectorscope of pixels whose luma lies in a range of percent: uint32 (256, 256)."""
    luma = luma_codes(display)
    ends = codes.encode_signal(np.array([low, high]) / 100)
    inside = (luma >= ends[0]) & (luma <= ends[1])
    if mask is not None:
        inside &= mask != 0
    return count(display, inside.astype(np.uint8)).vector


@njit(nogil=True, cache=True)
def _count_chroma(display, mask, metered, columns, found):
    height, width = display.shape[1], display.shape[2]
    one = np.uint32(1)
    for y in range(height):
        for x in range(width):
            if metered and mask[y, x] == 0:
                continue
            r, g, b = np.int32(display[0, y, x]), np.int32(display[1, y, x]), np.int32(display[2, y, x])
            luma = luma_of(r, g, b)
            cb, cr = chroma_of(r, b, luma)
            column = x * columns // width
            found[0, column, chroma_place(cb) >> np.int32(8)] += one
            found[1, column, chroma_place(cr) >> np.int32(8)] += one


@njit(nogil=True, cache=True)
def _count_cast(display, mask, metered, found):
    one, eight = np.uint32(1), np.int32(8)
    scale = np.float32(128 / (CAST_SPAN * codes.SIGNAL_SCALE))
    middle, most = np.float32(128), np.float32(255)
    for y in range(display.shape[1]):
        for x in range(display.shape[2]):
            if metered and mask[y, x] == 0:
                continue
            r, g, b = np.int32(display[0, y, x]), np.int32(display[1, y, x]), np.int32(display[2, y, x])
            luma = luma_of(r, g, b)
            level = np.uint32(luma >> eight)
            found[0, level, np.uint32(min(max(np.float32(r - luma) * scale + middle, np.float32(0)), most))] += one
            found[1, level, np.uint32(min(max(np.float32(g - luma) * scale + middle, np.float32(0)), most))] += one
            found[2, level, np.uint32(min(max(np.float32(b - luma) * scale + middle, np.float32(0)), most))] += one
