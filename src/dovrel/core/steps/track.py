"""A track: where a subject that an area follows is, frame by frame.

A document names a track by its digest, so that requests and versions stay small however long a shot is; its places are
kept once, in this process (:func:`keep`) and where :func:`load_from` says. Correction files hold them whole.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, fields, is_dataclass
from functools import cached_property
from typing import Annotated, ClassVar, cast

import numpy as np
import xxhash
from pydantic import Field, PlainSerializer, PlainValidator, SerializationInfo, TypeAdapter

from dovrel.core.steps.shapes import Motion
from dovrel.errors import Refused

MOST_PLACES = 500_000
"""Frames of more than two hours at 60 a second."""
WHOLE = "whole tracks"
"""A context of serialization in which tracks are written with their places."""
MOST_KEPT = 128 * 1024 * 1024
"""Bytes of places that are kept in this process where they can be loaded again."""

Placed = tuple[float, float, float, float]
"""Middle in parts of the picture's width and height, degrees clockwise, size beside that on the frame it was drawn on."""


@dataclass(frozen=True, eq=False)
class Track:
    """Places of a subject on frames one after another. Two are equal if all of this is.

    Attributes
    ----------
    drawn : the frame on which what follows it was drawn
    first : the frame of the first place
    places : one for each frame from there on: float64 (frames, 4), see :data:`Placed`; read-only
    aspect : the picture's width by its height

    Raises
    ------
    Refused
        If there is no place, a number is beyond reason, or the frame drawn on is not among them.
    """

    drawn: int
    first: int
    places: np.ndarray | Sequence[Placed]
    aspect: float

    def __post_init__(self) -> None:
        if not 0 < len(self.places) <= MOST_PLACES:
            raise Refused(f"a track has 1 to {MOST_PLACES} places, not {len(self.places)}")
        if not 0 <= self.drawn - self.first < len(self.places) or self.first < 0:
            raise Refused("a track holds the frame that it was drawn on")
        numbers = np.array(self.places, np.float64)
        if not np.isfinite(numbers).all() or np.abs(numbers[:, :2]).max() > 3 or numbers[:, 3].min() <= 0:
            raise Refused("a track's places are finite, near the picture, and of some size")
        if not 0.1 <= self.aspect <= 10:
            raise Refused("a picture is 0.1 to 10 times as wide as it is high")
        numbers.setflags(write=False)
        object.__setattr__(self, "places", numbers)

    @cached_property
    def digest(self) -> str:
        """Of all that it holds: 32 hexadecimal digits."""
        head = np.array([self.drawn, self.first, self.aspect], "<f8").tobytes()
        return xxhash.xxh128_hexdigest(head + np.asarray(self.places, "<f8").tobytes())

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Track) and self.digest == other.digest

    def __hash__(self) -> int:
        return hash(self.digest)

    @property
    def last(self) -> int:
        return self.first + len(self.places) - 1

    def holds(self, frame: int) -> bool:
        """Whether it has a place of its own at a frame."""
        return self.first <= frame <= self.last

    def motion(self, frame: int) -> Motion:
        """How the subject has moved on a frame since it was drawn; where it was lost it stays as it was last seen."""
        x, y, angle, size = self._place(self.drawn)
        now_x, now_y, now_angle, now_size = self._place(frame)
        return Motion(x, y, now_x - x, now_y - y, now_angle - angle, now_size / size)

    def _place(self, frame: int) -> tuple[float, float, float, float]:
        x, y, angle, size = self.places[min(max(frame, self.first), self.last) - self.first]
        return float(x), float(y), float(angle), float(size)

    def going_on(self, newer: Track) -> Track:
        """A track that goes on where its subject was lost: `newer` begins on a frame on which it was drawn again.

        What was followed before stays. Frames that neither has stay as this one last was; size and angle go on from there.
        """
        motion = self.motion(newer.drawn)
        _, _, angle, size = self._place(self.drawn)
        _, _, angle_again, size_again = newer._place(newer.drawn)
        first, last = min(self.first, newer.first), max(self.last, newer.last)
        frames = np.arange(first, last + 1)
        places = np.array(self.places)[np.clip(frames, self.first, self.last) - self.first]
        theirs = (frames >= newer.first) & (frames <= newer.last) & ((frames < self.first) | (frames > self.last))
        found = np.array(newer.places)[frames[theirs] - newer.first]
        found[:, 2] += angle + motion.angle - angle_again
        found[:, 3] *= size * motion.scale / size_again
        places[theirs] = found
        return Track(newer.drawn, first, places, self.aspect)


