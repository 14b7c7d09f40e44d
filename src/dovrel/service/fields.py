"""Kinds of values that the page sends and gets, with their bounds."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field

from dovrel.core.steps import documents
from dovrel.core.steps.correction import LONGEST_NAME, Correction
from dovrel.errors import Refused
from dovrel.media.picture import PREVIEW_WIDTH, WIDEST_PREVIEW
from dovrel.store.texts import one_line

Id = Annotated[int, Field(ge=0, le=2**31 - 1)]
"""The number of a row."""
Frame = Annotated[int, Field(ge=0, le=10**8)]
Finite = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
Numbers = Annotated[list[Finite], Field(min_length=10, max_length=10)]
StepName = Annotated[str, Field(min_length=1, max_length=LONGEST_NAME)]
PreviewWidth = Annotated[int, Field(ge=PREVIEW_WIDTH, le=WIDEST_PREVIEW)]
Peek = Annotated[float, Field(ge=-6, le=6)]
"""How many stops a picture is pushed to look into its darks or lights."""
Fraction = Annotated[float, Field(ge=0, le=1)]
"""A place in parts of the picture's width or height."""
State = Literal["new", "balanced", "matched", "checked"]
Framing = Literal["whole", "reference"]
LEAST_ACTIVE = 0.1


def _printable(text: str) -> str:
    if any(ord(c) < 32 and c != "\n" for c in text) or any(0xD800 <= ord(c) <= 0xDFFF for c in text):
        raise Refused("contains characters that cannot be saved")
    return text


Text = Annotated[str, AfterValidator(_printable)]
"""What a user wrote."""
Name = Annotated[Text, AfterValidator(one_line), Field(min_length=1, max_length=200)]
"""What something is called: one line, since it stands in lists that are read line by line."""
Note = Annotated[Text, Field(max_length=2000)]
Change = Annotated[Text, Field(max_length=200)]
EncodingId = Annotated[Text, Field(min_length=1, max_length=1000)]
Letter = Annotated[str, Field(pattern=r"^[A-Z0-9]{1,4}$")]
"""What a camera is called on the slate."""


def _read(value: object) -> object:
    return documents.read(value) if isinstance(value, dict) and "schema" in value else value


Kept = Annotated[Correction, BeforeValidator(_read)]
"""A correction as the database keeps it, or as the page has it."""


class Row(BaseModel):
    model_config = ConfigDict(from_attributes=True)


Shots = Annotated[list[Id], Field(min_length=1, max_length=4000)]
