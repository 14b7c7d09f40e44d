"""Tasks: each takes the number of a row, so that a killed worker's task can simply run again."""

from __future__ import annotations

import os
from functools import lru_cache
from pathlib import Path

from sqlalchemy.orm import Session, sessionmaker

from dovrel.jobs import automatic, batch
from dovrel.jobs.first_measure import measure_shot
from dovrel.jobs.queue import QUEUE, app
from dovrel.media.frames import FrameStore
from dovrel.store.database import engine_for, sessions
from dovrel.store.models import Shot

KEPT_FRAME_BYTES = 60 * 1024 * 1024


@lru_cache(maxsize=1)
def _sessions() -> sessionmaker[Session]:
    return sessions(engine_for(os.environ["DOVREL_DATABASE"]))


@lru_cache(maxsize=1)
def _frames() -> FrameStore:
    return FrameStore(KEPT_FRAME_BYTES, reads_ahead=False)


@app.task(queue=QUEUE, name="first-measure", retry=2)
def first_measure(shot_id: int) -> None:
    """Probe, check and measure one shot of the day's list."""
    measure_shot(_sessions(), shot_id, Path(os.environ["DOVREL_DATA"]))


@app.task(queue=QUEUE, name="batch-step", retry=2)
def batch_step(operation_id: int, shot_id: int) -> None:
    """One shot's part of a batch."""
    batch.step(_sessions(), _frames(), operation_id, shot_id, Path(os.environ["DOVREL_DATA"]))


@app.task(queue=QUEUE, name="measure-again", retry=2)
def measure_again(shot_ids: list[int]) -> None:
    """The readings of shots whose camera's trim, look or finish was changed."""
    for shot_id in shot_ids:
        with _sessions().begin() as session:
            shot = session.get(Shot, shot_id)
            if shot is not None and shot.progress == "ready":
                automatic.measure_again(session, _frames(), shot)
