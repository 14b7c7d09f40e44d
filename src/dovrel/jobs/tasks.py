"""Tasks: each takes the number of a row, so that a killed worker's task can simply run again."""

from __future__ import annotations

import os
from functools import lru_cache
from pathlib import Path

from sqlalchemy.orm import Session, sessionmaker

from dovrel.jobs.first_measure import measure_shot
from dovrel.jobs.queue import QUEUE, app
from dovrel.store.database import engine_for, sessions


@lru_cache(maxsize=1)
def _sessions() -> sessionmaker[Session]:
    return sessions(engine_for(os.environ["DOVREL_DATABASE"]))


@app.task(queue=QUEUE, name="first-measure", retry=2)
def first_measure(shot_id: int) -> None:
    """Probe, check and measure one shot of the day's list."""
    measure_shot(_sessions(), shot_id, Path(os.environ["DOVREL_DATA"]))
