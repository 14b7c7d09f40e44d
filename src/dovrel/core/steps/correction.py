"""A correction: the steps of one level, in order."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import ClassVar, Literal

import numpy as np

from dovrel.core.steps.chain import Chain
from dovrel.core.steps.extended import Extended
from dovrel.core.steps.finish import Finish
from dovrel.core.steps.keyframes import Ease, Keyframe, Keyframes, check, values_at, with_keyframe
from dovrel.core.steps.kinds import Values
from dovrel.core.steps.limits import Limits
from dovrel.core.steps.look import Look
from dovrel.core.steps.primary import IDENTITY, LARGEST, Primary
from dovrel.core.steps.selection import Selection
from dovrel.core.steps.steady_picture import SteadyPicture
from dovrel.core.steps.treatment import Treatment
from dovrel.errors import NotFound, Refused

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
    id : its name, unlike the correction's others: 1 to 40 characters
    values : what it does, one of the kinds, in all of the shot
    on : whether it is in force
    keyframes : what it does at frames of the shot, in the place of `values`; none for the same everywhere

    Raises
    ------
    Refused
        If the name is empty, too long, or holds characters that cannot be shown; or keyframes are not in order.
    """

    id: str
    values: Values
    on: bool = True
    keyframes: Keyframes = ()

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if not 1 <= len(self.id) <= LONGEST_NAME or self.id != self.id.strip() or not self.id.isprintable():
            raise Refused(f"a step's name has 1 to {LONGEST_NAME} characters, and no space around it")
        check(self.keyframes, self.values)

    @property
    def everywhere(self) -> tuple[Values, ...]:
        """All values that it holds along the shot, but for those between them."""
        return tuple(one.values for one in self.keyframes) or (self.values,)

    @property
    def is_identity(self) -> bool:
        return all(values.is_identity for values in self.everywhere)

    def at(self, frame: int) -> Step:
        """The step as it is at a frame: the same everywhere."""
        values = values_at(self.keyframes, frame) if self.keyframes else self.values
        if isinstance(values, Selection):
            values = values.at(frame)
        return self if values is self.values and not self.keyframes else Step(self.id, values, self.on)

    @property
    def changes(self) -> bool:
        """Whether it is another on another frame."""
        return bool(self.keyframes) or (isinstance(self.values, Selection) and self.values.track is not None)

    def with_values(self, values: Values, frame: int | None = None) -> Step:
        """The same with other values, at the keyframe that stands at `frame` if it has any; in force from now on.

        Raises
        ------
        Refused
            If it has keyframes, and none at this frame.
        """
        if not self.keyframes:
            return Step(self.id, values, on=True)
        here = next((one for one in self.keyframes if one.frame == frame), None)
        if here is None:
            raise Refused(f"“{self.id}” has keyframes, but none at frame {frame}")
        return replace(self, on=True, keyframes=with_keyframe(self.keyframes, replace(here, values=values)))


