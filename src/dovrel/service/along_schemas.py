"""What the page sends and gets of a shot along time."""

from __future__ import annotations

from typing import Annotated, Self

from pydantic import BaseModel, Field, model_validator

from dovrel.core.steps.correction import BALANCE
from dovrel.core.steps.levels import FourLevels
from dovrel.core.steps.track import KeptTrack
from dovrel.errors import Refused
from dovrel.service.correction_schemas import MeterIn
from dovrel.service.fields import Frame, Id, StepName
from dovrel.service.schemas import CourseOut, ShotOut

WorkName = Annotated[str, Field(max_length=60)]
"""By which a page asks how far its work is, and ends it."""


class AlongIn(BaseModel):
    """The levels that a shot is seen under, as on the live channel."""

    levels: FourLevels = FourLevels()
    frame: Frame = 0
    """That the meter was drawn on."""
    meter: MeterIn | None = None
    work: WorkName = ""


class AlongOut(BaseModel):
    """Ten readings of frames all over a shot, percent, as recorded and as corrected, and what changes in its light."""

    frames: list[int]
    recorded: list[list[float]]
    corrected: list[list[float]]
    course: CourseOut


class DrawnIn(BaseModel):
    """A box or outline around the same subject, drawn on another frame."""

    frame: Frame
    meter: MeterIn

    @model_validator(mode="after")
    def is_drawn(self) -> Self:
        if self.meter.kind not in ("box", "outline"):
            raise Refused("only a box or an outline can be set again by hand")
        return self


class HoldIn(BaseModel):
    """Keep what is metered, or all, as it looks at `frame`, by keyframes on a step of the shot.

    `drawn` is the frame that a box or outline was drawn on; `frame` if left out. `again` are further frames on which it was
    drawn, as where it had been lost. `tolerance` is the CIEDE2000 that may be left.
    """

    again: Annotated[list[DrawnIn], Field(max_length=40)] = Field(default_factory=list)
    tolerance: Annotated[float, Field(ge=0.2, le=10)] = 1.0

    frame: Frame
    drawn: Frame | None = None
    base: Id | None = None
    step: StepName = BALANCE
    meter: MeterIn | None = None
    work: WorkName = ""


class SteadyIn(BaseModel):
    """Take a slow wander off, by keyframes on a step of the shot."""

    base: Id | None = None
    step: StepName = BALANCE
    work: WorkName = ""


class HeldOut(BaseModel):
    """The shot, and what was done: how much is left of the change, CIEDE2000."""

    shot: ShotOut
    keyframes: int
    mean: float
    largest: float
    was: float
    notes: list[str]


class WorkOut(BaseModel):
    part: float


class CameraPathIn(BaseModel):
    """The camera's motion is to be found; `work` names this for its progress."""

    work: WorkName = ""


class CameraPathOut(BaseModel):
    path: KeptTrack
