"""Which shot an edit list's event uses, and which of its frames: by file, by name, by reel and timecode."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from fractions import Fraction

SHORTEST = 4
"""Letters and digits of a name or reel that are enough to know a longer one by."""
_COPY = re.compile(r"(\.(new|copy|sync|sub)\.?\d*|[ _.-]+(copy|sync|synced|subclip|new)[ _.-]*\d*)+$", re.IGNORECASE)
"""What editing adds to the end of a clip's name."""


@dataclass(frozen=True)
class Event:
    """One use of a clip in an edit.

    Attributes
    ----------
    number : its place in the list, from 1; at : where it stands in the edit, as timecode
    name, reel, file : as the list gives them; empty where it does not
    first : the first source frame, counted from midnight at `rate`; frames : how long it is in the edit
    rate : frames a second that `first` is counted at
    speed : source frames a frame of the edit; 0 for a held frame, negative for backwards
    dissolve_in, dissolve_out : frames at its ends that are seen through a dissolve
    note : what else is odd about it; fault : why no shot can be found for it; both empty if there is nothing
    """

    number: int
    name: str
    reel: str
    file: str
    first: int
    frames: int
    rate: float
    at: str = ""
    speed: float = 1.0
    dissolve_in: int = 0
    dissolve_out: int = 0
    note: str = ""
    fault: str = ""


@dataclass(frozen=True)
class Recorded:
    """A shot as events name it. `start` is its first frame, counted from midnight at `rate`; None without timecode."""

    id: int
    name: str
    file: str
    roll: str
    rate: Fraction
    frames: int
    start: int | None


@dataclass(frozen=True)
class Placed:
    """A use of a shot: first and last source frame seen whole (None: all), whether backwards, and what is odd about it."""

    event: int
    shot: int
    span: tuple[int, int] | None
    backwards: bool = False
    told: str = ""


@dataclass(frozen=True)
class Unplaced:
    """An event without a shot, why, and the shots that it may be."""

    event: Event
    reason: str
    candidates: tuple[int, ...] = field(default=())


def plain(text: str) -> str:
    """Letters and digits alone, whatever their case."""
    return re.sub(r"[^a-z0-9]", "", text.casefold())


def _stem(name: str) -> str:
    return re.sub(r"\.[A-Za-z0-9]{2,4}$", "", name.strip())


def _without_additions(name: str) -> str:
    return _COPY.sub("", _stem(name))


