"""What a clip is: what its file says, what that leaves open, and how it is read."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from fractions import Fraction
from functools import cached_property
from typing import Any, Literal, cast

from dovrel.media.geometry import WHOLE, Box, Geometry
from dovrel.media.siting import USUAL

Range = Literal["full", "narrow"]
Matrix = Literal["BT.709", "BT.601", "BT.2020"]
Assumed = Literal["range", "matrix", "transfer"]


@dataclass(frozen=True)
class Reading:
    """What a user says of a clip, in the place of what its file says or leaves open; None for nothing said.

    Attributes
    ----------
    range, matrix : of its code values; active : the part that holds picture
    fields : False if the pictures are whole, whatever the file says; True if they are of two fields
    rate : frames a second, of picture sequences
    numbers : first and last number of each run of pictures, of picture sequences
    parts : names of the files that the take goes on in, in the same folder
    """

    range: Range | None = None
    matrix: Matrix | None = None
    active: Box | None = None
    fields: bool | None = None
    rate: Fraction | None = None
    numbers: tuple[tuple[int, int], ...] = ()
    parts: tuple[str, ...] = ()

    def record(self) -> dict[str, Any]:
        """As JSON keeps it, without what is not said."""
        said = {name: value for name, value in asdict(self).items() if value not in (None, ())}
        if self.rate is not None:
            said["rate"] = [self.rate.numerator, self.rate.denominator]
        return said

    @classmethod
    def of(cls, record: dict[str, Any]) -> Reading:
        return cls(
            range=record.get("range"),
            matrix=record.get("matrix"),
            active=tuple(record["active"]) if record.get("active") else None,
            fields=record.get("fields"),
            rate=Fraction(*record["rate"]) if record.get("rate") else None,
            numbers=tuple((first, last) for first, last in record.get("numbers", ())),
            parts=tuple(record.get("parts", ())),
        )


AS_IT_SAYS = Reading()


@dataclass(frozen=True)
class Sound:
    """A sound track: its codec, samples a second, channels."""

    codec: str
    rate: int
    channels: int


@dataclass(frozen=True)
class Part:
    """One file of a take that goes over several: its name, frames, and their times as of :class:`ClipInfo`."""

    name: str
    frames: int
    start: int | None
    times: tuple[int, ...]


@dataclass(frozen=True)
class ClipInfo:
    """What is known of a clip, and how it is read.

    Attributes
    ----------
    geometry : how its pictures are seen
    rate : frames a second; frames : count; bit_depth : of the recorded samples
    full_range : True if code values span the whole range; matrix : name
    tags : container and stream metadata, lower-case keys
    warnings : what is odd but does not stop the work
    start : the first picture's time stamp, in the stream's time base; None if the file has none
    times : every picture's, where they do not follow the rate
    transfer, primaries : how its values relate to light and what their colours are, by tag; empty where it does not say
    assumed : what the file does not say, and nobody has said since
    interlaced : whether pictures are of two fields, and are de-interlaced
    top_first : whether the upper field comes first
    sound : its sound tracks
    make, model : of the camera, as the file says; empty where it does not
    floating : whether values are linear light without an upper end; they are carried as logarithms
    ceiling : the level at which the recording clips; above 1 where levels beyond the nominal range are in use
    numbers : of a sequence, first and last number of each run of pictures
    parts : the files of a take that goes over several; none for one
    siting : where chroma samples lie, one of :data:`dovrel.media.siting.SITINGS`
    """

    geometry: Geometry
    rate: Fraction
    frames: int
    bit_depth: int
    full_range: bool
    matrix: str
    codec: str
    pixel_format: str
    timecode: str = ""
    tags: dict[str, str] = field(default_factory=dict)
    warnings: tuple[str, ...] = ()
    start: int | None = None
    times: tuple[int, ...] = ()
    transfer: str = ""
    primaries: str = ""
    assumed: tuple[Assumed, ...] = ()
    interlaced: bool = False
    top_first: bool = True
    sound: tuple[Sound, ...] = ()
    make: str = ""
    model: str = ""
    floating: bool = False
    ceiling: float = 1.0
    numbers: tuple[tuple[int, int], ...] = ()
    parts: tuple[Part, ...] = ()
    siting: str = USUAL

    @cached_property
    def size(self) -> tuple[int, int]:
        return self.geometry.size

    @property
    def width(self) -> int:
        """Of what is seen, in pixels."""
        return self.size[0]

    @property
    def height(self) -> int:
        """Of what is seen, in pixels."""
        return self.size[1]

    @property
    def read_as(self) -> tuple:
        """What makes another picture of the same file."""
        return self.geometry, self.full_range, self.matrix, self.interlaced, self.floating, self.ceiling

    def record(self) -> dict[str, Any]:
        """As JSON keeps it."""
        kept = asdict(self)
        geometry = self.geometry
        kept["geometry"] = {
            "coded": list(geometry.coded),
            "aspect": [geometry.aspect.numerator, geometry.aspect.denominator],
            "turn": geometry.turn,
            "active": list(geometry.active),
        }
        return {
            **kept,
            "rate": [self.rate.numerator, self.rate.denominator],
            "width": self.width,
            "height": self.height,
        }

    @classmethod
    def of(cls, record: dict[str, Any]) -> ClipInfo:
        """The clip that :meth:`record` tells of; one that an earlier Dovrel kept too."""
        known = {name: record[name] for name in cls.__dataclass_fields__ if name in record}
        told: dict[str, Any] = record.get("geometry") or {"coded": (record["width"], record["height"])}
        geometry = Geometry(
            tuple(told["coded"]),
            Fraction(*told.get("aspect", (1, 1))),
            told.get("turn", 0),
            cast(Box, tuple(told.get("active", WHOLE))),
        )
        fields: dict[str, Any] = {
            **known,
            "geometry": geometry,
            "rate": Fraction(*record["rate"]),
            "warnings": tuple(record["warnings"]),
            "times": tuple(record.get("times", ())),
            "assumed": tuple(record.get("assumed", ())),
            "sound": tuple(Sound(**track) for track in record.get("sound", ())),
            "numbers": tuple((first, last) for first, last in record.get("numbers", ())),
            "parts": tuple(_part_of(part) for part in record.get("parts", ())),
        }
        return cls(**fields)


def _part_of(record: dict[str, Any]) -> Part:
    return Part(record["name"], record["frames"], record["start"], tuple(record["times"]))
