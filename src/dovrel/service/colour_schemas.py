"""What the page sends and gets of steps that act on colour alone."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from dovrel.core.steps.hue_turns import HueTurns
from dovrel.core.steps.kinds import Values
from dovrel.service.live_schemas import Asked


class HueAimIn(Asked):
    """A spoke of the current step, and where its colours are to be: on the skin's line, or as the reference has them."""

    number: Literal[0] = 0
    spoke: Annotated[int, Field(ge=0, le=23)]
    aim: Literal["skin line", "reference"]


class HueAimOut(BaseModel):
    """The step's values with that spoke set; nothing is saved."""

    values: HueTurns


class RescueOut(BaseModel):
    """A step that is proposed before the balance, and why."""

    name: str
    values: Values
    reason: str
