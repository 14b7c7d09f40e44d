"""Where compiled kernels are kept: one folder for each state of the source.

Numba looks only at the file that a kernel stands in. A kernel that calls another file's would go on with the old one after
that was changed, and develop wrong pictures.
"""

from __future__ import annotations

import hashlib
import os
from pathlib import Path

_HERE = Path(__file__).parent


def keep_kernels_apart() -> None:
    """Let Numba keep compiled kernels under the sum of all files that hold any; a folder that was chosen outside stays."""
    os.environ.setdefault("NUMBA_CACHE_DIR", str(_HERE / "__pycache__" / f"kernels-{sum_of(_HERE)}"))


def sum_of(folder: Path) -> str:
    """Of all files below a folder that hold kernels."""
    digest = hashlib.sha256()
    for path in sorted(folder.rglob("*.py")):
        source = path.read_bytes()
        if b"@njit" in source:
            digest.update(path.name.encode())
            digest.update(source)
    return digest.hexdigest()[:16]
