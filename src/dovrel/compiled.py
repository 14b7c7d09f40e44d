"""Where compiled kernels are kept: one folder for each state of the source.

Numba looks only at the file that a kernel stands in. A kernel that calls another file's would go on with the old one after
that was changed, and develop wrong pictures; so would one that took a constant from elsewhere.
"""

from __future__ import annotations

import hashlib
import os
import re
from pathlib import Path

_HERE = Path(__file__).parent


def keep_kernels_apart() -> None:
    """Let Numba keep compiled kernels under the sum of all files that they are made of; a folder that was chosen outside stays."""
    os.environ.setdefault("NUMBA_CACHE_DIR", str(_HERE / "__pycache__" / f"kernels-{sum_of(_HERE)}"))


def sum_of(folder: Path) -> str:
    """Of all files below a folder that hold kernels, and of those that they take names from: constants are compiled in."""
    files = {path: path.read_bytes() for path in sorted(folder.rglob("*.py"))}
    kernels = [path for path, source in files.items() if b"@njit" in source]
    named = {name for path in kernels for line in _IMPORTS.findall(files[path]) for name in _NAME.findall(line)}
    digest = hashlib.sha256()
    for path, source in files.items():
        if path in kernels or path.stem.encode() in named:
            digest.update(path.name.encode())
            digest.update(source)
    return digest.hexdigest()[:16]


_IMPORTS = re.compile(rb"^from (dovrel.*)$", re.MULTILINE)
_NAME = re.compile(rb"\w+")
