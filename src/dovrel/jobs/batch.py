"""Batches: balance, match, copy for many shots; a step for each, which may run again at any time."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from sqlalchemy import case, exists, func, select, update
from sqlalchemy.orm import Session, sessionmaker

from dovrel.core.match.along import Wanted, by_light_if_surer, looked_at, match_along, match_at
from dovrel.core.match.match import Match
from dovrel.core.steps.copying import with_steps
from dovrel.core.steps.correction import BALANCE, Correction
from dovrel.core.steps.primary import Primary
from dovrel.errors import Cancelled, InConflict, Refused
from dovrel.jobs import deciding, families, footage_state, measuring, rescuing
from dovrel.jobs.linking import Relative, Told
from dovrel.jobs.subject import reference_for, reference_of, subject_of
from dovrel.jobs.thumbnails import thumbnail_path
from dovrel.machine.files import says_no_room
from dovrel.machine.logs import report_mistake
from dovrel.media.faults import MediaFault
from dovrel.media.frames import FrameStore
from dovrel.store import corrections, operations
from dovrel.store.database import AWAY
from dovrel.store.models import Operation, OperationItem, Shot
from dovrel.store.texts import storable


@dataclass(frozen=True)
class _Answer:
    correction: Correction
    change: str
    state: str
    said: str
    distance: float | None = None
    report: dict | None = None


_Find = Callable[[Told], _Answer]
"""Finds the answer once all rows were read: what takes long holds no transaction, and tells how far it is."""

_TOLD_EVERY = 1.0
"""Seconds."""


class _Unsure(Refused):
    """An answer of too little confidence to be applied unasked."""


class _Comparing:
    """Notes with an operation how far a family is compared, now and then, and ends it once the operation is cancelled."""

    def __init__(self, factory: sessionmaker[Session], operation_id: int) -> None:
        self._factory, self._operation, self._last, self._said = factory, operation_id, time.monotonic(), False

    def __call__(self, part: float) -> None:
        now = time.monotonic()
        if now - self._last < _TOLD_EVERY and not (part >= 1 and self._said):
            return
        self._last, self._said = now, part < 1
        with self._factory.begin() as session:
            # Of families that are compared side by side, the one that is furthest is reported.
            further = case((Operation.compared < 1, func.greatest(Operation.compared, part)), else_=part)
            noted = update(Operation).where(Operation.id == self._operation).values(compared=further)
            cancelled = session.scalar(noted.returning(Operation.cancelled))
        if cancelled:
            raise Cancelled


def step(factory: sessionmaker[Session], frames: FrameStore, operation_id: int, shot_id: int, data: Path) -> None:
    """Do one shot's part of a batch, once; it leaves an item that says what was done, or why nothing was.

    A shot that was changed by hand since the batch was ordered is left as it is.
    """
    try:
        _step(factory, frames, operation_id, shot_id, data)
    except AWAY:
        raise
    except Cancelled:
        return
    except _Unsure as unsure:
        give_up(factory, operation_id, shot_id, str(unsure), left=True)
    except Refused as fault:
        footage_state.note_fault(factory, shot_id, fault)
        give_up(factory, operation_id, shot_id, str(fault))
    except Exception as error:
        if says_no_room(error):
            give_up(factory, operation_id, shot_id, "the disc is full; make room and do it again")
            return
        give_up(factory, operation_id, shot_id, report_mistake(error))


def give_up(factory: sessionmaker[Session], operation_id: int, shot_id: int, why: str, *, left: bool = False) -> None:
    """Note why a shot's part of a batch is not done; with `left`, mark the shot as left as it was."""
    with factory.begin() as session:
        shot = session.get(Shot, shot_id)
        if shot is not None:
            operations.record(session, operation_id, shot, {}, {}, storable(why, 1000), failed=True)
            if left:
                shot.left_by_id = operation_id


def _step(factory: sessionmaker[Session], frames: FrameStore, operation_id: int, shot_id: int, data: Path) -> None:
    with factory.begin() as session:
        operation = session.get(Operation, operation_id)
        if operation is None or operation.cancelled or operation.undone or _is_noted(session, operation_id, shot_id):
            return
        shot = session.get(Shot, shot_id)
        if shot is None:
            return
        orders, base = dict(operation.orders), shot.version_id
        ordered_on = orders.get("versions", {}).get(str(shot_id), base)
        if operations.changed_by_hand(session, shot, ordered_on):
            raise Refused(_left_alone(shot))
        subject = subject_of(shot)
        subject.source.check_files()
        find = _WORK[operation.kind](session, frames, shot, orders, data)
    answer = find(_Comparing(factory, operation_id))
    after = replace(subject, levels=subject.levels.replaced("shot", answer.correction))
    readings = measuring.readings_of(frames, after)
    with contextlib.suppress(MediaFault):
        measuring.make_thumbnail(frames, after, thumbnail_path(data, after.source, after.in_middle.in_order))
    with factory.begin() as session:
        shot = corrections.locked(session, shot_id)
        operation = session.get_one(Operation, operation_id)
        if operation.cancelled or operation.undone or _is_noted(session, operation_id, shot_id):
            return
        try:
            version = corrections.save(
                session,
                shot,
                answer.correction,
                answer.change,
                base=base,
                state=answer.state,
                distance=answer.distance,
                readings=readings,
                report=answer.report,
            )
        except InConflict:
            raise Refused(_left_alone(shot)) from None
        changed = {"version_id": base}, {"version_id": version.id}
        operations.record(session, operation_id, shot, *changed, answer.said)


