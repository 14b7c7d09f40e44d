"""What the page sends and gets."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field, field_validator, model_validator

from dovrel.core.steps.carried import Format
from dovrel.core.steps.copying import CONTROLS, Control
from dovrel.core.steps.correction import BALANCE, MOST_STEPS
from dovrel.errors import Refused
from dovrel.jobs.standing import Standing
from dovrel.service.clip_schemas import ClipOut, ReadingOut
from dovrel.service.fields import (
    Change,
    Fraction,
    Frame,
    Framing,
    Id,
    Kept,
    Name,
    Note,
    Numbers,
    Row,
    Shots,
    State,
    StepName,
    Text,
)
from dovrel.service.intake_schemas import EncodingEntry, Marker, ReadingIn


class Template(BaseModel):
    """The corrections that new shots and new families start with."""

    shot: Kept
    family: Kept


class CameraOut(Row):
    id: int
    letter: str
    name: str
    make: str
    model: str
    encoding: str
    assumed: bool
    reason: str
    correction: Kept


class KeptOut(Row):
    id: int
    shot_id: int
    frame: int
    readings: list[float]
    kept_at: datetime


class FamilyOut(Row):
    id: int
    name: str
    reference: KeptOut | None
    correction: Kept
    framing: Framing


class SharedIn(BaseModel):
    """`work` is the page's name for it; the page asks by this name how far it is."""

    work: str = ""


class RelativeOut(BaseModel):
    """A shot of a family beside the others; `chain` is the link path to the reference, from itself on, by their place."""

    shot_id: int
    name: str
    chain: list[int]
    confidence: float
    notes: list[str]


class SharedLink(BaseModel):
    """What two shots share, by their place: how many points, how far that is trusted, and whether all others contradict it."""

    one: int
    other: int
    points: int
    trust: float
    contrary: bool


class SharedOut(BaseModel):
    """What the shots of a family share, the reference first."""

    shots: list[RelativeOut]
    links: list[SharedLink]


class ResidualsOut(BaseModel):
    """CIEDE2000 of mean colours after a match; `off` is the whole."""

    lows: float
    mids: float
    highs: float
    skin: float | None
    off: float
    worst: float | None = None
    """What nine tenths of the shared places stay below; null where no places correspond."""


class RescuedOut(BaseModel):
    """A rescue step after which a match comes nearer: see :func:`dovrel.jobs.rescuing.helpful_rescue`."""

    name: str
    reason: str
    before: float | None
    after: float


class ReportOut(BaseModel):
    """What matching said: see :class:`dovrel.core.match.Match`."""

    before: float
    after: float
    left: Numbers
    residuals: ResidualsOut
    confidence: float
    basis: str
    notes: list[str]
    correspondences: int
    tolerance: float
    chain: list[str] = []
    """The link path to the reference: shots from itself on, where it was matched in its family."""
    rescue: RescuedOut | None = None


class ChangeOut(BaseModel):
    """See :class:`dovrel.core.time.changes.Change`."""

    first: int
    last: int
    stops: float
    warm: float
    green: float
    seen: float
    said: str


class CourseOut(BaseModel):
    """See :class:`dovrel.core.time.changes.Course`; `flicker` is null where the light does not flicker."""

    steadiness: Literal["steady", "drifting", "changing"]
    changes: list[ChangeOut]
    flicker: float | None


class ShotOut(Row):
    id: int
    family_id: int | None
    camera_id: int
    name: str
    file: str
    roll: str
    clip: ClipOut
    reading: ReadingOut
    off: bool
    checksum: str
    fault: str
    progress: str
    footage: Literal["here", "offline", "replaced"]
    state: State
    measured: dict
    course: CourseOut | None
    """What changes in its light; null where it was measured before that was looked at."""
    changes: bool
    """Whether what is done to it changes along it: its own steps have keyframes."""
    beyond: list[int]
    """Frames of keyframes that lie beyond its clip's end."""
    corrected: list[float] | None
    distance: float | None
    tolerance: float
    """The distance up to which it is taken to match, seen as it is beside its reference."""
    standing: Standing
    left_as_it_was: str
    """Why the last match left it as it was; empty if none did."""
    note: str
    version_id: int | None
    correction: Kept
    left_out: dict[Format, list[str]]
    """The steps in force on it that a format does not carry, by their names; formats that carry all are not named."""
    report: ReportOut | None


class Use(BaseModel):
    """A shot's place in the line-up.

    `span` are the first and last frame that are seen whole there, null for all; `backwards` if the
    last is seen first; `told` says what is no plain use.
    """

    shot: Id
    span: tuple[Frame, Frame] | None = None
    backwards: bool = False
    told: Annotated[Text, Field(max_length=200)] = ""

    @field_validator("span")
    @classmethod
    def forward(cls, value: tuple[int, int] | None) -> tuple[int, int] | None:
        if value and value[0] > value[1]:
            raise Refused("the last frame used lies before the first")
        return value


