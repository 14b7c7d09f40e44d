"""What is found for a shot by itself or beside its reference: proposals of a balance, and what a match goes by."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from dovrel.core.balance import ALONE, Candidate, Others, Testimony, hear, propose
from dovrel.core.balance.whites import DEFAULT_KEPT_CAST
from dovrel.core.colour import tables
from dovrel.core.match import Evidence
from dovrel.core.match.ties import Tie
from dovrel.core.match.view import View
from dovrel.core.measure.meter import WHOLE, Meter
from dovrel.core.steps.chain import apply_in_order
from dovrel.core.steps.correction import BALANCE, Correction
from dovrel.core.steps.primary import Primary
from dovrel.errors import Refused
from dovrel.jobs.subject import Subject, seen_under, subject_of
from dovrel.machine.newest import Newest
from dovrel.media.faults import MediaFault
from dovrel.media.frames import FrameStore
from dovrel.store.models import Shot

KEPT_VIEWS = 4
_views: Newest[View] = Newest(KEPT_VIEWS)
"""Of the references that were matched to last: a family's shots all meet the same one."""

MOST_HEARD = 6
"""Other shots that are heard when one is balanced."""
KEPT_TESTIMONIES = 64
_testimonies: Newest[Testimony] = Newest(KEPT_TESTIMONIES)
"""By the frames that were heard last: a family's shots hear each other."""


def propose_balances(
    frames: FrameStore,
    subject: Subject,
    frame: int,
    meter: Meter = WHOLE,
    kept_cast: float = DEFAULT_KEPT_CAST,
    *,
    patch: bool = False,
    others: Others = ALONE,
) -> list[Candidate]:
    """Candidates for a shot's balance under its camera's trim, best first.

    With `patch` the metered pixels are grey or white and say the white; without, they are all
    that is looked at. `others` are used with the frame.

    Raises
    ------
    Refused
        If the metered pixels are all clipped or black, or a patch is asked for and nothing is metered.
    """
    picture = frames.preview(subject.source, frame)
    table = tables.output_table(subject.source.output)
    mask = meter.mask(picture.packed, table)
    if patch and mask is None:
        raise Refused("draw a box on something grey or white first; Balance makes it neutral")
    working, recorded = apply_in_order(picture.working, subject.levels.at(frame).before_balance), picture.reach
    return propose(
        working,
        recorded,
        table,
        finished=subject.source.finished,
        kept_cast=kept_cast,
        metered=None if mask is None or patch else mask != 0,
        patch=mask != 0 if mask is not None and patch else None,
        others=others,
    )


def balanced_along(correction: Correction, frame: int, found: Callable[[int], Primary]) -> Correction:
    """A correction with what is found as its balance, at a frame or at each keyframe of the balance if it has any."""
    frames = [one.frame for one in correction.step(BALANCE).keyframes]
    along = {one: found(one) for one in frames}
    return correction.balanced(found(frame) if frame not in along else along[frame], along=along)


def heard_with(session: Session, frames: FrameStore, shot: Shot) -> Others:
    """What is heard when a shot's middle frame is balanced: two more of its frames, and its camera's shots of the family."""
    subject = subject_of(shot)
    last = subject.source.info.frames - 1
    more = [frame for frame in sorted({last // 4, 3 * last // 4}) if frame != subject.middle]
    found = [_testimony_of(frames, subject, frame) for frame in more]
    near = session.scalars(
        select(Shot)
        .where(
            Shot.family_id == shot.family_id,
            Shot.camera_id == shot.camera_id,
            Shot.id != shot.id,
            Shot.progress == "ready",
            ~Shot.off,
        )
        .order_by(func.abs(Shot.id - shot.id))
        .limit(MOST_HEARD)
    ).all()
    subjects = [(other.name, subject_of(other)) for other in near if shot.family_id is not None]
    shots = [(name, _testimony_of(frames, other, other.middle)) for name, other in subjects]
    return Others(tuple(one for one in found if one), tuple((name, one) for name, one in shots if one))


def _testimony_of(frames: FrameStore, subject: Subject, frame: int) -> Testimony | None:
    """What a frame says by itself; None if it cannot be read."""
    before = subject.levels.at(frame).before_balance
    key = (subject.source, frame, *before)
    known = _testimonies.get(key)
    if known is not None:
        return known
    try:
        picture = frames.preview(subject.source, frame)
    except MediaFault:
        return None
    working = apply_in_order(picture.working, before)
    table = tables.output_table(subject.source.output)
    return _testimonies.keep(key, hear(working, picture.reach, table, finished=subject.source.finished).testimony)


def gather(
    frames: FrameStore,
    reference: Subject,
    kept_frame: int,
    shot: Subject,
    frame: int,
    meters: tuple[Meter, Meter] = (WHOLE, WHOLE),
    ties: Sequence[Tie] = (),
    *,
    alone: bool = False,
) -> Evidence:
    """What a reference and a shot share under their cameras' trims, before look and finish.

    `meters` are the reference's and the shot's; `alone` to match by the ties and nothing else.
    """
    there = frames.preview(reference.source, kept_frame)
    here = frames.preview(shot.source, frame)
    table = tables.output_table(shot.source.output)
    then, now = reference.levels.at(kept_frame), shot.levels.at(frame)
    judged = replace(meters[0], under=then.balanced)
    key = (reference.source, kept_frame, *then.before_balance, judged)
    found = Evidence(
        apply_in_order(there.working, then.before_balance),
        apply_in_order(here.working, now.before_balance),
        here.reach,
        table,
        reference_balance=then.from_balance,
        reference_view=_views.get(key),
        percentiles=shot.percentiles,
        reference_mask=judged.mask(there.packed, table),
        ties=ties,
        ties_alone=alone,
        finished=(reference.source.finished, shot.source.finished),
        shot_mask=seen_under(meters[1], now).mask(here.packed, table),
    )
    if found.reference_view is not None:
        _views.keep(key, found.reference_view)
    return found
