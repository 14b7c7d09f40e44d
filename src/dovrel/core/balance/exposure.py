"""How far a shot's exposure is off, keeping the scene's sense: a night stays dark."""

from __future__ import annotations

import numpy as np

from dovrel.core.colour.cdl import TenNumbers
from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import AP1_LUMA, MID_GREY, STOP, from_linear, to_linear
from dovrel.core.measure.frame import display_of
from dovrel.core.measure.readings import luma

HIGHS_CEILING = 0.93
"""Display luma that the 99th percentile may reach when the exposure is raised."""

KEY_STOPS = -0.55
"""Where the middle of a normally lit scene lies, in stops from mid grey."""

NIGHT_STOPS = -3.2
"""A scene whose middle is recorded this far down, with lights in it, is taken to be a night."""

NIGHT_KEY_STOPS = -2.2


def scene_stops(working: np.ndarray) -> np.ndarray:
    """Stops from mid grey of the luminance of working pixels (N, 3)."""
    luminance = np.maximum(to_linear(working) @ AP1_LUMA, 1e-6)
    return (from_linear(luminance) - MID_GREY) / STOP


def exposure_shift(working: np.ndarray, table: Table) -> tuple[float, float, str]:
    """Stops to add, confidence 0..1 and the reason in words.

    Parameters
    ----------
    working : float array (N, 3), the meter's pixels, clipped and black ones left out
    table : the output table, for the ceiling of the highs

    Notes
    -----
    The middle of the scene is the mean of the 30th to the 70th percentile of log luminance. It
    is brought to the key; the raise is held back so that highs do not pass
    :data:`HIGHS_CEILING`, unless they are small lights (the brightest 1 % far above the rest).
    """
    stops = scene_stops(working)
    low, high, top, tail = np.percentile(stops, [30, 70, 99, 90])
    middle = float(stops[(stops >= low) & (stops <= high)].mean())
    small_lights = top - tail > 1.6
    night = small_lights and top - middle > 4.2 and middle < NIGHT_STOPS + 1.0
    key = NIGHT_KEY_STOPS if night else KEY_STOPS
    shift = key - middle
    reason = f"the scene's middle lies {middle:+.1f} stops from mid grey"
    confidence = 0.85 if abs(shift) < 2.5 else 0.6
    if night:
        reason += "; small lights far above it: kept as a night"
        confidence = 0.6
    if shift > 0 and not small_lights:
        for _ in range(12):
            step = shift * STOP
            display = display_of(working, [TenNumbers(offset=(step, step, step))], table)
            if np.percentile(luma(display), 99) <= HIGHS_CEILING:
                break
            shift -= 0.15
        else:
            confidence *= 0.8
        if shift < key - middle - 0.01:
            reason += "; held back so that the highs do not clip"
    return float(shift), confidence, reason
