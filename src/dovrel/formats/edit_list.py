"""Edit lists in: the order of clips, and which part of each is used (OpenTimelineIO, EDL)."""

from __future__ import annotations

import json
import math
import sys
from dataclasses import asdict
from fractions import Fraction
from typing import Any, Literal, NoReturn

import opentimelineio as otio

from dovrel.core.placing import Event
from dovrel.errors import Refused
from dovrel.formats import edl, timeline
from dovrel.machine import apart

Format = Literal["otio", "edl"]

MAX_CHARACTERS = 8_000_000
MAX_DEPTH = 100
"""Of a timeline's nested parts: far more than any edit has, far less than its reader can bear."""
MAX_LINE = 4000
SECONDS = 20
MOST_MEMORY = 2 << 30
"""Bytes of memory that reading may take."""


def read(text: str, kind: Format, rate: Fraction = Fraction(24)) -> list[Event]:
    """The events of an edit list in the order of the story.

    Sound is left out, and so are clips that are switched off; what lies on an upper track covers what is beneath it. An event
    that cannot be read, or is not seen, stands there with its fault; the others are read.

    Parameters
    ----------
    text : the file's text
    rate : frames a second that an EDL's timecode is taken at if that can be; it says no rate itself.
        An OpenTimelineIO file does

    Raises
    ------
    Refused
        If the text is not such a list, is larger or deeper than one can reasonably be, or holds
        no clips; the message says what is wrong.
    """
    if len(text) > MAX_CHARACTERS:
        raise Refused(f"the edit list is longer than {MAX_CHARACTERS // 1_000_000} million characters")
    if kind == "otio":
        _check_timeline(text)
    else:
        _check_lines(text)
    # In a process of its own: the timeline's reader is compiled code that an odd file can bring down.
    given = text.encode("utf-8", "replace")
    answer = apart.answer_of(__name__, [kind, str(float(rate))], "the edit list", given=given, seconds=SECONDS)
    if "fault" in answer:
        raise Refused(f"the edit list cannot be read: {answer['fault']}")
    events = [Event(**event) for event in answer["events"]]
    if all(event.fault and not event.at for event in events):
        raise Refused(f"the edit list holds no clips{f'; {events[0].fault}' if events else ''}")
    return events


def _check_timeline(text: str) -> None:
    """Refuse what the timeline's reader, which trusts what it is given, would not bear."""

    def refuse(word: str) -> NoReturn:
        raise Refused(f"the edit list cannot be read: it holds {word} in place of a number")

    try:
        top = json.loads(text, parse_constant=refuse)
    except RecursionError:
        raise Refused(f"the edit list cannot be read: its parts are nested deeper than {MAX_DEPTH}") from None
    except json.JSONDecodeError as error:
        raise Refused(f"the edit list cannot be read: line {error.lineno}: {error.msg}") from error
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
    raise Refused(f"the edit list cannot be read: its parts are nested deeper than {MAX_DEPTH}")


def _check_lines(text: str) -> None:
    if "\0" in text:
        raise Refused("the edit list cannot be read: it is not text")
    longest = max((len(line) for line in text.splitlines()), default=0)
    if longest > MAX_LINE:
        raise Refused(f"the edit list cannot be read: a line of it is {longest} characters long")


def _events(text: str, kind: str, rate: float) -> list[Event]:
    return timeline.read_events(text) if kind == "otio" else edl.read_events(text, rate)


def frames_of_timecode(timecode: str, rate: Fraction) -> int:
    """Frames since midnight of a timecode such as ``09:14:02:00``, drop-frame with a semicolon; 0 where there is none."""
    nominal = round(rate)
    at = float(Fraction(nominal * 1000, 1001)) if ";" in timecode and nominal % 30 == 0 else float(nominal)
    try:
        return round(otio.opentime.from_timecode(timecode, at).value)
    except ValueError:
        return 0


def _read() -> dict[str, Any]:
    text = sys.stdin.buffer.read().decode("utf-8", "replace")
    return {"events": [asdict(event) for event in _events(text, sys.argv[1], float(sys.argv[2]))]}


if __name__ == "__main__":
    apart.answer(_read, MOST_MEMORY)
