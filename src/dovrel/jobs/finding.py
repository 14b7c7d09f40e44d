"""Finding clips below a folder: single files, sequences of stills, takes that go over several files."""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import pairwise
from pathlib import Path

from dovrel.core.sorting import natural
from dovrel.errors import Refused
from dovrel.formats.checksum_list import is_list
from dovrel.formats.edit_list import frames_of_timecode
from dovrel.media.clip import AS_IT_SAYS, ClipInfo, Reading
from dovrel.media.faults import MediaFault
from dovrel.media.limits import MAX_FOLDER_FILES, MAX_PASSED, STILL_SUFFIXES, VIDEO_SUFFIXES
from dovrel.media.probing import look_at
from dovrel.media.sequence import numbered, runs_of
from dovrel.media.stills import describe_still

LEAST_NUMBERED = 3
"""Pictures that make a sequence, of kinds that are photographs too."""
LEAST_RECORDED = 2
"""The same, of kinds that only recordings are made in."""
_RECORDED = (".dpx", ".exr")
LARGE_PART = 1_900_000_000
"""Bytes from which a file may have ended because its card could hold no larger one."""
ALIKE = 0.01
_SYNC_BYTE = b"\x47"
"""What every packet of a transport stream begins with."""


@dataclass(frozen=True)
class FoundClip:
    """A clip: its first file, and how its files are read as one."""

    path: Path
    reading: Reading = AS_IT_SAYS
    seen: ClipInfo | None = field(default=None, compare=False)
    """What its first file says, where that was looked at already."""

    @property
    def others(self) -> list[Path]:
        """The files after the first, of a take that goes over several."""
        return [self.path.parent / name for name in self.reading.parts]


@dataclass(frozen=True)
class Passed:
    """A file that is no clip, and why it is passed over."""

    name: str
    reason: str


@dataclass
class Below:
    """What lies below a folder, in order."""

    clips: list[FoundClip] = field(default_factory=list)
    passed: list[Passed] = field(default_factory=list)
    lists: list[Path] = field(default_factory=list)
    more_passed: int = 0
    """Files that were passed over and are not named, there being so many."""

    def pass_over(self, path: Path, reason: str) -> None:
        if len(self.passed) < MAX_PASSED:
            self.passed.append(Passed(path.name, reason))
        else:
            self.more_passed += 1


def find_below(folder: Path) -> Below:
    """Clips below a folder in natural order, and what was passed over. Links are not followed.

    Raises
    ------
    Refused
        If there are more clips than a day can hold.
    """
    below = Below()
    for root, folders, names in os.walk(folder, followlinks=False):
        folders.sort(key=natural)
        videos: list[Path] = []
        stills: list[Path] = []
        for name in sorted(names, key=natural):
            path = Path(root, name)
            if reason := _no_clip(path):
                below.pass_over(path, reason)
            elif is_list(path):
                below.lists.append(path)
            else:
                (videos if path.suffix.lower() in VIDEO_SUFFIXES else stills).append(path.resolve())
        below.clips += _takes(videos)
        below.clips += _sequences(stills, videos, below)
        if len(below.clips) > MAX_FOLDER_FILES:
            raise Refused(f"{folder.name}: more than {MAX_FOLDER_FILES} clips; take in one card or day at a time")
    return below


def _no_clip(path: Path) -> str:
    """Why a file is no clip, no still and no checksum list; empty if it is one."""
    suffix = path.suffix.lower()
    if path.name.startswith("."):
        return "hidden"
    if path.is_symlink():
        return "a link; what it leads to is not followed"
    if not path.is_file():
        return "not a file"
    if suffix == ".ts" and not _starts_with_sync(path):
        return "not a transport stream"
    if suffix in VIDEO_SUFFIXES or suffix in STILL_SUFFIXES or is_list(path):
        return ""
    return f"{suffix} is no kind of clip" if suffix else "no kind of clip"


