"""Reads what comes from outside in a process of its own, which an odd file may bring down or keep busy without harm to the server."""

from __future__ import annotations

import json
import resource
import subprocess
import sys
from collections.abc import Callable, Sequence
from typing import Any

from dovrel.errors import Refused


def answer_of(
    module: str, arguments: Sequence[str], what: str, *, given: bytes = b"", seconds: float
) -> dict[str, Any]:
    """What a module that is run as a process answers: see :func:`answer`.

    Parameters
    ----------
    module, arguments : run as ``python -m``; `given` is what it finds on standard input
    what : what is read, as in "the edit list"

    Raises
    ------
    Refused
        If it takes longer than `seconds`, or ends without an answer; the message is a sentence about `what`.
    """
    command = [sys.executable, "-m", module, *arguments]
    try:
        run = subprocess.run(command, input=given, capture_output=True, timeout=seconds, check=False)
    except subprocess.TimeoutExpired as error:
        raise Refused(f"{what} takes longer than {seconds:.0f} seconds to read") from error
    if run.returncode:
        raise Refused(f"{what} cannot be read: it is built in a way that its reader cannot handle")
    return json.loads(run.stdout)


def answer(find: Callable[[], dict[str, Any]], most_memory: int) -> None:
    """In such a process: print what `find` gives, or ``fault``, a sentence, if it raises; within so many bytes of memory."""
    resource.setrlimit(resource.RLIMIT_AS, (most_memory, most_memory))
    try:
        found = find()
    except Exception as error:
        # Each library has faults of its own; what they share is a sentence.
        found = {"fault": (str(error).splitlines() or [type(error).__name__])[0][:400]}
    print(json.dumps(found))
