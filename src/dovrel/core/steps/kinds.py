"""All kinds of steps. A new kind is a file beside this one, and a name here.

A kind is a frozen dataclass whose ``kind`` is its name, with ``is_identity``, ``as_array``, ``between`` for what lies between
two keyframes, and ``apply`` in float64, which is the truth that every faster way is held to; kinds that finish the display
signal have ``finished`` besides.
"""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from dovrel.core.steps.clipped_highs import ClippedHighs
from dovrel.core.steps.curves import Curves
from dovrel.core.steps.denoise import Denoise
from dovrel.core.steps.density import Density
from dovrel.core.steps.extended import Extended
from dovrel.core.steps.finish import Finish
from dovrel.core.steps.grain import Grain
from dovrel.core.steps.halation import Halation
from dovrel.core.steps.hue_turns import HueTurns
from dovrel.core.steps.limits import Limits
from dovrel.core.steps.look import Look
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.rebuild import Rebuild
from dovrel.core.steps.selection import Selection
from dovrel.core.steps.sharpen import Sharpen
from dovrel.core.steps.soften import Soften
from dovrel.core.steps.steady_picture import SteadyPicture
from dovrel.core.steps.treatment import Treatment
from dovrel.core.steps.vignette import Vignette
from dovrel.core.steps.zone_tints import ZoneTints

Kinds = (
    Primary
    | Extended
    | Curves
    | HueTurns
    | Density
    | ZoneTints
    | Rebuild
    | ClippedHighs
    | Selection
    | Limits
    | Look
    | Denoise
    | SteadyPicture
    | Soften
    | Sharpen
    | Halation
    | Vignette
    | Grain
)

Values = Annotated[Kinds, Field(discriminator="kind")]
"""What a step holds."""

KINDS: tuple[type[Kinds], ...] = (
    Primary,
    Extended,
    Curves,
    HueTurns,
    Density,
    ZoneTints,
    Rebuild,
    ClippedHighs,
    Selection,
    Limits,
    Look,
    Denoise,
    SteadyPicture,
    Soften,
    Sharpen,
    Halation,
    Vignette,
    Grain,
)

TREATMENT: tuple[type[Treatment], ...] = (Denoise, SteadyPicture)
"""Kinds that treat the recorded picture before all others, in the order in which they do."""

FINISH: tuple[type[Finish], ...] = (Soften, Sharpen, Halation, Vignette, Grain)
"""Kinds that finish the display signal, in the order in which they do, whatever the order they stand in."""
