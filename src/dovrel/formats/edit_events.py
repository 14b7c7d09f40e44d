"""What the readers of edit lists share: bounds, and which events are one."""

from __future__ import annotations

from dataclasses import replace

from dovrel.core.placing import Event

LONGEST_NAME = 200
LATEST = 10**9
"""Frames counted from midnight beyond which a time is no time."""
MOST_RATE = 1000
RATE = 24.0
"""Frames a second of an event that says none."""


def numbered(events: list[Event]) -> list[Event]:
    """Events in the order of the story, those that go on where the one before ends as one: a gap above them is no cut."""
    found: list[Event] = []
    for event in events:
        if found and _goes_on(found[-1], event):
            last = found[-1]
            found[-1] = replace(last, frames=last.frames + event.frames, dissolve_out=event.dissolve_out)
        else:
            found.append(event)
    return [_shortened(event, number) for number, event in enumerate(found, 1)]


def _goes_on(one: Event, other: Event) -> bool:
    alike = (one.name, one.reel, one.file, one.rate) == (other.name, other.reel, other.file, other.rate)
    whole = one.speed == other.speed == 1.0 and not one.dissolve_out and not other.dissolve_in
    plain = not (one.note or other.note or one.fault or other.fault)
    return alike and whole and plain and one.first + one.frames == other.first


def _shortened(event: Event, number: int) -> Event:
    """With a number, and texts no longer than can be shown."""
    texts = {name: getattr(event, name)[:LONGEST_NAME] for name in ("name", "reel", "file", "note", "fault")}
    return replace(event, number=number, **texts)
