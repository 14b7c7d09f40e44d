"""EDLs (CMX 3600) in, line by line: what is wrong with one line is reported of its event alone.

Comments that are read: FROM CLIP NAME, TO CLIP NAME, CLIP NAME, SOURCE FILE, FREEZE FRAME; and lines M2 (speed) and FCM
(drop-frame or not). A track V2 or above covers those beneath it.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

import opentimelineio as otio

from dovrel.core.placing import Event
from dovrel.errors import Refused
from dovrel.formats.edit_events import numbered

_TIME = r"\d\d[:;.]\d\d[:;.]\d\d[:;.]\d\d"
_NUMBERED = re.compile(r"\s*(\d{1,6})\s+(\S.*)")
_TIMES = re.compile(rf"\s({_TIME})\s+({_TIME})\s+({_TIME})\s+({_TIME})\s*$")
_SPEED = re.compile(rf"M2\s+(.*?)\s+([+-]?\d+(?:\.\d*)?)\s+({_TIME})?\s*$")
_COMMENT = re.compile(r"\*?\s*(FROM CLIP NAME|TO CLIP NAME|CLIP NAME|SOURCE FILE)\s*:\s*(.+)", re.IGNORECASE)
_PICTURE = re.compile(r"(?:AA?\d?/)?V(\d*)|B")
_RATES = (24.0, 25.0, 30.0, 50.0, 60.0)
_DROP_RATES = (30000 / 1001, 60000 / 1001)
_BLACK = ("BL", "BLACK")
_NEAR = 1e-3
_SHOWN = 60


@dataclass
class _Use:
    """A line of an event, with what the lines below it say."""

    reel: str = ""
    track: int = 1
    kind: str = "C"
    mixed: int = 0
    times: tuple[str, ...] = ()
    source_drops: bool = False
    edit_drops: bool = False
    name: str = ""
    file: str = ""
    speed: float | None = None
    fault: str = ""

    def dropping(self) -> list[tuple[str, bool]]:
        """Its times, each with whether it is drop-frame: two of the source, two of the edit."""
        kinds = (self.source_drops, self.source_drops, self.edit_drops, self.edit_drops)
        return list(zip(self.times, kinds, strict=False))


@dataclass
class _Lines:
    """The lines of one number: a dissolve or wipe has two, the clip that goes and the one that comes."""

    number: str
    uses: list[_Use] = field(default_factory=list)
    going: str = ""
    coming: str = ""
    files: list[str] = field(default_factory=list)


class _Placed(NamedTuple):
    """A use, and the frames of the edit in which it is seen."""

    use: _Use
    begins: int
    ends: int


def read_events(text: str, rate: float) -> list[Event]:
    """The events in the order of the edit's timecode; times are taken at `rate` if they can be of it.

    What is not a picture, and black, is left out.
    """
    events = _lines_read(text)
    for event in events:
        _name_uses(event)
    uses = [use for event in events for use in event.uses]
    rates = _Rates.of(uses, rate)
    placed = [_placed(use, rates) for use in uses]
    ordered = sorted(placed, key=lambda one: one.begins)
    covers = [one for one in ordered if one.use.track > 1 and not one.use.fault]
    found = [event for one in ordered for event in _seen(one, covers, rates)]
    return numbered([event for _, event in sorted(found, key=lambda at: at[0])])


def _lines_read(text: str) -> list[_Lines]:
    events: list[_Lines] = []
    drop = False
    for line in text.splitlines():
        if line.strip().upper().startswith("FCM:"):
            drop = "NON" not in line.upper()
        elif numbered := _NUMBERED.match(line):
            use = _use_of(numbered[2], drop)
            mixed = use is not None and use.kind[0] in "DWK"
            if not (events and mixed and events[-1].number == numbered[1]):
                events.append(_Lines(numbered[1]))
            if use:
                events[-1].uses.append(use)
        elif events:
            _comment(line.strip(), events[-1])
    return events


def _use_of(rest: str, drop: bool) -> _Use | None:
    """The use that an event's line tells of; None for sound and black."""
    times = _TIMES.search(rest)
    if times is None:
        return _Use(fault=f"its line cannot be read: {rest[:_SHOWN].strip()}")
    words = rest[: times.start()].split()
    # From behind, since a reel may be of several words; the B of a key (K B) is none.
    place = next((n for n in range(len(words) - 1, 0, -1) if _is_track(words[n]) and words[n - 1] != "K"), None)
    if place is None:
        return None if len(words) > 1 else _Use(fault="its line names no track")
    picture = _PICTURE.fullmatch(words[place])
    reel = " ".join(words[:place])
    if picture is None or reel.upper() in _BLACK:
        return None
    kind, amount = [*words[place + 1 :], "C"][0].upper(), words[-1]
    mixed = int(amount) if kind[0] in "DW" and amount.isdecimal() else 0
    return _Use(reel, int(picture[1] or 1), kind, mixed, times.groups(), *_drops(times.groups(), drop))


