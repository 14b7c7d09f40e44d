"""What the page sends and gets of a shot's correction."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import BaseModel, Field, field_validator

from dovrel.core.balance.whites import DEFAULT_KEPT_CAST
from dovrel.core.match.parts import PARTS, Part
from dovrel.core.match.ties import Tie, followed
from dovrel.core.measure.meter import Meter
from dovrel.core.steps.correction import Correction
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.selection import Selection, Side
from dovrel.core.steps.track import KeptTrack
from dovrel.service.fields import Change, Fraction, Frame, Id, Kept, Numbers, Row, StepName
from dovrel.service.schemas import ReportOut, ShotOut


class CorrectionIn(BaseModel):
    """A new correction of a shot, made from version `base`."""

    correction: Kept
    change: Change = ""
    base: Id | None = None


class WalkIn(BaseModel):
    """`base` is the version that is gone back or on from; whichever is current, if left out."""

    base: Id | None = None


class MeterIn(BaseModel):
    """What is measured: see :class:`dovrel.core.measure.meter.Meter`; `correction` is the shot's own, under which skin is judged."""

    kind: Literal["box", "outline", "skin", "neutrals"]
    points: Annotated[list[tuple[Fraction, Fraction]], Field(max_length=400)] = Field(default_factory=list)
    correction: Kept = Correction()

    def meter(self) -> Meter:
        return Meter(self.kind, tuple(self.points), tuple(self.correction.chain))


class TieIn(BaseModel):
    """A patch in the reference and its partner in the shot, two corners each; `track` if that follows its subject."""

    reference: tuple[tuple[Fraction, Fraction], tuple[Fraction, Fraction]]
    shot: tuple[tuple[Fraction, Fraction], tuple[Fraction, Fraction]]
    track: KeptTrack | None = None

    def at(self, frame: int) -> Tie | None:
        """The tie on a frame of the shot; None where its subject is lost."""
        shot = followed(self.shot, self.track, frame) if self.track else self.shot
        return None if shot is None else Tie(self.reference, shot)


def ties_at(ties: Sequence[TieIn], frame: int) -> tuple[Tie, ...]:
    """The ties that a frame has."""
    return tuple(tie for one in ties if (tie := one.at(frame)))


Ties = Annotated[list[TieIn], Field(max_length=12)]


class BalanceIn(BaseModel):
    """`apply` to save the best candidate, or the one named; without, they are only proposed."""

    frame: Frame
    apply: bool = True
    base: Id | None = None
    candidate: str | None = None
    meter: MeterIn | None = None
    kept_cast: float = Field(default=DEFAULT_KEPT_CAST, ge=0, le=1)
    patch: bool = False
    """Whether the metered box or outline is grey or white, and the white comes from it."""


class CandidateOut(Row):
    id: str
    name: str
    numbers: Numbers
    confidence: float
    reason: str

    @field_validator("numbers", mode="before")
    @classmethod
    def listed(cls, value: object) -> object:
        return value.as_array().tolist() if isinstance(value, Primary) else value


class BalanceOut(BaseModel):
    applied: str | None
    candidates: list[CandidateOut]
    shot: ShotOut


class MatchIn(BaseModel):
    """`unsure` to apply an answer that is not sure, too; without, such a one is only offered."""

    frame: Frame
    base: Id | None = None
    strength: float = Field(default=1.0, ge=0, le=1)
    meter: MeterIn | None = None
    reference_meter: MeterIn | None = None
    what: list[Part] = list(PARTS)
    ties: Ties = Field(default_factory=list)
    ties_alone: bool = False
    extended: bool | None = None
    """Whether to go on with the extended step; as the shot has one or not, if not said."""
    unsure: bool = False
    alone: bool = False
    """Whether to match to the reference alone, and not through the family where the two share too little."""
    work: str = ""
    """The page's name for it; the page asks by this name how far it is."""


class OfferOut(BaseModel):
    """An answer that is not sure enough to be applied unasked: its ten numbers, and what matching said of them."""

    numbers: Numbers
    report: ReportOut


class MatchOut(BaseModel):
    """The shot, with the answer if it was applied; else what is offered."""

    shot: ShotOut
    offer: OfferOut | None = None


class KeepIn(BaseModel):
    frame: Frame
    as_reference: bool = True


class SelectedIn(BaseModel):
    """A selection as it is at the shot's frame, whose pixels are to be found in another picture; `step` is its name."""

    values: Selection
    level: Literal["shot", "family"] = "shot"
    step: StepName
    side: Side = "inside"
    covers: Fraction = 0.0
    """The part of the shot's picture that it selects: where a pick finds less, the nearest colours are taken."""


class KeptScopesIn(BaseModel):
    """Which pixels are measured: those metered, and of them those that a selection finds."""

    meter: MeterIn | None = None
    selected: SelectedIn | None = None
