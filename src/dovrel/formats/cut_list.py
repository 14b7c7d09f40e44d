"""Edit lists out: the line-up as OpenTimelineIO and as an EDL, each clip with its ten numbers as ASC CDL values.

In OpenTimelineIO they stand in a clip's ``cdl`` metadata, in an EDL as ``*ASC_SOP`` and ``*ASC_SAT`` comments.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import opentimelineio as otio

from dovrel.core.steps.primary import Primary
from dovrel.errors import Refused
from dovrel.machine.files import written_aside

LONGEST_REEL = 8
"""Letters of a reel in a CMX 3600 list; a longer one stands in a comment."""

_EVENT = re.compile(r"(\d{3,}  .*)\d\d:\d\d:\d\d:\d\d \d\d:\d\d:\d\d:\d\d( \d\d:\d\d:\d\d:\d\d \d\d:\d\d:\d\d:\d\d)")
"""An event's line: what comes before the source's two times, and the edit's two."""


@dataclass(frozen=True)
class Cut:
    """One use of a clip.

    Attributes
    ----------
    name : the shot's; file : the clip's name
    reel : its roll, or empty
    rate : frames a second; timecode : of its first frame, HH:MM:SS:FF, or empty
    frames : of the clip; first, last : those that are seen
    numbers : ten that carry its correction; None where ten do not do
    note : what is to be said of it, or empty
    """

    name: str
    file: str
    reel: str
    rate: Fraction
    timecode: str
    frames: int
    first: int
    last: int
    numbers: Primary | None
    note: str = ""


def write_otio(path: Path, title: str, cuts: Sequence[Cut]) -> None:
    """Write a timeline, whole or not at all."""
    with written_aside(path) as aside:
        aside.write_text(otio.adapters.write_to_string(_timeline(title, cuts), "otio_json"), encoding="utf-8")


def write_edl(path: Path, title: str, cuts: Sequence[Cut]) -> None:
    """Write a CMX 3600 list, whole or not at all.

    Raises
    ------
    Refused
        If clips are of several rates, which such a list does not know.
    """
    rates = {cut.rate for cut in cuts}
    if len(rates) > 1:
        said = ", ".join(f"{float(rate):.3f}" for rate in sorted(rates))
        raise Refused(
            f"an EDL knows one rate, and the shots have {said} frames a second; choose those of one, or .otio"
        )
    # The edit drops frames only where every source does.
    edit_drops = all(";" in cut.timecode for cut in cuts if cut.timecode) and any(cut.timecode for cut in cuts)
    # Timecode counts whole frames; of 29.97 drop-frame alone the library keeps count at the rate itself.
    rate = float(cuts[0].rate if edit_drops else round(cuts[0].rate)) if cuts else 24.0
    text = otio.adapters.write_to_string(_timeline(title, cuts, rate), "cmx_3600", rate=rate)
    with written_aside(path) as aside:
        aside.write_text(_with_counts(text, cuts, edit_drops), encoding="ascii", errors="replace")


def _with_counts(text: str, cuts: Sequence[Cut], edit_drops: bool) -> str:
    """A list with its FCM lines: one at the head, and one before each event whose source counts otherwise than the one before."""
    title, _, rest = text.partition("\n")
    lines, drops = [title, _fcm(edit_drops)], edit_drops
    left = iter(cuts)
    for line in rest.splitlines():
        if event := _EVENT.match(line):
            cut = next(left)
            source_drops = ";" in cut.timecode if cut.timecode else edit_drops
            if source_drops != drops:
                drops = source_drops
                lines.append(_fcm(drops))
            if source_drops != edit_drops:
                line = f"{event[1]}{_dropped(cut, cut.first)} {_dropped(cut, cut.last + 1)}{event[2]}"
        lines.append(line)
    return "\n".join(lines) + "\n"


def _fcm(drops: bool) -> str:
    return f"FCM: {'DROP' if drops else 'NON-DROP'} FRAME"


def _dropped(cut: Cut, frame: int) -> str:
    """The drop-frame timecode of a clip's frame."""
    rate = float(cut.rate)
    return otio.opentime.to_timecode(otio.opentime.RationalTime(_frames(cut.timecode, rate) + frame, rate), rate, True)


def _timeline(title: str, cuts: Sequence[Cut], rate: float | None = None) -> otio.schema.Timeline:
    """The cuts one after another, their frames counted at `rate`, or each at its own."""
    timeline = otio.schema.Timeline(title)
    track = otio.schema.Track("V", kind=otio.schema.TrackKind.Video)
    timeline.tracks.append(track)
    for cut in cuts:
        track.append(_clip(cut, rate or float(cut.rate)))
    return timeline


def _clip(cut: Cut, rate: float) -> otio.schema.Clip:
    start = _frames(cut.timecode, float(cut.rate))

    def span(first: float, count: int) -> otio.opentime.TimeRange:
        return otio.opentime.TimeRange(otio.opentime.RationalTime(first, rate), otio.opentime.RationalTime(count, rate))

    media = otio.schema.ExternalReference(cut.file, span(start, cut.frames))
    media.name = cut.name
    reel = cut.reel or cut.name
    comments = [f"REEL: {reel}"] if len(reel) > LONGEST_REEL else []
    told: dict = {
        "cmx_3600": {"reel": _short(reel), "comments": [*comments, *([cut.note] if cut.note else [])]},
    }
    if cut.numbers:
        told["cdl"] = {
            "asc_sat": cut.numbers.saturation,
            "asc_sop": {part: list(getattr(cut.numbers, part)) for part in ("slope", "offset", "power")},
        }
    return otio.schema.Clip(cut.name, media, span(start + cut.first, cut.last - cut.first + 1), metadata=told)


def _frames(timecode: str, rate: float) -> float:
    if not timecode:
        return 0
    return otio.opentime.from_timecode(timecode, rate if ";" in timecode else round(rate)).value


def _short(reel: str) -> str:
    """A reel as such a list has it: eight letters and digits."""
    return "".join(letter for letter in reel if letter.isascii() and letter.isalnum())[:LONGEST_REEL] or "AX"
