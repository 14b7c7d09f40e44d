"""The worker: takes tasks from the queue until told to stop."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import os
from pathlib import Path

import cv2
from procrastinate.exceptions import ConnectorException
from procrastinate.jobs import Status

from dovrel.jobs.queue import QUEUE, app, connector
from dovrel.jobs.tasks import MOST_ATTEMPTS, abandon
from dovrel.machine.alive import SIGN, STOOD_STILL, show_life, still_for
from dovrel.machine.logs import log_to
from dovrel.media.decoding import use_threads

HEARTBEAT = 2.0
STALLED_AFTER = 10.0
"""Seconds without a sign of life after which a worker's task goes back into the queue."""
POLL = 1.0
"""Seconds between two looks for tasks whose time has come."""
STILL_AFTER = 300.0
"""Seconds without a step after which a task stands still, and its worker ends: another takes the task again."""
GRACE = 5.0
"""Seconds that a task under way is given when the worker is asked to stop; another worker does it again."""


async def work_off(url: str, *, own_process: bool = True) -> None:
    """Take tasks until cancelled; in a process of its own also until a termination signal, or a task that stands still."""
    with app.replace_connector(connector(url)):
        async with app.open_async():
            watches = [_watch(), show_life(), *([_end_when_still()] if own_process else [])]
            beside = [asyncio.create_task(watch) for watch in watches]
            try:
                await app.run_worker_async(
                    queues=[QUEUE],
                    concurrency=1,
                    delete_jobs="successful",
                    fetch_job_polling_interval=POLL,
                    shutdown_graceful_timeout=GRACE,
                    update_heartbeat_interval=HEARTBEAT,
                    stalled_worker_timeout=STALLED_AFTER,
                    install_signal_handlers=own_process,
                )
            finally:
                for task in beside:
                    task.cancel()
                await asyncio.gather(*beside, return_exceptions=True)


async def _watch() -> None:
    """Put tasks of workers that were killed back into the queue, also while this one works."""
    while True:
        # While the database is away there is nothing to put back.
        with contextlib.suppress(ConnectorException):
            for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_AFTER):
                if job.attempts >= MOST_ATTEMPTS:
                    await asyncio.to_thread(abandon, job)
                    await app.job_manager.finish_job(job, status=Status.FAILED, delete_job=True)
                else:
                    await app.job_manager.retry_job(job)
        await asyncio.sleep(HEARTBEAT)


async def _end_when_still() -> None:
    """End this process when its task stands still: nothing else ends a thread that waits or turns in a circle."""
    while still_for() < STILL_AFTER:
        await asyncio.sleep(HEARTBEAT)
    os._exit(STOOD_STILL)


def work(url: str, threads: int, data: Path) -> None:
    """Run until a termination signal; pictures are read and compared on so many threads, and faults logged in a data folder."""
    log_to(data, Path(os.environ.get(SIGN, "worker")).name)
    # While the database is away the start command says so, once.
    logging.getLogger("psycopg.pool").setLevel(logging.CRITICAL)
    use_threads(threads)
    cv2.setNumThreads(threads)
    asyncio.run(work_off(url))
