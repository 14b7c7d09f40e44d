"""Selection, a kind of step: part of the picture, by colour (a pick), by place (an area), or both, and what is done to it.

``out = elsewhere + share · (there − elsewhere)``: what is done inside is blended with what is done outside by how far a
pixel is selected. A pick by itself depends on a pixel's own colour alone; areas, and a matte that is cleaned up, need the whole picture.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from dovrel.core.steps import matte, shapes
from dovrel.core.steps.curves import Curves
from dovrel.core.steps.density import Density
from dovrel.core.steps.hue_turns import HueTurns
from dovrel.core.steps.pick import Pick
from dovrel.core.steps.primary import IDENTITY, Primary
from dovrel.core.steps.shapes import Shape
from dovrel.core.steps.track import KeptTrack
from dovrel.core.steps.zone_tints import ZoneTints
from dovrel.errors import Refused

PointKinds = Primary | Curves | HueTurns | Density | ZoneTints
PointValues = Annotated[PointKinds, Field(discriminator="kind")]
"""What may be done to part of a picture: kinds that know a pixel's own colour alone."""

Side = Literal["inside", "outside"]

MOST_SHAPES = 12
MOST_INNER = 4


@dataclass(frozen=True)
class Selection:
    """Part of the picture, and what is done to it and to all else.

    Attributes
    ----------
    inside, outside : what is done there, in order; the first is the ten numbers that readings and grips move
    pick : which colours belong; None for all
    shapes : which places belong; none for all
    track : the subject that the shapes follow; None where they stay

    Raises
    ------
    Refused
        If neither colours nor places are said, there are too many shapes, or a side does not begin with ten numbers.
    """

    inside: tuple[PointValues, ...] = (IDENTITY,)
    outside: tuple[PointValues, ...] = (IDENTITY,)
    pick: Pick | None = None
    shapes: tuple[Shape, ...] = ()
    track: KeptTrack | None = None
    kind: Literal["selection"] = field(default="selection", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if self.pick is None and not self.shapes:
            raise Refused("this selects nothing: include a colour, or draw an area")
        if len(self.shapes) > MOST_SHAPES:
            raise Refused(f"an area has at most {MOST_SHAPES} shapes, not {len(self.shapes)}")
        for side in (self.inside, self.outside):
            if not side or not isinstance(side[0], Primary) or len(side) > MOST_INNER:
                raise Refused(f"inside and outside each have CDL values, and up to {MOST_INNER - 1} more kinds")

    @property
    def is_identity(self) -> bool:
        return all(values.is_identity for values in (*self.inside, *self.outside))

    @property
    def is_spatial(self) -> bool:
        """Whether a pixel's share depends on more than its own colour."""
        return bool(self.shapes) or bool(self.pick and self.pick.is_cleaned)

    def as_array(self) -> np.ndarray:
        """All numbers but those of the track: float64 (N,)."""
        held = [values.as_array() for values in (*self.inside, *self.outside, *self.shapes)]
        return np.concatenate([*held, *([self.pick.as_array()] if self.pick else [])])

    def numbers_of(self, side: Side) -> Primary:
        """The ten numbers of a side."""
        first = (self.inside if side == "inside" else self.outside)[0]
        assert isinstance(first, Primary)
        return first

    def with_numbers(self, side: Side, numbers: Primary) -> Selection:
        if side == "inside":
            return replace(self, inside=(numbers, *self.inside[1:]))
        return replace(self, outside=(numbers, *self.outside[1:]))

    def between(self, other: Selection, part: float) -> Selection:
        """`part` (0..1) of the way to another: what is done, and where shapes stand; a pick changes half way."""
        nearer = other if part >= 0.5 else self
        return replace(
            nearer,
            inside=_between(self.inside, other.inside, part),
            outside=_between(self.outside, other.outside, part),
            shapes=_between(self.shapes, other.shapes, part),
        )

    def at(self, frame: int) -> Selection:
        """As it is at a frame: its shapes moved with the subject that they follow."""
        if self.track is None:
            return self
        motion, aspect = self.track.motion(frame), self.track.aspect
        return replace(self, shapes=tuple(one.moved(motion, aspect) for one in self.shapes), track=None)

    def place_share(self, height: int, width: int) -> np.ndarray | None:
        """How far pixels lie in its shapes: float32 (height, width); None where all do."""
        return shapes.joined(self.shapes, height, width) if self.shapes else None

    def share(self, working: np.ndarray) -> np.ndarray:
        """How far pixels belong, 0..1: float array (...).

        Parameters
        ----------
        working : float array, working values: (..., 3) for a pick by itself; otherwise the whole picture (H, W, 3).
            Colours without a place, (N, 3), lie in no area
        """
        if not self.is_spatial:
            assert self.pick
            return self.pick.share(working)
        if np.ndim(working) != 3:
            return np.zeros(np.shape(working)[:-1])
        height, width = np.shape(working)[:2]
        place = self.place_share(height, width)
        if self.pick is None:
            assert place is not None
            return place
        colour = self.pick.share(working)
        if self.pick.is_cleaned:
            bytes_, bound = matte.as_bytes(colour), matte.as_bytes(self.pick.bound(working))
            colour = matte.cleaned(self.pick, bytes_, bound) / matte.MOST
        return colour if place is None else colour * place

    def apply(self, working: np.ndarray, share: np.ndarray | None = None) -> np.ndarray:
        """Do to each pixel what is done inside and outside, by how far it is selected.

        Parameters
        ----------
        working : as of :meth:`share`
        share : how far they belong, if that is known

        Returns
        -------
        float64 array (..., 3)
        """
        values = np.asarray(working, np.float64)
        there, elsewhere = _applied(self.inside, values), _applied(self.outside, values)
        share = self.share(working) if share is None else share
        return elsewhere + share[..., None] * (there - elsewhere)


def _applied(chain: Sequence[PointKinds], values: np.ndarray) -> np.ndarray:
    for one in chain:
        values = one.apply(values)
    return values


def _between(here: tuple, there: tuple, part: float) -> tuple:
    """One by one, where both hold the same kinds; otherwise those of the nearer."""
    if [one.kind for one in here] != [one.kind for one in there]:
        return there if part >= 0.5 else here
    return tuple(one.between(other, part) for one, other in zip(here, there, strict=True))
