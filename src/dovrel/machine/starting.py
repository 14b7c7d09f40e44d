"""What a start does just now: written down by the part that does it, read by the command that waits for it."""

from __future__ import annotations

import contextlib
from pathlib import Path

from dovrel.machine.files import write_private

STARTING = "starting"
"""The file in the data folder that says it."""


class StartNote:
    """One line in the data folder: "kernels 12 of 40". Empty where nothing is being started."""

    def __init__(self, data: Path) -> None:
        self._path = data / STARTING

    def write(self, doing: str) -> None:
        """Say what is done now; a full disc leaves it unsaid."""
        with contextlib.suppress(OSError):
            write_private(self._path, doing)

    def read(self) -> str:
        try:
            return self._path.read_text()
        except OSError:
            return ""

    def clear(self) -> None:
        with contextlib.suppress(OSError):
            self._path.unlink(missing_ok=True)
