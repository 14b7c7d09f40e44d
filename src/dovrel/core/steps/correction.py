"""A correction: the steps of one level, in order."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Literal

import numpy as np

from dovrel.core.steps.chain import Chain
from dovrel.core.steps.extended import Extended
from dovrel.core.steps.kinds import Values
from dovrel.core.steps.primary import IDENTITY, LARGEST, Primary

Level = Literal["camera", "shot", "family", "show"]
LEVELS: tuple[Level, ...] = ("camera", "shot", "family", "show")
"""In the order in which they are applied."""

OWN: dict[Level, str] = {"camera": "trim", "shot": "balance", "family": "look", "show": "finish"}
"""The step that a level always has: ten numbers, written by hand, by Balance and by Match."""

BALANCE = OWN["shot"]
EXTENDED = "extended"
"""The step in which a match goes on where ten numbers do not do."""

MOST_STEPS = 32
LONGEST_NAME = 40


@dataclass(frozen=True)
class Step:
    """One step of a correction.

    Attributes
    ----------
    id : its name, by which it is told from the correction's others: 1 to 40 characters
    values : what it does, one of the kinds
    on : whether it is in force

    Raises
    ------
    ValueError
        If the name is empty, too long, or holds characters that cannot be shown.
    """

    id: str
    values: Values
    on: bool = True

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if not 1 <= len(self.id) <= LONGEST_NAME or self.id != self.id.strip() or not self.id.isprintable():
            raise ValueError(f"a step's name has 1 to {LONGEST_NAME} characters, and no space around it")


@dataclass(frozen=True)
class Correction:
    """What is done at one level.

    Raises
    ------
    ValueError
        If two steps have the same name, an extended step does not come after a primary one, or there are too many.
    """

    steps: tuple[Step, ...] = ()

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if len(self.steps) > MOST_STEPS:
            raise ValueError(f"a correction has at most {MOST_STEPS} steps, not {len(self.steps)}")
        names = [step.id for step in self.steps]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise ValueError(f"two steps are called “{twice}”; each needs a name of its own")
        for before, step in zip((None, *self.steps), self.steps, strict=False):
            if isinstance(step.values, Extended) and not (before and isinstance(before.values, Primary)):
                raise ValueError(f"“{step.id}” is an extended step, which comes right after a primary one")

    @property
    def chain(self) -> Chain:
        """What the steps that are on hold, in order."""
        return tuple(step.values for step in self.steps if step.on)

    @property
    def is_identity(self) -> bool:
        return all(values.is_identity for values in self.chain)

    def step(self, name: str) -> Step:
        """A step by its name.

        Raises
        ------
        LookupError
            If there is none of this name.
        """
        return self.steps[self.place(name)]

    def has(self, name: str) -> bool:
        return any(step.id == name for step in self.steps)

    def place(self, name: str) -> int:
        """Where a step stands; errors as of :meth:`step`."""
        for place, step in enumerate(self.steps):
            if step.id == name:
                return place
        raise LookupError(f"there is no step “{name}” in this correction")

    def numbers_of(self, name: str) -> Primary:
        """The ten numbers of a primary step.

        Raises
        ------
        LookupError
            If there is no step of this name.
        ValueError
            If it is of another kind.
        """
        values = self.step(name).values
        if not isinstance(values, Primary):
            raise ValueError(f"“{name}” is no step of ten numbers")
        return values

    def with_step(self, step: Step) -> Correction:
        """The same with `step` in the place of the one of its name, or at the end."""
        if not self.has(step.id):
            return Correction((*self.steps, step))
        return Correction(tuple(step if one.id == step.id else one for one in self.steps))

    def with_values(self, name: str, values: Values) -> Correction:
        """The same with other values in a step, which is in force from now on; errors as of :meth:`step`."""
        return self.with_step(replace(self.step(name), values=values, on=True))

    def balanced(self, numbers: Primary, extended: Extended | None = None) -> Correction:
        """The same with ten numbers as its balance and, if given, an extended step right after; all others stay."""
        found = Step(BALANCE, numbers)
        new = (found, Step(EXTENDED, extended)) if extended else (found,)
        others = tuple(step for step in self.steps if step.id not in (BALANCE, EXTENDED))
        place = self.place(BALANCE) if self.has(BALANCE) else 0
        before = tuple(step for step in self.steps[:place] if step in others)
        return Correction((*before, *new, *others[len(before) :]))

    @property
    def extended(self) -> Step | None:
        """The step that matching put after the balance, if there is one."""
        return self.step(EXTENDED) if self.has(EXTENDED) else None

    @property
    def extended_in_force(self) -> Extended | None:
        """What that step holds, if it is on."""
        step = self.extended
        return step.values if step and step.on and isinstance(step.values, Extended) else None


PLAIN: dict[Level, Correction] = {level: Correction((Step(OWN[level], IDENTITY),)) for level in LEVELS}
"""What each level begins with: its own step, which does nothing yet."""


def checked(level: Level, correction: Correction) -> Correction:
    """The correction, if it may stand at a level.

    Raises
    ------
    ValueError
        If the level's own step is missing, or is not one of ten numbers, or a number is beyond all reason.
    """
    if not correction.has(OWN[level]) or not isinstance(correction.step(OWN[level]).values, Primary):
        raise ValueError(f"a correction of a {level} needs a step of ten numbers called “{OWN[level]}”")
    for step in correction.steps:
        if np.abs(step.values.as_array()).max() > LARGEST:
            raise ValueError(f"a number of “{step.id}” lies beyond {LARGEST:.0f}, which no correction's does")
    return correction
