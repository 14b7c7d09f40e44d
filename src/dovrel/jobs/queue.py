"""The queue: procrastinate in the production's own PostgreSQL; tasks are queued in the transaction that needs them."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence

import procrastinate
from procrastinate.exceptions import ConnectorException
from sqlalchemy import text
from sqlalchemy.orm import Session

from dovrel.media.writing import KINDS
from dovrel.store.models import HandoverItem, Shot

QUEUE = "measure"
SETTLING = 1.0
"""Seconds that a measurement waits for further changes of what it is measured under."""

app = procrastinate.App(
    connector=procrastinate.PsycopgConnector(),
    import_paths=["dovrel.jobs.tasks"],
)

_ONE_AT_A_TIME = text("SELECT pg_advisory_xact_lock(hashtext('dovrel queue'))")
_DEFER = text(
    """
    SELECT procrastinate_defer_jobs_v1(array_agg(
        ROW(:queue, :task, COALESCE((job->>'priority')::int, 0), job->>'lock', job->>'once', job->'orders',
            CASE WHEN :after > 0 THEN now() + make_interval(secs => :after) END)::procrastinate_job_to_defer_v1
        ORDER BY place))
    FROM jsonb_array_elements(CAST(:jobs AS jsonb)) WITH ORDINALITY AS listed (job, place)
    WHERE NOT EXISTS (
        SELECT FROM procrastinate_jobs WHERE queueing_lock = job->>'once' AND status = 'todo')
    HAVING count(*) > 0
    """
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


def _defer(session: Session, task: str, jobs: list[dict], after: float = 0.0) -> None:
    """Queue jobs with the session's transaction: they are there if, and only if, it is committed.

    Of jobs with the same ``once`` only one waits at a time; of those with the same ``lock``
    only one is done at a time.
    """
    if jobs:
        session.execute(_ONE_AT_A_TIME)
        session.execute(_DEFER, {"queue": QUEUE, "task": task, "jobs": json.dumps(jobs), "after": after})


def defer_measures(session: Session, shot_ids: Iterable[int], after: float = 0.0) -> None:
    """Queue the first measurement of shots, once each however often it is asked for."""
    jobs = [{"lock": f"shot {i}", "once": f"measure {i}", "orders": {"shot_id": i}} for i in dict.fromkeys(shot_ids)]
    _defer(session, "first-measure", jobs, after)


def defer_batch(session: Session, operation_id: int, shots: Sequence[Shot], *, by_family: bool = False) -> None:
    """Queue a batch's steps, one a shot, so that any worker takes the next.

    With `by_family` the shots of one family are done one after another, so that each worker has a family of its own.
    """
    jobs = [
        {
            "lock": f"family {shot.family_id}" if by_family and shot.family_id else f"shot {shot.id}",
            "orders": {"operation_id": operation_id, "shot_id": shot.id},
        }
        for shot in shots
    ]
    _defer(session, "batch-step", jobs)


def defer_handing(session: Session, items: Iterable[HandoverItem]) -> None:
    """Queue items of a handover, each a job: what is only written goes before all other work, what is rendered comes after it."""
    jobs = [
        {
            "lock": f"handed {item.id}",
            "once": f"handed {item.id}",
            "orders": {"item_id": item.id},
            "priority": -1 if item.kind in KINDS else 1,
        }
        for item in items
    ]
    _defer(session, "hand-over", jobs)


def defer_footage_checks(session: Session, shot_ids: Iterable[int]) -> None:
    """Queue the files of shots to be compared with what was taken in."""
    jobs = [{"lock": f"shot {i}", "once": f"footage {i}", "orders": {"shot_id": i}} for i in dict.fromkeys(shot_ids)]
    _defer(session, "check-footage", jobs)


def defer_measure_again(session: Session, shot_ids: Iterable[int]) -> None:
    """Queue the readings of shots to be taken again."""
    jobs = [{"lock": f"shot {i}", "once": f"again {i}", "orders": {"shot_id": i}} for i in dict.fromkeys(shot_ids)]
    _defer(session, "measure-again", jobs)
