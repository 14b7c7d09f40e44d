"""The command line within this process, as a script calls it: its exit code and what it writes to both streams."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TextIO

from dovrel.cli import app
from dovrel.core.colour import look_files
from tests.helpers.within import reading_anywhere


def dovrel(*arguments: object) -> subprocess.CompletedProcess[str]:
    """Run a command; both streams are caught where libraries write to them, too."""
    words = [str(argument) for argument in arguments]
    with tempfile.TemporaryFile("w+") as out, tempfile.TemporaryFile("w+") as err:
        with _redirected("stdout", 1, out), _redirected("stderr", 2, err):
            code = _run(words)
        out.seek(0)
        err.seek(0)
        return subprocess.CompletedProcess(words, code, out.read(), err.read())


def dovrel_by_itself(*arguments: object) -> subprocess.CompletedProcess[str]:
    """The same in a process of its own."""
    words = [sys.executable, "-m", "dovrel.cli", *map(str, arguments)]
    return subprocess.run(words, capture_output=True, text=True)


def _run(words: list[str]) -> int:
    mask, looks = os.umask(0o022), look_files._kept_in
    try:
        with reading_anywhere():
            app(words, standalone_mode=True)
    except SystemExit as ended:
        return ended.code if isinstance(ended.code, int) else int(ended.code is not None)
    finally:
        os.umask(mask)
        look_files.keep_in(looks)
    return 0


@contextmanager
def _redirected(name: str, number: int, to: TextIO) -> Iterator[None]:
    before, kept = getattr(sys, name), os.dup(number)
    before.flush()
    os.dup2(to.fileno(), number)
    ours = os.fdopen(os.dup(number), "w", buffering=1)
    setattr(sys, name, ours)
    try:
        yield
    finally:
        ours.close()
        setattr(sys, name, before)
        os.dup2(kept, number)
        os.close(kept)
