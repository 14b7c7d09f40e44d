"""Stills as clips: one picture, or a run of numbered ones."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import cv2
import numpy as np

from dovrel.core.colour import codes, working
from dovrel.media.clip import ClipInfo, Reading
from dovrel.media.faults import MediaFault
from dovrel.media.geometry import Geometry, seen
from dovrel.media.maker import maker_of
from dovrel.media.probing import read_as
from dovrel.media.stills import describe_still, odd_values_said, read_still

DEFAULT_RATE = Fraction(24)
_NUMBERED = re.compile(r"^(.*?)(\d+)(\.[^.]+)$")
_NAMED = 5


def numbered(path: Path) -> tuple[str, int, str] | None:
    """A file's name before its last number, the number, and the ending; None if it has no number."""
    found = _NUMBERED.match(path.name)
    return (found[1], int(found[2]), found[3]) if found else None


def file_of(first: Path, number: int) -> Path:
    """The picture of a sequence with a number, by the path of its first one."""
    found = _NUMBERED.match(first.name)
    assert found is not None
    return first.with_name(f"{found[1]}{number:0{len(found[2])}d}{found[3]}")


def runs_of(numbers: list[int]) -> tuple[tuple[int, int], ...]:
    """First and last of each run of numbers without a gap."""
    ordered = sorted(numbers)
    starts = [n for i, n in enumerate(ordered) if i == 0 or ordered[i - 1] != n - 1]
    ends = [n for i, n in enumerate(ordered) if i == len(ordered) - 1 or ordered[i + 1] != n + 1]
    return tuple(zip(starts, ends, strict=True))


def probe(path: Path, reading: Reading) -> ClipInfo:
    """As :func:`look_at`, with its pixels read: what is odd about these is among the warnings."""
    info = look_at(path, reading)
    odd = odd_values_said(path) if info.floating else ""
    return replace(info, warnings=(*info.warnings, odd)) if odd else info


def look_at(path: Path, reading: Reading) -> ClipInfo:
    """What the header of a still, or of the first picture of a sequence, says.

    Raises
    ------
    MediaFault
        If it cannot be read.
    """
    still = describe_still(path)
    frames = sum(last - first + 1 for first, last in reading.numbers) or 1
    make, model = maker_of(still.tags)
    rate = reading.rate or still.rate or DEFAULT_RATE
    info = ClipInfo(
        geometry=Geometry((still.width, still.height), still.aspect),
        rate=rate,
        frames=frames,
        bit_depth=still.bits,
        full_range=still.colour.full_range,
        matrix="RGB",
        codec=path.suffix[1:].lower(),
        pixel_format="float" if still.floating else f"rgb{still.bits}",
        timecode=still.timecode,
        tags=still.tags,
        warnings=(*still.warnings, *_gaps_told(reading.numbers)),
        transfer=still.transfer,
        primaries=still.colour.primaries,
        assumed=() if still.transfer else ("transfer",),
        make=make,
        model=model,
        floating=still.floating,
        numbers=reading.numbers,
    )
    return read_as(info, reading)


def _gaps_told(numbers: tuple[tuple[int, int], ...]) -> tuple[str, ...]:
    gaps = [(end + 1, start - 1) for (_, end), (start, _) in pairwise(numbers)]
    if not gaps:
        return ()
    named = ", ".join(str(a) if a == b else f"{a} to {b}" for a, b in gaps[:_NAMED])
    more = " and more" if len(gaps) > _NAMED else ""
    return (f"pictures are missing in the sequence: {named}{more}; frames are numbered as they are there",)


def files_of(path: Path, info: ClipInfo) -> Iterator[Path]:
    """Every picture's file in order."""
    if not info.numbers:
        yield path
    for first, last in info.numbers:
        for number in range(first, last + 1):
            yield file_of(path, number)


def load(path: Path, info: ClipInfo) -> np.ndarray:
    """One picture as it lies in its file: code values float32 (H, W, 3); linear ones as logarithms.

    Raises
    ------
    MediaFault
        If it cannot be read, or is of another size than the first.
    """
    values = read_still(path, info.full_range)
    if values.shape[1::-1] != info.geometry.coded:
        raise MediaFault(path, "is of another size than the sequence's first picture")
    if info.floating:
        return working.from_linear(values).astype(np.float32)
    return values


def codes_of(values: np.ndarray, info: ClipInfo, width: int | None = None) -> np.ndarray:
    """A loaded picture as it is seen: recorded codes uint16 (H, W, 3), at most `width` wide."""
    fitting = info.geometry.within(width)
    if fitting.scaled != info.geometry.coded:
        values = cv2.resize(values, fitting.scaled, interpolation=cv2.INTER_AREA)
    return codes.encode_signal(seen(values, info.geometry.turn, fitting.box))
