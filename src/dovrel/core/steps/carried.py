"""What formats for handing over can carry of a correction, and what they leave out."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from typing import Literal

import numpy as np

from dovrel.core.steps.chain import Chain
from dovrel.core.steps.finish import Finish
from dovrel.core.steps.kinds import Values
from dovrel.core.steps.levels import AtFrame, FourLevels
from dovrel.core.steps.limits import Limits
from dovrel.core.steps.primary import IDENTITY, Primary
from dovrel.core.steps.selection import Selection
from dovrel.core.steps.treatment import Treatment

Format = Literal["cdl", "cc", "ccc", "cube", "clf", "amf", "otio", "edl"]
FORMATS: tuple[Format, ...] = ("cdl", "cc", "ccc", "cube", "clf", "amf", "otio", "edl")


def as_cdls(levels: AtFrame) -> list[Primary]:
    """All that is ten numbers in force on a frame of a shot, in as few CDLs as do exactly the same, one after another."""
    joined = combined([values for values in levels.in_order if isinstance(values, Primary)])
    return [one for one in joined if isinstance(one, Primary)] or [IDENTITY]


Sampling = Literal["keyframes", "stretches"]
"""A file for each keyframe, or one for each stretch between two, as the correction is in its middle."""


def frames_to_carry(levels: FourLevels, frames: int, sampling: Sampling = "keyframes") -> list[int]:
    """The frames at which a shot of so many frames is carried by formats that know no time; its middle one where nothing changes.

    Keyframes beyond its end count as its last frame.
    """
    last = frames - 1
    stand = sorted({min(frame, last) for frame in levels.frames})
    if not stand:
        return [frames // 2]
    if sampling == "keyframes":
        return stand
    ends = sorted({0, *stand, last})
    return sorted({(first + after) // 2 for first, after in pairwise(ends)}) or stand


def left_out(levels: FourLevels, form: Format) -> list[str]:
    """The names of the steps in force that a format does not carry, in order."""
    corrections = (levels.camera, levels.shot, levels.family, levels.show)
    steps = [step for correction in corrections for step in correction.steps if step.on and not step.is_identity]
    return [step.id for step in steps if not _carries(form, step.values)]


def _carries(form: Format, values: Values) -> bool:
    """Tables know every colour and no place, and those that end before the output no display; the others know ten numbers."""
    if form in ("clf", "amf") and isinstance(values, Limits):
        return False
    if form in ("cube", "clf", "amf"):
        return not (isinstance(values, Finish | Treatment) or (isinstance(values, Selection) and values.is_spatial))
    return isinstance(values, Primary)


def point_wise(chain: Chain) -> list[Values]:
    """What of a chain acts on colours by themselves, before the output."""
    return [values for values in chain if _carries("clf", values)]


def combined(chain: Chain) -> list[Values]:
    """The fewest values that do exactly what a chain does; none for nothing at all.

    Two become one where the first is slope and offset only, or where the second is
    saturation only (saturation keeps luma, so two of them multiply). Other kinds stay by themselves.
    """
    found: list[Values] = []
    for values in chain:
        if values.is_identity:
            continue
        joined = _joined(found[-1], values) if found else None
        if joined is None:
            found.append(values)
        else:
            found[-1] = joined
    return [values for values in found if not values.is_identity]


def _joined(first: Values, second: Values) -> Primary | None:
    if not (isinstance(first, Primary) and isinstance(second, Primary)):
        return None
    if replace(second, saturation=1.0).is_identity:
        return replace(first, saturation=first.saturation * second.saturation)
    if first.power == IDENTITY.power and first.saturation == 1.0:
        slope = np.multiply(first.slope, second.slope)
        offset = np.multiply(first.offset, second.slope) + second.offset
        return Primary.from_array([*slope, *offset, *second.power, second.saturation])
    return None
