"""A shot's correction: saving, undo and redo, versions, balance and match."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from fastapi import APIRouter
from sqlalchemy.orm import Session

from dovrel.core.match import Evidence
from dovrel.core.match.along import Wanted, looked_at, match_along, match_at
from dovrel.core.match.match import Match
from dovrel.core.match.parts import PARTS
from dovrel.core.measure.meter import WHOLE
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.correction import BALANCE, checked
from dovrel.core.steps.levels import FourLevels
from dovrel.core.steps.primary import Primary
from dovrel.jobs import deciding, families
from dovrel.jobs.families import Relative
from dovrel.jobs.rescuing import helpful_rescue
from dovrel.jobs.sources import source_of
from dovrel.jobs.subject import reference_for, reference_of, subject_of
from dovrel.service.context import Context, ContextDep, the_shot
from dovrel.service.correction_schemas import (
    BalanceIn,
    BalanceOut,
    CandidateOut,
    CorrectionIn,
    MatchIn,
    MatchOut,
    OfferOut,
    WalkIn,
    ties_at,
)
from dovrel.service.desk import Desk
from dovrel.service.fields import Id
from dovrel.service.live_schemas import Show
from dovrel.service.schemas import ReportOut, ShotOut, VersionOut
from dovrel.service.views import shot_out, version_out
from dovrel.store import corrections
from dovrel.store.models import Shot, Version

router = APIRouter(prefix="/api/shots/{shot_id}", tags=["correction"])
_WHICHEVER = WalkIn()


@router.put("/correction")
def save_correction(shot_id: Id, order: CorrectionIn, context: ContextDep) -> ShotOut:
    """Save a new version, made from version `base`."""
    checked("shot", order.correction)
    with context.session() as session:
        shot = the_shot(session, shot_id)
        order.correction.refuse_beyond(source_of(shot).info.frames, corrections.correction_of(shot))
        levels, version = corrections.levels_of(shot).replaced("shot", order.correction), shot.version
        judged = _judged_under(context, shot, levels) if shot.state in ("matched", "checked") else None
        distance, report = shot.distance, version.report if version else None
    readings = context.readings_under(shot_id, order.correction)
    if judged:
        distance = judged[0].distance(*judged[1])
        report = report and {**report, "residuals": judged[0].residuals(*judged[1]).as_record()}
    with context.session() as session:
        shot = corrections.locked(session, shot_id)
        state = "balanced" if shot.state == "new" else shot.state
        corrections.save(
            session,
            shot,
            order.correction,
            order.change,
            base=order.base,
            state=state,
            distance=distance,
            readings=readings,
            report=report,
        )
        return shot_out(shot)


def _judged_under(context: Context, shot: Shot, levels: FourLevels) -> tuple[Evidence, Chain] | None:
    """The comparison with the family's reference, if it is at hand under what these levels do before the balance; and what they do from there."""
    kept = shot.family.reference if shot.family else None
    subject = replace(subject_of(shot), levels=levels)
    found = context.gathered(subject, subject.middle, kept.id) if kept else None
    return (found, subject.in_middle.from_balance) if found else None


@router.post("/solved")
def solve_unseen(shot_id: Id, request: Show, context: ContextDep) -> list[float]:
    """The ten numbers that aims or a turn come to, for a desk that went on before the live channel had answered."""
    return Desk(context).numbers_for(request.model_copy(update={"shot": shot_id})).as_array().tolist()


@router.post("/undo")
def undo(shot_id: Id, context: ContextDep, order: WalkIn = _WHICHEVER) -> ShotOut:
    """Go back one version."""
    return _walk(shot_id, order, context, corrections.undo)


@router.post("/redo")
def redo(shot_id: Id, context: ContextDep, order: WalkIn = _WHICHEVER) -> ShotOut:
    """Go on one version."""
    return _walk(shot_id, order, context, corrections.redo)


def _walk(shot_id: int, order: WalkIn, context: Context, way: Callable[[Session, Shot], bool]) -> ShotOut:
    with context.session() as session:
        shot = corrections.locked(session, shot_id)
        if "base" in order.model_fields_set:
            corrections.refuse_overtaken(shot, order.base)
        way(session, shot)
        return shot_out(shot)


@router.get("/versions")
def read_versions(shot_id: Id, context: ContextDep) -> list[VersionOut]:
    """The shot's versions, newest first."""
    with context.session() as session:
        return [version_out(v) for v in corrections.versions(session, the_shot(session, shot_id))]


@router.post("/versions/{version_id}/again")
def bring_back(shot_id: Id, version_id: Id, context: ContextDep, order: WalkIn = _WHICHEVER) -> ShotOut:
    """Make a new version that is as an earlier one was, with what was matched then; 0 is what the shot started with."""
    with context.session() as session:
        correction = corrections.correction_as_of(session, the_shot(session, shot_id), version_id)
    readings = context.readings_under(shot_id, correction)
    with context.session() as session:
        shot = corrections.locked(session, shot_id)
        then = session.get(Version, version_id) if version_id else None
        base = order.base if "base" in order.model_fields_set else shot.version_id
        corrections.save(
            session,
            shot,
            correction,
            f"back to {then.change or 'a version'}" if then else "back to the start",
            base=base,
            state=then.state if then else "new",
            distance=then.distance if then else None,
            readings=readings,
            report=then.report if then else None,
        )
        return shot_out(shot)


