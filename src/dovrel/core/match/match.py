"""Matching a shot to a reference: the answer, its report, and how sure it is."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

import numpy as np

from dovrel.core.balance import hear
from dovrel.core.balance.belief import apart, decide, within_tolerance
from dovrel.core.balance.forest import Forest
from dovrel.core.balance.statistics import usable_pixels
from dovrel.core.colour.codes import CLIPPED_AT
from dovrel.core.colour.working import STOP
from dovrel.core.match.cue import with_camera
from dovrel.core.match.evidence import Evidence
from dovrel.core.match.extend import extend
from dovrel.core.match.fit import LIGHT, SHAPE, Pairs, blend, differences, fit, to_numbers, to_vector
from dovrel.core.match.oblique import SHAPE_PULL, beyond_angle, cautious
from dovrel.core.match.parts import PARTS, Part, parts_of
from dovrel.core.match.residuals import Residuals
from dovrel.core.match.side import Side
from dovrel.core.measure.readings import reading_name
from dovrel.core.steps.extended import Extended
from dovrel.core.steps.primary import IDENTITY, Primary
from dovrel.errors import Refused

MOST_PAIRS = 700
"""More pairs say the same more slowly."""

AS_NEAR = 0.15
"""CIEDE2000 within which one answer is as good as another, so that the shot is left as it is."""

_NONE_OUTLYING = 30.0

TOLERANCE, OBLIQUE_TOLERANCE = 3.0, 4.5
"""Distances up to which a shot is within tolerance: where one view lies over the other, and from
another angle, where the true answers of the demo themselves lie 0.8 to 4.6 from their references, nine of ten
less than 3; over one another they lie 0.4 to 0.8."""

LEAST_SURE = 0.15
"""Sureness below which an answer is offered, to be looked at, and not applied unasked."""

SURE_BY_LIGHT = 0.6
"""The same of answers that rest on light and neutrals alone: two places are seldom as alike as two views of one."""

UNSURE_STRENGTH = 0.85
"""How much of an answer is kept that rests on light and neutrals alone."""


@dataclass(frozen=True)
class Match:
    """The answer and its report.

    Attributes
    ----------
    numbers : the ten numbers for the shot's balance
    extended : the extended step after them, if it was asked for and gains what can be believed
    distance_before, distance_after : mean CIEDE2000 over what the two share
    residuals : what stays different in lows, mids, highs and on skin
    left : (10,), aim minus reading of each of the ten readings, percent
    confidence : 0..1
    basis : ``points``, ``ties``, ``chain``, ``light`` or ``none``: what the answer rests on
    notes : sentences: what it rests on, what could not be met, and why
    correspondences : number of agreeing points
    tolerance : the distance up to which the shot is within tolerance, seen as it is
    chain : the names on the link path to the reference, where it was matched in its family: from itself on
    offered : whether what it gains is too little for how sure it is
    """

    numbers: Primary
    extended: Extended | None
    distance_before: float
    distance_after: float
    residuals: Residuals
    left: np.ndarray
    confidence: float
    basis: str
    notes: tuple[str, ...]
    correspondences: int
    tolerance: float
    chain: tuple[str, ...] = ()
    offered: bool = False

    @property
    def sure(self) -> bool:
        """Whether it is sure enough to be applied unasked; what changes nothing always is."""
        if self.offered:
            return False
        return self.basis == "none" or self.confidence >= (SURE_BY_LIGHT if self.basis == "light" else LEAST_SURE)

    def as_record(self) -> dict:
        """All but the correction itself, as plain numbers and words."""
        return {
            "before": self.distance_before,
            "after": self.distance_after,
            "left": self.left.tolist(),
            "residuals": self.residuals.as_record(),
            "confidence": self.confidence,
            "basis": self.basis,
            "notes": list(self.notes),
            "correspondences": self.correspondences,
            "tolerance": self.tolerance,
            "chain": list(self.chain),
        }


def match(
    evidence: Evidence,
    *,
    start: Primary = IDENTITY,
    strength: float = 1.0,
    what: Collection[Part] = PARTS,
    extended: bool = False,
    start_extended: Extended | None = None,
    camera: np.ndarray | None = None,
    grown: Forest | None = None,
) -> Match:
    """Find the ten numbers that make a shot measure like a reference on what the two share.

    Parameters
    ----------
    evidence : gathered from
        reference_working, shot_working : float arrays (H, W, 3), working values before their own
        balances; shot_recorded : float array (H, W, 3), the shot's code values, 0..1
    start : the shot's balance now; distances before are measured under it
    strength : 0..1, the part of the way from `start` to the answer
    what : which parts of the look are matched; the others stay as they are. ``skin`` beside them
        puts skin first
    extended : whether to go on, where the ten numbers end, with a matrix and curves
    start_extended : the extended step in force now, which the answer replaces
    camera : float64 (3,), gains in stops that all other shots of its camera needed, if they agree; heard where the two share
        no points
    grown : a forest to weigh both pictures' lights by where they share no points; the one that ships with Dovrel if None

    Returns
    -------
    Match
        Never worse than `start` by its own measure: if nothing visibly helps, the numbers are `start`
        and the notes say so.

    Raises
    ------
    Refused
        If `strength` lies outside 0..1.
    """
    if not 0 <= strength <= 1:
        raise Refused("strength must lie between 0 and 100 %")
    notes: list[str] = []
    whole = evidence
    if "skin" in what:
        evidence = evidence.with_skin_first(notes)
    if evidence.pairs is not None:
        basis = "points" if evidence.found else "ties"
        numbers, confidence = _fit_to_pairs(evidence, evidence.pairs, start)
        candidates = [numbers]
        if evidence.found:
            notes.append(f"{len(evidence.points)} points of the same subject found in both pictures")
        if evidence.ties:
            notes.append(f"{evidence.ties} {'tie' if evidence.ties == 1 else 'ties'} held to measure the same")
    else:
        basis = "light"
        by_light, confidence = _by_light(evidence, notes, camera, grown)
        candidates = [blend(start, by_light, UNSURE_STRENGTH), blend(start, by_light, 0.5)]
        notes.append(
            "the two pictures share no recognisable points; matched by the light and the neutrals "
            f"alone, at no more than {100 * UNSURE_STRENGTH:.0f} % strength"
        )
    before = evidence.distance(start)
    reached = [evidence.distance(candidate) for candidate in candidates]
    numbers = candidates[int(np.argmin(reached))]
    if min(reached) > before - AS_NEAR:
        numbers = start
        basis = "none" if basis == "light" else basis
        if min(reached) < before + AS_NEAR:
            notes.append(
                "ten numbers bring the shot not visibly nearer to the reference than it lies; nothing was changed in them"
            )
        else:
            basis, confidence = "none", min(confidence, 0.3)
            notes.append("no correction brings the shot nearer to the reference; nothing was changed")
    part = _extension(evidence, numbers, what, notes) if extended else None
    numbers = blend(start, parts_of(start, numbers, what), strength)
    chain = [numbers] if part is None else [numbers, part := part.at_strength(strength)]
    aims = whole.reference_readings()
    left = aims - whole.readings(*chain)
    notes.extend(_clipping_notes(whole.shot, aims))
    return Match(
        numbers,
        part,
        whole.distance(start, *([start_extended] if start_extended else [])),
        whole.distance(*chain),
        whole.residuals(*chain),
        left,
        confidence,
        basis,
        tuple(notes),
        len(evidence.points),
        TOLERANCE if evidence.overlies else OBLIQUE_TOLERANCE,
    )


def _extension(evidence: Evidence, numbers: Primary, what: Collection[Part], notes: list[str]) -> Extended | None:
    """The extended step after `numbers`, with a note of what it gains, or why there is none."""
    if not set(what) >= set(PARTS):
        notes.append("the extended step needs levels, cast and saturation matched together; left out")
        return None
    if evidence.pairs is None or not evidence.overlies:
        notes.append(
            "no extended step: it is fitted only where one view lies over the other, for from another "
            "angle surfaces look different by themselves"
        )
        return None
    found = extend(evidence.pairs, numbers, evidence.table)
    if found.extended is None:
        notes.append("no extended step: a matrix and curves gain nothing on what they were not fitted to")
        return None
    notes.append(
        f"the extended step takes {100 * found.gained:.0f} % off the difference where it was not fitted; "
        "CDLs do not carry it"
    )
    return found.extended


def _by_light(
    evidence: Evidence, notes: list[str], camera: np.ndarray | None, grown: Forest | None
) -> tuple[Primary, float]:
    """Leave the shot as far from balanced as the reference is, by what all cues of both say; and how likely that is right.

    Like a balance, it moves the shot only as far as it is known to be off.
    """
    shot, reference = evidence.shot, evidence.reference
    usable = usable_pixels(shot.recorded) & shot.metered
    if usable.sum() < 0.01 * shot.metered.sum():
        notes.append("nearly all of the shot is clipped or black in the recording")
        return IDENTITY, 0.0
    here, there = (
        hear(working, recorded, evidence.table, finished=side.finished, metered=_part(side.metered), grown=grown)
        for side, working, recorded in (
            (shot, shot.working, shot.recorded),
            (reference, evidence.reference_working, evidence.reference_working),
        )
    )
    wanted = apart(here.belief, there.belief)
    if camera is not None:
        wanted, share = with_camera(wanted, camera)
        notes.append(f"it is {share:.0%} likely that it needs what its camera's other shots needed")
    gains = decide(wanted)
    offset = gains * STOP
    return Primary(offset=(float(offset[0]), float(offset[1]), float(offset[2]))), within_tolerance(wanted, gains)


def _part(metered: np.ndarray) -> np.ndarray | None:
    """The metered pixels (H, W), or None if they are all."""
    return None if metered.all() else metered


def _fit_to_pairs(evidence: Evidence, pairs: Pairs, start: Primary) -> tuple[Primary, float]:
    """Fit what the pairs can bear, and say how far they are trusted.

    Where one view lies over the other, a surface is lit and seen alike in both, and all ten
    numbers are fitted. From another angle bright sides turn dark and dark ones bright, which
    flattens the tones whatever the cameras did, so only the light is fitted there, a gain in
    each channel; contrast and saturation are those that the reference was given, or what the
    shot was given already if that brings the two nearer, unless gains leave more between the
    two than an angle does.
    """
    table = evidence.table
    thin = pairs.thinned(MOST_PAIRS, keep=evidence.ties)

    def error(candidate: Primary) -> float:
        return float(np.median(differences(thin, [candidate], table)))

    if not evidence.found:
        free = "light" if len(pairs) < 3 else "contrast" if len(pairs) < 6 else "all"
        numbers = fit(pairs, start, table, free, outlying=_NONE_OUTLYING)
        return numbers, float(np.clip(1.1 - error(numbers) / 8, 0.2, 0.9))
    shapes = [_shaped(evidence.reference_numbers, start)]
    if not np.allclose(to_vector(start)[SHAPE], 0, atol=1e-3):
        shapes.append(start)
    lit = [fit(thin, shape, table, "light") for shape in shapes]
    numbers = min(lit, key=error)
    if evidence.overlies:
        numbers = fit(thin, numbers, table, "contrast")
        numbers = fit(thin, numbers, table, "all", pull=0.1, outlying=_NONE_OUTLYING)
    else:
        # Without evidence to the contrary, a shot of the family needs what its reference needed.
        if (share := beyond_angle(error(numbers))) > 0:
            shaped = fit(thin, numbers, table, "contrast", pull=SHAPE_PULL)
            numbers = blend(numbers, shaped, share)
        numbers = cautious(evidence.reference_numbers, numbers, error(numbers))
    cells = {(int(x * 6), int(y * 4)) for x, y in evidence.points.shot}
    tones = np.ptp(np.percentile(pairs.reference.mean(axis=1), [5, 95]))
    enough = 1 - np.exp(-len(pairs) / 80)
    spread = min(1.0, len(cells) / 9) * min(1.0, tones / 0.45)
    trust = float(enough * (0.35 + 0.65 * spread))
    return numbers, trust * float(np.clip(1.25 - error(numbers) / 8, 0.2, 1.0))


def _shaped(shape: Primary, start: Primary) -> Primary:
    """Contrast and saturation of one correction, with the level of another at mid grey."""
    vector = to_vector(shape)
    vector[LIGHT] = to_vector(start)[LIGHT]
    return to_numbers(vector)


def _clipping_notes(shot: Side, aims: np.ndarray) -> list[str]:
    notes = []
    for channel in range(3):
        clipped = float((shot.recorded[shot.metered, channel] >= CLIPPED_AT).mean())
        if clipped > 0.01:
            index = channel * 3 + 2
            notes.append(
                f"{reading_name(index)}: {100 * clipped:.0f} % of the shot is clipped in the recording, "
                f"so it cannot take the reference's shape up to {aims[index]:.0f} %"
            )
    return notes
