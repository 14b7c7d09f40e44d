"""Carrying a correction, or chosen steps of it, to another shot."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace
from typing import Literal

from dovrel.core.steps import controls
from dovrel.core.steps.correction import BALANCE, EXTENDED, Correction, Step
from dovrel.core.steps.keyframes import Ease, Keyframe
from dovrel.core.steps.kinds import Values
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.selection import Selection
from dovrel.core.steps.steady_picture import SteadyPicture
from dovrel.errors import Refused

Control = Literal["exposure", "white balance", "contrast", "saturation"]
CONTROLS: tuple[Control, ...] = ("exposure", "white balance", "contrast", "saturation")
"""What of ten numbers can be copied by itself."""


def copied(source: Primary, onto: Primary, which: Collection[Control] = CONTROLS) -> Primary:
    """The ten numbers `onto` with controls of `source` in place of its own.

    All controls together carry the ten numbers as they are, channel by channel; fewer carry what
    those controls read.

    Raises
    ------
    Refused
        If no control is named, or one that there is not.
    """
    if not which or not set(which) <= set(CONTROLS):
        raise Refused(f"choose what to copy among {', '.join(CONTROLS)}")
    if set(which) == set(CONTROLS):
        return source
    there = controls.read(source)
    # In the order of the controls, so that each finds the earlier ones done.
    if "contrast" in which:
        onto = controls.set_contrast(onto, there.contrast)
    if "white balance" in which:
        onto = controls.set_white(onto, there.warmth, there.tint)
    if "exposure" in which:
        onto = controls.set_exposure(onto, there.exposure)
    if "saturation" in which:
        onto = controls.set_saturation(onto, there.saturation)
    return onto


def with_steps(
    source: Correction, onto: Correction, names: Collection[str], which: Collection[Control] = CONTROLS
) -> Correction:
    """The correction `onto` with steps of `source`, by name, in place of its own or after them.

    Of the balance only the controls in `which` are copied. An extended step that `source` does not have is
    taken away, since it is part of the balance that it was matched with. An area is copied without its track, a steadied picture without its camera's path.

    Raises
    ------
    Refused
        If nothing is named, or a step that `source` does not have.
    """
    absent = [name for name in names if name != EXTENDED and not source.has(name)]
    if not names or absent:
        raise Refused(f"there is no step “{absent[0]}” to copy" if absent else "choose steps to copy")
    if BALANCE in names:
        onto = onto.with_step(_balance(source.step(BALANCE), onto.step(BALANCE), which))
    if EXTENDED in names:
        onto = _extended_like(source, onto)
    for step in source.steps:
        if step.id in names and step.id not in (BALANCE, EXTENDED):
            onto = onto.with_step(_untracked(step))
    return onto


def _untracked(step: Step) -> Step:
    """The step without the track of a subject, or the path of a camera, that is its own shot's alone."""

    def still(values: Values) -> Values:
        if isinstance(values, Selection):
            return replace(values, track=None)
        return replace(values, path=None) if isinstance(values, SteadyPicture) else values

    keyframes = tuple(replace(one, values=still(one.values)) for one in step.keyframes)
    return replace(step, values=still(step.values), keyframes=keyframes)


def _balance(source: Step, onto: Step, which: Collection[Control]) -> Step:
    """The balance `onto` with controls of `source`: everywhere, and at the keyframes of either."""

    def at(frame: int | None) -> Primary:
        there, here = ((one if frame is None else one.at(frame)).values for one in (source, onto))
        assert isinstance(there, Primary)
        assert isinstance(here, Primary)
        return copied(there, here, which)

    whole = set(which) == set(CONTROLS)
    others = () if whole else onto.keyframes
    stand: dict[int, Ease] = {one.frame: one.ease for one in (*others, *source.keyframes)}
    keyframes = tuple(Keyframe(frame, at(frame), ease) for frame, ease in sorted(stand.items()))
    return replace(source, values=at(None), keyframes=keyframes)


def _extended_like(source: Correction, onto: Correction) -> Correction:
    others = Correction(tuple(step for step in onto.steps if step.id != EXTENDED))
    if source.extended is None:
        return others
    place = others.place(BALANCE) + 1
    return Correction((*others.steps[:place], source.extended, *others.steps[place:]))
