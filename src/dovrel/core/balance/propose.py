"""Candidates for a balance, best first."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dovrel.core.balance import two_lights, whites
from dovrel.core.balance.belief import decide, distance, exposure_of, with_white
from dovrel.core.balance.forest import Forest
from dovrel.core.balance.hearing import ALONE, LIGHT_SPREAD, SURE_OF_GREY, Heard, Others, hear, with_others
from dovrel.core.balance.statistics import TOO_DARK_AT, Seen, usable_pixels
from dovrel.core.balance.two_lights import Side
from dovrel.core.balance.whites import DEFAULT_KEPT_CAST, White, balance_numbers
from dovrel.core.balance.words import why
from dovrel.core.colour.codes import CLIPPED_AT
from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import STOP
from dovrel.core.measure.sampled import take_sample
from dovrel.core.steps import controls
from dovrel.core.steps.primary import IDENTITY, Primary
from dovrel.errors import Refused

MOST_UNUSABLE = 0.25
"""The part of a patch that may be clipped or too dark; the rest is then white or grey enough to tell."""

SKIN_OFF = 0.35
"""How many stops skin may lie off under a patch's white before the patch is doubted."""

PATCH_PIXELS = 20000
ALIKE = 1.0
"""CIEDE2000 within which two proposals are one."""


@dataclass(frozen=True)
class Candidate:
    """One proposed balance: ten numbers, how often such an answer is right (0..1), and why."""

    id: str
    name: str
    numbers: Primary
    confidence: float
    reason: str
    warmth: float
    tint: float
    exposure: float


def propose(
    working: np.ndarray,
    recorded: np.ndarray,
    table: Table,
    *,
    finished: bool = False,
    kept_cast: float = DEFAULT_KEPT_CAST,
    metered: np.ndarray | None = None,
    patch: np.ndarray | None = None,
    others: Others = ALONE,
    grown: Forest | None = None,
) -> list[Candidate]:
    """Candidates for exposure and white, best first.

    Parameters
    ----------
    working : float array (H, W, 3), a frame's working values
    recorded : float array (H, W, 3), the same as recorded, 0..1 of the level at which the recording clips
    finished : whether the source is display-referred: made to be shown as it is
    kept_cast : 0..1, stops of a warm light's own colour that are kept where one cue says the white
    metered : bool array (H, W) of the pixels that are looked at; all if None
    patch : bool array (H, W) of the pixels that the user says are grey or white; the exposure comes
        from all, the white of the first candidate from these
    others : other pictures that are used with this one
    grown : a forest to weigh by; the one that ships with Dovrel if None

    Raises
    ------
    Refused
        If fewer than 1 % of the pixels are usable, or the patch is clipped or too dark; the
        message says what they are.
    """
    inside = np.ones(recorded.shape[:2], bool) if metered is None else metered
    usable = usable_pixels(recorded) & inside
    if usable.sum() < 0.01 * inside.sum():
        raise Refused(f"nothing to balance by: {_unusable(recorded[inside])}")
    if patch is not None and (patch & usable).sum() < (1 - MOST_UNUSABLE) * patch.sum():
        raise Refused(f"the patch gives no white: {_unusable(recorded[patch])}; choose another")
    heard = hear(working, recorded, table, finished=finished, metered=metered, grown=grown)
    sides = two_lights.hear_each(heard, working, recorded, table, finished=finished) if metered is None else None
    heard, with_whom = with_others(heard, others)
    grey = heard.grey
    if patch is not None:
        grey = _beside_skin(whites.patch(take_sample(working[patch & usable], PATCH_PIXELS)), heard.seen.sample)
    found = _ranked(heard, grey, kept_cast)
    said = [found[0].reason, with_whom]
    if sides:
        found[1:1] = [_by_side(side) for side in sides]
        said.append(
            f"two lights: {' and '.join(f'{side.name} {side.where}' for side in sides)}, each proposed by itself"
        )
    return [replace(found[0], reason="; ".join(filter(None, said))), *found[1:]]


