"""Spaces that a look's table may take and give: by name, into the working space and out of it.

A space is named ``aces:NAME`` as encodings are (:mod:`dovrel.core.colour.encodings`), or ``output:ID`` for what an output
shows (:mod:`dovrel.core.colour.outputs`).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from dovrel.core.colour import encodings, outputs
from dovrel.errors import Refused

WORKING = "aces:ACEScct"
_SHOWN = "output:"
_INVERSE_ROUNDS = 2
_FIRST = (WORKING, "aces:ACEScg", "aces:ACES2065-1")
_WORDS = {"aces:ACEScg": "ACEScg, linear light", "aces:ACES2065-1": "ACES2065-1, linear light"}


@dataclass(frozen=True)
class Space:
    """A space, and what it is called."""

    id: str
    name: str


@lru_cache(maxsize=1)
def available() -> tuple[Space, ...]:
    """Every space, the likely ones first."""
    scene = {one.id: one.name for one in encodings.available() if one.kind == "scene"}
    rest = [one for one in scene if one not in _FIRST]
    shown = [Space(f"{_SHOWN}{one.id}", f"shown: {one.name}") for one in outputs.OUTPUTS.values()]
    first, others = ([Space(one, _WORDS.get(one, scene[one])) for one in ids] for ids in (_FIRST, rest))
    return (*first, *shown, *others)


def find(space: str) -> Space:
    """The space of a name.

    Raises
    ------
    Refused
        If there is none.
    """
    for one in available():
        if one.id == space:
            return one
    raise Refused(f"there is no colour space “{space}”")


def from_working(working: np.ndarray, space: str) -> np.ndarray:
    """Working values (..., 3) in a space, float32; errors as of :func:`find`."""
    name = find(space).id
    if name.startswith(_SHOWN):
        return outputs.to_display(working, name[len(_SHOWN) :])
    return outputs.run(encodings.space_processor("ACEScct", name[5:]), working)


def to_working(values: np.ndarray, space: str) -> np.ndarray:
    """Values (..., 3) of a space as working values, float32; errors as of :func:`find`."""
    name = find(space).id
    if name.startswith(_SHOWN):
        return outputs.from_display(values, name[len(_SHOWN) :], _INVERSE_ROUNDS)
    return outputs.run(encodings.space_processor(name[5:], "ACEScct"), values)