@router.post("/balance")
def balance(shot_id: Id, order: BalanceIn, context: ContextDep) -> BalanceOut:
    """Propose balances of a frame and apply the best, or the one asked for."""
    with context.session() as session:
        subject = subject_of(the_shot(session, shot_id))
    meter = order.meter.meter() if order.meter else WHOLE
    candidates = deciding.propose_balances(
        context.frames, subject, order.frame, meter, order.kept_cast, patch=order.patch
    )
    proposed = [CandidateOut.model_validate(c) for c in candidates]
    if not order.apply:
        with context.session() as session:
            return BalanceOut(applied=None, candidates=proposed, shot=shot_out(the_shot(session, shot_id)))
    chosen = next((c for c in candidates if c.id == order.candidate), candidates[0])

    def found(frame: int) -> Primary:
        if frame == order.frame:
            return chosen.numbers
        return deciding.propose_balances(context.frames, subject, frame, kept_cast=order.kept_cast)[0].numbers

    balanced = deciding.balanced_along(subject.levels.shot, order.frame, found)
    readings = context.readings_under(shot_id, balanced)
    with context.session() as session:
        shot = corrections.locked(session, shot_id)
        change = f"balance by {chosen.name}"
        corrections.save(session, shot, balanced, change, base=order.base, state="balanced", readings=readings)
        return BalanceOut(applied=chosen.id, candidates=proposed, shot=shot_out(shot))


def _is_weak(one: Match) -> bool:
    """Whether the reference alone says too little."""
    return not (one.sure and one.correspondences)


@router.post("/match")
def match_to_reference(shot_id: Id, order: MatchIn, context: ContextDep) -> MatchOut:
    """Match a frame to the family's reference and save the answer as ordinary numbers, if it is sure or asked for."""
    with context.session() as session:
        shot = the_shot(session, shot_id)
        reference, subject = reference_of(reference_for(shot)), subject_of(shot)
    own = subject.levels.shot
    wanted = Wanted(order.strength, order.what, order.extended, order.unsure)
    meters = (
        order.reference_meter.meter() if order.reference_meter else WHOLE,
        order.meter.meter() if order.meter else WHOLE,
    )

    def evidence(frame: int) -> Evidence:
        if frame == order.frame:
            ties = ties_at(order.ties, frame)
            return context.evidence(subject, frame, reference, meters, ties, alone=order.ties_alone)
        # What is metered, and what does not follow its subject, was drawn on the current frame.
        ties = ties_at([one for one in order.ties if one.track], frame)
        return context.evidence(subject, frame, reference, ties=ties, alone=order.ties_alone and bool(ties))

    alone = {one: match_at(own, one, evidence(one), wanted) for one in looked_at(own, order.frame, subject.last)}
    extended = own.extended_in_force is not None if order.extended is None else order.extended
    extended = extended and not own.step(BALANCE).keyframes

    def is_bare(one: Match) -> bool:
        return extended and one.extended is None

    by_family = not (order.alone or order.ties or order.meter or order.reference_meter)
    asks = any(_is_weak(one) or is_bare(one) for one in alone.values())
    relatives: list[Relative] = []
    if by_family and set(order.what) == set(PARTS) and asks:
        with context.session() as session:
            family = the_shot(session, shot_id).family
            relatives = families.relatives_of(session, family) if family else []
    known, camera = {}, None
    if relatives:
        work = context.works.begin(order.work)
        known = families.answers_for(
            shot_id, relatives, context.frames, context.settings.data, order.strength, work.told, extended=extended
        )
        if not any(one.sure for one in known.values()):
            camera = families.camera_needs_of(shot_id, relatives, context.frames, context.settings.data)

    def chosen(frame: int) -> Match:
        """The better one of the reference's and the family's answers."""
        mine = alone[frame]
        if camera is not None and not mine.correspondences:
            mine = match_at(own, frame, evidence(frame), replace(wanted, camera=camera))
        theirs = known.get(frame) if own.step(BALANCE).keyframes else next(iter(known.values()), None)
        if theirs is None:
            return mine
        better = _is_weak(mine) and (theirs.sure or theirs.confidence > mine.confidence)
        return theirs if better or (is_bare(mine) and theirs.sure and theirs.extended) else mine

    result, matched = match_along(own, order.frame, {one: chosen(one) for one in alone}, wanted)
    if not (result.sure or order.unsure):
        report = ReportOut.model_validate(result.as_record())
        offer = OfferOut(numbers=result.numbers.as_array().tolist(), report=report)
        with context.session() as session:
            return MatchOut(shot=shot_out(the_shot(session, shot_id)), offer=offer)
    readings = context.readings_under(shot_id, matched)
    rescue = helpful_rescue(context.frames, reference, subject, order.frame, matched)
    with context.session() as session:
        shot = corrections.locked(session, shot_id)
        corrections.save(
            session,
            shot,
            matched,
            f"match to {reference.name}" + (f" at {order.strength:.0%}" if order.strength < 1 else ""),
            base=order.base,
            state="matched",
            distance=result.distance_after,
            readings=readings,
            report={**result.as_record(), "rescue": rescue},
        )
        return MatchOut(shot=shot_out(shot))
