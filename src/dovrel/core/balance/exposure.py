"""How bright a scene's surfaces are."""

from __future__ import annotations

import numpy as np

from dovrel.core.colour.working import AP1_LUMA, MID_GREY, STOP, from_linear, to_linear


def scene_stops(working: np.ndarray) -> np.ndarray:
    """Stops from mid grey of the luminance of working pixels (N, 3)."""
    luminance = np.maximum(to_linear(working) @ AP1_LUMA, 1e-6)
    return (from_linear(luminance) - MID_GREY) / STOP
