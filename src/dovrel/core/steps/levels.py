"""The four levels a correction can belong to, and what a chain of them comes to."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from dovrel.core.steps.chain import Chain, Correction
from dovrel.core.steps.extended import Extended
from dovrel.core.steps.primary import IDENTITY, Primary

Level = Literal["camera", "shot", "family", "show"]
LEVELS: tuple[Level, ...] = ("camera", "shot", "family", "show")
"""In the order in which they are applied."""


@dataclass(frozen=True)
class ShotBalance:
    """A shot's own correction.

    Attributes
    ----------
    numbers : the ten numbers
    extended : what follows them where ten numbers do not do, if there is such a part
    extended_on : whether that part is in force
    """

    numbers: Primary = IDENTITY
    extended: Extended | None = None
    extended_on: bool = True

    @property
    def in_force(self) -> Extended | None:
        """The extended part, if it is switched on."""
        return self.extended if self.extended_on else None


@dataclass(frozen=True)
class Levels:
    """The corrections in force on one shot.

    Attributes
    ----------
    camera : the camera's trim; shot : the shot's balance; family : the family's look;
    show : the production's finish
    extended : what follows the shot's balance where ten numbers do not do, if it is in force
    """

    camera: Primary = IDENTITY
    shot: Primary = IDENTITY
    family: Primary = IDENTITY
    show: Primary = IDENTITY
    extended: Extended | None = None

    @property
    def in_order(self) -> Chain:
        return (*self.balanced, self.family, self.show)

    @property
    def ten_numbers(self) -> tuple[Primary, ...]:
        """The levels in order without the extended part: what ten numbers can carry."""
        return (self.camera, self.shot, self.family, self.show)

    def of(self, level: Level) -> Primary:
        return self.ten_numbers[LEVELS.index(level)]

    def replaced(self, level: Level, numbers: Primary) -> Levels:
        """The same with another correction at one level."""
        return replace(self, **{level: numbers})

    def with_balance(self, balance: ShotBalance) -> Levels:
        """The same with another balance of the shot."""
        return replace(self, shot=balance.numbers, extended=balance.in_force)

    def before(self, level: Level) -> Chain:
        """What is applied before a level."""
        return self.in_order[: self._place(level)]

    def after(self, level: Level) -> Chain:
        """What is applied after a level."""
        return self.in_order[self._place(level) + 1 :]

    def _place(self, level: Level) -> int:
        place = LEVELS.index(level)
        return place + 1 if self.extended and place > LEVELS.index("shot") else place

    @property
    def balanced(self) -> Chain:
        """Camera trim and shot balance: what a match compares, before look and finish."""
        return (self.camera, self.shot, self.extended) if self.extended else (self.camera, self.shot)


def combined(chain: Chain) -> list[Correction]:
    """The fewest corrections that do exactly what a chain does; none for nothing at all.

    Two become one where the first is slope and offset only, or where the second is
    saturation only (saturation keeps luma, so two of them multiply). An extended part stays
    by itself.
    """
    found: list[Correction] = []
    for correction in chain:
        if correction.is_identity:
            continue
        joined = _joined(found[-1], correction) if found else None
        if joined is None:
            found.append(correction)
        else:
            found[-1] = joined
    return [correction for correction in found if not correction.is_identity]


def _joined(first: Correction, second: Correction) -> Primary | None:
    if isinstance(first, Extended) or isinstance(second, Extended):
        return None
    if replace(second, saturation=1.0).is_identity:
        return replace(first, saturation=first.saturation * second.saturation)
    if first.power == IDENTITY.power and first.saturation == 1.0:
        slope = np.multiply(first.slope, second.slope)
        offset = np.multiply(first.offset, second.slope) + second.offset
        return Primary.from_array([*slope, *offset, *second.power, second.saturation])
    return None
