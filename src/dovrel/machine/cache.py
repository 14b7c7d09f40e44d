"""The user's cache folder: what any Dovrel can make again, shared by all checkouts and data folders of one user.

What depends on code lies in a folder whose name holds a digest of that code, so versions never read each other's.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import time
from functools import lru_cache
from pathlib import Path

PACKAGE = Path(__file__).resolve().parents[1]
UNUSED_DAYS = 30
"""Days after which a folder that no start has used is removed."""


def cache_folder() -> Path:
    """``$XDG_CACHE_HOME/dovrel``, or ``~/.cache/dovrel``; a folder beside the package where the home cannot be written."""
    home = os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache"
    folder = Path(home) / "dovrel"
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    except OSError:
        return PACKAGE / "__pycache__"
    return folder if os.access(folder, os.W_OK) else PACKAGE / "__pycache__"


@lru_cache(maxsize=8)
def versioned(kind: str, digest: str) -> Path:
    """The folder of one kind of cached files for one digest of what they depend on; older ones that nobody uses are removed.

    Parameters
    ----------
    kind : what the files are, as the first part of the folder's name
    digest : hexadecimal digest of all that the files depend on
    """
    root = cache_folder()
    folder = root / f"{kind}-{digest}"
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    os.utime(folder)
    oldest = time.time() - UNUSED_DAYS * 86400
    for other in root.glob(f"{kind}-*"):
        with contextlib.suppress(OSError):
            if other != folder and other.stat().st_mtime < oldest:
                shutil.rmtree(other, ignore_errors=True)
    return folder
