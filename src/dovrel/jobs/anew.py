"""Measuring shots anew when what they are measured under has changed."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy.orm import Session

from dovrel.jobs import queue
from dovrel.store.models import Shot


def measure_anew(session: Session, shots: Sequence[Shot]) -> None:
    """Measure shots anew, once, when no more changes come; those whose taking in is stopped wait for it to go on."""
    to_do = [shot for shot in shots if shot.progress != "stopped"]
    for shot in to_do:
        shot.progress, shot.fault = "waiting", ""
    queue.defer_measures(session, [shot.id for shot in to_do], after=queue.SETTLING)
