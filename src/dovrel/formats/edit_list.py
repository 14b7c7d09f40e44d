"""Edit lists in: the order of clips, and which part of each is used (OpenTimelineIO, EDL)."""

from __future__ import annotations

import json
import math
import re
import resource
import subprocess
import sys
import tempfile
from fractions import Fraction
from pathlib import Path
from typing import Any, Literal, NamedTuple, NoReturn
from urllib.parse import unquote

import opentimelineio as otio

from dovrel.core.placing import Event

Format = Literal["otio", "edl"]

MAX_CHARACTERS = 8_000_000
MAX_DEPTH = 100
"""Of a timeline's nested parts: far more than any edit has, far less than its reader can bear."""
MAX_LINE = 4000
LONGEST_NAME = 200
SECONDS = 20
MOST_MEMORY = 2 << 30
"""Bytes of memory that reading may take."""
MOST_RATE = 1000
_RATES = (24.0, 25.0, 30.0, 50.0, 60.0)
LATEST = 10**9
"""Frames counted from midnight beyond which a time is no time."""


def read(text: str, kind: Format, rate: Fraction = Fraction(24)) -> list[Event]:
    """The events of an edit list in the order of the story.

    Sound is left out, and so are clips that are switched off; what lies on an upper track covers
    what is beneath it.

    Parameters
    ----------
    text : the file's text
    rate : frames a second that an EDL's timecode is taken at if that can be; it says no rate itself.
        An OpenTimelineIO file does

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
    return [Event(number, *event) for number, event in enumerate(answer["events"], 1)]


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


class _Found(NamedTuple):
    """As :class:`Event`, without its number."""

    name: str
    reel: str
    file: str
    first: int
    frames: int
    rate: float
    at: str
    speed: float
    dissolve_in: int
    dissolve_out: int

    def goes_on_in(self, other: _Found) -> bool:
        alike = (self.name, self.reel, self.file, self.rate) == (other.name, other.reel, other.file, other.rate)
        whole = self.speed == other.speed == 1.0 and not self.dissolve_out and not other.dissolve_in
        return alike and whole and self.first + self.frames == other.first


def _events(text: str, kind: str, rate: float) -> list[_Found]:
    found = _timeline(text, kind, rate)
    tracks = [track for track in found.tracks if track.kind == otio.schema.TrackKind.Video]
    if not tracks:
        return []
    for track in tracks:
        _note_dissolves(track)
    whole = otio.algorithms.flatten_stack([_as_seen(track) for track in tracks])
    events = [
        event
        for item in whole
        if isinstance(item, otio.schema.Clip) and (event := _event(item, whole, found.global_start_time))
    ]
    return _joined(events)


def _joined(events: list[_Found]) -> list[_Found]:
    """Events that go on where the one before ends are one: a gap above them is no cut."""
    joined: list[_Found] = []
    for event in events:
        last = joined[-1] if joined else None
        if last and last.goes_on_in(event):
            joined[-1] = last._replace(frames=last.frames + event.frames, dissolve_out=event.dissolve_out)
        else:
            joined.append(event)
    return joined


def _timeline(text: str, kind: str, rate: float) -> otio.schema.Timeline:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, f"list.{kind}")
        path.write_text(text)
        found = otio.adapters.read_from_file(str(path)) if kind == "otio" else _read_edl(path, text, rate)
    if not isinstance(found, otio.schema.Timeline):
        raise ValueError("it holds no timeline")
    return found


def _read_edl(path: Path, text: str, rate: float) -> otio.schema.Timeline:
    """An EDL at the first rate that its timecodes can be of."""
    drop = ";" in text or re.search(r"^FCM:\s*DROP", text, re.MULTILINE)
    rates = [30000 / 1001, 60000 / 1001] if drop else [float(round(rate)), *_RATES]
    if drop:
        text = re.sub(r"(\d\d[:;]\d\d[:;]\d\d)[:;](\d\d)", r"\1;\2", text)
        path.write_text(text)
    first: Exception | None = None
    for one in dict.fromkeys(rates):
        try:
            found = otio.adapters.read_from_file(str(path), rate=one)
            # The reader counts from nought; people look an event up by the edit's own timecode.
            if begins := [otio.opentime.from_timecode(at, one) for at in _RECORD_IN.findall(text)]:
                found.global_start_time = min(begins)
            return found
        except ValueError as error:
            first = first or error
    assert first is not None
    raise first


_TIME = r"\d\d[:;]\d\d[:;]\d\d[:;]\d\d"
_RECORD_IN = re.compile(rf"^\s*\d+\s.*?{_TIME}\s+{_TIME}\s+({_TIME})\s+{_TIME}", re.MULTILINE)
"""The third of an event's four timecodes: where it begins in the edit."""
_DISSOLVE = "dovrel dissolve"


