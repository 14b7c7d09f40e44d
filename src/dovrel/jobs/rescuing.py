"""What can be rescued of a shot's recording, and whether a rescue brings its match nearer to the reference."""

from __future__ import annotations

from dataclasses import replace

from dovrel.core.balance.rescue import Rescue, rescues
from dovrel.core.match.along import Wanted, match_at
from dovrel.core.match.match import Match
from dovrel.core.steps.correction import BALANCE, Correction, Step
from dovrel.core.steps.primary import IDENTITY
from dovrel.jobs import deciding
from dovrel.jobs.subject import Reference, Subject
from dovrel.media.frames import FrameStore

SAMPLED = 4
"""Every so many pixels and rows of a preview are looked at."""

LEAST_GAIN = 0.1
"""Part that a rescue must take off what a match leaves, mean and worst tenth together, to be called a help."""


def rescues_of(frames: FrameStore, subject: Subject, frame: int) -> list[Rescue]:
    """Steps that are proposed before the shot's balance, without those that it has; none for most shots."""
    picture = frames.preview(subject.source, frame)
    levels = subject.levels.at(frame)
    working = picture.working[::SAMPLED, ::SAMPLED].reshape(-1, 3)
    reach = picture.reach[::SAMPLED, ::SAMPLED].reshape(-1, 3)
    balance = () if levels.shot.numbers_of(BALANCE).is_identity else levels.from_balance
    return [one for one in rescues(working, reach, levels.before_balance, balance) if not levels.shot.has(one.name)]


def helpful_rescue(
    frames: FrameStore, reference: Reference, subject: Subject, frame: int, matched: Correction
) -> dict[str, object] | None:
    """The rescue after which a shot's match comes nearer to its reference; None for most shots.

    With and without it the shot is matched to the reference alone, so that the two compare.

    Parameters
    ----------
    subject : the shot before it was matched; `matched` is its correction after

    Returns
    -------
    Its ``name`` and ``reason``, and ``before`` and ``after``: CIEDE2000 that nine tenths of what both share stay below
    without it and with it.
    """
    judged = replace(subject, levels=subject.levels.replaced("shot", matched))
    proposed = rescues_of(frames, judged, frame)
    if not proposed:
        return None
    bare = subject.levels.shot.balanced(IDENTITY)

    def matched_after(*steps: Step) -> Match:
        place = bare.place(BALANCE)
        correction = Correction((*bare.steps[:place], *steps, *bare.steps[place:]))
        shot = replace(subject, levels=subject.levels.replaced("shot", correction))
        evidence = deciding.gather(frames, reference.subject, reference.frame, shot, frame)
        return match_at(correction, frame, evidence, Wanted())

    found = [(matched_after(Step(one.name, one.values)), one) for one in proposed]
    found = [(match, one) for match, one in found if match.sure and match.residuals.worst is not None]
    if not found:
        return None
    with_it, best = min(found, key=lambda one: _left(one[0]))
    without = matched_after()
    # Where nothing is shared without the rescue, all that it finds is gained.
    if without.residuals.worst is not None and _left(with_it) > (1 - LEAST_GAIN) * _left(without):
        return None
    return {
        "name": best.name,
        "reason": best.reason,
        "before": without.residuals.worst,
        "after": with_it.residuals.worst,
    }


def _left(match: Match) -> float:
    return match.distance_after + (match.residuals.worst or match.distance_after)
