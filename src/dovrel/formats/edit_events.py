"""What an edit list holds before shots are found for it: one entry for each use of a clip, in the order of the story."""

from __future__ import annotations

from typing import NamedTuple

LONGEST_NAME = 200
LATEST = 10**9
"""Frames counted from midnight beyond which a time is no time."""
MOST_RATE = 1000


class Found(NamedTuple):
    """As :class:`dovrel.core.placing.Event`, without its number."""

    name: str
    reel: str
    file: str
    first: int
    frames: int
    rate: float
    at: str
    speed: float = 1.0
    dissolve_in: int = 0
    dissolve_out: int = 0
    note: str = ""
    fault: str = ""

    def goes_on_in(self, other: Found) -> bool:
        alike = (self.name, self.reel, self.file, self.rate) == (other.name, other.reel, other.file, other.rate)
        whole = self.speed == other.speed == 1.0 and not self.dissolve_out and not other.dissolve_in
        plain = not (self.note or other.note or self.fault or other.fault)
        return alike and whole and plain and self.first + self.frames == other.first


def cut_names(found: Found) -> Found:
    """With names no longer than one that can be shown."""
    name, reel, file, note, fault = (
        text[:LONGEST_NAME] for text in (found.name, found.reel, found.file, found.note, found.fault)
    )
    return found._replace(name=name, reel=reel, file=file, note=note, fault=fault)


def joined(events: list[Found]) -> list[Found]:
    """Events that go on where the one before ends are one: a gap above them is no cut."""
    found: list[Found] = []
    for event in events:
        last = found[-1] if found else None
        if last and last.goes_on_in(event):
            found[-1] = last._replace(frames=last.frames + event.frames, dissolve_out=event.dissolve_out)
        else:
            found.append(event)
    return found
