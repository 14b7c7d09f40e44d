"""BT.709 luma and colour differences of display codes, in integers: one rounding everywhere."""

from __future__ import annotations

import numpy as np

from dovrel.core.colour import codes
from dovrel.machine.kernels import njit

_RED, _GREEN, _BLUE = 6966, 23436, 2366
"""Luma weights in parts of 32768."""
_CB, _CR = round(32768 / codes.CB_DIVISOR), round(32768 / codes.CR_DIVISOR)


@njit(inline="always")
def luma_of(r, g, b):
    """Luma code of int32 display codes."""
    return (r * np.int32(_RED) + g * np.int32(_GREEN) + b * np.int32(_BLUE) + np.int32(16384)) >> np.int32(15)


@njit(inline="always")
def chroma_of(r, b, y):
    """Cb and Cr, in the codes' own steps from 0, of int32 display codes and their luma."""
    return ((b - y) * np.int32(_CB)) >> np.int32(15), ((r - y) * np.int32(_CR)) >> np.int32(15)


@njit(inline="always")
def chroma_place(chroma):
    """A colour difference as a code 0..65535; none lies at 32768."""
    return min(max(chroma + np.int32(32768), np.int32(0)), np.int32(65535))


def luma_codes(display: np.ndarray) -> np.ndarray:
    """Luma of display codes uint16 (3, ...): uint16 (...)."""
    red, green, blue = (display[channel].astype(np.int32) for channel in range(3))
    return ((red * _RED + green * _GREEN + blue * _BLUE + 16384) >> 15).astype(np.uint16)


def chroma_codes(display: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Cb and Cr of display codes uint16 (3, ...): int32 (...) each, in the codes' own steps from 0."""
    luma = luma_codes(display).astype(np.int32)
    cb = ((display[2].astype(np.int32) - luma) * _CB) >> 15
    cr = ((display[0].astype(np.int32) - luma) * _CR) >> 15
    return cb, cr
