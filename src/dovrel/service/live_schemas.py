"""What the page asks for on the live channel: a picture with its figures, or the name of a point."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal, Self

from pydantic import BaseModel, Field, model_validator

from dovrel.core.colour.working import MID_GREY
from dovrel.core.measure.brush import Brush, LevelBrush, PlaneBrush
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.correction import BALANCE, LEVELS, PLAIN, Level, checked
from dovrel.core.steps.kinds import Kinds
from dovrel.core.steps.levels import AtFrame, FourLevels
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.selection import Selection, Side
from dovrel.errors import Refused
from dovrel.media.picture import PREVIEW_WIDTH
from dovrel.service.correction_schemas import MeterIn, Ties
from dovrel.service.fields import Finite, Fraction, Frame, Id, Numbers, Peek, PreviewWidth, StepName

PIVOTS = (0.05, 0.9)
"""Working values that exposure, white and contrast may turn about."""
RequestNumber = Annotated[int, Field(ge=0, le=2**53)]
Percent = Annotated[float, Field(ge=-70, le=170)]
Before = Literal["none", "step", "level"]
Mark = Literal[
    "none", "tone only", "clipping", "legality", "false colour", "skin", "foliage", "sky", "neutrals", "matte"
]


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
    left: Fraction = 0.0
    right: Fraction = 1.0

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
    """A frame under four levels; `level` and `step` say which step is current.

    It is seen as all its corrections make it, or as it was before the current step, or before all
    that is done at this level.
    """

    number: RequestNumber
    shot: Id
    frame: Frame
    levels: FourLevels = FourLevels()
    level: Level = "shot"
    step: StepName = BALANCE
    side: Side = "inside"
    """Of a selection: whose ten numbers are current, and which pixels are measured."""
    before: Before = "none"

    @model_validator(mode="after")
    def in_hand(self) -> Self:
        for level in LEVELS:
            checked(level, self.levels.of(level))
        try:
            self.here.of(self.level).step(self.step)
        except LookupError as error:
            raise Refused(str(error)) from None
        return self

    @property
    def here(self) -> AtFrame:
        """The levels as they are at the frame."""
        return self.levels.at(self.frame)

    @property
    def values(self) -> Kinds:
        """What the current step holds at the frame."""
        return self.here.of(self.level).step(self.step).values

    @property
    def selection(self) -> Selection | None:
        """The current step, if it is a selection."""
        return self.values if isinstance(self.values, Selection) else None

    def numbers_in(self, levels: AtFrame) -> Primary:
        """The current ten numbers: those of the step, or of the side of a selection."""
        values = levels.of(self.level).step(self.step).values
        return (
            values.numbers_of(self.side)
            if isinstance(values, Selection)
            else levels.of(self.level).numbers_of(self.step)
        )

    def with_numbers(self, levels: AtFrame, numbers: Primary) -> AtFrame:
        """The same levels with other numbers current."""
        values = levels.of(self.level).step(self.step).values
        put = values.with_numbers(self.side, numbers) if isinstance(values, Selection) else numbers
        return levels.replaced(self.level, levels.of(self.level).with_values(self.step, put))

    def after_numbers(self, levels: AtFrame) -> Chain:
        """What comes after the current ten numbers, on the pixels that they are for."""
        values = levels.of(self.level).step(self.step).values
        after = levels.after(self.level, self.step)
        if not isinstance(values, Selection):
            return after
        return (*(values.inside if self.side == "inside" else values.outside)[1:], *after)

    def seen(self, levels: AtFrame) -> AtFrame:
        """What is in force of the levels where something is to be seen without it."""
        if self.before == "none":
            return levels
        if self.before == "level":
            return levels.replaced(self.level, PLAIN[self.level])
        step = replace(levels.of(self.level).step(self.step), on=False)
        return levels.replaced(self.level, levels.of(self.level).with_step(step))


class Show(Asked):
    """A picture with its figures; `aim` or `turn` where their numbers are still to be found."""

    kind: Literal["show"] = "show"
    pivot: Annotated[float, Field(ge=PIVOTS[0], le=PIVOTS[1])] = MID_GREY
    aim: Aim | None = None
    turn: Turn | None = None
    meter: MeterIn | None = None
    brushes: Annotated[list[LevelRange | PlaneRange], Field(max_length=6)] = Field(default_factory=list)
    mark: Mark = "none"
    peek: Peek = 0.0
    """What is measured stays as it is."""
    extra: Extra = Field(default_factory=Extra)
    width: PreviewWidth = PREVIEW_WIDTH
    """Of the picture while the hand moves: as wide as its place."""
    full: bool = False
    playing: bool = False
    reference: Id | None = None
    reference_meter: MeterIn | None = None
    ties: Ties = Field(default_factory=list)

    @model_validator(mode="after")
    def has_numbers_to_find(self) -> Self:
        if (self.aim or self.turn) and not isinstance(self.values, Primary | Selection):
            raise Refused(f"“{self.step}” is no step of ten numbers: readings and controls are not aimed with it")
        return self


class Point(Asked):
    """A point of the picture to be named, in parts of its width and height."""

    kind: Literal["point"]
    x: Fraction
    y: Fraction
