"""16-bit codes: how working and display values are kept and counted.

Working codes span -0.1..1.5 of the working space, 2.4e-5 a step. Display codes span -12.5 % to
112.5 % of the output signal, 1.9e-5 a step; their upper eight bits are a scope's level.
"""

from __future__ import annotations

import numpy as np

PACK_LOW = -0.1
PACK_SCALE = 65535.0 / 1.6

DISPLAY_LOW = -0.125
DISPLAY_SPAN = 1.25
DISPLAY_SCALE = 65535.0 / DISPLAY_SPAN
BLACK_CODE = round((0.0 - DISPLAY_LOW) * DISPLAY_SCALE)
WHITE_CODE = round((1.0 - DISPLAY_LOW) * DISPLAY_SCALE)

LEVELS = 256
"""Levels of a scope over the display codes' span."""

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


def encode_display(display: np.ndarray) -> np.ndarray:
    """Display values (1 is 100 %) → 16-bit display codes, values beyond being clipped."""
    return np.clip((np.asarray(display, np.float32) - DISPLAY_LOW) * DISPLAY_SCALE + 0.5, 0, 65535).astype(np.uint16)


def decode_display(code: np.ndarray) -> np.ndarray:
    """16-bit display codes → display values, float32."""
    return code.astype(np.float32) / np.float32(DISPLAY_SCALE) + np.float32(DISPLAY_LOW)
