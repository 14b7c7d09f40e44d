"""Whether a clip's files are the ones that were taken in: by size and time of change, by checksum where only the time differs."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from dataclasses import dataclass
from os import stat_result
from pathlib import Path
from typing import Any

import xxhash

from dovrel.media.checksums import sums_of
from dovrel.media.clip import ClipInfo, Reading
from dovrel.media.faults import MediaFault, Offline
from dovrel.media.footage import probe, read_frame
from dovrel.media.opening import allowed

KEPT_SUM = "xxh128"
"""The kind of checksum that is kept of every file."""
_NAMED = 3
_DECODING = 2
"""Names the way frames are decoded: sums of another way are not comparable."""
_WHAT_TO_DO = "take it in again or set the shot aside"


class Replaced(MediaFault):
    """The file is another than the one that was taken in."""


@dataclass(frozen=True)
class KnownFile:
    """A file as it was when it was taken in: bytes, time of change in nanoseconds (None where it was not kept), XXH128."""

    name: str
    size: int
    modified: int | None
    sum: str

    @classmethod
    def of(cls, record: dict[str, Any]) -> KnownFile:
        """The file that a clip's record tells of."""
        return cls(record["name"], record["size"], record.get("modified"), record[KEPT_SUM])


_sums: dict[tuple[str, int, int], str] = {}
_summing = threading.Lock()


def status_of(path: Path) -> stat_result:
    """A file's status.

    Raises
    ------
    Offline
        If it is not there, or lies where this process may not read.
    """
    allowed(path)
    try:
        return path.stat()
    except OSError:
        raise Offline(path, "the footage is offline; connect the card or disc again") from None


def looks_the_same(path: Path, known: KnownFile) -> bool | None:
    """Whether a file is the known one by size and time of change alone; None where only its contents can tell.

    Raises
    ------
    Offline
        As of :func:`status_of`.
    """
    status = status_of(path)
    if status.st_size != known.size:
        return False
    return True if known.modified in (None, status.st_mtime_ns) else None


def check_files(folder: Path, files: Sequence[KnownFile]) -> None:
    """Check that files are the ones that were taken in.

    Raises
    ------
    Offline
        If one is not there, or lies where this process may not read.
    Replaced
        If one is another.
    """
    other = [known.name for known in files if not _is_same(folder / known.name, known)]
    if other:
        if other == [files[0].name]:
            raise Replaced(folder / other[0], f"the file was replaced since it was taken in; {_WHAT_TO_DO}")
        named = ", ".join(other[:_NAMED]) + (f" and {len(other) - _NAMED} more" if len(other) > _NAMED else "")
        raise Replaced(
            folder / other[0],
            f"the file was replaced since it was taken in ({named}); {_WHAT_TO_DO}",
        )


def _is_same(path: Path, known: KnownFile) -> bool:
    quick = looks_the_same(path, known)
    return _sum_of(path) == known.sum if quick is None else quick


def _sum_of(path: Path) -> str:
    """A file's checksum, kept while its size and time of change stay."""
    status = status_of(path)
    key = (str(path), status.st_size, status.st_mtime_ns)
    if key not in _sums:
        _, (found,) = sums_of([path], [KEPT_SUM])
        with _summing:
            _sums[key] = found.sums[KEPT_SUM]
    return _sums[key]


def first_frame_sum(path: Path, info: ClipInfo) -> str:
    """A checksum of the first frame as it is decoded, with the way of decoding it is of.

    Raises
    ------
    MediaFault
        If it cannot be decoded.
    """
    return f"{_DECODING}:{xxhash.xxh3_128(read_frame(path, 0, info).tobytes()).hexdigest()}"


def check_contents(path: Path, info: ClipInfo, reading: Reading, first: str) -> None:
    """Check a clip's length, and its first frame by the checksum that was kept (empty where none was), by decoding it.

    Raises
    ------
    MediaFault
        If it cannot be read.
    Replaced
        If it is another clip than `info` tells of.
    """
    frames = probe(path, reading).frames
    if frames != info.frames:
        raise Replaced(path, f"the file has {frames} frames, and had {info.frames} when it was taken in; {_WHAT_TO_DO}")
    if first.startswith(f"{_DECODING}:") and first_frame_sum(path, info) != first:
        raise Replaced(path, f"its first frame is another than when it was taken in; {_WHAT_TO_DO}")


def known_files(clip: dict[str, Any]) -> tuple[KnownFile, ...]:
    """The files that a clip's record tells of; none if it was never measured."""
    return tuple(KnownFile.of(one) for one in clip.get("files", ()))