def _note_dissolves(track: otio.schema.Track) -> None:
    """Note with each clip how many frames of its ends are seen through a dissolve."""
    items = list(track)
    for place, item in enumerate(items):
        if not isinstance(item, otio.schema.Transition):
            continue
        if place > 0 and isinstance(items[place - 1], otio.schema.Clip):
            items[place - 1].metadata[_DISSOLVE + " out"] = round(item.in_offset.value)
        if place + 1 < len(items) and isinstance(items[place + 1], otio.schema.Clip):
            items[place + 1].metadata[_DISSOLVE + " in"] = round(item.out_offset.value)


def _as_seen(track: otio.schema.Track) -> otio.schema.Track:
    """A track without its transitions, and with gaps where clips are switched off."""
    seen = otio.schema.Track(kind=track.kind)
    for item in track:
        if isinstance(item, otio.schema.Transition):
            continue
        on = getattr(item, "enabled", True) and track.enabled and not _is_black(item)
        seen.append(item.deepcopy() if on else otio.schema.Gap(duration=item.duration()))
    return seen


def _is_black(item: otio.core.Item) -> bool:
    return _reel(item).upper() in ("BL", "BLACK") and not _named(item)


def _reel(item: otio.core.Item) -> str:
    return str(next((v["reel"] for v in item.metadata.values() if hasattr(v, "keys") and "reel" in v), ""))


def _named(item: otio.core.Item) -> str:
    """A clip's name; EDLs without one have the event's number in its place."""
    return "" if re.fullmatch(r"\d{3,6}", item.name or "") and "cmx_3600" in item.metadata else item.name or ""


def _event(
    clip: otio.schema.Clip, track: otio.schema.Track, begins: otio.opentime.RationalTime | None
) -> _Found | None:
    media = clip.media_reference
    span = clip.source_range or (media.available_range if media else None)
    if span is None:
        return None
    first, frames, rate = span.start_time.value, span.duration.value, span.start_time.rate
    name = _named(clip)
    if not (abs(first) < LATEST and abs(frames) < LATEST and 1 <= rate <= MOST_RATE):
        raise ValueError(f"the times of '{name[:LONGEST_NAME]}' are no times")
    url = getattr(media, "target_url", "") or ""
    speed = 1.0
    for effect in clip.effects:
        # A held frame is a warp of its own kind, at no speed.
        speed *= getattr(effect, "time_scalar", 1.0)
    name, reel, file = (str(text)[:LONGEST_NAME] for text in (name, _reel(clip), unquote(url.rsplit("/", 1)[-1])))
    return _Found(
        name,
        reel,
        file,
        round(first),
        max(1, round(frames)),
        float(rate),
        _place(clip, track, begins),
        speed if math.isfinite(speed) else 1.0,
        int(clip.metadata.get(_DISSOLVE + " in", 0)),
        int(clip.metadata.get(_DISSOLVE + " out", 0)),
    )


def _place(clip: otio.schema.Clip, track: otio.schema.Track, begins: otio.opentime.RationalTime | None) -> str:
    """Where a clip begins in the edit, as the edit's timecode."""
    start = track.range_of_child(clip).start_time
    if begins is not None:
        start += begins.rescaled_to(start.rate)
    try:
        return otio.opentime.to_timecode(start, start.rate)
    except ValueError:
        return f"{otio.opentime.to_seconds(start):.2f} s"


def frames_of_timecode(timecode: str, rate: Fraction) -> int:
    """Frames since midnight of a timecode such as ``09:14:02:00``, drop-frame with a semicolon; 0 where there is none."""
    nominal = round(rate)
    at = float(Fraction(nominal * 1000, 1001)) if ";" in timecode and nominal % 30 == 0 else float(nominal)
    try:
        return round(otio.opentime.from_timecode(timecode, at).value)
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
