"""The data folder: held by one Dovrel at a time, closed to everybody but its owner."""

from __future__ import annotations

import fcntl
import json
import os
from pathlib import Path
from typing import IO

from dovrel.errors import Refused

LOCK = "lock"
TROUBLE = "trouble.json"
"""What the start command says is wrong with its parts, for the server to pass on."""
PRIVATE = 0o700


class AlreadyRuns(Refused):
    """Another Dovrel holds the data folder; the message says where it is."""


class DataFolder:
    """A hold on a data folder, which ends with :meth:`leave` or with this process."""

    def __init__(self, path: Path) -> None:
        self.path = Path(path)
        self._file: IO[str] | None = None

    def hold(self, address: str) -> str:
        """Take hold of the folder and write down where Dovrel is; returns where it was the last time.

        Raises
        ------
        AlreadyRuns
            If another Dovrel holds it.
        """
        self.path.mkdir(parents=True, exist_ok=True, mode=PRIVATE)
        file = os.fdopen(os.open(self.path / LOCK, os.O_RDWR | os.O_CREAT, 0o600), "r+")
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            there = _address(file)
            file.close()
            raise AlreadyRuns(
                f"Dovrel already runs on {self.path}" + (f", at {there}" if there else "") + "; stop it first, "
                "or choose another folder with --data"
            ) from None
        _close_to_others(self.path)
        before = _address(file)
        file.seek(0)
        file.truncate()
        json.dump({"process": os.getpid(), "address": address}, file)
        file.flush()
        self._file = file
        return before

    def leave(self) -> None:
        if self._file:
            self._file.close()
            self._file = None


def _address(file: IO[str]) -> str:
    try:
        return str(json.load(file)["address"])
    except (ValueError, KeyError, TypeError):
        return ""


def _close_to_others(folder: Path) -> None:
    """Take away what a folder made by an older Dovrel let others do."""
    if folder.stat().st_mode & 0o077 == 0:
        return
    folder.chmod(PRIVATE)
    for root, folders, files in os.walk(folder):
        for name in folders + files:
            path = Path(root, name)
            if not path.is_symlink():
                path.chmod(path.stat().st_mode & 0o700)
