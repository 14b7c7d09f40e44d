"""Batches: balance, match, copy for many shots; a step for each, which may run again at any time."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from sqlalchemy import exists, select
from sqlalchemy.orm import Session, sessionmaker

from dovrel.core.correct.copying import copied
from dovrel.core.correct.levels import ShotBalance
from dovrel.core.match import match
from dovrel.jobs import automatic
from dovrel.jobs.thumbnails import thumbnail_path
from dovrel.media.faults import MediaFault
from dovrel.media.frames import FrameStore
from dovrel.store import corrections, operations
from dovrel.store.models import Operation, OperationItem, Shot


@dataclass(frozen=True)
class _Answer:
    balance: ShotBalance
    change: str
    state: str
    said: str
    distance: float | None = None
    report: dict | None = None


def step(factory: sessionmaker[Session], frames: FrameStore, operation_id: int, shot_id: int, data: Path) -> None:
    """Do one shot's part of a batch, once; a shot changed by hand meanwhile is left as it is."""
    with factory.begin() as session:
        operation = session.get(Operation, operation_id)
        if operation is None or operation.cancelled or operation.undone or _is_noted(session, operation_id, shot_id):
            return
        shot = session.get(Shot, shot_id)
        if shot is None:
            return
        work, orders, base = _WORK[operation.kind], dict(operation.orders), shot.version_id
        try:
            answer = work(session, frames, shot, orders)
            subject = automatic.subject_of(shot)
        except (MediaFault, ValueError) as fault:
            operations.record(session, operation_id, shot, {}, {}, str(fault), failed=True)
            return
    after = automatic.with_levels(subject, subject.levels.with_balance(answer.balance))
    readings = automatic.readings_of(frames, after)
    with contextlib.suppress(MediaFault):
        automatic.make_thumbnail(frames, after, thumbnail_path(data, shot_id, after.levels.in_order))
    with factory.begin() as session:
        shot = corrections.locked(session, shot_id)
        operation = session.get_one(Operation, operation_id)
        if operation.cancelled or _is_noted(session, operation_id, shot_id):
            return
        try:
            version = corrections.save(
                session,
                shot,
                answer.balance,
                answer.change,
                base=base,
                state=answer.state,
                distance=answer.distance,
                readings=readings,
                report=answer.report,
            )
        except corrections.Overtaken:
            said = f"{shot.name} was changed by hand while this ran; it is left as it is"
            operations.record(session, operation_id, shot, {}, {}, said, failed=True)
            return
        changed = {"version_id": base}, {"version_id": version.id}
        operations.record(session, operation_id, shot, *changed, answer.said)


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


def _balance(_: Session, frames: FrameStore, shot: Shot, orders: dict) -> _Answer:
    subject = automatic.subject_of(shot)
    best = automatic.propose_balances(frames, subject, subject.middle)[0]
    return _Answer(ShotBalance(best.numbers), f"balance by {best.name}", "balanced", best.reason)


def _match(_: Session, frames: FrameStore, shot: Shot, orders: dict) -> _Answer:
    kept, subject = automatic.reference_for(shot), automatic.subject_of(shot)
    evidence = automatic.gather(frames, automatic.kept_subject(kept), kept.frame, subject, subject.middle)
    strength = float(orders.get("strength", 1.0))
    result = match(
        evidence,
        start=subject.levels.shot,
        strength=strength,
        extended=bool(orders.get("extended")) or subject.levels.extended is not None,
        start_extended=subject.levels.extended,
    )
    said = (
        f"distance {result.distance_before:.1f} to {result.distance_after:.1f}, "
        f"sureness {result.sureness:.0%}. {'. '.join(result.notes)}"
    )
    change = f"match to {kept.shot.name}" + (f" at {strength:.0%}" if strength < 1 else "")
    balance = ShotBalance(result.numbers, result.extended)
    return _Answer(balance, change, "matched", said, result.distance_after, result.as_record())


def _copy(session: Session, frames: FrameStore, shot: Shot, orders: dict) -> _Answer:
    source = session.get(Shot, orders["source"])
    if source is None:
        raise ValueError("the shot to copy from is gone")
    there, onto = corrections.balance_of(source), corrections.balance_of(shot)
    balance = replace(onto, numbers=copied(there.numbers, onto.numbers, orders["steps"]))
    steps = ", ".join(orders["steps"])
    if orders.get("extended"):
        balance = replace(balance, extended=there.extended, extended_on=there.extended_on)
        steps += ", extended part"
    state = "balanced" if shot.state == "new" else shot.state
    return _Answer(balance, f"{steps} from {source.name}"[:200], state, f"{steps} from {source.name}")


_WORK: dict[str, Callable[[Session, FrameStore, Shot, dict], _Answer]] = {
    "balance": _balance,
    "match": _match,
    "copy": _copy,
}
KINDS = tuple(_WORK)
