"""What the page sends and gets of selections: samples, ranges, a subject followed, colours led where they are wanted."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import BaseModel, Field, model_validator

from dovrel.core.steps.pick import Pick, Sample
from dovrel.core.steps.shapes import Shape
from dovrel.core.steps.track import KeptTrack
from dovrel.errors import Refused
from dovrel.service.along_schemas import WorkName
from dovrel.service.fields import Fraction, Frame, Numbers
from dovrel.service.live_schemas import Asked, LevelRange, PlaneRange


class SamplesIn(Asked):
    """A box of the picture whose colours are to be taken: as they reach the current step, or, for a new step, as they leave it."""

    number: Literal[0] = 0
    new: bool = False
    corner: tuple[Fraction, Fraction]
    other: tuple[Fraction, Fraction]


class SamplesOut(BaseModel):
    """Samples that stand for a box's colours, and how far a pick that begins with them reaches."""

    samples: tuple[Sample, ...]
    reach: float
    soft: float


class NarrowIn(Asked):
    """The current pick is to keep to what is brushed on scopes."""

    number: Literal[0] = 0
    brushes: Annotated[list[LevelRange | PlaneRange], Field(min_length=1, max_length=6)]

    @model_validator(mode="after")
    def has_a_pick(self) -> Self:
        if self.selection is None or self.selection.pick is None:
            raise Refused(f"“{self.step}” takes no colours; take a step with a current pick to narrow it")
        return self


class NarrowOut(BaseModel):
    pick: Pick


class OfSelection(Asked):
    """The selected pixels are to be led where they are wanted."""

    number: Literal[0] = 0

    @model_validator(mode="after")
    def has_a_selection(self) -> Self:
        if self.selection is None:
            raise Refused(f"“{self.step}” selects nothing; make a pick or an area current")
        return self


class HeldDownIn(OfSelection):
    """Their highs are to read so many percent."""

    most: Annotated[float, Field(ge=1, le=109)]


class NumbersOut(BaseModel):
    """Ten numbers for the side of the current selection; nothing is saved."""

    numbers: Numbers


class FollowIn(BaseModel):
    """The subject within shapes that were drawn on a frame is to be followed."""

    shapes: Annotated[tuple[Shape, ...], Field(min_length=1, max_length=12)]
    frame: Frame
    onto: KeptTrack | None = None
    """The track that is to go on where its subject was lost."""
    work: WorkName = ""


class FollowOut(BaseModel):
    """Where it is on each frame that it was found on, and what is to be said of it; no version is made."""

    track: KeptTrack
    notes: list[str]
