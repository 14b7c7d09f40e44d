"""Options that commands share, and how a command ends on bad input: one sentence and exit code 2."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated

import typer

from dovrel.machine.quiet import libraries_silenced

ROOT = Path(__file__).resolve().parents[3]
DEFAULT_DATA = ROOT / ".data"

JsonOption = Annotated[bool, typer.Option("--json", help="Print JSON.")]
EncodingOption = Annotated[
    str | None,
    typer.Option(metavar="NAME", help="The encoding, or file:PATH of a CLF or .cube; by the file's tags if left out."),
]
OutputOption = Annotated[
    str,
    typer.Option(
        "--output", "--output-transform", metavar="NAME", help="The output: rec709, p3-d65, pq-1000 or plain-video."
    ),
]
ClipArgument = Annotated[Path, typer.Argument(metavar="CLIP", help="A clip.", show_default=False)]
NameOption = Annotated[str | None, typer.Option(metavar="ID", help="Which correction of a .ccc collection.")]
FamilyOption = Annotated[
    Path | None, typer.Option(metavar="FILE", help="The family's steps, after the shot's: a correction file.")
]
ShowOption = Annotated[
    Path | None, typer.Option(metavar="FILE", help="The show's steps, after all others: a correction file.")
]
LookOption = Annotated[
    list[Path] | None,
    typer.Option(metavar="FILE", help="A table file that a look in these steps uses; give it again for more."),
]


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
