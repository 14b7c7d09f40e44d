"""Why a balance is proposed, in words: which cues moved it, and where."""

from __future__ import annotations

import numpy as np

from dovrel.core.balance.belief import COLOUR_WEIGHT, EXPOSURE_WEIGHT, distance, exposure_of
from dovrel.core.balance.forest import Forest

MOST_NAMED = 3
LITTLE = 0.8
"""CIEDE2000 that a cue must move a picture by to be named."""


def why(forest: Forest, numbers: np.ndarray, gains: np.ndarray) -> str:
    """What a decision for gains in stops (3,) rests on: the cues that moved it most, the strongest first."""
    moved = sorted(forest.moved_by(numbers).items(), key=lambda one: -distance(one[1]))
    named = [f"{cue}: {asked}" for cue, by in moved if distance(by) >= LITTLE and (asked := _asks(by))]
    named = named[:MOST_NAMED]
    if not gains.any():
        said = "nothing is known to be wrong, so it is left as it is"
        return f"{said}; {'; '.join(named)}; but not surely" if named else said
    return "; ".join(named) if named else "several cues ask for a little each"


def _asks(gains: np.ndarray) -> str:
    """Gains in stops (3,) in words: how much brighter, and how much of which colour."""
    stops = float(exposure_of(gains))
    colour = gains - gains.mean()
    warm, green = (colour[0] - colour[2]) / 2, colour[1]
    asked = []
    if abs(stops) * EXPOSURE_WEIGHT >= LITTLE:
        asked.append(f"{abs(stops):.1f} stops {'more' if stops > 0 else 'less'} light")
    if abs(warm) * COLOUR_WEIGHT >= LITTLE:
        asked.append(f"{abs(warm):.2f} stops {'warmer' if warm > 0 else 'cooler'}")
    if abs(green) * COLOUR_WEIGHT >= LITTLE:
        asked.append(f"{abs(green):.2f} stops {'greener' if green > 0 else 'more magenta'}")
    return ", ".join(asked)