@dataclass(frozen=True)
class NamedTrack:
    """A track as documents name it.

    Attributes
    ----------
    digest : of the track; empty where its places are given
    drawn, first, aspect : as of :class:`Track`; frames : how many places it has
    places : one for each frame, in correction files alone
    """

    drawn: int
    first: int
    aspect: Annotated[float, Field(allow_inf_nan=False)]
    digest: Annotated[str, Field(pattern=r"^[0-9a-f]{32}$|^$")] = ""
    frames: Annotated[int, Field(ge=0, le=MOST_PLACES)] = 0
    places: Annotated[tuple[Placed, ...], Field(max_length=MOST_PLACES)] | None = field(default=None, repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}


_named = TypeAdapter(NamedTrack)


def _read(value: object) -> Track:
    if isinstance(value, Track):
        return value
    if isinstance(value, dict) and value.get("places") and len(value["places"]) > MOST_PLACES:
        raise Refused(f"a track has 1 to {MOST_PLACES} places")
    named = _named.validate_python(value)
    if named.places is None:
        return known(named.digest)
    return keep(Track(named.drawn, named.first, named.places, named.aspect))


def _written(track: Track, info: SerializationInfo) -> NamedTrack:
    places = tuple(map(tuple, np.asarray(track.places).tolist())) if info.context == WHOLE else None
    return NamedTrack(track.drawn, track.first, track.aspect, keep(track).digest, len(track.places), places)


KeptTrack = Annotated[
    Track,
    PlainValidator(_read, json_schema_input_type=NamedTrack),
    PlainSerializer(_written, return_type=NamedTrack),
]
"""A track in a document: named by its digest, or with its places."""


class UnknownTrack(Refused):
    """A document names a track that is kept nowhere."""


_kept: OrderedDict[str, Track] = OrderedDict()
_keeping = threading.Lock()
_load: Callable[[str], Track | None] | None = None


def load_from(load: Callable[[str], Track | None] | None) -> None:
    """From now on, tracks that this process does not hold are asked for by their digest; none are, if None."""
    global _load
    _load = load


def keep(track: Track) -> Track:
    """Hold a track in this process, so that documents may name it; the same one, if it is held already."""
    with _keeping:
        if found := _kept.get(track.digest):
            _kept.move_to_end(track.digest)
            return found
        _kept[track.digest] = track
        while _load is not None and len(_kept) > 1 and 32 * sum(len(one.places) for one in _kept.values()) > MOST_KEPT:
            _kept.popitem(last=False)
        return track


def known(digest: str) -> Track:
    """The track of a digest.

    Raises
    ------
    UnknownTrack
        If it is kept nowhere.
    """
    with _keeping:
        found = _kept.get(digest)
    if found is None and _load is not None:
        found = _load(digest)
    if found is None:
        raise UnknownTrack("its track is not kept here; follow the subject again")
    return keep(found)


def tracks_in(part: object) -> Iterator[Track]:
    """Every track that a correction, a step, or any part of them holds."""
    if isinstance(part, Track):
        yield part
    elif isinstance(part, tuple | list):
        for one in part:
            yield from tracks_in(one)
    elif is_dataclass(part):
        for one in fields(part):
            value = getattr(part, one.name)
            if is_dataclass(value) or isinstance(value, tuple | list):
                yield from tracks_in(cast(object, value))
