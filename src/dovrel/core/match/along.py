"""A match along time: a shot whose balance has keyframes is matched at them, and stays in one piece between."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace

import numpy as np

from dovrel.core.match.evidence import Evidence
from dovrel.core.match.fit import to_numbers, to_vector
from dovrel.core.match.match import Match, match
from dovrel.core.match.parts import PARTS, Part
from dovrel.core.steps.correction import BALANCE, Correction
from dovrel.core.steps.primary import Primary

MOST_LOOKED_AT = 5
"""Keyframes at which a shot is matched; those between move with the ones beside them."""


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


def looked_at(correction: Correction, frame: int, last: int) -> list[int]:
    """The frames at which a shot is matched: this one, or keyframes of its balance if it has any, at most
    :data:`MOST_LOOKED_AT`, evenly chosen; the one nearest to this frame is among them, and none behind the shot's last one."""
    frames = sorted(one.frame for one in correction.step(BALANCE).keyframes if one.frame <= last)
    if not frames:
        return [frame]
    nearest = min(frames, key=lambda one: abs(one - frame))
    if len(frames) <= MOST_LOOKED_AT:
        return frames
    even = np.linspace(0, len(frames) - 1, MOST_LOOKED_AT - 1).round().astype(int)
    return sorted({nearest, *(frames[n] for n in even)})


def match_along(
    correction: Correction, frame: int, answers: Mapping[int, Match], wanted: Wanted
) -> tuple[Match, Correction]:
    """A match at a frame, or at keyframes of the balance if it has any: the report and the new correction.

    `answers` are matches by frame, at least one; see :func:`looked_at`. The report is that of the one nearest to `frame`. A
    keyframe whose match is not sure, or that has none, is moved as those beside it are, and the report tells of it; if the
    reported one is not sure, nothing of the correction is changed, unless `wanted.unsure`.
    """
    keyframes = correction.step(BALANCE).keyframes
    main = min(answers, key=lambda one: abs(one - frame))
    report = answers[main]
    if not (report.sure or wanted.unsure):
        return report, correction
    if not keyframes:
        return report, correction.balanced(report.numbers, report.extended)
    sure = {one: result for one, result in answers.items() if result.sure or wanted.unsure}
    start = {one.frame: correction.at(one.frame).numbers_of(BALANCE) for one in keyframes}
    along = moved_along(start, {one: result.numbers for one, result in sure.items()})
    notes = [f"matched at {len(sure)} of {len(keyframes)} keyframes; these words tell of frame {main + 1}"]
    if len(sure) < len(keyframes):
        notes.append("the other keyframes are moved as those beside them")
    if wanted.extended or (wanted.extended is None and correction.extended_in_force):
        notes.append("no extended step: it would have to change along the shot")
    notes += [
        f"frame {one + 1}: its own match is only {result.confidence:.0%} sure"
        for one, result in answers.items()
        if one not in sure
    ]
    return replace(report, notes=(*report.notes, *notes)), correction.balanced(report.numbers, None, along)


def moved_along(start: Mapping[int, Primary], found: Mapping[int, Primary]) -> dict[int, Primary]:
    """Numbers at all frames of `start`: those found, and between them moved as those beside them, evenly from one to the next."""
    known = sorted(found)
    moves = np.array([to_vector(found[one]) - to_vector(start[one]) for one in known])
    frames = [one for one in start if one not in found]
    between = np.stack([np.interp(frames, known, column) for column in moves.T], axis=1)
    moved = {one: to_numbers(to_vector(start[one]) + move) for one, move in zip(frames, between, strict=True)}
    return {one: found[one] if one in found else moved[one] for one in start}


def by_light_if_surer(alone: Match, family: Match | None) -> Match:
    """A family's answer that is not sure, or, where light alone says more of a frame that shares nothing with the reference, what
    that says."""
    if family is None or (alone.sure and not alone.correspondences and not family.sure):
        return alone
    return family


def match_at(correction: Correction, frame: int, evidence: Evidence, wanted: Wanted) -> Match:
    """Match a frame's balance, by what the reference says of it there."""
    now = correction.at(frame)
    changes = bool(correction.step(BALANCE).keyframes)
    extended = now.extended_in_force is not None if wanted.extended is None else wanted.extended
    return match(
        evidence,
        start=now.numbers_of(BALANCE),
        strength=wanted.strength,
        what=wanted.what,
        extended=extended and not changes,
        start_extended=now.extended_in_force,
        camera=wanted.camera,
    )