def _drops(times: Sequence[str], drop: bool) -> tuple[bool, bool]:
    """Whether the source's and the edit's times are drop-frame: by their semicolons, or by the FCM line where there are none."""
    source, edit = (any(";" in time for time in two) for two in (times[:2], times[2:]))
    return (source, edit) if source or edit else (drop, drop)


def _is_track(word: str) -> bool:
    return re.fullmatch(r"(?:AA?\d?/)?V\d*|B|A\d*|AA|NONE", word) is not None


def _comment(line: str, event: _Lines) -> None:
    if speed := _SPEED.match(line):
        of_reel = [use for use in event.uses if use.reel.split() == speed[1].split()] or event.uses[-1:]
        for use in of_reel[-1:]:
            use.speed = float(speed[2])
    elif said := _COMMENT.match(line):
        what, value = said[1].upper(), said[2].strip()
        if what == "TO CLIP NAME":
            event.coming = value
        elif what == "SOURCE FILE":
            event.files.append(value)
        else:
            event.going = event.going or value
    elif "FREEZE FRAME" in line.upper() and event.uses:
        event.uses[-1].speed = 0.0


def _name_uses(event: _Lines) -> None:
    """Names and files go to the lines in their order."""
    names = [event.going, event.coming] if len(event.uses) > 1 else [event.going or event.coming]
    for use, name in zip(event.uses, names, strict=False):
        use.name = name
    for use, file in zip(event.uses, event.files, strict=False):
        use.file = file
    # A line of no length says that the clip before goes on into the mix: it is no use of its own.
    if len(event.uses) > 1 and (times := event.uses[0].times) and times[2] == times[3] and event.uses[1].mixed:
        del event.uses[0]


class _Rates(NamedTuple):
    """Frames a second that timecodes are counted at, drop-frame ones and others."""

    plain: float
    drop: float

    @classmethod
    def of(cls, uses: list[_Use], rate: float) -> _Rates:
        """The first rates at which most of the timecodes can be of."""
        said = float(round(rate))
        times = [(time, drops) for use in uses for time, drops in use.dropping()]
        plain = [time for time, drops in times if not drops]
        dropped = [time for time, drops in times if drops]
        return cls(_first_that_fits(plain, (said, *_RATES)), _first_that_fits(dropped, _DROP_RATES))

    def at(self, drops: bool) -> float:
        return self.drop if drops else self.plain

    def frames(self, time: str, drops: bool) -> int:
        """Frames since midnight; raises :class:`ValueError` if it is no timecode of this rate."""
        return _frames(time, self.at(drops), drops)

    def said(self, frame: int, drops: bool) -> str:
        rate = self.at(drops)
        return otio.opentime.to_timecode(otio.opentime.RationalTime(frame, rate), rate, drops)


def _first_that_fits(times: list[str], rates: tuple[float, ...]) -> float:
    highest = max((int(time[-2:]) for time in times), default=0)
    return next((rate for rate in rates if highest < round(rate)), rates[-1])


