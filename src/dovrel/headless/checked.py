"""How a command ends on bad input: one sentence and exit code 2."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Iterator
from pathlib import Path

import typer

from dovrel.machine.quiet import libraries_silenced

ROOT = Path(__file__).resolve().parents[3]
DEFAULT_DATA = ROOT / ".data"


def _fail(message: str) -> typer.Exit:
    print((message.splitlines() or ["this failed without a reason"])[0], file=sys.stderr)
    return typer.Exit(2)


@contextlib.contextmanager
def inputs_checked() -> Iterator[None]:
    """Bad input ends with one line on standard error and exit code 2."""
    try:
        yield
    except MemoryError as error:
        raise _fail("there is not enough memory for this; try a smaller picture") from error
    except (ValueError, OSError) as error:
        raise _fail(str(error)) from error


@contextlib.contextmanager
def files_checked() -> Iterator[None]:
    """The same for files that libraries read: what these say themselves is dropped.

    Tables baked for one command are kept for the next, where a start without --data keeps its own.
    """
    from dovrel.core.colour import look_files, tables

    with contextlib.suppress(OSError):
        DEFAULT_DATA.mkdir(mode=0o700, exist_ok=True)
        tables.keep_for_all()
        look_files.keep_in(DEFAULT_DATA / "looks")
    with inputs_checked(), libraries_silenced():
        yield
