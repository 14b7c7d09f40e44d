"""Keyframes: values of a step fixed at frames of the clip, and what lies between two of them."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass
from itertools import pairwise
from typing import ClassVar, Literal

from dovrel.core.steps.kinds import Values
from dovrel.errors import Refused

Ease = Literal["straight", "eased"]
"""How values go on to the next keyframe: evenly, or gently off and gently in."""

EASES: tuple[Ease, ...] = ("straight", "eased")
MOST_KEYFRAMES = 500
LAST_FRAME = 10_000_000
"""No clip has as many frames."""


@dataclass(frozen=True)
class Keyframe:
    """A step's values at one frame.

    Attributes
    ----------
    frame : of the clip, from 0
    values : of the step's kind
    ease : how they go on to the next keyframe's

    Raises
    ------
    Refused
        If the frame is negative, or higher than any clip's.
    """

    frame: int
    values: Values
    ease: Ease = "straight"

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if not 0 <= self.frame <= LAST_FRAME:
            raise Refused(f"a keyframe's frame lies between 0 and {LAST_FRAME}, not at {self.frame}")


Keyframes = tuple[Keyframe, ...]


def check(keyframes: Keyframes, values: Values) -> None:
    """See that keyframes can stand on a step of these values.

    Raises
    ------
    Refused
        If two stand at one frame, they are not in order, one is of another kind, or there are too many.
    """
    if len(keyframes) > MOST_KEYFRAMES:
        raise Refused(f"a step has at most {MOST_KEYFRAMES} keyframes, not {len(keyframes)}")
    for one, other in pairwise(keyframes):
        if one.frame == other.frame:
            raise Refused(f"two keyframes stand at frame {one.frame}")
        if one.frame > other.frame:
            raise Refused(f"keyframes stand in order; {other.frame} comes after {one.frame}")
    for one in keyframes:
        if one.values.kind != values.kind:
            raise Refused(f"the keyframe at frame {one.frame} is of the kind {one.values.kind}, its step is not")


def part_passed(part: float, ease: Ease) -> float:
    """How far values have gone when `part` (0..1) of the way in time has passed; eased, 3p² − 2p³."""
    return part * part * (3 - 2 * part) if ease == "eased" else part


def values_at(keyframes: Keyframes, frame: int) -> Values:
    """The values at a frame: between two keyframes part of each, before the first and after the last those alone.

    `keyframes` holds at least one.
    """
    after = bisect_right(keyframes, frame, key=lambda one: one.frame)
    if after == 0:
        return keyframes[0].values
    before = keyframes[after - 1]
    if after == len(keyframes) or frame == before.frame:
        return before.values
    following = keyframes[after]
    part = (frame - before.frame) / (following.frame - before.frame)
    return between(before.values, following.values, part_passed(part, before.ease))


def between(one: Values, other: Values, part: float) -> Values:
    """`part` (0..1) of the way from one to the other, both of one kind."""
    if one.kind != other.kind:
        raise TypeError("values of two kinds have nothing between them")
    return one.between(other, part)  # pyrefly: ignore[bad-argument-type]


def with_keyframe(keyframes: Keyframes, keyframe: Keyframe) -> Keyframes:
    """The same with one more, in the place of one at the same frame if there is one."""
    others = [one for one in keyframes if one.frame != keyframe.frame]
    return tuple(sorted((*others, keyframe), key=lambda one: one.frame))
