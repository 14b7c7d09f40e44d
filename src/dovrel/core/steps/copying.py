"""Carrying a correction, or chosen steps of it, to another shot."""

from __future__ import annotations

from collections.abc import Collection
from typing import Literal

from dovrel.core.steps import controls
from dovrel.core.steps.primary import Primary

Step = Literal["exposure", "white balance", "contrast", "saturation"]
STEPS: tuple[Step, ...] = ("exposure", "white balance", "contrast", "saturation")


def copied(source: Primary, onto: Primary, steps: Collection[Step] = STEPS) -> Primary:
    """The correction `onto` with steps of `source` in place of its own.

    All steps together carry the ten numbers as they are, channel by channel; fewer carry what
    the controls of those steps read.

    Raises
    ------
    ValueError
        If no step is named, or one that there is not.
    """
    if not steps or not set(steps) <= set(STEPS):
        raise ValueError(f"choose steps to copy among {', '.join(STEPS)}")
    if set(steps) == set(STEPS):
        return source
    there = controls.read(source)
    # In the order of the steps, so that each finds the earlier ones done.
    if "contrast" in steps:
        onto = controls.set_contrast(onto, there.contrast)
    if "white balance" in steps:
        onto = controls.set_white(onto, there.warmth, there.tint)
    if "exposure" in steps:
        onto = controls.set_exposure(onto, there.exposure)
    if "saturation" in steps:
        onto = controls.set_saturation(onto, there.saturation)
    return onto
