"""A clip as the page gets it: empty until it has been looked through."""

from __future__ import annotations

from typing_extensions import TypedDict

from dovrel.media.clip import Assumed


class SoundOut(TypedDict):
    codec: str
    rate: int
    channels: int


class GeometryOut(TypedDict):
    """As of :class:`dovrel.media.geometry.Geometry`."""

    coded: tuple[int, int]
    aspect: tuple[int, int]
    turn: int
    active: tuple[float, float, float, float]


class ClipOut(TypedDict, total=False):
    """As of :class:`dovrel.media.clip.ClipInfo`; `verified` is the list whose checksums its files agree with."""

    width: int
    height: int
    rate: tuple[int, int]
    frames: int
    bit_depth: int
    full_range: bool
    matrix: str
    transfer: str
    primaries: str
    codec: str
    timecode: str
    warnings: list[str]
    assumed: list[Assumed]
    interlaced: bool
    top_first: bool
    ceiling: float
    floating: bool
    make: str
    model: str
    verified: str
    sound: list[SoundOut]
    geometry: GeometryOut


class ReadingOut(TypedDict, total=False):
    """What was said of a clip's reading, as of :class:`dovrel.media.clip.Reading`; what was not said is left out."""

    range: str
    matrix: str
    active: tuple[float, float, float, float]
    fields: bool
    rate: tuple[int, int]
    numbers: list[tuple[int, int]]
    parts: list[str]
