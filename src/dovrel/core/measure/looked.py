"""What a look does to a picture: to skin, to neutrals, and whether it can have been made for this space at all."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dovrel.core.colour import look_files, spaces
from dovrel.core.colour.working import STOP
from dovrel.core.measure import familiar
from dovrel.core.steps.look import Look

ZONES = {"lows": (8.0, 30.0), "mids": (30.0, 60.0), "highs": (60.0, 96.0)}
"""Ranges of luma in which neutrals are looked at, percent."""
LEAST_SHARE = 1e-3
"""Of a picture that is enough to say something of."""

MOST_BEYOND, MOST_STOPS, LEAST_CONTRAST = 0.05, 2.0, 0.4
"""Of a picture that may lie beyond what a table takes; how far a look may move the middle; what it must leave of contrast."""
_OUTSIDE, _ALIKE = 0.02, 1e-6


@dataclass(frozen=True)
class Looked:
    """What a look did.

    Attributes
    ----------
    skin_before, skin_after : degrees that skin's hue lies off its line; None where there is none
    casts : of each zone's neutrals, Cb and Cr before and after, percent: ((Cb, Cr), (Cb, Cr)); zones without are left out
    """

    skin_before: float | None
    skin_after: float | None
    casts: dict[str, tuple[tuple[float, float], tuple[float, float]]]


def looked(before: np.ndarray, after: np.ndarray) -> Looked:
    """What became of skin and neutrals of display codes (3, H, W): the same pixels, before and after."""
    skin = familiar.find(before, "skin").astype(bool)
    off = [_off_line(display[:, skin]) if skin.mean() >= LEAST_SHARE else None for display in (before, after)]
    neutral = familiar.find(before, "neutrals").astype(bool)
    luma = familiar.plane_of(before)[0]
    casts = {}
    for zone, (low, high) in ZONES.items():
        here = neutral & (luma >= low) & (luma < high)
        if here.mean() >= LEAST_SHARE:
            casts[zone] = _cast(before[:, here]), _cast(after[:, here])
    return Looked(off[0], off[1], casts)


def _off_line(display: np.ndarray) -> float:
    _, cb, cr = familiar.plane_of(display)
    return float(np.median(familiar.turn(np.degrees(np.arctan2(cr, cb)), familiar.SKIN_LINE)))


def _cast(display: np.ndarray) -> tuple[float, float]:
    _, cb, cr = familiar.plane_of(display)
    return float(np.median(cb)), float(np.median(cr))


def what_cannot_be_right(look: Look, working: np.ndarray) -> list[str]:
    """Sentences on a look that gets, or makes, what it cannot have been made for; none for most.

    Parameters
    ----------
    working : float array (N, 3), working values of a picture as they reach the look

    Raises
    ------
    LookMissing
        If its file is not there.
    """
    taken = spaces.from_working(working, look.takes)
    given = look_files.through(look.digest, taken)
    said = []
    outside = np.abs(taken - np.clip(taken, 0, 1)).max(axis=-1) > _OUTSIDE
    at_the_end = np.abs(given - look_files.through(look.digest, np.clip(taken, 0, 1))).max(axis=-1) < _ALIKE
    beyond = float((outside & at_the_end).mean())
    if beyond > MOST_BEYOND:
        said.append(
            f"{beyond:.0%} of the picture lies beyond what its table takes as {_name(look.takes)}: it may expect another space"
        )
    after = spaces.to_working(given, look.gives)
    levels = [values.mean(axis=-1) for values in (working, after)]
    stops = float(np.median(levels[1]) - np.median(levels[0])) / STOP
    if abs(stops) > MOST_STOPS:
        way = "lighter" if stops > 0 else "darker"
        said.append(
            f"it makes the picture {abs(stops):.1f} stops {way}: it may give another space than {_name(look.gives)}"
        )
    spans = [float(np.subtract(*np.percentile(level, (95, 5)))) for level in levels]
    if spans[0] > 0 and spans[1] < LEAST_CONTRAST * spans[0]:
        said.append(f"it leaves {spans[1] / spans[0]:.0%} of the picture's contrast: it may expect another space")
    return said


def _name(space: str) -> str:
    return spaces.find(space).name
