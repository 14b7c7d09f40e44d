"""Opening files of footage: only regular ones, and only where this process may read."""

from __future__ import annotations

import os
import stat
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

from dovrel.machine.alive import step_made
from dovrel.media.faults import MediaFault, Offline

_below: tuple[Path, ...] | None = None


def read_only_below(folders: Iterable[Path], *more: Path) -> None:
    """From now on this process reads footage below these folders alone; everywhere if never called."""
    global _below
    _below = tuple(Path(folder).resolve() for folder in (*folders, *more))


def allowed(path: Path) -> Path:
    """`path` with links followed, if it lies where this process may read.

    Raises
    ------
    Offline
        If it lies elsewhere.
    """
    real = Path(path).resolve()
    _check(path, real)
    return real


def _check(path: Path, real: Path) -> None:
    if _below is not None and not any(real.is_relative_to(folder) for folder in _below):
        raise Offline(path, "lies outside the folders Dovrel may read; start it with --media FOLDER")


@contextmanager
def opened(path: Path) -> Iterator[Path]:
    """A path to read the file while it is open: it stays the same file whatever is put in its place.

    Raises
    ------
    Offline
        If there is no such file, or it lies where this process may not read.
    MediaFault
        If it is empty or no regular file.
    """
    path = Path(path)
    step_made()
    try:
        number = os.open(path, os.O_RDONLY | os.O_CLOEXEC | os.O_NONBLOCK)
    except FileNotFoundError:
        raise Offline(path, "there is no such file") from None
    except (OSError, ValueError) as error:
        raise MediaFault(path, f"cannot be opened ({getattr(error, 'strerror', None) or error})") from error
    try:
        here = Path(f"/proc/self/fd/{number}")
        status = os.fstat(number)
        if not stat.S_ISREG(status.st_mode):
            raise MediaFault(path, "is not a file")
        _check(path, here.readlink())
        if status.st_size == 0:
            raise MediaFault(path, "the file is empty")
        yield here
    finally:
        os.close(number)
