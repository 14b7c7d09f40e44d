"""Edit lists out: the line-up as OpenTimelineIO and as an EDL, each clip with its ten numbers as ASC CDL values.

In OpenTimelineIO they stand in a clip's ``cdl`` metadata, in an EDL as ``*ASC_SOP`` and ``*ASC_SAT`` comments.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import opentimelineio as otio

from dovrel.core.steps.primary import Primary
from dovrel.machine.files import written_aside

LONGEST_REEL = 32


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
    ValueError
        If clips are of several rates, which such a list does not know.
    """
    rates = {cut.rate for cut in cuts}
    if len(rates) > 1:
        said = ", ".join(f"{float(rate):.3f}" for rate in sorted(rates))
        raise ValueError(
            f"an EDL knows one rate, and the shots have {said} frames a second; choose those of one, or .otio"
        )
    text = otio.adapters.write_to_string(
        _timeline(title, cuts), "cmx_3600", rate=float(next(iter(rates), Fraction(24)))
    )
    with written_aside(path) as aside:
        aside.write_text(text, encoding="ascii", errors="replace")


def _timeline(title: str, cuts: Sequence[Cut]) -> otio.schema.Timeline:
    timeline = otio.schema.Timeline(title)
    track = otio.schema.Track("V", kind=otio.schema.TrackKind.Video)
    timeline.tracks.append(track)
    for cut in cuts:
        track.append(_clip(cut))
    return timeline


def _clip(cut: Cut) -> otio.schema.Clip:
    rate = float(cut.rate)
    start = otio.opentime.from_timecode(cut.timecode, round(rate)).value if cut.timecode else 0

    def span(first: float, count: int) -> otio.opentime.TimeRange:
        return otio.opentime.TimeRange(otio.opentime.RationalTime(first, rate), otio.opentime.RationalTime(count, rate))

    media = otio.schema.ExternalReference(cut.file, span(start, cut.frames))
    media.name = cut.name
    told: dict = {
        "cmx_3600": {"reel": (cut.reel or cut.name)[:LONGEST_REEL], "comments": [cut.note] if cut.note else []}
    }
    if cut.numbers:
        told["cdl"] = {
            "asc_sat": cut.numbers.saturation,
            "asc_sop": {part: list(getattr(cut.numbers, part)) for part in ("slope", "offset", "power")},
        }
    return otio.schema.Clip(cut.name, media, span(start + cut.first, cut.last - cut.first + 1), metadata=told)