class ProductionOut(Row):
    id: int
    name: str
    day: str
    output: str
    percentiles: list[float]
    tolerance: float
    assumed_encoding: str
    encodings: list[EncodingEntry]
    markers: list[Marker]
    correction: Kept
    template: Template
    line_up: list[Use]
    line_up_stamp: str
    """Changes with the line-up; empty while there is none."""


class ItemOut(Row):
    target: str
    target_id: int
    said: str
    failed: bool


class OperationOut(Row):
    """Something done to several shots; a batch is under way while `done` is less than `total`."""

    id: int
    kind: str
    what: str
    total: int
    done: int
    compared: float
    """The part of what a family's shots share that has been looked for, while they are compared with one another; else 1."""
    cancelled: bool
    undone: bool
    made_at: datetime
    seconds: float
    failed: list[ItemOut]


class DayOut(BaseModel):
    production: ProductionOut
    cameras: list[CameraOut]
    families: list[FamilyOut]
    shots: list[ShotOut]
    operations: list[OperationOut]


class VersionOut(Row):
    id: int
    parent_id: int | None
    change: str
    state: State
    distance: float | None
    correction: Kept
    made_at: datetime


class ShotsChange(BaseModel):
    """What is changed of shots, as one operation.

    `notes_before` are the notes that a new one takes the place of, shot by shot; none if left out.
    """

    shots: Shots
    family_id: Id | None = None
    camera_id: Id | None = None
    state: State | None = None
    off: bool | None = None
    note: Note | None = None
    reading: ReadingIn | None = None
    notes_before: Annotated[list[Note], Field(max_length=4000)] = Field(default_factory=list)

    @model_validator(mode="after")
    def one_for_each(self) -> ShotsChange:
        if self.notes_before and len(self.notes_before) != len(self.shots):
            raise Refused("notes_before needs one note for each shot")
        return self


class BatchIn(BaseModel):
    """A batch: balance or match shots, or copy steps of one shot's correction to them.

    `extended` is for matching, to go on with an extended step. `steps` are those to copy; of the
    balance, the `controls` named.
    """

    kind: Literal["balance", "match", "copy"]
    shots: Shots
    source: Id | None = None
    steps: Annotated[list[StepName], Field(max_length=MOST_STEPS)] = [BALANCE]
    controls: list[Control] = list(CONTROLS)
    strength: Fraction = 1.0
    extended: bool = False


class TurnedOut(BaseModel):
    """What was undone or done again, and which rows were left, having been changed since."""

    what: str
    left: list[str]


class TurnIn(BaseModel):
    """`last` is the operation that is meant; whichever is the newest, if left out."""

    last: Id | None = None


class FamilyIn(BaseModel):
    name: Name
    shots: Annotated[list[Id], Field(max_length=4000)] = Field(default_factory=list)


class FamilyChange(BaseModel):
    """A new name, how its pictures are framed, or the family to merge into."""

    name: Name | None = None
    framing: Framing | None = None
    into: Id | None = None


class ProposedFamily(BaseModel):
    name: str
    family_id: int | None
    shots: list[int]
    reason: str


class ArrangeIn(BaseModel):
    families: Annotated[list[FamilyIn], Field(min_length=1, max_length=400)]


class LevelChange(BaseModel):
    """A camera's trim, a family's look or the show's finish, and the one that it was made from."""

    correction: Kept
    base: Kept | None = None
    change: Change = ""


class TrimOut(BaseModel):
    """A camera's trim solved from families it shares with another camera."""

    numbers: Numbers
    against: str
    pairs: list[str]
    before: float
    after: float
    reason: str


class LineUpIn(BaseModel):
    """The uses of shots in story order, or an edit list's text and what kind it is.

    `base` is the stamp of the line-up that it takes the place of.
    """

    base: Annotated[str, Field(max_length=64)] = ""
    uses: Annotated[list[Use], Field(max_length=20_000)] = Field(default_factory=list)
    edit_list: Annotated[str, Field(max_length=8_000_000)] | None = None
    format: Literal["otio", "edl"] = "edl"
    answers: dict[int, Id] = Field(default_factory=dict)
    """Which shot is meant by an event, by its number, where several may be."""


class UnplacedOut(BaseModel):
    """An event of an edit list without a shot: where it stands, why, and the shots that may be meant."""

    event: int
    at: str
    name: str
    reason: str
    candidates: list[int]


class LineUpOut(BaseModel):
    placed: int
    unplaced: list[UnplacedOut]
    absent: list[str]