def _starts_with_sync(path: Path) -> bool:
    try:
        with path.open("rb") as file:
            head = file.read(1)
    except OSError:
        return True  # Opening it says what is wrong.
    return head in (_SYNC_BYTE, b"")


def _takes(videos: list[Path]) -> Iterator[FoundClip]:
    """Clips, those that go on in the next file joined."""
    for group in _in_a_row(videos):
        seen: list[ClipInfo | None] = [look_at(path) for path in group] if len(group) > 1 else [None]
        start = 0
        for end in range(1, len(group) + 1):
            if end < len(group) and _goes_on(seen[end - 1], seen[end]):
                continue
            parts = group[start:end]
            if len(parts) > 1 and _is_one_take(parts, seen[start:end]):
                yield FoundClip(parts[0], Reading(parts=tuple(path.name for path in parts[1:])), seen[start])
            else:
                yield from (FoundClip(path, seen=one) for path, one in zip(parts, seen[start:end], strict=True))
            start = end


def _in_a_row(paths: list[Path]) -> Iterator[list[Path]]:
    """Runs of files whose names differ in the last number only, which goes up by one."""
    row: list[Path] = []
    for path in paths:
        here, last = numbered(path), numbered(row[-1]) if row else None
        if here and last and (here[0], here[2]) == (last[0], last[2]) and here[1] == last[1] + 1:
            row.append(path)
            continue
        if row:
            yield row
        row = [path]
    if row:
        yield row


def _goes_on(one: ClipInfo | None, other: ClipInfo | None) -> bool:
    """Whether a clip's timecode begins where another's ends, and they are of one kind."""
    if one is None or other is None or not one.timecode or not other.timecode:
        return False
    if (one.geometry, one.rate, one.codec) != (other.geometry, other.rate, other.codec):
        return False
    ends = frames_of_timecode(one.timecode, one.rate) + one.frames
    return abs(frames_of_timecode(other.timecode, other.rate) - ends) <= 1


def _is_one_take(parts: list[Path], seen: list[ClipInfo | None]) -> bool:
    """Whether files with running timecode were cut by the camera, not by its button: all but the last are full."""
    if all(path.stat().st_size >= LARGE_PART for path in parts[:-1]):
        return True
    lengths = [info.frames for info in seen if info]
    even = all(abs(a - b) <= ALIKE * a for a, b in pairwise(lengths[:-1]))
    return len(parts) > 2 and even and lengths[-1] <= lengths[0] * (1 + ALIKE)


def _sequences(stills: list[Path], videos: list[Path], below: Below) -> Iterator[FoundClip]:
    """Runs of numbered pictures as sequences, others as shots of one frame."""
    groups: dict[tuple, list[Path]] = defaultdict(list)
    clip_stems = [video.stem.casefold() for video in videos]
    for still in stills:
        name = numbered(still)
        if any(_is_beside(still, stem) for stem in clip_stems):
            below.pass_over(still, "the small picture of a clip")
        elif name is None:
            groups[still.name, None].append(still)
        else:
            groups[name[0], name[2].lower()].append(still)
    for (_, kind), paths in groups.items():
        least = LEAST_RECORDED if kind in _RECORDED else LEAST_NUMBERED
        if kind is None or len(paths) < least or _is_photograph(paths[0]):
            yield from (FoundClip(path) for path in paths)
            continue
        numbers = [found[1] for path in paths if (found := numbered(path))]
        yield FoundClip(paths[0], Reading(numbers=runs_of(numbers)))


def _is_beside(still: Path, clip_stem: str) -> bool:
    """Whether a picture is called after a clip; C0012 is not called after C001."""
    stem = still.stem.casefold()
    rest = stem[len(clip_stem) :]
    return still.suffix.lower() not in _RECORDED and stem.startswith(clip_stem) and not rest[:1].isdigit()


def _is_photograph(path: Path) -> bool:
    """Whether a picture names the camera that took it: then its neighbours are pictures of their own."""
    if path.suffix.lower() in _RECORDED:
        return False
    try:
        return bool(describe_still(path).tags.get("make"))
    except MediaFault:
        return False
