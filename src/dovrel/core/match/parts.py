"""Which parts of a look are matched: levels, cast, saturation; and whether skin comes first."""

from __future__ import annotations

from collections.abc import Collection
from typing import Literal

import numpy as np

from dovrel.core.match.fit import to_numbers, to_vector
from dovrel.core.steps.primary import Primary
from dovrel.errors import Refused

Part = Literal["levels", "cast", "saturation", "skin"]
PARTS: tuple[Part, ...] = ("levels", "cast", "saturation")
"""All of a look. Beside them, ``skin`` asks that skin be matched before all else."""


def parts_of(start: Primary, answer: Primary, what: Collection[Part] = PARTS) -> Primary:
    """`start` with the named parts of `answer`.

    Levels are what slope, level and power of the channels have in common; cast is how they
    differ from one another.

    Raises
    ------
    Refused
        If nothing is named, or something that is no part.
    """
    if not set(what) & set(PARTS) or not set(what) <= {*PARTS, "skin"}:
        raise Refused(f"choose what to match among {', '.join(PARTS)}")
    if set(what) >= set(PARTS):
        return answer
    moved = to_vector(answer) - to_vector(start)
    taken = np.zeros(10)
    for group in (slice(0, 3), slice(3, 6), slice(6, 9)):
        common = moved[group].mean()
        if "levels" in what:
            taken[group] += common
        if "cast" in what:
            taken[group] += moved[group] - common
    if "saturation" in what:
        taken[9] = moved[9]
    return to_numbers(to_vector(start) + taken)
