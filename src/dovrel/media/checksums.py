"""Checksums of files, of several kinds in one reading."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import xxhash

from dovrel.machine.alive import step_made
from dovrel.machine.c4 import c4_of
from dovrel.media.opening import opened

BLOCK = 1 << 20
_MAKERS: dict[str, Any] = {
    "md5": hashlib.md5,
    "sha1": hashlib.sha1,
    "sha256": hashlib.sha256,
    "sha512": hashlib.sha512,
    "c4": hashlib.sha512,
    "xxh64": xxhash.xxh64,
    "xxh3": xxhash.xxh3_64,
    "xxh128": xxhash.xxh3_128,
}
KINDS = frozenset(_MAKERS)


@dataclass(frozen=True)
class FileSums:
    """A file's size in bytes, its time of change in nanoseconds, and its checksums by kind."""

    name: str
    size: int
    modified: int
    sums: dict[str, str]


def sums_of(files: Sequence[Path], kinds: Iterable[str]) -> tuple[str, list[FileSums]]:
    """SHA-256 of all files as if they were one, hexadecimal, and each file's own checksums of the `kinds`.

    Raises
    ------
    MediaFault
        If one cannot be opened.
    """
    whole = hashlib.sha256()
    found = []
    for file in files:
        own = {kind: _MAKERS[kind]() for kind in kinds}
        size = 0
        with opened(file) as here, here.open("rb") as content:
            modified = os.fstat(content.fileno()).st_mtime_ns
            while block := content.read(BLOCK):
                step_made()
                size += len(block)
                whole.update(block)
                for digest in own.values():
                    digest.update(block)
        sums = {kind: c4_of(d.digest()) if kind == "c4" else d.hexdigest() for kind, d in own.items()}
        found.append(FileSums(Path(file).name, size, modified, sums))
    return whole.hexdigest(), found
