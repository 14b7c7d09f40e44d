"""16-bit codes: how working and display values are kept and counted.

Working codes span -0.1..1.5 of the working space, 2.4e-5 a step. Signal codes, of what is recorded
and of what is displayed, span -12.5 % to 112.5 %, 1.9e-5 a step: room for the levels that a
narrow-range recording can hold beyond black and white. Their upper eight bits are a scope's level.
"""

from __future__ import annotations

import numpy as np

PACK_LOW = -0.1
PACK_SCALE = 65535.0 / 1.6

SIGNAL_LOW = -0.125
SIGNAL_SPAN = 1.25
SIGNAL_SCALE = 65535.0 / SIGNAL_SPAN
BLACK_CODE = round((0.0 - SIGNAL_LOW) * SIGNAL_SCALE)
WHITE_CODE = round((1.0 - SIGNAL_LOW) * SIGNAL_SCALE)

CLIPPED_AT = 0.99
CRUSHED_AT = 0.004
"""Recorded levels that count as clipped, in parts of the level at which the recording clips, or as crushed."""

BINS = 256
"""Bins of a scope over the display codes' span."""

FINE_BINS = 5120
"""Bins of the fine histogram over the display codes' span: 4096 per 100 %."""

CB_DIVISOR = 1.8556
CR_DIVISOR = 1.5748
"""BT.709: Cb = (B′ − Y′) / 1.8556, Cr = (R′ − Y′) / 1.5748."""


def pack(working: np.ndarray) -> np.ndarray:
    """Working values → 16-bit codes over -0.1..1.5, values beyond being clipped (uint16)."""
    clean = np.nan_to_num(np.asarray(working, np.float32), nan=0.0, posinf=1.5, neginf=PACK_LOW)
    return np.clip((clean - PACK_LOW) * PACK_SCALE + 0.5, 0, 65535).astype(np.uint16)


def unpack(codes: np.ndarray) -> np.ndarray:
    """16-bit codes → working values, float32."""
    return codes.astype(np.float32) / np.float32(PACK_SCALE) + np.float32(PACK_LOW)


def encode_signal(display: np.ndarray) -> np.ndarray:
    """Recorded or display values (1 is 100 %) → 16-bit signal codes, values beyond being clipped."""
    return np.clip((np.asarray(display, np.float32) - SIGNAL_LOW) * SIGNAL_SCALE + 0.5, 0, 65535).astype(np.uint16)


def decode_signal(code: np.ndarray) -> np.ndarray:
    """16-bit signal codes → recorded or display values, float32."""
    return code.astype(np.float32) / np.float32(SIGNAL_SCALE) + np.float32(SIGNAL_LOW)


def from_narrow(values: np.ndarray, bits: int) -> np.ndarray:
    """Values in parts of all codes of `bits` bits, of narrow range: 0 is black and 1 is white then."""
    top, unit = 2**bits - 1, 2 ** (bits - 8)
    return ((values * top - 16 * unit) / (219 * unit)).astype(np.float32)
