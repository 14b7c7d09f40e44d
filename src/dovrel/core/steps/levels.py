"""The four levels that are in force on a shot, and what they come to at one frame of it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Self

from dovrel.core.steps.chain import Chain, treatment_of
from dovrel.core.steps.correction import BALANCE, LEVELS, PLAIN, Correction, Level
from dovrel.core.steps.treatment import Treatment


@dataclass(frozen=True)
class FourLevels:
    """The corrections in force on one shot, in the order in which they are applied.

    Attributes
    ----------
    camera : the camera's trim; shot : the shot's own; family : the family's look;
    show : the production's finish
    """

    camera: Correction = PLAIN["camera"]
    shot: Correction = PLAIN["shot"]
    family: Correction = PLAIN["family"]
    show: Correction = PLAIN["show"]

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    @property
    def is_identity(self) -> bool:
        return all(self.of(level).is_identity for level in LEVELS)

    @property
    def frames(self) -> tuple[int, ...]:
        """Where keyframes stand of steps that are on; none where the same is done to all of the shot."""
        return self.shot.frames

    def of(self, level: Level) -> Correction:
        return getattr(self, level)

    def replaced(self, level: Level, correction: Correction) -> Self:
        """The same with another correction at one level."""
        return replace(self, **{level: correction})

    def at(self, frame: int) -> AtFrame:
        """What they come to at a frame of the shot."""
        return AtFrame(*(self.of(level).at(frame) for level in LEVELS))


@dataclass(frozen=True)
class AtFrame(FourLevels):
    """Four levels as they are at one frame: no step of them has keyframes."""

    @property
    def in_order(self) -> Chain:
        """All that is in force."""
        return tuple(values for level in LEVELS for values in self.of(level).chain)

    @property
    def treatment(self) -> tuple[Treatment, ...]:
        """What is done to the recorded picture, before all colour."""
        return treatment_of(self.balanced)

    @property
    def balanced(self) -> Chain:
        """What the camera's and the shot's level do: what a match compares, before look and finish."""
        return (*self.camera.chain, *self.shot.chain)

    @property
    def before_balance(self) -> Chain:
        """What is applied before a shot's balance, and so what Balance and Match begin with."""
        return self.before("shot", BALANCE)

    @property
    def from_balance(self) -> Chain:
        """A shot's balance, and what its own level does after it."""
        return self.balanced[len(self.before_balance) :]

    def before(self, level: Level, name: str) -> Chain:
        """What is applied before a step.

        Raises
        ------
        NotFound
            If there is no step of this name at this level.
        """
        correction = self.of(level)
        here = tuple(step.values for step in correction.steps[: correction.place(name)] if step.on)
        earlier = LEVELS[: LEVELS.index(level)]
        return (*(values for one in earlier for values in self.of(one).chain), *here)

    def through(self, level: Level, name: str) -> Chain:
        """What is applied up to a step and with it; errors as of :meth:`before`."""
        step = self.of(level).step(name)
        return (*self.before(level, name), *((step.values,) if step.on else ()))

    def after(self, level: Level, name: str) -> Chain:
        """What is applied after a step; errors as of :meth:`before`."""
        correction = self.of(level)
        here = tuple(step.values for step in correction.steps[correction.place(name) + 1 :] if step.on)
        later = LEVELS[LEVELS.index(level) + 1 :]
        return (*here, *(values for one in later for values in self.of(one).chain))
