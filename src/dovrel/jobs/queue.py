"""The queue: procrastinate in the production's own PostgreSQL."""

from __future__ import annotations

import procrastinate
from procrastinate.exceptions import ConnectorException
from procrastinate.types import JSONDict, JSONValue

QUEUE = "measure"

app = procrastinate.App(
    connector=procrastinate.PsycopgConnector(),
    import_paths=["dovrel.jobs.tasks"],
)


def connector(url: str) -> procrastinate.PsycopgConnector:
    return procrastinate.PsycopgConnector(conninfo=url, min_size=1, max_size=4)


def prepare(url: str) -> None:
    """Create the queue's tables where they are missing."""
    with procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=url)).open() as opened:
        try:
            opened.schema_manager.apply_schema()
        except ConnectorException as error:
            if "already exists" not in str(error.__cause__):
                raise


async def defer_measures(url: str, shot_ids: list[int]) -> None:
    """Queue the first measurement of shots."""
    with app.replace_connector(connector(url)):
        async with app.open_async():
            for shot_id in shot_ids:
                await app.configure_task("first-measure", queue=QUEUE).defer_async(shot_id=shot_id)


async def defer_batch(operation_id: int, shot_ids: list[int]) -> None:
    """Queue a batch's steps, one a shot, so that any worker takes the next; the queue is open already."""
    task = app.configure_task("batch-step", queue=QUEUE)
    steps: list[JSONDict] = [{"operation_id": operation_id, "shot_id": shot_id} for shot_id in shot_ids]
    await task.batch_defer_async(*steps)


AT_A_TIME = 8


async def defer_measure_again(shot_ids: list[int]) -> None:
    """Queue the readings of shots to be taken again; the queue is open already."""
    task = app.configure_task("measure-again", queue=QUEUE)
    for first in range(0, len(shot_ids), AT_A_TIME):
        some: list[JSONValue] = list(shot_ids[first : first + AT_A_TIME])
        await task.defer_async(shot_ids=some)
