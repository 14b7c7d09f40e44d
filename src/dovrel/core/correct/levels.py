"""The four levels a correction can belong to, and what a chain of them comes to."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from dovrel.core.colour import cdl
from dovrel.core.colour.cdl import IDENTITY, TenNumbers

Level = Literal["camera", "shot", "family", "show"]
LEVELS: tuple[Level, ...] = ("camera", "shot", "family", "show")
"""In the order in which they are applied."""


@dataclass(frozen=True)
class Levels:
    """The corrections in force on one shot.

    Attributes
    ----------
    camera : the camera's trim; shot : the shot's balance; family : the family's look;
    show : the production's finish
    """

    camera: TenNumbers = IDENTITY
    shot: TenNumbers = IDENTITY
    family: TenNumbers = IDENTITY
    show: TenNumbers = IDENTITY

    @property
    def in_order(self) -> tuple[TenNumbers, ...]:
        return (self.camera, self.shot, self.family, self.show)

    def of(self, level: Level) -> TenNumbers:
        return self.in_order[LEVELS.index(level)]

    def replaced(self, level: Level, numbers: TenNumbers) -> Levels:
        """The same with another correction at one level."""
        return replace(self, **{level: numbers})

    def before(self, level: Level) -> tuple[TenNumbers, ...]:
        """What is applied before a level."""
        return self.in_order[: LEVELS.index(level)]

    def after(self, level: Level) -> tuple[TenNumbers, ...]:
        """What is applied after a level."""
        return self.in_order[LEVELS.index(level) + 1 :]

    @property
    def balanced(self) -> tuple[TenNumbers, TenNumbers]:
        """Camera trim and shot balance: what a match compares, before look and finish."""
        return self.camera, self.shot


def apply_in_order(working: np.ndarray, chain: Sequence[TenNumbers]) -> np.ndarray:
    """Apply corrections one after another.

    Parameters
    ----------
    working : float array (..., 3), working values
    """
    for numbers in chain:
        if not numbers.is_identity:
            working = cdl.apply(working, numbers)
    return working


def combined(chain: Sequence[TenNumbers]) -> list[TenNumbers]:
    """The fewest corrections that do exactly what a chain does; none for nothing at all.

    Two become one where the first is slope and offset only, or where the second is
    saturation only (saturation keeps luma, so two of them multiply).
    """
    found: list[TenNumbers] = []
    for numbers in chain:
        if numbers.is_identity:
            continue
        joined = _joined(found[-1], numbers) if found else None
        if joined is None:
            found.append(numbers)
        else:
            found[-1] = joined
    return [numbers for numbers in found if not numbers.is_identity]


def _joined(first: TenNumbers, second: TenNumbers) -> TenNumbers | None:
    if replace(second, saturation=1.0).is_identity:
        return replace(first, saturation=first.saturation * second.saturation)
    if first.power == IDENTITY.power and first.saturation == 1.0:
        slope = np.multiply(first.slope, second.slope)
        offset = np.multiply(first.offset, second.slope) + second.offset
        return TenNumbers.from_array([*slope, *offset, *second.power, second.saturation])
    return None
