"""Measuring shots anew when what they are measured under has changed, or more is measured than was."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from dovrel.jobs import queue
from dovrel.store.models import Shot


def measure_anew(session: Session, shots: Sequence[Shot]) -> None:
    """Measure shots anew, once, when no more changes come; those whose taking in is stopped wait for it to go on."""
    to_do = [shot for shot in shots if shot.progress != "stopped"]
    for shot in to_do:
        shot.progress, shot.fault = "waiting", ""
    queue.defer_measures(session, [shot.id for shot in to_do], after=queue.SETTLING)


def take_in_again(session: Session, shot: Shot) -> None:
    """Measure what lies at a shot's place now, whatever was taken in there before; its corrections stay."""
    shot.clip = {**shot.clip, "files": []}
    measure_anew(session, [shot])


def measure_older(factory: sessionmaker[Session]) -> None:
    """Measure shots anew that an earlier Dovrel measured, which did not look at their light along them."""
    with factory.begin() as session:
        ready = session.scalars(select(Shot).where(Shot.progress == "ready"))
        measure_anew(session, [shot for shot in ready if "course" not in shot.measured])