def _left_alone(shot: Shot) -> str:
    return f"{shot.name} was changed by hand after this was ordered; it is left as it is"


def _is_noted(session: Session, operation_id: int, shot_id: int) -> bool:
    return bool(
        session.scalar(
            select(
                exists().where(
                    OperationItem.operation_id == operation_id,
                    OperationItem.target == "shot",
                    OperationItem.target_id == shot_id,
                )
            )
        )
    )


def _balance(session: Session, frames: FrameStore, shot: Shot, orders: dict, _: Path) -> _Find:
    subject = subject_of(shot)
    others = deciding.heard_with(session, frames, shot)
    best = deciding.propose_balances(frames, subject, subject.middle, others=others)[0]

    def found(frame: int) -> Primary:
        if frame == subject.middle:
            return best.numbers
        return deciding.propose_balances(frames, subject, frame)[0].numbers

    correction = deciding.balanced_along(subject.levels.shot, subject.middle, found)
    answer = _Answer(correction, f"balance by {best.name}", "balanced", best.reason)
    return lambda _: answer


def _match(session: Session, frames: FrameStore, shot: Shot, orders: dict, data: Path) -> _Find:
    """A match in the shot's family, at its balance's keyframes if it has any, with its camera's extended step if that is wanted or
    there; or to the reference alone, where the shot is hardly linked to it."""
    reference, subject, name, number = reference_of(reference_for(shot)), subject_of(shot), shot.name, shot.id
    strength, wanted = float(orders.get("strength", 1.0)), bool(orders.get("extended"))
    extended = wanted or subject.levels.shot.extended_in_force is not None
    relatives: list[Relative] = []
    if shot.family:
        # As they were when the batch was ordered, so that every shot's task comes to the same answers.
        ordered_on = {int(one): version or 0 for one, version in orders.get("versions", {}).items()}
        relatives = families.relatives_of(session, shot.family, ordered_on)

    def find(told: Told) -> _Answer:
        known: dict[int, Match] = {}
        if relatives:
            known = families.answers_for(number, relatives, frames, data, strength, told, extended=extended)
        sure = any(one.sure for one in known.values())
        camera = families.camera_needs_of(number, relatives, frames, data) if relatives and not sure else None
        how, own = Wanted(strength, extended=wanted or None, camera=camera), subject.levels.shot

        def alone(frame: int) -> Match:
            evidence = deciding.gather(frames, reference.subject, reference.frame, subject, frame)
            return match_at(own, frame, evidence, how)

        here = looked_at(own, subject.middle, subject.last)
        answers = known if sure else {one: by_light_if_surer(alone(one), known.get(one)) for one in here}
        result, correction = match_along(own, subject.middle, answers, how)
        if not result.sure:
            raise _Unsure(
                f"{name}: the confidence of its match is only {result.confidence:.0%}, so it is left as it is; "
                "match it on the Desk to see what is offered"
            )
        rescue = rescuing.helpful_rescue(frames, reference, subject, subject.middle, correction)
        said = (
            f"distance {result.distance_before:.1f} to {result.distance_after:.1f}, "
            f"confidence {result.confidence:.0%}. {'. '.join(result.notes)}"
        )
        change = f"match to {reference.name}" + (f" at {strength:.0%}" if strength < 1 else "")
        return _Answer(
            correction, change, "matched", said, result.distance_after, {**result.as_record(), "rescue": rescue}
        )

    return find


def _copy(session: Session, frames: FrameStore, shot: Shot, orders: dict, _: Path) -> _Find:
    source = session.get(Shot, orders["source"])
    if source is None:
        raise Refused("the shot to copy from is gone")
    there, onto = corrections.correction_of(source), corrections.correction_of(shot)
    correction = with_steps(there, onto, orders["steps"], orders["controls"])
    what = orders["controls"] if BALANCE in orders["steps"] else []
    what = ", ".join([*what, *(name for name in orders["steps"] if name != BALANCE)])
    state = "balanced" if shot.state == "new" else shot.state
    answer = _Answer(correction, f"{what} from {source.name}"[:200], state, f"{what} from {source.name}")
    return lambda _: answer


_WORK: dict[str, Callable[[Session, FrameStore, Shot, dict, Path], _Find]] = {
    "balance": _balance,
    "match": _match,
    "copy": _copy,
}
KINDS = tuple(_WORK)
