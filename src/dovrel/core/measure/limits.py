"""Clipping and legality: what a recording lost, what a correction loses, what may not be sent.

Legality is EBU R 103 (2020): R′G′B′ within -5..105 %, luma within -1..103 %.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from dovrel.core.measure import codes
from dovrel.core.measure.threads import THREADS, in_parts

CLIPPED_AT = 0.99
CRUSHED_AT = 0.004
"""Recorded code values that count as clipped or crushed, in parts of the code range."""

RECORDED_HIGH, RECORDED_LOW, CORRECTED_HIGH, CORRECTED_LOW, ILLEGAL = 1, 2, 4, 8, 16
"""Flags of a pixel."""

_NEAR = round(0.0005 * codes.DISPLAY_SCALE)
_RGB_LEGAL = (
    round(-0.05 * codes.DISPLAY_SCALE) + codes.BLACK_CODE,
    round(0.05 * codes.DISPLAY_SCALE) + codes.WHITE_CODE,
)
_LUMA_LEGAL = (
    round(-0.01 * codes.DISPLAY_SCALE) + codes.BLACK_CODE,
    round(0.03 * codes.DISPLAY_SCALE) + codes.WHITE_CODE,
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


def recorded_flags(recorded: np.ndarray) -> np.ndarray:
    """Flags of recorded code values (H, W, 3) in 0..1: uint8 (H, W)."""
    high = (recorded >= CLIPPED_AT).any(axis=2)
    low = (recorded <= CRUSHED_AT).any(axis=2)
    return np.asarray(high * RECORDED_HIGH + low * RECORDED_LOW, np.uint8)


def flag(display: np.ndarray, recorded: np.ndarray, mask: np.ndarray | None = None) -> tuple[np.ndarray, Limits]:
    """All flags of a developed frame, and their parts of the metered pixels.

    Parameters
    ----------
    display : uint16 (3, H, W), display codes
    recorded : uint8 (H, W), of :func:`recorded_flags`
    mask : uint8 (H, W), the metered pixels; all by default
    """
    height, width = recorded.shape
    flags = np.empty((height, width), np.uint8)
    tallies = np.zeros((THREADS, 6), np.int64)
    chosen = mask if mask is not None else np.zeros((1, 1), np.uint8)

    def part(first: int, last: int) -> None:
        thread = first * THREADS // height
        _flag(display, recorded, chosen, mask is not None, first, last, flags, tallies[thread])

    in_parts(height, part)
    counts = tallies.sum(axis=0)
    parts = counts[:5] / max(int(counts[5]), 1)
    return flags, Limits(*(float(value) for value in parts))


@njit(nogil=True, cache=True)
def _flag(display, recorded, mask, metered, first, last, flags, tally):
    top, bottom = np.int32(codes.WHITE_CODE - _NEAR), np.int32(codes.BLACK_CODE + _NEAR)
    rgb_low, rgb_high = np.int32(_RGB_LEGAL[0]), np.int32(_RGB_LEGAL[1])
    luma_low, luma_high = np.int32(_LUMA_LEGAL[0]), np.int32(_LUMA_LEGAL[1])
    found = np.zeros(32, np.int64)
    for y in range(first, last):
        for x in range(recorded.shape[1]):
            r, g, b = np.int32(display[0, y, x]), np.int32(display[1, y, x]), np.int32(display[2, y, x])
            most, least = max(r, max(g, b)), min(r, min(g, b))
            luma = (r * np.int32(6966) + g * np.int32(23436) + b * np.int32(2366)) >> np.int32(15)
            was = recorded[y, x]
            high = (most >= top) & ((was & RECORDED_HIGH) == 0)
            low = (least <= bottom) & ((was & RECORDED_LOW) == 0)
            illegal = (most > rgb_high) | (least < rgb_low) | (luma > luma_high) | (luma < luma_low)
            value = np.uint8(was | (high * CORRECTED_HIGH) | (low * CORRECTED_LOW) | (illegal * ILLEGAL))
            flags[y, x] = value
            if not metered or mask[y, x] != 0:
                found[value] += 1
    for value in range(32):
        for bit in range(5):
            if value & (1 << bit):
                tally[bit] += found[value]
        tally[5] += found[value]
