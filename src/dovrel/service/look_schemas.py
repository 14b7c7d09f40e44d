"""What the page sends and gets of looks: files, what they expect, and what they do to a picture."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import BaseModel, Field

from dovrel.core.colour.look_files import LookFile
from dovrel.core.steps.look import Look
from dovrel.service.fields import Kept, Name
from dovrel.service.live_schemas import Asked

SheetLevel = Literal["family", "show"]
"""Where looks stand."""


class SpaceOut(BaseModel):
    """A space that a look can take or give."""

    id: str
    name: str


class LookFileOut(BaseModel):
    """A look's file: the name it came under, what it is expected to take and give, why, and whether that is only assumed."""

    digest: str
    name: str
    takes: str
    gives: str
    reason: str
    assumed: bool

    @classmethod
    def of(cls, file: LookFile) -> Self:
        expected = file.expected
        return cls(
            digest=file.digest,
            name=file.name,
            takes=expected.takes,
            gives=expected.gives,
            reason=expected.reason,
            assumed=expected.assumed,
        )


class LooksOut(BaseModel):
    """All looks that are kept, and all spaces."""

    files: list[LookFileOut]
    spaces: list[SpaceOut]


class LookMadeIn(BaseModel):
    """A correction that is to become a look's file of this name."""

    name: Name
    correction: Kept


class LookedIn(Asked):
    """A frame to be seen under a look in the place of the current step, if that is one, or after it; under none if there is none."""

    number: Literal[0] = 0
    level: SheetLevel = "show"
    look: Look | None


class KeptLookedIn(BaseModel):
    """A kept frame to be seen under a look, in the place of its own level's looks."""

    level: SheetLevel
    look: Look | None


class CastOut(BaseModel):
    """Cb and Cr of a zone's neutrals, percent, before and after."""

    zone: str
    before: tuple[float, float]
    after: tuple[float, float]


class LookedOut(BaseModel):
    """What a look made of a frame: the picture (JPEG, base64), its readings, what became of skin and neutrals, what cannot be right."""

    picture: Annotated[str, Field(repr=False)]
    readings: list[float]
    skin_before: float | None
    skin_after: float | None
    casts: list[CastOut]
    said: list[str]
