"""Keeping the words of compiled libraries off standard error, where Dovrel's own sentence is to stand alone."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager

STANDARD_ERROR = 2


@contextmanager
def libraries_silenced() -> Iterator[None]:
    """Within, what libraries write to standard error themselves is dropped; what Python writes there is not."""
    sys.stderr.flush()
    kept, dropped = os.dup(STANDARD_ERROR), os.open(os.devnull, os.O_WRONLY)
    ours, said = sys.stderr, os.fdopen(kept, "w", buffering=1)
    try:
        os.dup2(dropped, STANDARD_ERROR)
        sys.stderr = said
        yield
    finally:
        said.flush()
        sys.stderr = ours
        os.dup2(kept, STANDARD_ERROR)
        os.close(dropped)
        said.close()
