"""A process's sign of life: a file whose time of change it renews while its event loop runs."""

from __future__ import annotations

import asyncio
import contextlib
import os
from pathlib import Path

SIGN = "DOVREL_ALIVE"
"""The variable of the environment that names the file."""
EVERY = 2.0


async def show_life() -> None:
    """Renew the sign again and again, until cancelled; nothing where none is asked for."""
    if not (path := os.environ.get(SIGN)):
        return
    while True:
        # On a full disc the time of change of a file that is there can still be set.
        with contextlib.suppress(OSError):
            Path(path).touch(mode=0o600)
        await asyncio.sleep(EVERY)
