"""A match along time: a shot whose balance has keyframes is matched at each of them."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace

import numpy as np

from dovrel.core.match.evidence import Evidence
from dovrel.core.match.match import Match, match
from dovrel.core.match.parts import PARTS, Part
from dovrel.core.steps.correction import BALANCE, Correction


@dataclass(frozen=True)
class Wanted:
    """How a match is to be made: see :func:`dovrel.core.match.match.match`.

    Attributes
    ----------
    extended : whether to go on with the extended step; None for as the shot has one or not
    unsure : whether to take answers that are not sure, too
    camera : what the other shots of its camera needed
    """

    strength: float = 1.0
    what: Collection[Part] = PARTS
    extended: bool | None = None
    unsure: bool = False
    camera: np.ndarray | None = None


def match_along(
    correction: Correction, frame: int, evidence: Callable[[int], Evidence], wanted: Wanted
) -> tuple[Match, Correction]:
    """Match at a frame, or at each keyframe of the balance if it has any; gives the report and the new correction.

    `evidence` is gathered at a frame. The report is that of `frame`, or of the keyframe nearest to it. A keyframe whose
    match is not sure stays as it is, and the report names it; if the reported one is not sure, nothing of the correction
    is changed, unless `wanted.unsure`.
    """
    frames = [one.frame for one in correction.step(BALANCE).keyframes]
    if not frames:
        found = _at(correction, frame, evidence, wanted)
        if not (found.sure or wanted.unsure):
            return found, correction
        return found, correction.balanced(found.numbers, found.extended)
    main = min(frames, key=lambda one: abs(one - frame))
    plain = replace(wanted, extended=False)
    results = {one: _at(correction, one, evidence, plain) for one in frames}
    report = results[main]
    if not (report.sure or wanted.unsure):
        return report, correction
    unsure = {one: result for one, result in results.items() if not (result.sure or wanted.unsure)}
    along = {
        one: correction.at(one).numbers_of(BALANCE) if one in unsure else result.numbers
        for one, result in results.items()
    }
    notes = [f"matched at {len(frames) - len(unsure)} of {len(frames)} keyframes; these words tell of frame {main + 1}"]
    if wanted.extended or (wanted.extended is None and correction.extended_in_force):
        notes.append("no extended step: it would have to change along the shot")
    notes += [
        f"frame {one + 1}: only {result.sureness:.0%} sure, so its keyframe is left as it was"
        for one, result in unsure.items()
    ]
    return replace(report, notes=(*report.notes, *notes)), correction.balanced(report.numbers, None, along)


def _at(correction: Correction, frame: int, evidence: Callable[[int], Evidence], wanted: Wanted) -> Match:
    now = correction.at(frame)
    return match(
        evidence(frame),
        start=now.numbers_of(BALANCE),
        strength=wanted.strength,
        what=wanted.what,
        extended=now.extended_in_force is not None if wanted.extended is None else wanted.extended,
        start_extended=now.extended_in_force,
        camera=wanted.camera,
    )
