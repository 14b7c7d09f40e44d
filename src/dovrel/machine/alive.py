"""Signs of life: of a process, a file whose time of change it renews while its event loop runs; of a task, its steps."""

from __future__ import annotations

import asyncio
import contextlib
import os
import time
from collections.abc import Iterator
from pathlib import Path

SIGN = "DOVREL_ALIVE"
"""The variable of the environment that names the file."""
EVERY = 2.0
STOOD_STILL = 75
"""The exit status of a worker whose task stood still."""


class _Steps:
    """When the task under way made its last step, monotonic seconds; None while there is none."""

    last: float | None = None


@contextlib.contextmanager
def task_under_way() -> Iterator[None]:
    """A task of this process, from its beginning to its end."""
    _Steps.last = time.monotonic()
    try:
        yield
    finally:
        _Steps.last = None


def step_made() -> None:
    """Note that the task under way, if any, gets on: a frame decoded or written, a block read, a pair compared."""
    if _Steps.last is not None:
        _Steps.last = time.monotonic()


def still_for() -> float:
    """Seconds since the last step of the task under way; 0 while there is none."""
    last = _Steps.last
    return 0.0 if last is None else time.monotonic() - last


async def show_life() -> None:
    """Renew the sign again and again, until cancelled; nothing where none is asked for."""
    if not (path := os.environ.get(SIGN)):
        return
    while True:
        # On a full disc the time of change of a file that is there can still be set.
        with contextlib.suppress(OSError):
            Path(path).touch(mode=0o600)
        await asyncio.sleep(EVERY)
