"""The worker: takes tasks from the queue until told to stop."""

from __future__ import annotations

import asyncio

from dovrel.jobs.queue import QUEUE, app, connector


async def _work(url: str) -> None:
    with app.replace_connector(connector(url)):
        async with app.open_async():
            await _requeue_stalled()
            await app.run_worker_async(queues=[QUEUE], concurrency=1, delete_jobs="successful")


async def _requeue_stalled() -> None:
    """Tasks of a worker that was killed go back into the queue."""
    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=30):
        await app.job_manager.retry_job(job)


def work(url: str) -> None:
    """Run until a termination signal."""
    asyncio.run(_work(url))
