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

KEY_STOPS = -0.45
"""Where the middle of a normally lit scene lies, in stops from mid grey."""

WHITE_STOPS = 2.3
"""Where white surfaces lie: they reflect 90 % of the light, mid grey 18 %."""

WHITES_PERCENTILE = 97
"""What is brighter is small: lamps and glints."""

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
    Two witnesses are heard: the middle of the scene (the mean of the 30th to the 70th
    percentile of log luminance) asks to be brought to the key, and its brightest surfaces ask
    to be white. Either may be wrong, a close-up of a white wall or a scene without white; the
    shift is the smaller of the two, and none where they contradict each other. A raise is held
    back so that highs do not pass :data:`HIGHS_CEILING`, unless they are small lights (the
    brightest 1 % far above the rest).
    """
    stops = scene_stops(working)
    low, high, whites, top, tail = np.percentile(stops, [30, 70, WHITES_PERCENTILE, 99, 90])
    middle = float(stops[(stops >= low) & (stops <= high)].mean())
    small_lights = top - tail > 1.6
    night = small_lights and top - middle > 4.2 and middle < NIGHT_STOPS + 1.0
    by_middle = (NIGHT_KEY_STOPS if night else KEY_STOPS) - middle
    by_whites = by_middle if night else WHITE_STOPS - float(whites)
    shift, confidence, reason = _agreed(by_middle, by_whites)
    reason = (
        f"the scene's middle lies {middle:+.1f} stops from mid grey, its brightest surfaces {whites:+.1f}; {reason}"
    )
    if night:
        reason += "; small lights far above the middle: kept as a night"
        confidence = 0.6
    if shift > 0 and not small_lights:
        held, holds = _held_back(working, shift, table)
        confidence *= 1.0 if holds else 0.8
        if held < shift - 0.01:
            reason += "; held back so that the highs do not clip"
        shift = held
    return float(shift), confidence, reason


def _agreed(by_middle: float, by_whites: float) -> tuple[float, float, str]:
    if by_middle * by_whites <= 0:
        return 0.0, 0.75, "they ask for opposite things, so the exposure stays as recorded"
    shift = min(by_middle, by_whites, key=abs)
    which = "middle" if shift == by_middle else "brightest surfaces"
    return (
        shift,
        0.85 if abs(shift) < 2.5 else 0.6,
        f"the {which} ask{'s' if shift == by_middle else ''} for the smaller shift",
    )


def _held_back(working: np.ndarray, shift: float, table: Table) -> tuple[float, bool]:
    """A raise lowered until the highs stay below their ceiling, and whether they do at last."""
    for _ in range(12):
        step = shift * STOP
        display = display_of(working, [TenNumbers(offset=(step, step, step))], table)
        if np.percentile(luma(display), 99) <= HIGHS_CEILING:
            return shift, True
        shift -= 0.15
    return shift, False
