"""What went wrong, for whoever mends it: on the terminal, and in a file of the data folder that is begun anew when it is full."""

from __future__ import annotations

import logging
import secrets
from logging.handlers import RotatingFileHandler
from pathlib import Path

LOGS = "logs"
"""Folder in the data folder."""
MOST_BYTES, KEPT = 1 << 20, 3
"""Size of a file, and how many older ones are kept beside it."""
_FORMAT = "%(asctime)s %(levelname)s %(name)s: %(message)s"
_log = logging.getLogger("dovrel")


def log_to(data: Path, part: str) -> Path:
    """Log warnings and errors of this process into the data folder too; `part` is the process's name there."""
    folder = data / LOGS
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    file = RotatingFileHandler(folder / f"{part}.log", maxBytes=MOST_BYTES, backupCount=KEPT, delay=True)
    terminal = logging.StreamHandler()
    for handler in (file, terminal):
        handler.setFormatter(logging.Formatter(_FORMAT))
    logging.basicConfig(level=logging.WARNING, handlers=[file, terminal], force=True)
    return Path(file.baseFilename)


def report_mistake(error: BaseException) -> str:
    """Log a mistake of the program with its trace under a number; a sentence for the user that names it and where the trace is."""
    number = secrets.token_hex(3)
    _log.error("fault %s", number, exc_info=error)
    files = [one for one in logging.getLogger().handlers if isinstance(one, RotatingFileHandler)]
    where = f"{LOGS}/{Path(files[0].baseFilename).name} in the data folder" if files else "the terminal"
    return f"this failed by a mistake in Dovrel (fault {number}); nothing saved is lost, and {where} says more"
