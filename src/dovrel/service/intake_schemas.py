"""What Intake and Settings send and get."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import BaseModel, Field, field_validator, model_validator

from dovrel.errors import Refused
from dovrel.service.fields import LEAST_ACTIVE, EncodingId, Fraction, Id, Letter, Name, Row, Shots, Text


class EncodingEntry(BaseModel):
    """The encoding of a make's clips, or of one model's."""

    make: Annotated[Text, Field(min_length=1, max_length=100)]
    model: Annotated[Text, Field(max_length=100)] = ""
    encoding: EncodingId


Percent = Annotated[float, Field(ge=-12, le=112)]
PlanePercent = Annotated[float, Field(ge=-62, le=62)]


class Marker(BaseModel):
    """A named place on the scopes: a level in percent, or a point of the vectorscope, Cb and Cr in percent."""

    name: Annotated[Text, Field(min_length=1, max_length=24)]
    level: Percent | None = None
    cb: PlanePercent | None = None
    cr: PlanePercent | None = None

    @model_validator(mode="after")
    def one_place(self) -> Self:
        if (self.level is None) == (self.cb is None) or (self.cb is None) != (self.cr is None):
            raise Refused(f"the marker “{self.name}” needs a level, or Cb and Cr")
        return self


class SettingsIn(BaseModel):
    """What is changed of the production; what is left out stays. `base` are the values it was changed from."""

    name: Name | None = None
    day: Annotated[Text, Field(max_length=100)] | None = None
    output: Annotated[str, Field(max_length=40)] | None = None
    percentiles: Annotated[list[Annotated[float, Field(ge=0, le=100)]], Field(min_length=3, max_length=3)] | None = None
    tolerance: Annotated[float, Field(gt=0, le=50)] | None = None
    assumed_encoding: EncodingId | None = None
    encodings: Annotated[list[EncodingEntry], Field(max_length=400)] | None = None
    markers: Annotated[list[Marker], Field(max_length=40)] | None = None
    base: dict = Field(default_factory=dict)

    @field_validator("percentiles")
    @classmethod
    def rising(cls, value: list[float] | None) -> list[float] | None:
        if value and not value[0] < value[1] < value[2]:
            raise Refused("the percentiles of lows, mids and highs must rise")
        return value


class OutputOut(Row):
    """An output to choose, and what it needs of the monitor."""

    id: str
    name: str
    monitor: str


class EncodingOut(Row):
    id: str
    name: str
    kind: str


class ReadingIn(BaseModel):
    """What is said of clips in the place of what their files say; ``null`` takes it back, what is left out stays.

    See :class:`dovrel.media.clip.Reading`.
    """

    range: Literal["full", "narrow"] | None = None
    matrix: Literal["BT.709", "BT.601", "BT.2020"] | None = None
    active: tuple[Fraction, Fraction, Fraction, Fraction] | None = None
    fields: bool | None = None
    rate: tuple[Annotated[int, Field(ge=1, le=240_000)], Annotated[int, Field(ge=1, le=1001)]] | None = None

    @field_validator("active")
    @classmethod
    def has_room(cls, value: tuple[float, float, float, float] | None) -> tuple[float, float, float, float] | None:
        if value and (value[2] - value[0] < LEAST_ACTIVE or value[3] - value[1] < LEAST_ACTIVE):
            raise Refused("the active picture must be a tenth of the picture both ways, or more")
        return value


class JoinIn(BaseModel):
    """The files of one take, each a shot so far."""

    shots: Shots


class CameraIn(BaseModel):
    """A new camera, and the shots that are moved to it: so a camera is split."""

    letter: Letter
    name: Annotated[Text, Field(max_length=100)] = ""
    encoding: EncodingId
    shots: Annotated[list[Id], Field(max_length=4000)] = Field(default_factory=list)


class CameraChange(BaseModel):
    """What is changed of a camera, or the camera to merge it into.

    `remember` puts the encoding into the production's table, for the camera's make and model.
    """

    letter: Letter | None = None
    name: Annotated[Text, Field(max_length=100)] | None = None
    encoding: EncodingId | None = None
    into: Id | None = None
    remember: bool = False


class IntakeIn(BaseModel):
    folder: Text = Field(min_length=1, max_length=2000)


class IntakeOut(BaseModel):
    added: int
    already: int
    ignored: int
    stopped: bool = False
    replaced: list[str] = []
    """Names of shots whose files are others than were taken in."""


class PassedOut(BaseModel):
    name: str
    reason: str


class ListOut(BaseModel):
    """A checksum list that lay beside the clips; `fault` if it cannot be read."""

    name: str
    files: int
    missing: list[str]
    fault: str


class TakingInOut(Row):
    """The folder taken in last: how many of its clips are listed, what was passed over, which lists were read."""

    folder: str
    total: int
    done: int
    stopped: bool
    passed: list[PassedOut]
    lists: list[ListOut]


class WrittenOut(BaseModel):
    """A file that was written, and how many files it names."""

    path: str
    files: int
