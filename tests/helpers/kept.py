"""What is costly to make and the same for every run: kept in the checkout for one state of what it is made of."""

from __future__ import annotations

import fcntl
import hashlib
import shutil
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

from dovrel.machine.cache import PACKAGE

ROOT = PACKAGE.parents[1]
KEPT = ROOT / ".cache"


def digest_of(paths: Iterable[Path]) -> str:
    """Of files, and all files below folders, by their place and contents."""
    found = hashlib.sha256(str(ROOT).encode())
    for path in paths:
        for file in sorted(path.rglob("*")) if path.is_dir() else [path]:
            if file.is_file() and "__pycache__" not in file.parts:
                found.update(str(file.relative_to(ROOT)).encode())
                found.update(file.read_bytes())
    return found.hexdigest()[:16]


@contextmanager
def one_at_a_time(what: str) -> Iterator[None]:
    """Within, no other process of the tests does the same."""
    KEPT.mkdir(exist_ok=True)
    with (KEPT / f"{what}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


def kept(kind: str, digest: str, make: Callable[[Path], None]) -> Path:
    """The folder of one kind for a digest. Who asks first has it made; others wait meanwhile. Those of other digests go."""
    folder = KEPT / f"{kind}-{digest}"
    with one_at_a_time(kind):
        if not folder.is_dir():
            for other in KEPT.glob(f"{kind}-*"):
                shutil.rmtree(other, ignore_errors=True)
            aside = KEPT / f"{kind}-being-made"
            shutil.rmtree(aside, ignore_errors=True)
            make(aside)
            aside.rename(folder)
    return folder
