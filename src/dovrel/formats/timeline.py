"""OpenTimelineIO in: tracks over one another, and stacks and tracks within them."""

from __future__ import annotations

import math
from typing import NamedTuple
from urllib.parse import unquote

import opentimelineio as otio

from dovrel.core.placing import Event
from dovrel.errors import Refused
from dovrel.formats.edit_events import LATEST, MOST_RATE, RATE, numbered

_TOLD = "dovrel"
"""Under this name, what is found of a clip on the way through tracks stands in its metadata."""
_KNOWN_EFFECTS = (otio.schema.LinearTimeWarp, otio.schema.FreezeFrame)
_DISSOLVE = "SMPTE_Dissolve"


def read_events(text: str) -> list[Event]:
    """The events of a timeline in the order of the story.

    Raises
    ------
    Refused
        If the text holds no timeline.
    """
    found = otio.adapters.read_from_string(text, "otio_json")
    if not isinstance(found, otio.schema.Timeline):
        raise Refused("it holds no timeline")
    if not _pictures(found.tracks):
        return []
    clips = _Clips([], [])
    _number(found.tracks, clips)
    whole = _flat(found.tracks)
    seen = {item.metadata[_TOLD]["number"] for item in whole if isinstance(item, otio.schema.Clip)}
    events = [_event(item, whole, found.global_start_time) for item in whole if isinstance(item, otio.schema.Clip)]
    hidden = [
        Event(0, *_names(clip), 0, 1, RATE, fault=_why_unseen(clip))
        for number, clip in enumerate(clips.found)
        if number not in seen and clips.on[number]
    ]
    return numbered([*events, *hidden])


def _pictures(part: otio.core.Composition) -> list[otio.core.Composable]:
    """What lies in a part, without tracks of sound."""
    return [one for one in part if getattr(one, "kind", otio.schema.TrackKind.Video) == otio.schema.TrackKind.Video]


def _why_unseen(clip: otio.schema.Clip) -> str:
    span = _span(clip)
    if span is None:
        return "the list does not say how long it is"
    if span.duration.value <= 0:
        return "it has no length in the edit"
    return "it is not seen: other clips cover it, or it is cut off by what it lies in"


class _Clips(NamedTuple):
    """Every clip, and whether it and what it lies in are switched on."""

    found: list[otio.schema.Clip]
    on: list[bool]


def _number(part: otio.core.Composition, clips: _Clips, on: bool = True) -> None:
    """Number all clips, and note with each how it is mixed with its neighbours."""
    on = on and getattr(part, "enabled", True)
    items = _pictures(part)
    for place, item in enumerate(items):
        if isinstance(item, otio.schema.Clip):
            told = {"number": len(clips.found), "in": 0, "out": 0, "notes": []}
            if isinstance(part, otio.schema.Track):
                _note_mixed(told, items, place)
            item.metadata[_TOLD] = told
            clips.found.append(item)
            clips.on.append(on and item.enabled and not _is_black(item))
        elif isinstance(item, otio.core.Composition):
            _number(item, clips, on)


def _note_mixed(told: dict, items: list, place: int) -> None:
    """The transitions on both sides of a clip."""
    before, after = items[place - 1] if place else None, items[place + 1] if place + 1 < len(items) else None
    if before is not None and isinstance(before, otio.schema.Transition):
        told["in"] = _frames(before.out_offset)
        told["notes"] += _odd_transition(before, "it comes in")
    if after is not None and isinstance(after, otio.schema.Transition):
        told["out"] = _frames(after.in_offset)
        told["notes"] += _odd_transition(after, "it goes out")


def _frames(time: otio.opentime.RationalTime | None) -> int:
    return 0 if time is None else round(time.value)


def _odd_transition(transition: otio.schema.Transition, said: str) -> list[str]:
    kind = transition.transition_type
    return [] if kind in ("", _DISSOLVE) else [f"{said} by a transition of kind “{kind}”"]


def _flat(stack: otio.schema.Stack) -> otio.schema.Track:
    return otio.algorithms.flatten_stack([_as_seen(part) for part in _pictures(stack)])


def _as_seen(part: otio.core.Composition) -> otio.schema.Track:
    """A track without its transitions, with gaps for what is switched off, and the clips of what lies within it."""
    seen = otio.schema.Track(kind=otio.schema.TrackKind.Video)
    if isinstance(part, otio.schema.Stack):
        seen = _flat(part) if _pictures(part) else seen
    else:
        for item in part:
            _append(seen, item, part.enabled)
    return otio.algorithms.track_trimmed_to_range(seen, part.source_range) if part.source_range else seen


def _append(seen: otio.schema.Track, item: otio.core.Composable, on: bool) -> None:
    if isinstance(item, otio.schema.Transition):
        return
    if isinstance(item, otio.schema.Clip) and _span(item) is None:
        return
    if not (on and getattr(item, "enabled", True)) or (isinstance(item, otio.schema.Clip) and _is_black(item)):
        seen.append(otio.schema.Gap(duration=item.duration()))
    elif isinstance(item, otio.core.Composition):
        within = _as_seen(item)
        effects = list(item.effects)
        for inner in list(within):
            copy = inner.deepcopy()
            if isinstance(copy, otio.schema.Clip) and effects:
                copy.metadata[_TOLD]["notes"] = [
                    *copy.metadata[_TOLD]["notes"],
                    "what it lies in has effects of its own",
                ]
            seen.append(copy)
    else:
        seen.append(item.deepcopy())


def _is_black(clip: otio.schema.Clip) -> bool:
    return _reel(clip).upper() in ("BL", "BLACK") and not clip.name


def _reel(clip: otio.schema.Clip) -> str:
    return str(next((v["reel"] for v in clip.metadata.values() if hasattr(v, "keys") and "reel" in v), ""))


def _names(clip: otio.schema.Clip) -> tuple[str, str, str]:
    """Name, reel and file."""
    url = getattr(clip.media_reference, "target_url", "") or ""
    return clip.name or "", _reel(clip), unquote(url.rsplit("/", 1)[-1])


def _span(clip: otio.schema.Clip) -> otio.opentime.TimeRange | None:
    media = clip.media_reference
    return clip.source_range or (media.available_range if media else None)


def _event(clip: otio.schema.Clip, track: otio.schema.Track, begins: otio.opentime.RationalTime | None) -> Event:
    names, at, told = _names(clip), _place(clip, track, begins), clip.metadata[_TOLD]
    span = _span(clip)
    assert span is not None  # others are not in the track
    first, frames, rate = span.start_time.value, span.duration.value, span.start_time.rate
    if not (abs(first) < LATEST and abs(frames) < LATEST and 1 <= rate <= MOST_RATE):
        return Event(0, *names, 0, 1, RATE, at, fault="its times are no times")
    speed, notes = 1.0, list(told["notes"])
    for effect in clip.effects:
        # A held frame is a warp of its own kind, at no speed.
        speed *= getattr(effect, "time_scalar", 1.0)
        if not isinstance(effect, _KNOWN_EFFECTS):
            notes.append(f"its effect “{effect.effect_name or effect.schema_name()}” is not known")
    return Event(
        0,
        *names,
        round(first),
        max(1, round(frames)),
        float(rate),
        at,
        speed if math.isfinite(speed) else 1.0,
        int(told["in"]),
        int(told["out"]),
        "; ".join(notes),
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
