"""Candidates for a balance, best first."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dovrel.core.balance import exposure, whites
from dovrel.core.colour import white
from dovrel.core.colour.cdl import TenNumbers
from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import STOP
from dovrel.core.correct.solve import take_sample

CLIPPED_AT = 0.99
TOO_DARK_AT = 0.02
DEFAULT_KEPT_CAST = 0.12
SAMPLE_PIXELS = 20000


@dataclass(frozen=True)
class Candidate:
    """One proposed balance: ten numbers, confidence 0..1, and why."""

    id: str
    name: str
    numbers: TenNumbers
    confidence: float
    reason: str
    warmth: float
    tint: float
    exposure: float


def usable_pixels(recorded: np.ndarray) -> np.ndarray:
    """Mask (H, W) of pixels that are neither clipped (≥ 99 % in any recorded channel) nor too
    dark to tell a colour (< 2 % in all)."""
    return (recorded.max(axis=-1) < CLIPPED_AT) & (recorded.max(axis=-1) > TOO_DARK_AT)


def propose(
    working: np.ndarray,
    recorded: np.ndarray,
    table: Table,
    kept_cast: float = DEFAULT_KEPT_CAST,
) -> list[Candidate]:
    """Candidates for exposure and white, best first.

    Parameters
    ----------
    working : float array (H, W, 3), the meter's working values
    recorded : float array (H, W, 3), the same pixels as recorded, 0..1 of the code range
    kept_cast : 0..1, the part of the light's own colour that is kept (a lamp stays warm)

    Raises
    ------
    ValueError
        If fewer than 1 % of the pixels are usable; the message says what they are instead.
    """
    usable = usable_pixels(recorded)
    if usable.mean() < 0.01:
        clipped = float((recorded.max(axis=-1) >= CLIPPED_AT).mean())
        what = "clipped in the recording" if clipped > 0.5 else "too dark"
        raise ValueError(f"nothing to balance by: {100 * max(clipped, 1 - clipped):.0f} % of the pixels are {what}")
    sample = take_sample(working[usable], SAMPLE_PIXELS)
    stops, exposure_confidence, exposure_reason = exposure.exposure_shift(sample, table)

    found: list[whites.White] = []
    neutrals = whites.near_neutrals(sample)
    bright = whites.bright_surfaces(sample)
    for candidate in (neutrals, bright):
        if candidate:
            found.append(candidate)
    if found:
        by_skin = whites.skin(sample, found[0])
        if by_skin:
            found.append(by_skin)
    found.append(whites.White("as-shot", "white as recorded", white.NEUTRAL_CCT, 0.0, 0.15, "the white is left alone"))
    proposals = []
    for light in found:
        numbers = balance_numbers(light.warmth, light.tint, stops, kept_cast)
        proposals.append(
            Candidate(
                light.id,
                light.name,
                numbers,
                light.confidence * exposure_confidence,
                f"{exposure_reason}; white from {light.name}: {light.reason}",
                light.warmth,
                light.tint,
                stops,
            )
        )
    return sorted(proposals, key=lambda c: -c.confidence)


def balance_numbers(warmth: float, tint: float, stops: float, kept_cast: float) -> TenNumbers:
    """Offsets for a light and an exposure. A warm light keeps its part of the cast; a green or
    magenta one never does, for nobody lights a scene so by intent."""
    neutral = 1e6 / white.NEUTRAL_CCT
    mired = 1e6 / warmth
    kept = kept_cast * (1.0 + 1.2 * np.clip((mired - neutral - 60) / 150, 0, 1))
    mired = neutral + (mired - neutral) * (1 - kept)
    offset = white.offset_for(float(np.clip(1e6 / mired, 2000, 25000)), tint) + stops * STOP
    return TenNumbers(offset=(float(offset[0]), float(offset[1]), float(offset[2])))
