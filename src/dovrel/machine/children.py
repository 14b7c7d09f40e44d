"""Processes that end with the one that started them."""

from __future__ import annotations

import ctypes
import os
import pwd
import signal
from collections.abc import Callable
from typing import Any, Protocol

_SET_PARENT_DEATH_SIGNAL = 1
_libc = ctypes.CDLL(None, use_errno=True)


def ends_with_us(ending: signal.Signals) -> Callable[[], None]:
    """What a child does before it begins, so that it gets a signal when this process ends, however it ends.

    To be started from the main thread: Linux goes by the thread that started the child.
    """
    us = os.getpid()

    def leash() -> None:
        _libc.prctl(_SET_PARENT_DEATH_SIGNAL, int(ending), 0, 0, 0)
        if os.getppid() != us:
            os._exit(1)

    return leash


def running_as(account: pwd.struct_passwd | None) -> dict[str, Any]:
    """Arguments that start a child under another account; none for this one."""
    if account is None:
        return {}
    return {"user": account.pw_uid, "group": account.pw_gid, "extra_groups": []}


class Watchable(Protocol):
    """What is watched of a child: as of :class:`subprocess.Popen`."""

    def poll(self) -> int | None: ...
    def terminate(self) -> None: ...
    def kill(self) -> None: ...
    def wait(self, timeout: float | None = None) -> int: ...
