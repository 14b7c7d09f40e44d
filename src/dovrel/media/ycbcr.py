"""Y′CbCr code values to R′G′B′ and back, exactly (ITU-R BT.709, BT.601, BT.2020, SMPTE ST 240; H.273)."""

from __future__ import annotations

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.develop.threads import in_parts
from dovrel.machine.kernels import njit

LUMA_COEFFICIENTS = {
    "BT.709": (0.2126, 0.0722),
    "BT.601": (0.299, 0.114),
    "BT.2020": (0.2627, 0.0593),
    "SMPTE 240M": (0.212, 0.087),
}
"""Kr and Kb of each matrix that is made of them."""
YCGCO, CONSTANT_LUMINANCE = "YCgCo", "BT.2020 CL"
"""H.273's matrix 8; and 10, whose luminance is of light, so that it is no matrix."""
MATRICES = (*LUMA_COEFFICIENTS, YCGCO, CONSTANT_LUMINANCE)


def _weights_of(matrix: str) -> tuple[float, float, float, float, float, float]:
    """What Cb and Cr add to red, green and blue, each in turn: H.273, equations 38 to 40; of YCgCo, 44 to 47."""
    if matrix == YCGCO:
        return -1.0, 1.0, 1.0, 0.0, -1.0, -1.0
    kr, kb = LUMA_COEFFICIENTS[matrix]
    kg = 1 - kr - kb
    red, blue = 2 * (1 - kr), 2 * (1 - kb)
    return 0.0, red, -blue * kb / kg, -red * kr / kg, blue, 0.0


def luma_weights(matrix: str) -> np.ndarray:
    """What red, green and blue add to luma, float32 (3,); BT.709's where there is no matrix."""
    kr, kb = LUMA_COEFFICIENTS.get(matrix, LUMA_COEFFICIENTS["BT.709"])
    return np.array([kr, 1 - kr - kb, kb], np.float32)


@njit(nogil=True, cache=True, fastmath=True)
def _convert(planes, luma_low, luma_span, chroma_mid, weights, out):
    red_cb, red_cr, green_cb, green_cr, blue_cb, blue_cr = weights
    top, zero = np.float32(65535), np.float32(0)
    scale = np.float32(codes.SIGNAL_SCALE)
    black = np.float32(0.5 - codes.SIGNAL_LOW * codes.SIGNAL_SCALE)
    for row in range(planes.shape[0]):
        for column in range(planes.shape[1]):
            y = (np.float32(planes[row, column, 0]) - luma_low) / luma_span
            cb = np.float32(planes[row, column, 1]) - chroma_mid
            cr = np.float32(planes[row, column, 2]) - chroma_mid
            r = (y + red_cb * cb + red_cr * cr) * scale + black
            g = (y + green_cb * cb + green_cr * cr) * scale + black
            b = (y + blue_cb * cb + blue_cr * cr) * scale + black
            out[row, column, 0] = np.uint16(min(max(r, zero), top))
            out[row, column, 1] = np.uint16(min(max(g, zero), top))
            out[row, column, 2] = np.uint16(min(max(b, zero), top))


def _levels(bits: int, full_range: bool) -> tuple[float, float, float, float]:
    """Black, span of luma, middle and span of chroma, of codes shifted up to 16 bits."""
    if not full_range:
        return 16 * 256.0, 219 * 256.0, 128 * 256.0, 224 * 256.0
    unit, top = float(1 << (16 - bits)), (1 << bits) - 1
    return 0.0, unit * top, unit * (1 << (bits - 1)), unit * top


def to_codes(planes: np.ndarray, bits: int, matrix: str, full_range: bool) -> np.ndarray:
    """Convert one picture.

    Parameters
    ----------
    planes : uint16 (H, W, 3), Y′, Cb, Cr of `bits` bits, shifted up to 16
    matrix : one of :data:`MATRICES`
    full_range : True if code values span the whole range, False for narrow range

    Returns
    -------
    uint16 (H, W, 3), recorded codes of R′G′B′ (:func:`codes.encode_signal`): levels beyond the
    nominal range are kept as far as those codes go.
    """
    levels = _levels(bits, full_range)
    if matrix == CONSTANT_LUMINANCE:
        return codes.encode_signal(_of_constant_luminance(planes, *levels))
    low, span, middle, reach = (np.float32(level) for level in levels)
    out = np.empty(planes.shape, np.uint16)
    _convert(planes, low, span, middle, tuple(np.float32(weight) / reach for weight in _weights_of(matrix)), out)
    return out


def _of_constant_luminance(planes: np.ndarray, low: float, span: float, middle: float, reach: float) -> np.ndarray:
    """R′G′B′ (H, W, 3) of Y′C, C′BC and C′RC: BT.2020, table 4, "constant luminance"."""
    luma, cb, cr = np.moveaxis(planes.astype(np.float32), -1, 0)
    luma, cb, cr = (luma - low) / span, (cb - middle) / reach, (cr - middle) / reach
    blue = luma + cb * np.where(cb <= 0, np.float32(1.9404), np.float32(1.5816))
    red = luma + cr * np.where(cr <= 0, np.float32(1.7184), np.float32(0.9936))
    kr, kb = LUMA_COEFFICIENTS["BT.2020"]
    light = _to_light(luma) - kr * _to_light(red) - kb * _to_light(blue)
    return np.stack([red, _to_signal(light / (1 - kr - kb)), blue], axis=-1)


_ALPHA, _BETA = 1.09929682680944, 0.018053968510807
"""BT.2020's, exactly; the standard rounds them for 10 and for 12 bits."""


def _to_light(signal: np.ndarray) -> np.ndarray:
    """BT.2020's transfer function undone."""
    above = np.power(np.maximum((signal + (_ALPHA - 1)) / _ALPHA, 0), 1 / 0.45)
    return np.where(signal < 4.5 * _BETA, signal / 4.5, above)


def _to_signal(light: np.ndarray) -> np.ndarray:
    """BT.2020's transfer function, straight on below black."""
    return np.where(light < _BETA, 4.5 * light, _ALPHA * np.power(np.maximum(light, 0), 0.45) - (_ALPHA - 1))


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
