"""All kinds of steps. A new kind is a file beside this one, and a name here.

A kind is a frozen dataclass whose ``kind`` is its name, with ``is_identity``, and ``apply`` in
float64, which is the truth that every faster way is held to.
"""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from dovrel.core.steps.extended import Extended
from dovrel.core.steps.primary import Primary

Values = Annotated[Primary | Extended, Field(discriminator="kind")]
"""What a step holds."""

KINDS: tuple[type[Primary | Extended], ...] = (Primary, Extended)