def _frames(time: str, rate: float, drop: bool) -> int:
    parts = re.split(r"[:;.]", time)
    if int(parts[1]) >= 60 or int(parts[2]) >= 60 or int(parts[3]) >= round(rate):
        raise Refused(f"{time} is no timecode")
    return round(otio.opentime.from_timecode(":".join(parts[:3]) + (";" if drop else ":") + parts[3], rate).value)


def _placed(use: _Use, rates: _Rates) -> _Placed:
    """Where a use lies in the edit; one whose times are none is reported."""
    if not use.times:
        return _Placed(use, 0, 0)
    try:
        source_in, source_out, begins, ends = (rates.frames(time, drops) for time, drops in use.dropping())
    except ValueError:
        use.fault = use.fault or f"its times are no timecode: {' '.join(use.times)}"
        return _Placed(use, 0, 0)
    if ends <= begins:
        use.fault = use.fault or f"it ends in the edit before it begins: {use.times[2]} to {use.times[3]}"
    elif source_out <= source_in and use.speed is None:
        use.fault = use.fault or f"its source ends before it begins: {use.times[0]} to {use.times[1]}"
    return _Placed(use, begins, max(begins, ends))


def _seen(one: _Placed, covers: list[_Placed], rates: _Rates) -> list[tuple[int, Event]]:
    """A use's events, with where they begin: one for each stretch of it that no upper track covers, or one that says why
    there is none."""
    use = one.use
    if use.fault:
        at = use.times[2] if use.times else ""
        return [
            (one.begins, Event(0, use.name, use.reel, use.file, 0, 1, rates.at(use.source_drops), at, fault=use.fault))
        ]
    stretches = [(one.begins, one.ends)]
    for other in covers:
        if other.use.track > use.track:
            stretches = [part for stretch in stretches for part in _without(stretch, (other.begins, other.ends))]
    if not stretches:
        covered = "it is not seen: an upper track covers all of it"
        at = rates.said(one.begins, use.edit_drops)
        return [
            (one.begins, Event(0, use.name, use.reel, use.file, 0, 1, rates.at(use.source_drops), at, fault=covered))
        ]
    return [(begins, _found(one, begins, ends, rates)) for begins, ends in stretches]


def _without(stretch: tuple[int, int], cover: tuple[int, int]) -> list[tuple[int, int]]:
    parts = [(stretch[0], min(stretch[1], cover[0])), (max(stretch[0], cover[1]), stretch[1])]
    return [part for part in parts if part[0] < part[1]]


def _found(one: _Placed, begins: int, ends: int, rates: _Rates) -> Event:
    use, rate = one.use, rates.at(one.use.source_drops)
    source_in, source_out = (rates.frames(time, use.source_drops) for time in use.times[:2])
    length = one.ends - one.begins
    notes = [_transition_said(use)]
    speed = 1.0 if use.speed is None else use.speed / round(rate)
    if use.speed is None and source_out - source_in != length:
        speed = (source_out - source_in) / length
        notes.append("its speed is by its lengths; no M2 line tells it")
    passed = (one.ends - ends) if speed < 0 else (begins - one.begins)
    return Event(
        0,
        use.name,
        use.reel,
        use.file,
        source_in + round(passed * abs(speed)),
        ends - begins,
        rate,
        rates.said(begins, use.edit_drops),
        1.0 if abs(speed - 1) < _NEAR else speed,
        max(0, min(use.mixed - (begins - one.begins), ends - begins - 1)),
        0,
        "; ".join(note for note in notes if note),
    )


def _transition_said(use: _Use) -> str:
    """What is odd about how a use comes in."""
    if use.kind[0] == "W":
        return f"it comes in by a wipe ({use.kind})"
    if use.kind[0] == "K":
        return "it is part of a key"
    return "" if use.kind[0] in "CD" else f"its transition “{use.kind}” is not known"