def _by_side(side: Side) -> Candidate:
    """The balance of the part of a picture on which one of its two lights falls."""
    gains = side.heard.decided()
    reason = f"for {side.name} {side.where}, {100 * side.share:.0f} % of the picture"
    because = why(side.heard.forest, side.heard.numbers, gains)
    return _candidate(side.id, f"{side.name}, {side.where}", gains, side.heard.sure(gains), f"{reason}: {because}")


def _ranked(weighed: Heard, grey: White | None, kept_cast: float) -> list[Candidate]:
    lights = _lights(weighed.seen)
    gains = weighed.decided()
    first = _candidate("weighed", "all cues", gains, weighed.sure(gains), why(weighed.forest, weighed.numbers, gains))
    if not gains.any():
        first = replace(first, id="as-shot", name="as recorded")
    others = [_by_one(weighed, light, kept_cast) for light in lights]
    if lights and lights[0].id == "neutrals":
        plain = _by_one(weighed, lights[0], 0.0)
        reason = f"{plain.reason}; nothing of the light's warmth is kept"
        others.append(replace(plain, id="plain", name="neutral throughout", reason=reason))
    if gains.any():
        nothing = np.zeros(3)
        others.append(_candidate("as-shot", "as recorded", nothing, weighed.sure(nothing), "nothing is changed"))
    others.sort(key=lambda c: -c.confidence)
    found = [first]
    if grey:
        found.insert(0 if grey.id == "patch" or grey.confidence >= SURE_OF_GREY else 1, _by_grey(weighed, grey))
    for one in others:
        if all(distance(_gains(one) - _gains(other)) > ALIKE for other in found) or one.id == "as-shot":
            found.append(one)
    return found


def _by_one(weighed: Heard, light: White, kept_cast: float) -> Candidate:
    """The white as one cue has it, the exposure as all have it under that white."""
    belief = with_white(weighed.belief, np.asarray(light.chroma), LIGHT_SPREAD)
    stops = float(exposure_of(decide(belief)))
    offset = np.asarray(balance_numbers(light.chroma, stops, kept_cast).offset)
    gains = offset / STOP
    return _candidate(light.id, light.name, gains, weighed.sure(gains), f"white from {light.name}: {light.reason}")


def _by_grey(weighed: Heard, light: White) -> Candidate:
    """The white of a thing that is known to be grey; all other cues say the exposure."""
    found = _by_one(weighed, light, 0.0)
    return replace(found, confidence=light.confidence)


def _candidate(name: str, shown: str, gains: np.ndarray, sure: float, reason: str) -> Candidate:
    offset = gains * STOP
    numbers = Primary(offset=(float(offset[0]), float(offset[1]), float(offset[2]))) if gains.any() else IDENTITY
    read = controls.read(numbers)
    return Candidate(name, shown, numbers, sure, reason, read.warmth, read.tint, float(exposure_of(gains)))


def _gains(candidate: Candidate) -> np.ndarray:
    return np.asarray(candidate.numbers.offset) / STOP


def _lights(seen: Seen) -> list[White]:
    """The light as single cues have it."""
    return [light for light in (seen.near, whites.bright_surfaces(seen.sample), seen.by_skin) if light]


def _beside_skin(light: White, sample: np.ndarray) -> White:
    """A patch's light with what it makes of skin, where there is some; less sure if that looks wrong."""
    by_skin = whites.skin(sample, light)
    if by_skin is None:
        return light
    off = float(np.hypot(*np.subtract(by_skin.chroma, light.chroma)))
    words = f"{light.reason}; skin then lies {off:.2f} stops from where skin lies"
    return replace(light, reason=words, confidence=light.confidence * (1.0 if off < SKIN_OFF else 0.6))


def _unusable(recorded: np.ndarray) -> str:
    clipped = float((recorded.max(axis=-1) >= CLIPPED_AT).mean())
    dark = float((recorded.max(axis=-1) <= TOO_DARK_AT).mean())
    share, what = (clipped, "clipped in the recording") if clipped >= dark else (dark, "too dark")
    return f"{100 * share:.0f} % of the pixels are {what}"
