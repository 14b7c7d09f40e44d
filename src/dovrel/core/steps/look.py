"""A look, a kind of step: a table that somebody made, in the space it expects, at a strength."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import ClassVar, Literal

import numpy as np

from dovrel.core.colour import look_files, spaces, tables
from dovrel.errors import Refused

LOW, HIGH = 0.0, 1.0
"""Working values between which the table is asked; beyond them it goes on with the change it makes at the end."""

SIZE = 65


@dataclass(frozen=True)
class Look:
    """``x + strength · (L(x) − x)``: L is x in the space the table takes, through it, and back from the space it gives.

    Attributes
    ----------
    digest : of the file, see :mod:`dovrel.core.colour.look_files`
    name : the name the file came under
    takes, gives : spaces, see :mod:`dovrel.core.colour.spaces`
    strength : 0..1

    Raises
    ------
    Refused
        If the strength is beyond its range, or there is no such space.
    """

    digest: str
    name: str
    takes: str = spaces.WORKING
    gives: str = spaces.WORKING
    strength: float = 1.0
    kind: Literal["look"] = field(default="look", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if not 0 <= self.strength <= 1:
            raise Refused(f"a look's strength lies between 0 and 1, not at {self.strength:g}")
        if not 1 <= len(self.name) <= look_files.LONGEST_NAME or not self.name.isprintable():
            raise Refused(f"a look's name has 1 to {look_files.LONGEST_NAME} characters that can be shown")
        for space in (self.takes, self.gives):
            spaces.find(space)

    @property
    def is_identity(self) -> bool:
        return self.strength == 0

    def as_array(self) -> np.ndarray:
        """The strength: float64 (1,)."""
        return np.array([self.strength], np.float64)

    def between(self, other: Look, part: float) -> Look:
        """`part` (0..1) of the way to another: its strength; of two files the nearer."""
        nearer = other if part >= 0.5 else self
        return replace(nearer, strength=self.strength + part * (other.strength - self.strength))

    def whole(self, working: np.ndarray) -> np.ndarray:
        """What the table makes of working values (..., 3) between :data:`LOW` and :data:`HIGH`, float32.

        Raises
        ------
        LookMissing
            If its file is not there.
        """
        return spaces.to_working(look_files.through(self.digest, spaces.from_working(working, self.takes)), self.gives)

    def apply(self, working: np.ndarray) -> np.ndarray:
        """Working values float (..., 3) under the look, float64; errors as of :meth:`whole`."""
        values = np.asarray(working, np.float64)
        within = np.clip(values, LOW, HIGH)
        return values + self.strength * (self.whole(within.astype(np.float32)) - within)

    @property
    def table(self) -> tables.Table:
        """What the look at full strength adds to working values, as the fast ways take it; errors as of :meth:`whole`."""
        return _table(replace(self, name="-", strength=1.0))


@lru_cache(maxsize=8)
def _table(look: Look) -> tables.Table:
    look_files.path_of(look.digest)
    lattice = tables.lattice(SIZE, LOW, HIGH)
    recipe = f"look {look.digest} {look.takes} {look.gives} {SIZE} {LOW} {HIGH}"
    return tables.Table(tables.kept(recipe, lambda: look.whole(lattice) - lattice), LOW, HIGH)


def lost(chain: Iterable[object]) -> list[Look]:
    """The looks in a chain whose files are gone: the fast ways leave them out, and whoever shows the picture says so."""
    return [values for values in chain if isinstance(values, Look) and not look_files.has(values.digest)]
