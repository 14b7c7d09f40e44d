"""Threads that answer the desks: what follows a hand goes first, what comes at rest gives way to it."""

from __future__ import annotations

import contextlib
import os
import threading
from concurrent.futures import ThreadPoolExecutor

GIVING_WAY = 10
"""By how much the threads at rest are nicer than those that follow a hand."""


def _give_way() -> None:
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), GIVING_WAY)


class Pools:
    """`hand` for live updates, as many at once as there are cores; `rest` for full frames and thorough searches."""

    def __init__(self) -> None:
        cores = os.cpu_count() or 2
        self.hand = ThreadPoolExecutor(cores, thread_name_prefix="hand")
        self.rest = ThreadPoolExecutor(2 * cores, thread_name_prefix="rest", initializer=_give_way)

    def close(self) -> None:
        for pool in (self.hand, self.rest):
            pool.shutdown(wait=False, cancel_futures=True)