@dataclass(frozen=True)
class Correction:
    """What is done at one level.

    Raises
    ------
    Refused
        If two steps have the same name, an extended step does not come after a primary one, or there are too many.
    """

    steps: tuple[Step, ...] = ()

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if len(self.steps) > MOST_STEPS:
            raise Refused(f"a correction has at most {MOST_STEPS} steps, not {len(self.steps)}")
        names = [step.id for step in self.steps]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise Refused(f"two steps are called “{twice}”; each needs a name of its own")
        for before, step in zip((None, *self.steps), self.steps, strict=False):
            if isinstance(step.values, Extended) and not (before and isinstance(before.values, Primary)):
                raise Refused(f"“{step.id}” is an extended step, which comes right after a primary one")

    @property
    def chain(self) -> Chain:
        """What the steps that are on hold, in order.

        Raises
        ------
        Refused
            If one of them has keyframes: what it holds depends on the frame, see :meth:`at`.
        """
        changing = next((step.id for step in self.steps if step.on and step.changes), None)
        if changing is not None:
            raise Refused(f"“{changing}” has keyframes or a track; what it does depends on the frame")
        return tuple(step.values for step in self.steps if step.on)

    @property
    def is_identity(self) -> bool:
        return all(step.is_identity for step in self.steps if step.on)

    @property
    def changes(self) -> bool:
        """Whether any step is another on another frame."""
        return any(step.changes for step in self.steps)

    @property
    def frames(self) -> tuple[int, ...]:
        """Where keyframes stand of steps that are on."""
        return tuple(sorted({one.frame for step in self.steps if step.on for one in step.keyframes}))

    def refuse_beyond(self, frames: int, before: Correction) -> None:
        """See that keyframes lie within a clip of so many frames, but for those that `before` has already.

        Raises
        ------
        Refused
            If a keyframe lies beyond; it names step and frame.
        """
        stood = {(step.id, one.frame) for step in before.steps for one in step.keyframes}
        for step in self.steps:
            for one in step.keyframes:
                if one.frame >= frames and (step.id, one.frame) not in stood:
                    raise Refused(
                        f"“{step.id}” has a keyframe at frame {one.frame + 1}, but the clip ends at frame {frames}"
                    )

    def at(self, frame: int) -> Correction:
        """The correction as it is at a frame: the same everywhere."""
        if not self.changes:
            return self
        return Correction(tuple(step.at(frame) for step in self.steps))

    def step(self, name: str) -> Step:
        """A step by its name.

        Raises
        ------
        NotFound
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
        raise NotFound(f"there is no step “{name}” in this correction")

    def numbers_of(self, name: str) -> Primary:
        """The ten numbers of a primary step that has no keyframes.

        Raises
        ------
        NotFound
            If there is no step of this name.
        Refused
            If it is of another kind, or has keyframes.
        """
        values = self.step(name).values
        if not isinstance(values, Primary) or self.step(name).keyframes:
            raise Refused(f"“{name}” is not a CDL step that is the same on every frame of the shot")
        return values

    def with_step(self, step: Step) -> Correction:
        """The same with `step` in the place of the one of its name, or at the end."""
        if not self.has(step.id):
            return Correction((*self.steps, step))
        return Correction(tuple(step if one.id == step.id else one for one in self.steps))

    def with_values(self, name: str, values: Values, frame: int | None = None) -> Correction:
        """The same with other values in a step; errors as of :meth:`step` and :meth:`Step.with_values`."""
        return self.with_step(self.step(name).with_values(values, frame))

    def balanced(
        self, numbers: Primary, extended: Extended | None = None, along: Mapping[int, Primary] | None = None
    ) -> Correction:
        """The same with ten numbers as its balance and, if given, an extended step right after; all others stay.

        `along` are the ten numbers at frames where the balance gets keyframes; those that stand there keep their ease.
        """
        before = self.step(BALANCE).keyframes if self.has(BALANCE) else ()
        eases: dict[int, Ease] = {one.frame: one.ease for one in before}
        keyframes = tuple(
            Keyframe(frame, found, eases.get(frame, "straight")) for frame, found in sorted((along or {}).items())
        )
        found = Step(BALANCE, numbers, keyframes=keyframes)
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
    Refused
        If the level's own step is missing, or is not one of ten numbers, a number is beyond all reason, or a step
        that is not a shot's own has keyframes, or a step stands at a level that its kind is not for.
    """
    if not correction.has(OWN[level]) or not isinstance(correction.step(OWN[level]).values, Primary):
        raise Refused(f"a correction of a {level} needs a step of ten numbers called “{OWN[level]}”")
    for step in correction.steps:
        if step.keyframes and level != "shot":
            raise Refused(f"“{step.id}” has keyframes; only a shot's own steps change along the shot, not a {level}'s")
        if isinstance(step.values, Selection) and (
            level in ("camera", "show") or (step.values.shapes and level == "family")
        ):
            whose = "its own shot" if step.values.shapes else "a shot or a family"
            raise Refused(f"“{step.id}” is part of a picture, which is chosen for {whose}, not for a {level}")
        if isinstance(step.values, Treatment) and (
            level in ("family", "show") or (isinstance(step.values, SteadyPicture) and level == "camera")
        ):
            whose = "a shot" if isinstance(step.values, SteadyPicture) else "a shot or a camera"
            raise Refused(f"“{step.id}” treats the recorded picture; that is done for {whose}, not for a {level}")
        if isinstance(step.values, Look) and level in ("camera", "shot"):
            raise Refused(f"“{step.id}” is a look, which is for a family or the whole show, not for a {level}")
        if isinstance(step.values, Finish) and level in ("camera", "shot"):
            raise Refused(
                f"“{step.id}” finishes the display signal; that is done for a family or the whole show, not for a {level}"
            )
        if isinstance(step.values, Limits) and level != "show":
            raise Refused(f"“{step.id}” limits the display signal; that is done for the whole show, not for a {level}")
        if max(np.abs(values.as_array()).max() for values in (step.values, *step.everywhere)) > LARGEST:
            raise Refused(f"a number of “{step.id}” lies beyond {LARGEST:.0f}, the largest number of a correction")
    return correction
