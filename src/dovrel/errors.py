"""Errors of Dovrel's own: each carries one sentence for the user, and every other error is a mistake of the program."""

from __future__ import annotations

import errno
from pathlib import Path


class Refused(ValueError):
    """What was asked cannot be done: the sentence says why and, where it is known, what to do."""


class NotFound(Refused, LookupError):
    """What was named is not there."""


class InConflict(Refused):
    """What was asked goes on from something that has changed since."""


class Overtaken(Exception):
    """Something newer is wanted in the place of an answer under way; nothing is shown."""


class Cancelled(Exception):
    """The user ended work under way; it passes whatever turns a refusal into an item of a list."""

    def __init__(self) -> None:
        super().__init__("cancelled; nothing was changed")


class NoRoom(OSError):
    """The disc is full; the message names the file that found no room."""

    def __init__(self, path: Path | str) -> None:
        super().__init__(errno.ENOSPC, f"{Path(path).name}: there is no room left on the disc; make room and try again")

    def __str__(self) -> str:
        return str(self.strerror)
