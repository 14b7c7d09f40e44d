"""Edit lists in: the order of clips, and which part of each is used (OpenTimelineIO, EDL)."""

from __future__ import annotations

import json
import math
import resource
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any, Literal, NoReturn

import opentimelineio as otio

Format = Literal["otio", "edl"]

MAX_CHARACTERS = 8_000_000
MAX_DEPTH = 100
"""Of a timeline's nested parts: far more than any edit has, far less than its reader can bear."""
MAX_LINE = 4000
LONGEST_NAME = 200
SECONDS = 20
MOST_MEMORY = 2 << 30
"""Bytes of memory that reading may take."""
LATEST = 10**9
"""Frames counted from midnight beyond which a time is no time."""


@dataclass(frozen=True)
class Event:
    """One use of a clip.

    Attributes
    ----------
    name : the clip's name, or its reel where the list gives none
    first : the first frame used, counted from midnight in frames of the source's timecode
    frames : how many are used
    """

    name: str
    first: int
    frames: int


def read(text: str, kind: Format, rate: Fraction = Fraction(24)) -> list[Event]:
    """The events of an edit list in the order of the story.

    Parameters
    ----------
    text : the file's text
    rate : frames a second of an EDL's timecode; an OpenTimelineIO file says its own

    Raises
    ------
    ValueError
        If the text is not such a list, is larger or deeper than one can reasonably be, or holds
        no clips; the message says what is wrong.
    """
    if len(text) > MAX_CHARACTERS:
        raise ValueError(f"the edit list is longer than {MAX_CHARACTERS // 1_000_000} million characters")
    if kind == "otio":
        _check_timeline(text)
    else:
        _check_lines(text)
    # In a process of its own: the timeline's reader is compiled code that an odd file can bring down.
    command = [sys.executable, "-m", __name__, kind, str(float(rate))]
    try:
        run = subprocess.run(
            command, input=text.encode("utf-8", "replace"), capture_output=True, timeout=SECONDS, check=False
        )
    except subprocess.TimeoutExpired as error:
        raise ValueError(f"the edit list takes longer than {SECONDS} seconds to read") from error
    if run.returncode:
        raise ValueError("the edit list cannot be read: it is built in a way that its reader does not bear")
    answer = json.loads(run.stdout)
    if "fault" in answer:
        raise ValueError(f"the edit list cannot be read: {answer['fault']}")
    if not answer["events"]:
        raise ValueError("the edit list holds no clips")
    return [Event(*event) for event in answer["events"]]


def _check_timeline(text: str) -> None:
    """Refuse what the timeline's reader, which trusts what it is given, would not bear."""

    def refuse(word: str) -> NoReturn:
        raise ValueError(f"the edit list cannot be read: it holds {word} where a number belongs")

    try:
        top = json.loads(text, parse_constant=refuse)
    except RecursionError:
        raise ValueError(f"the edit list cannot be read: its parts are nested deeper than {MAX_DEPTH}") from None
    except json.JSONDecodeError as error:
        raise ValueError(f"the edit list cannot be read: line {error.lineno}: {error.msg}") from error
    parts: list[Any] = [top]
    for _ in range(MAX_DEPTH):
        inner: list[Any] = []
        for part in parts:
            if isinstance(part, dict):
                inner.extend(part.values())
            elif isinstance(part, list):
                inner.extend(part)
            elif isinstance(part, float) and not math.isfinite(part):
                refuse("an infinite value")
            elif isinstance(part, int) and abs(part) > 2**53:
                refuse("a value beyond all bounds")
        if not inner:
            return
        parts = inner
    raise ValueError(f"the edit list cannot be read: its parts are nested deeper than {MAX_DEPTH}")


def _check_lines(text: str) -> None:
    if "\0" in text:
        raise ValueError("the edit list cannot be read: it is no text")
    longest = max((len(line) for line in text.splitlines()), default=0)
    if longest > MAX_LINE:
        raise ValueError(f"the edit list cannot be read: a line of it is {longest} characters long")


def _events(text: str, kind: str, rate: float) -> list[tuple[str, int, int]]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, f"list.{kind}")
        path.write_text(text)
        if kind == "edl":
            found = otio.adapters.read_from_file(str(path), rate=rate)
        else:
            found = otio.adapters.read_from_file(str(path))
    clips = found.find_clips() if hasattr(found, "find_clips") else []
    return [event for clip in clips if (event := _event(clip))]


def _event(clip: otio.schema.Clip) -> tuple[str, int, int] | None:
    span = clip.source_range or (clip.media_reference.available_range if clip.media_reference else None)
    name = clip.name or next((v["reel"] for v in clip.metadata.values() if "reel" in v), "")
    if not name or span is None:
        return None
    first, frames = span.start_time.value, span.duration.value
    if not (abs(first) < LATEST and abs(frames) < LATEST):
        raise ValueError(f"the times of '{name[:LONGEST_NAME]}' are no times")
    return str(name)[:LONGEST_NAME], round(first), max(1, round(frames))


def frames_of_timecode(timecode: str, rate: Fraction) -> int:
    """Frames since midnight of a timecode such as ``09:14:02:00``; 0 where there is none."""
    try:
        return round(otio.opentime.from_timecode(timecode, float(rate)).value)
    except ValueError:
        return 0


def _answer() -> None:
    """What the reading process does: a list on standard input, its events or a fault on standard output."""
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    try:
        answer: dict[str, Any] = {
            "events": _events(sys.stdin.buffer.read().decode("utf-8", "replace"), sys.argv[1], float(sys.argv[2]))
        }
    except Exception as error:
        # Each adapter has faults of its own; what they share is a sentence.
        answer = {"fault": (str(error).splitlines() or [type(error).__name__])[0][:200]}
    print(json.dumps(answer))


if __name__ == "__main__":
    _answer()
