"""Candidates for a balance, best first."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dovrel.core.balance import chart, exposure, whites
from dovrel.core.balance.whites import WARM, Chroma, White
from dovrel.core.colour.cdl import TenNumbers
from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import AP1_LUMA, STOP
from dovrel.core.measure.sampled import take_sample

CLIPPED_AT = 0.99
TOO_DARK_AT = 0.02
MOST_UNUSABLE = 0.25
"""The part of a patch that may be clipped or too dark; the rest is then white or grey enough to tell."""

DEFAULT_KEPT_CAST = 0.5
"""Stops of a warm light's own colour that are taken to be meant: a lamp stays warm, low sun golden."""

SKIN_OFF = 0.35
"""Stops by which skin may lie off under a patch's white before the patch is doubted."""

SAMPLE_PIXELS = 20000
SURE_OF_NEUTRAL = {"chart", "card", "neutrals"}
"""Lights that surfaces known or thought to be grey show; beside their warmth kept, it is offered gone."""

AS_SHOT = White("as-shot", "white as recorded", (0.0, 0.0), 0.15, "the white is left alone")


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
    patch: np.ndarray | None = None,
) -> list[Candidate]:
    """Candidates for exposure and white, best first.

    Parameters
    ----------
    working : float array (H, W, 3) or (N, 3), the meter's working values
    recorded : float array of the same shape, the same pixels as recorded, 0..1 of the code range
    kept_cast : 0..1, stops of a warm light's own colour that are kept
    patch : bool array of the pixels that the user says are grey or white; the exposure comes
        from all, the white of the first candidate from these

    Raises
    ------
    ValueError
        If fewer than 1 % of the pixels are usable, or the patch is clipped or too dark; the
        message says what they are.
    """
    usable = usable_pixels(recorded)
    if usable.mean() < 0.01:
        raise ValueError(f"nothing to balance by: {_unusable(recorded)}")
    sample = take_sample(working[usable], SAMPLE_PIXELS)
    shift = exposure.exposure_shift(sample, table)
    lights = _lights(sample)
    if working.ndim == 3 and patch is None and (found := chart.find_white(working, usable, lights[0])):
        lights.insert(0, found)
    proposals = [_candidate(light, shift, kept_cast) for light in lights]
    plain = _candidate(lights[0], shift, 0.0)
    if lights[0].id in SURE_OF_NEUTRAL and plain.numbers != proposals[0].numbers:
        reason = f"{plain.reason}; nothing of the light's warmth is kept"
        less_sure = 0.6 * plain.confidence
        proposals.append(replace(plain, id="plain", name="neutral throughout", confidence=less_sure, reason=reason))
    proposals.sort(key=lambda c: -c.confidence)
    if patch is not None:
        good = patch & usable
        if good.sum() < (1 - MOST_UNUSABLE) * patch.sum():
            raise ValueError(f"the patch tells no white: {_unusable(recorded[patch])}; choose another")
        light = _beside_skin(whites.patch(take_sample(working[good], SAMPLE_PIXELS)), sample)
        proposals.insert(0, _candidate(light, shift, 0.0))
    return proposals


def _unusable(recorded: np.ndarray) -> str:
    clipped = float((recorded.max(axis=-1) >= CLIPPED_AT).mean())
    dark = float((recorded.max(axis=-1) <= TOO_DARK_AT).mean())
    share, what = (clipped, "clipped in the recording") if clipped >= dark else (dark, "too dark")
    return f"{100 * share:.0f} % of the pixels are {what}"


def _lights(sample: np.ndarray) -> list[White]:
    found = [light for light in (whites.near_neutrals(sample), whites.bright_surfaces(sample)) if light]
    by_skin = whites.skin(sample, found[0]) if found else None
    return [*found, *([by_skin] if by_skin else []), AS_SHOT]


def _beside_skin(light: White, sample: np.ndarray) -> White:
    """A patch's light with what it makes of skin, where there is some; less sure if that looks wrong."""
    by_skin = whites.skin(sample, light)
    if by_skin is None:
        return light
    off = float(np.hypot(*np.subtract(by_skin.chroma, light.chroma)))
    words = f"{light.reason}; skin then lies {off:.2f} stops from where skin lies"
    return replace(light, reason=words, confidence=light.confidence * (1.0 if off < SKIN_OFF else 0.6))


def _candidate(light: White, shift: tuple[float, float, str], kept_cast: float) -> Candidate:
    stops, confidence, reason = shift
    warmth, tint = light.warmth_and_tint
    return Candidate(
        light.id,
        light.name,
        balance_numbers(light.chroma, stops, kept_cast),
        light.confidence * confidence,
        f"{reason}; white from {light.name}: {light.reason}",
        warmth,
        tint,
        stops,
    )


def balance_numbers(light: Chroma, stops: float, kept_cast: float) -> TenNumbers:
    """Offsets for a light of this log chroma and an exposure, keeping grey's luminance.

    Of a warm light's cast, as much as `kept_cast` stops stay, more is taken away; a blue, green
    or magenta cast goes whole, for nobody lights a scene so by intent.
    """
    chroma = np.asarray(light, np.float64)
    warm = float(chroma @ WARM)
    chroma = chroma - WARM * min(max(warm, 0.0), kept_cast)
    gains = 2.0 ** -np.array([chroma[0], 0.0, chroma[1]])
    offset = np.log2(gains / (AP1_LUMA @ gains)) * STOP + stops * STOP
    return TenNumbers(offset=(float(offset[0]), float(offset[1]), float(offset[2])))
