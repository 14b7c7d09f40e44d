"""Y′CbCr code values to R′G′B′ and back, exactly (ITU-R BT.709, BT.601, BT.2020; H.273)."""

from __future__ import annotations

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.develop.threads import in_parts
from dovrel.machine.kernels import njit

LUMA_COEFFICIENTS = {"BT.709": (0.2126, 0.0722), "BT.601": (0.299, 0.114), "BT.2020": (0.2627, 0.0593)}
"""Kr and Kb of each matrix."""


def luma_weights(matrix: str) -> np.ndarray:
    """What red, green and blue add to luma, float32 (3,); BT.709's where there is no matrix."""
    kr, kb = LUMA_COEFFICIENTS.get(matrix, LUMA_COEFFICIENTS["BT.709"])
    return np.array([kr, 1 - kr - kb, kb], np.float32)


@njit(nogil=True, cache=True, fastmath=True)
def _convert(planes, luma_low, luma_span, chroma_mid, chroma_span, kr, kb, out):
    kg = np.float32(1) - kr - kb
    red_cr = np.float32(2) * (np.float32(1) - kr) / chroma_span
    blue_cb = np.float32(2) * (np.float32(1) - kb) / chroma_span
    green_cb = -blue_cb * kb / kg
    green_cr = -red_cr * kr / kg
    top, zero = np.float32(65535), np.float32(0)
    scale = np.float32(codes.SIGNAL_SCALE)
    black = np.float32(0.5 - codes.SIGNAL_LOW * codes.SIGNAL_SCALE)
    for row in range(planes.shape[0]):
        for column in range(planes.shape[1]):
            y = (np.float32(planes[row, column, 0]) - luma_low) / luma_span
            cb = np.float32(planes[row, column, 1]) - chroma_mid
            cr = np.float32(planes[row, column, 2]) - chroma_mid
            r = (y + red_cr * cr) * scale + black
            g = (y + green_cb * cb + green_cr * cr) * scale + black
            b = (y + blue_cb * cb) * scale + black
            out[row, column, 0] = np.uint16(min(max(r, zero), top))
            out[row, column, 1] = np.uint16(min(max(g, zero), top))
            out[row, column, 2] = np.uint16(min(max(b, zero), top))


def _levels(bits: int, full_range: bool) -> tuple[float, float, float, float]:
    """Black, span of luma, middle and span of chroma, of codes shifted up to 16 bits."""
    if not full_range:
        return 16 * 256.0, 219 * 256.0, 128 * 256.0, 224 * 256.0
    unit, top = float(1 << (16 - bits)), (1 << bits) - 1
    return 0.0, unit * top, unit * (1 << (bits - 1)), unit * top


def from_narrow(values: np.ndarray, bits: int) -> np.ndarray:
    """Values in parts of all codes of `bits` bits, of narrow range: 0 is black and 1 is white then."""
    top, unit = 2**bits - 1, 2 ** (bits - 8)
    return ((values * top - 16 * unit) / (219 * unit)).astype(np.float32)


def to_codes(planes: np.ndarray, bits: int, matrix: str, full_range: bool) -> np.ndarray:
    """Convert one picture.

    Parameters
    ----------
    planes : uint16 (H, W, 3), Y′, Cb, Cr of `bits` bits, shifted up to 16
    matrix : a key of :data:`LUMA_COEFFICIENTS`
    full_range : True if code values span the whole range, False for narrow range

    Returns
    -------
    uint16 (H, W, 3), recorded codes of R′G′B′ (:func:`codes.encode_signal`): levels beyond the
    nominal range are kept as far as those codes go.
    """
    kr, kb = LUMA_COEFFICIENTS[matrix]
    out = np.empty(planes.shape, np.uint16)
    low, span, middle, reach = (np.float32(level) for level in _levels(bits, full_range))
    _convert(planes, low, span, middle, reach, np.float32(kr), np.float32(kb), out)
    return out