class Placing:
    """The day's shots, to be found by what events say."""

    def __init__(self, shots: Iterable[Recorded]) -> None:
        self._shots = {shot.id: shot for shot in shots}
        self._by_file = self._index(lambda shot: [shot.file.casefold(), _stem(shot.file).casefold()])
        self._by_name = self._index(lambda shot: [shot.name.casefold(), *self._files(shot)])
        self._by_plain = self._index(lambda shot: [plain(shot.name), plain(_stem(shot.file))])
        self._by_roll = self._index(lambda shot: [plain(shot.roll)])

    @staticmethod
    def _files(shot: Recorded) -> list[str]:
        return [shot.file.casefold(), _stem(shot.file).casefold()]

    def _index(self, keys: Callable[[Recorded], Sequence[str]]) -> dict[str, list[Recorded]]:
        found: dict[str, list[Recorded]] = defaultdict(list)
        for shot in self._shots.values():
            for key in dict.fromkeys(keys(shot)):
                if key:
                    found[key].append(shot)
        return found

    def place(self, event: Event, answer: int | None = None) -> Placed | Unplaced:
        """Find an event's shot; `answer` is the one that a user has chosen for it."""
        if event.fault:
            return Unplaced(event, event.fault)
        if answer is not None and answer in self._shots:
            return self._placed(event, self._shots[answer])
        for found in self._candidates(event):
            within = [shot for shot in found if self._offset(event, shot) is not None]
            chosen = within or found
            if len(chosen) == 1:
                return self._placed(event, chosen[0])
            if chosen:
                names = ", ".join(shot.name for shot in chosen[:4])
                ids = tuple(shot.id for shot in chosen)
                return Unplaced(event, f"{len(chosen)} shots may be meant: {names}", ids)
        return Unplaced(event, self._why_none(event))

    def _candidates(self, event: Event) -> Iterable[list[Recorded]]:
        """Shots that an event may mean, the surest way of knowing first."""
        file, name = event.file.strip().casefold(), event.name.strip().casefold()
        yield self._by_file.get(file) or self._by_file.get(_stem(file)) or []
        yield self._by_name.get(name) or self._by_name.get(_stem(name)) or []
        yield self._of_reel(event)
        for forgiven in (plain(_without_additions(event.name)), plain(_without_additions(event.file))):
            if len(forgiven) >= SHORTEST:
                yield self._by_plain.get(forgiven, [])
                yield self._starting_alike(forgiven, event)

    def _of_reel(self, event: Event) -> list[Recorded]:
        """Shots of the event's reel whose timecode holds it; reels are often cut to eight letters."""
        reel = plain(event.reel)
        if not reel:
            return []
        of_roll = self._by_roll.get(reel, [])
        if not of_roll and len(reel) >= SHORTEST:
            of_roll = [
                shot
                for shot in self._shots.values()
                if any(plain(text).startswith(reel) for text in (shot.roll, _stem(shot.file), shot.name))
            ]
        return [shot for shot in of_roll if self._offset(event, shot) is not None]

    def _starting_alike(self, name: str, event: Event) -> list[Recorded]:
        """Shots whose name goes on where the event's ends, or the other way about, and whose timecode holds it."""
        alike = {
            shot.id: shot
            for key, shots in self._by_plain.items()
            if len(key) >= SHORTEST and (key.startswith(name) or name.startswith(key))
            for shot in shots
        }
        return [shot for shot in alike.values() if self._offset(event, shot) is not None]

    def _why_none(self, event: Event) -> str:
        named = event.name.strip().casefold() in self._by_name or event.file.strip().casefold() in self._by_file
        if not named and event.reel and plain(event.reel) in self._by_roll:
            return f"no shot of reel {event.reel} has this timecode"
        if called := event.name or event.file:
            return f"no shot is called {called}"
        return f"no shot is of reel {event.reel}" if event.reel else "it names no clip"

    @staticmethod
    def _offset(event: Event, shot: Recorded) -> int | None:
        """The shot's frame that an event begins at; None if it lies outside, or the shot has no timecode."""
        if shot.start is None:
            return None
        if round(event.rate) == round(shot.rate):
            offset = event.first - shot.start
        else:
            seconds = event.first / round(event.rate) - shot.start / round(shot.rate)
            offset = round(seconds * float(shot.rate))
        return offset if 0 <= offset < shot.frames else None

    def _placed(self, event: Event, shot: Recorded) -> Placed:
        first = self._offset(event, shot)
        told = _told(event)
        if first is None:
            lies = "" if shot.start is None else "its timecode lies outside the clip; all of the clip is taken"
            return Placed(
                event.number, shot.id, None, event.speed < 0, "; ".join(part for part in (told, lies) if part)
            )
        scale = float(shot.rate) / event.rate if round(event.rate) != round(shot.rate) else 1.0
        speed = abs(event.speed) * scale
        # What is seen whole: dissolves mix it with what comes before or behind.
        whole = max(1, event.frames - event.dissolve_in - event.dissolve_out)
        begin = round(event.dissolve_in * speed)
        length = max(1, round(whole * speed)) if event.speed else 1
        if event.speed < 0:
            begin = round(event.dissolve_out * speed)
        start = min(first + begin, shot.frames - 1)
        beyond = start + length - shot.frames
        if beyond > 0:
            frames = "one frame" if beyond == 1 else f"{beyond} frames"
            told = "; ".join(part for part in (told, f"it goes {frames} past the clip's end") if part)
        return Placed(event.number, shot.id, (start, min(start + length, shot.frames) - 1), event.speed < 0, told)


def _told(event: Event) -> str:
    """What of an event is no plain use."""
    parts = []
    if event.speed == 0:
        parts.append("a held frame")
    elif event.speed < 0:
        parts.append("backwards" if event.speed == -1 else f"backwards at {abs(event.speed):.0%}")
    elif abs(event.speed - 1) > 1e-3:
        parts.append(f"at {event.speed:.0%} speed")
    if event.dissolve_in:
        parts.append(f"dissolve of {event.dissolve_in} into it")
    if event.dissolve_out:
        parts.append(f"dissolve of {event.dissolve_out} out of it")
    if event.note:
        parts.append(event.note)
    return ", ".join(parts)
