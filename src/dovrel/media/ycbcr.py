"""Y′CbCr code values to full-range R′G′B′, exactly (ITU-R BT.709, BT.601, BT.2020; H.273)."""

from __future__ import annotations

import numpy as np
from numba import njit

LUMA_COEFFICIENTS = {"BT.709": (0.2126, 0.0722), "BT.601": (0.299, 0.114), "BT.2020": (0.2627, 0.0593)}
"""Kr and Kb of each matrix."""


@njit(nogil=True, cache=True, fastmath=True)
def _convert(planes, luma_low, luma_span, chroma_mid, chroma_span, kr, kb, out):
    kg = np.float32(1) - kr - kb
    red_cr = np.float32(2) * (np.float32(1) - kr) / chroma_span
    blue_cb = np.float32(2) * (np.float32(1) - kb) / chroma_span
    green_cb = -blue_cb * kb / kg
    green_cr = -red_cr * kr / kg
    top, half, zero = np.float32(65535), np.float32(0.5), np.float32(0)
    for row in range(planes.shape[0]):
        for column in range(planes.shape[1]):
            y = (np.float32(planes[row, column, 0]) - luma_low) / luma_span
            cb = np.float32(planes[row, column, 1]) - chroma_mid
            cr = np.float32(planes[row, column, 2]) - chroma_mid
            r = (y + red_cr * cr) * top + half
            g = (y + green_cb * cb + green_cr * cr) * top + half
            b = (y + blue_cb * cb) * top + half
            out[row, column, 0] = np.uint16(min(max(r, zero), top))
            out[row, column, 1] = np.uint16(min(max(g, zero), top))
            out[row, column, 2] = np.uint16(min(max(b, zero), top))


def to_rgb(planes: np.ndarray, bits: int, matrix: str, full_range: bool) -> np.ndarray:
    """Convert one picture.

    Parameters
    ----------
    planes : uint16 (H, W, 3), Y′, Cb, Cr of `bits` bits, shifted up to 16
    matrix : a key of :data:`LUMA_COEFFICIENTS`
    full_range : True if code values span the whole range, False for narrow range

    Returns
    -------
    uint16 (H, W, 3), full-range R′G′B′; what lies beyond the nominal range is clipped.
    """
    unit = float(1 << (16 - bits))
    top = (1 << bits) - 1
    if full_range:
        levels = (0.0, unit * top, unit * (1 << (bits - 1)), unit * top)
    else:
        eight = 256.0
        levels = (16 * eight, 219 * eight, 128 * eight, 224 * eight)
    kr, kb = LUMA_COEFFICIENTS[matrix]
    out = np.empty(planes.shape, np.uint16)
    low, span, middle, reach = (np.float32(level) for level in levels)
    _convert(planes, low, span, middle, reach, np.float32(kr), np.float32(kb), out)
    return out
