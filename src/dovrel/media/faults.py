"""What can be wrong with a file, said in one sentence that names it."""

from __future__ import annotations

from pathlib import Path

from dovrel.errors import Refused


class MediaFault(Refused):
    """A file that cannot be used; the message names the file and the fault."""

    def __init__(self, path: Path | str, fault: str) -> None:
        self.file = Path(path).name
        self.fault = fault
        super().__init__(f"{self.file}: {fault}")


class Offline(MediaFault):
    """A file that is not there now, or lies where this process may not read: nothing is wrong with the file itself."""
