"""Clipping and legality: what a recording lost, what a correction loses, what may not be sent.

Legality is EBU R 103 (2020): R′G′B′ within -5..105 %, luma within -1..103 %.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.develop.threads import THREADS, in_parts, part_number
from dovrel.core.measure.signals import luma_of
from dovrel.machine.kernels import njit

RECORDED_HIGH, RECORDED_LOW, CORRECTED_HIGH, CORRECTED_LOW, ILLEGAL = 1, 2, 4, 8, 16
"""Flags of a pixel."""

_NEAR = round(0.0005 * codes.SIGNAL_SCALE)
_RGB_LEGAL = (
    round(-0.05 * codes.SIGNAL_SCALE) + codes.BLACK_CODE,
    round(0.05 * codes.SIGNAL_SCALE) + codes.WHITE_CODE,
)
_LUMA_LEGAL = (
    round(-0.01 * codes.SIGNAL_SCALE) + codes.BLACK_CODE,
    round(0.03 * codes.SIGNAL_SCALE) + codes.WHITE_CODE,
)


@dataclass(frozen=True)
class Limits:
    """Parts (0..1) of the measured pixels, each counted apart.

    Attributes
    ----------
    recorded_high, recorded_low : clipped or crushed in the recording: cannot be mended
    corrected_high, corrected_low : at 100 % or 0 % of the output, but not in the recording: can be
    illegal : outside EBU R 103
    """

    recorded_high: float
    recorded_low: float
    corrected_high: float
    corrected_low: float
    illegal: float


def recorded_flags(code: np.ndarray, ceiling: float = 1.0) -> np.ndarray:
    """Flags of recorded codes uint16 (H, W, 3), see :mod:`codes`: uint8 (H, W). `ceiling` is where the recording clips."""
    flags = np.empty(code.shape[:2], np.uint8)
    clipped, crushed = codes.encode_signal(np.array([codes.CLIPPED_AT * ceiling, codes.CRUSHED_AT]))
    in_parts(len(code), lambda first, last: _flag_recorded(code, clipped, crushed, first, last, flags))
    return flags


def tally(display: np.ndarray, recorded: np.ndarray, mask: np.ndarray | None = None) -> Limits:
    """Parts of the metered pixels that are clipped, crushed or not legal.

    Parameters
    ----------
    display : uint16 (3, H, W), display codes
    recorded : uint8 (H, W), of :func:`recorded_flags`
    mask : uint8 (H, W), the metered pixels; all by default
    """
    height = len(recorded)
    tallies = np.zeros((THREADS, 6), np.int64)
    chosen = recorded if mask is None else mask

    def part(first: int, last: int) -> None:
        _tally(display, recorded, chosen, mask is None, first, last, tallies[part_number(first, height)])

    in_parts(height, part)
    counts = tallies.sum(axis=0)
    parts = counts[:5] / max(int(counts[5]), 1)
    return Limits(*(float(value) for value in parts))


def flag(display: np.ndarray, recorded: np.ndarray) -> np.ndarray:
    """All flags of a developed frame: uint8 (H, W); parameters as of :func:`tally`."""
    flags = np.empty(recorded.shape, np.uint8)
    in_parts(len(recorded), lambda first, last: _flag(display, recorded, first, last, flags))
    return flags


@njit(nogil=True, cache=True)
def _flag_recorded(code, clipped, crushed, first, last, flags):
    for y in range(first, last):
        for x in range(code.shape[1]):
            r, g, b = code[y, x, 0], code[y, x, 1], code[y, x, 2]
            high = (r >= clipped) | (g >= clipped) | (b >= clipped)
            low = (r <= crushed) | (g <= crushed) | (b <= crushed)
            flags[y, x] = high * RECORDED_HIGH + low * RECORDED_LOW


@njit(inline="always")
def _faults(r, g, b, was):
    """Which limits a pixel breaks beyond what its recording did: high, low, illegal."""
    most, least = max(r, max(g, b)), min(r, min(g, b))
    luma = luma_of(r, g, b)
    high = (most >= np.int32(codes.WHITE_CODE - _NEAR)) & ((was & np.uint8(RECORDED_HIGH)) == 0)
    low = (least <= np.int32(codes.BLACK_CODE + _NEAR)) & ((was & np.uint8(RECORDED_LOW)) == 0)
    illegal = (most > np.int32(_RGB_LEGAL[1])) | (least < np.int32(_RGB_LEGAL[0]))
    illegal |= (luma > np.int32(_LUMA_LEGAL[1])) | (luma < np.int32(_LUMA_LEGAL[0]))
    return high, low, illegal


@njit(nogil=True, cache=True)
def _flag(display, recorded, first, last, flags):
    for y in range(first, last):
        for x in range(recorded.shape[1]):
            was = recorded[y, x]
            r, g, b = np.int32(display[0, y, x]), np.int32(display[1, y, x]), np.int32(display[2, y, x])
            high, low, illegal = _faults(r, g, b, was)
            flags[y, x] = was | (high * CORRECTED_HIGH) | (low * CORRECTED_LOW) | (illegal * ILLEGAL)


@njit(nogil=True, cache=True)
def _tally(display, recorded, mask, everywhere, first, last, counts):
    for y in range(first, last):
        n0 = n1 = n2 = n3 = n4 = n5 = np.int32(0)
        for x in range(recorded.shape[1]):
            was = recorded[y, x]
            inside = np.int32(everywhere | (mask[y, x] != 0))
            r, g, b = np.int32(display[0, y, x]), np.int32(display[1, y, x]), np.int32(display[2, y, x])
            high, low, illegal = _faults(r, g, b, was)
            n0 += inside * np.int32((was & np.uint8(RECORDED_HIGH)) != 0)
            n1 += inside * np.int32((was & np.uint8(RECORDED_LOW)) != 0)
            n2 += inside * np.int32(high)
            n3 += inside * np.int32(low)
            n4 += inside * np.int32(illegal)
            n5 += inside
        counts[0] += n0
        counts[1] += n1
        counts[2] += n2
        counts[3] += n3
        counts[4] += n4
        counts[5] += n5
