"""Tasks: each takes the number of a row, so that a killed worker's task can simply run again.

What goes wrong with a shot is noted with it, in a sentence, and the task is done. Only a full
disc and a database that is away make a task wait and run again. A task that stands still ends its worker
(:mod:`dovrel.jobs.worker`).
"""

from __future__ import annotations

import os
from functools import lru_cache
from pathlib import Path
from typing import cast

from procrastinate import RetryStrategy
from procrastinate.jobs import Job
from sqlalchemy.orm import Session, sessionmaker

from dovrel.core.steps import track
from dovrel.errors import NoRoom
from dovrel.jobs import batch, footage_state, handing, measuring
from dovrel.jobs.first_measure import give_up, measure_shot
from dovrel.jobs.queue import QUEUE, app
from dovrel.machine.alive import task_under_way
from dovrel.media.frames import FrameStore
from dovrel.store import tracks
from dovrel.store.corrections import is_corrected
from dovrel.store.database import AWAY, engine_for, sessions
from dovrel.store.models import Shot

KEPT_FRAME_BYTES = 60 * 1024 * 1024
_LATER = RetryStrategy(wait=10, retry_exceptions=(NoRoom, *AWAY))
MOST_ATTEMPTS = 3
"""How often a task may end its worker before it is given up."""


@lru_cache(maxsize=1)
def _sessions() -> sessionmaker[Session]:
    found = sessions(engine_for(os.environ["DOVREL_DATABASE"]))
    track.load_from(tracks.loader(found))
    return found


@lru_cache(maxsize=1)
def _frames() -> FrameStore:
    return FrameStore(KEPT_FRAME_BYTES, reads_ahead=False)


@app.task(queue=QUEUE, name="first-measure", retry=_LATER)
@task_under_way()
def first_measure(shot_id: int) -> None:
    """Probe, check and measure one shot of the day's list."""
    measure_shot(_sessions(), shot_id, Path(os.environ["DOVREL_DATA"]))
    with _sessions().begin() as session:
        shot = session.get(Shot, shot_id)
        if shot is not None and shot.progress == "ready" and is_corrected(shot):
            measuring.measure_again(session, _frames(), shot)


@app.task(queue=QUEUE, name="batch-step", retry=_LATER)
@task_under_way()
def batch_step(operation_id: int, shot_id: int) -> None:
    """One shot's part of a batch."""
    batch.step(_sessions(), _frames(), operation_id, shot_id, Path(os.environ["DOVREL_DATA"]))


@app.task(queue=QUEUE, name="hand-over", retry=_LATER)
@task_under_way()
def hand_over(item_id: int) -> None:
    """One item of a handover."""
    handing.hand_over(_sessions(), _frames(), item_id)


@app.task(queue=QUEUE, name="check-footage", retry=_LATER)
@task_under_way()
def check_footage(shot_id: int) -> None:
    """Whether a shot's files are those that were taken in, by their contents."""
    footage_state.check(_sessions(), shot_id)


@app.task(queue=QUEUE, name="measure-again", retry=_LATER)
@task_under_way()
def measure_again(shot_id: int) -> None:
    """The readings of a shot whose camera's trim, look or finish was changed."""
    with _sessions().begin() as session:
        shot = session.get(Shot, shot_id)
        if shot is not None and shot.progress == "ready":
            measuring.measure_again(session, _frames(), shot)


def abandon(job: Job) -> None:
    """Note with its shot that a task ended its worker again and again, and is not tried any more."""
    why = f"the work on it ended the worker {MOST_ATTEMPTS} times; the file may be damaged"
    rows = {name: cast(int, number) for name, number in job.task_kwargs.items()}
    if job.task_name == "first-measure":
        give_up(_sessions(), rows["shot_id"], why)
    elif job.task_name == "batch-step":
        batch.give_up(_sessions(), rows["operation_id"], rows["shot_id"], why)
    elif job.task_name == "hand-over":
        handing.give_up(_sessions(), rows["item_id"], why)
