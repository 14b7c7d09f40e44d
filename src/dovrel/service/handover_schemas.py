"""What the page sends and gets when it hands over."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal, Self

from pydantic import AfterValidator, BaseModel, Field, model_validator

from dovrel.core.steps.carried import Format, Sampling
from dovrel.errors import Refused
from dovrel.jobs.naming import PATTERN, checked
from dovrel.service.fields import Id, Row

ClipKind = Literal["prores-4444", "prores-422", "hevc", "h264", "dpx", "exr", "tiff", "png"]
"""A key of :data:`dovrel.media.writing.KINDS`."""


FilePattern = Annotated[str, Field(min_length=1, max_length=200), AfterValidator(checked)]


class HandoverIn(BaseModel):
    """What is to be handed over: formats that carry corrections, and kinds of rendered clips."""

    shots: Annotated[list[Id], Field(min_length=1, max_length=2000)]
    formats: list[Format] = Field(default_factory=list)
    clips: list[ClipKind] = Field(default_factory=list)
    report: bool = False
    """Whether a report of the day goes with them: a page for people, and a table of all measurements."""
    width: Annotated[int, Field(ge=64, le=16384)] | None = None
    """Of rendered pictures, where they are to be smaller than the clip's."""
    aspect: Annotated[float, Field(ge=0.2, le=5)] | None = None
    """Width by height that they are cut to about their middle, if they are to be."""
    first: Annotated[int, Field(ge=0, le=9_999_999)] | None = None
    """The number of the first still of a sequence; by its timecode, if not said."""
    burnt: bool = False
    """Whether name, camera, roll, clip and timecode stand in them."""
    names: FilePattern = PATTERN
    """What files are called."""
    cube_size: Literal[17, 33, 65] = 33
    """Nodes a side of a .cube."""
    sampling: Sampling = "keyframes"
    """Of shots that change, for formats that know no time: a file for each keyframe, or for each stretch between two."""

    @model_validator(mode="after")
    def asks_for_something(self) -> Self:
        if not (self.formats or self.clips or self.report):
            raise Refused("choose at least one format")
        return self


class HandoverNamesIn(BaseModel):
    shots: Annotated[list[Id], Field(min_length=1, max_length=2000)]
    names: FilePattern = PATTERN


class HandoverNamesOut(BaseModel):
    """What each shot's files would be called, by its number; names that several shots would have, with theirs."""

    called: dict[int, str]
    clashes: dict[str, list[str]]


class HandedFile(BaseModel):
    name: str
    format: str
    shot: str
    version_id: int | None


class HandedItem(Row):
    """A part of a handover: how far it is, what came of it, and how far a rendered one lies from the Desk's picture when read again."""

    name: str
    kind: Literal["numbers", "lists", "report", "checksums"] | ClipKind
    state: Literal["waiting", "working", "done", "differs", "failed", "cancelled"]
    part: float
    difference: float | None
    said: str
    version_id: int | None


class HandoverOut(Row):
    """A handover; the checksum list is the last of its items, so all is there once that has ended."""

    id: int
    folder: str
    files: list[HandedFile]
    items: list[HandedItem]
    cancelled: bool
    changed: list[str] = Field(default_factory=list)
    """Names of shots that something else is in force on now, or whose clip is read in another way."""
    made_at: datetime