def from_codes(recorded: np.ndarray) -> np.ndarray:
    """Recorded codes of R′G′B′ as narrow-range BT.709 planes: uint16 (3, H, W), shifted up to 16 bits."""
    red, green, blue = np.moveaxis(codes.decode_signal(recorded), -1, 0)
    kr, kb = LUMA_COEFFICIENTS["BT.709"]
    luma = kr * red + (1 - kr - kb) * green + kb * blue
    cb, cr = (blue - luma) / (2 * (1 - kb)), (red - luma) / (2 * (1 - kr))
    planes = np.stack([16 + 219 * luma, 128 + 224 * cb, 128 + 224 * cr]) * 256
    return np.clip(planes + 0.5, 0, 65535).astype(np.uint16)


def planes_of(display: np.ndarray, matrix: str, bits: int, across: int, down: int) -> list[np.ndarray]:
    """Signal codes as narrow-range planes Y′, Cb, Cr; one sample of chroma for so many pixels across and down, 1 or 2.

    Of two across it lies on the first, of which it holds half and a quarter of each neighbour (BT.709's siting); of two down in the middle.

    Parameters
    ----------
    display : uint16 (3, H, W), signal codes of R′G′B′; W and H divided by `across` and `down` without rest
    matrix : a key of :data:`LUMA_COEFFICIENTS`
    bits : of a sample, 8..16

    Returns
    -------
    uint16 arrays (H, W), and twice (H / down, W / across); levels beyond the nominal range as far as codes go
    """
    kr, kb = (np.float32(one) for one in LUMA_COEFFICIENTS[matrix])
    _, height, width = display.shape
    rows = height // down
    luma = np.empty((height, width), np.uint16)
    chroma = np.empty((2, rows, width // across), np.uint16)
    unit = np.float32(2 ** (bits - 8))
    in_parts(rows, lambda first, last: _to_planes(display, kr, kb, unit, across, down, first, last, luma, chroma))
    return [luma, chroma[0], chroma[1]]


@njit(nogil=True, cache=True, fastmath=True)
def _to_planes(display, kr, kb, unit, across, down, first, last, luma, chroma):
    kg = np.float32(1) - kr - kb
    scale = np.float32(1 / codes.SIGNAL_SCALE)
    black = np.float32(codes.SIGNAL_LOW)
    to_cb, to_cr = np.float32(0.5) / (np.float32(1) - kb), np.float32(0.5) / (np.float32(1) - kr)
    half, top = np.float32(0.5), np.float32(255) * unit
    width = display.shape[2]
    for row in range(first, last):
        for below in range(down):
            y = row * down + below
            for x in range(width):
                grey = (
                    kr * np.float32(display[0, y, x])
                    + kg * np.float32(display[1, y, x])
                    + kb * np.float32(display[2, y, x])
                )
                value = (np.float32(16) + np.float32(219) * (grey * scale + black)) * unit + half
                luma[y, x] = np.uint16(min(max(value, unit), top))
        for column in range(width // across):
            x = across * column
            left, right = (max(x - 1, 0), min(x + 1, width - 1)) if across == 2 else (x, x)
            red, green, blue = np.float32(0), np.float32(0), np.float32(0)
            for below in range(down):
                y = row * down + below
                red += (
                    np.float32(2) * np.float32(display[0, y, x])
                    + np.float32(display[0, y, left])
                    + np.float32(display[0, y, right])
                )
                green += (
                    np.float32(2) * np.float32(display[1, y, x])
                    + np.float32(display[1, y, left])
                    + np.float32(display[1, y, right])
                )
                blue += (
                    np.float32(2) * np.float32(display[2, y, x])
                    + np.float32(display[2, y, left])
                    + np.float32(display[2, y, right])
                )
            part = scale / np.float32(4 * down)
            grey = kr * red + kg * green + kb * blue
            cb = (np.float32(128) + np.float32(224) * (blue - grey) * part * to_cb) * unit + half
            cr = (np.float32(128) + np.float32(224) * (red - grey) * part * to_cr) * unit + half
            chroma[0, row, column] = np.uint16(min(max(cb, unit), top))
            chroma[1, row, column] = np.uint16(min(max(cr, unit), top))
