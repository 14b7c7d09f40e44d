"""Edit lists in: the order of clips, and which part of each is used (OpenTimelineIO, EDL)."""

from __future__ import annotations

import tempfile
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Literal

import opentimelineio as otio

Format = Literal["otio", "edl"]


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
        If the text is not such a list, or holds no clips; the message says what is wrong.
    """
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, f"list.{kind}")
        path.write_text(text)
        try:
            if kind == "edl":
                found = otio.adapters.read_from_file(str(path), rate=float(rate))
            else:
                found = otio.adapters.read_from_file(str(path))
        except Exception as error:
            # Each adapter has faults of its own; what they share is a sentence.
            raise ValueError(f"the edit list cannot be read: {str(error).splitlines()[0][:200]}") from error
    clips = found.find_clips() if hasattr(found, "find_clips") else []
    events = [event for clip in clips if (event := _event(clip))]
    if not events:
        raise ValueError("the edit list holds no clips")
    return events


def _event(clip: otio.schema.Clip) -> Event | None:
    span = clip.source_range or (clip.media_reference.available_range if clip.media_reference else None)
    name = clip.name or next((v["reel"] for v in clip.metadata.values() if "reel" in v), "")
    if not name or span is None:
        return None
    return Event(name, round(span.start_time.value), max(1, round(span.duration.value)))


def frames_of_timecode(timecode: str, rate: Fraction) -> int:
    """Frames since midnight of a timecode such as ``09:14:02:00``; 0 where there is none."""
    try:
        return round(otio.opentime.from_timecode(timecode, float(rate)).value)
    except ValueError:
        return 0
