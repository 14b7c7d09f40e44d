"""What the page sends and gets of a shot along time."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, Field

from dovrel.core.steps.correction import BALANCE
from dovrel.core.steps.levels import FourLevels
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


class HoldIn(BaseModel):
    """Keep what is metered, or all, as it looks at `frame`, by keyframes on a step of the shot.

    `drawn` is the frame that a box or outline was drawn on; `frame` if left out.
    """

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
