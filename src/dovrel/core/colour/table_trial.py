"""Run as a process: a table from outside is checked, compiled by the colour library, and put through, before anything else reads it."""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from dovrel.core.colour import outputs, table_files
from dovrel.errors import Refused
from dovrel.machine import apart

MOST_MEMORY = 4 << 30
SECONDS = 30.0


def check(source: Path, what: str) -> None:
    """Refuse a table's file that cannot be read, in a process of its own; `what` it is called.

    Raises
    ------
    ValueError
        As of :func:`table_files.check_file` and :func:`table_files.check_values`, or if the colour library refuses it or takes
        too long.
    """
    table_files.check_file(source, what)
    fault = apart.answer_of(__name__, [str(source), what], f"{source.name}: the {what}", seconds=SECONDS).get("fault")
    if fault:
        raise Refused(fault)


def _tried(source: Path, what: str) -> dict[str, object]:
    table_files.check_values(source, what)
    try:
        values = outputs.run(outputs.of_file(source), np.linspace((-0.1,) * 3, (1.1,) * 3, 64, dtype=np.float32))
    except (ocio.Exception, UnicodeDecodeError) as error:
        # What the library says may quote the file, which need not be a table, nor text, at all.
        raise Refused(f"{source.name}: not a readable {what}: it is cut short, or no table at all") from error
    if not np.isfinite(values).all():
        raise Refused(f"{source.name}: the {what} gives values that are not numbers")
    return {}


if __name__ == "__main__":
    apart.answer(lambda: _tried(Path(sys.argv[1]), sys.argv[2]), MOST_MEMORY)
