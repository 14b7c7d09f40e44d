"""What the page asks for on the live channel: a picture with its figures, or the name of a point."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from dovrel.core.measure.brush import Brush, LevelBrush, PlaneBrush
from dovrel.core.steps.levels import Level
from dovrel.service.correction_schemas import MeterIn, Ties
from dovrel.service.fields import Finite, Frame, Id, Numbers, Part
from dovrel.service.schemas import LevelsIn

RequestNumber = Annotated[int, Field(ge=0, le=2**53)]
Percent = Annotated[float, Field(ge=-70, le=170)]
Mark = Literal["none", "clipping", "legality", "false colour", "skin", "foliage", "sky", "neutrals"]


class Aim(BaseModel):
    """Readings to meet: the ten aims, which of them were moved, and whether a hand is dragging them."""

    values: Numbers
    dragged: bool = False
    moved: list[Annotated[int, Field(ge=0, le=9)]]


class Turn(BaseModel):
    """One control set to a value; the ten numbers follow."""

    control: Literal["exposure", "warmth", "tint", "contrast", "saturation"]
    value: Finite


class LevelRange(BaseModel):
    """A range brushed on waveform, parade or histogram."""

    kind: Literal["level"]
    signal: Literal["red", "green", "blue", "luma"]
    low: Percent
    high: Percent
    left: Part = 0.0
    right: Part = 1.0

    def brush(self) -> Brush:
        return LevelBrush(self.signal, self.low, self.high, self.left, self.right)


class PlaneRange(BaseModel):
    """A rectangle brushed on the vectorscope."""

    kind: Literal["plane"]
    cb: tuple[Percent, Percent]
    cr: tuple[Percent, Percent]

    def brush(self) -> Brush:
        return PlaneBrush(self.cb, self.cr)


class Extra(BaseModel):
    """Scopes that are counted only where they are open."""

    chroma: bool = False
    cast: bool = False
    familiar: bool = False
    vector_levels: tuple[Percent, Percent] | None = None


class Asked(BaseModel):
    """A frame with `numbers` at `level` and `levels` in force at the others; `before` without what that level does."""

    number: RequestNumber
    shot: Id
    frame: Frame
    level: Level = "shot"
    numbers: Numbers
    levels: LevelsIn = Field(default_factory=LevelsIn)
    before: bool = False


class Show(Asked):
    """A picture with its figures; `aim` or `turn` where their numbers are still to be found."""

    kind: Literal["show"] = "show"
    pivot: Annotated[float, Field(ge=0.05, le=0.9)] = 0.4135884
    aim: Aim | None = None
    turn: Turn | None = None
    meter: MeterIn | None = None
    brushes: Annotated[list[LevelRange | PlaneRange], Field(max_length=6)] = Field(default_factory=list)
    mark: Mark = "none"
    extra: Extra = Field(default_factory=Extra)
    full: bool = False
    playing: bool = False
    reference: Id | None = None
    reference_meter: MeterIn | None = None
    ties: Ties = Field(default_factory=list)


class Point(Asked):
    """A point of the picture to be named, in parts of its width and height."""

    kind: Literal["point"]
    x: Part
    y: Part
