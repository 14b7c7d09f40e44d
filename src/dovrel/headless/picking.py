"""Picking colours of a file."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from dovrel.core.correct.parts import fitted, samples_of
from dovrel.core.steps.correction import PLAIN, Correction, Step
from dovrel.core.steps.pick import Pick
from dovrel.core.steps.selection import Selection
from dovrel.errors import Refused
from dovrel.headless.files import Input
from dovrel.media.stills import write_still

Place = tuple[float, float]
AROUND = 0.004
"""Of the picture's width about a place whose colours are one sample's."""


@dataclass(frozen=True)
class Wanted:
    """What of a pick is said: its reach and softness, where they are not to come from the samples, and its clean-up."""

    reach: float | None = None
    soft: float | None = None
    specks: float = 0.0
    holes: float = 0.0
    edge: float = 0.0


def pick(
    source: Input, output: str, taken: Sequence[Place], left: Sequence[Place], wanted: Wanted
) -> tuple[Pick, np.ndarray]:
    """A pick of the colours at places, but not of those at others, and its matte float (H, W).

    Raises
    ------
    Refused
        If no place is taken in, one lies outside the picture, or one colour is both taken in and left out.
    """
    if not taken:
        raise Refused("a pick includes at least one colour; say where with --in x,y")
    working = source.read(output).working
    near = [_around(working, place) for place in taken]
    samples = tuple(samples_of(colours, 1)[0] for colours in near)
    without = tuple(samples_of(_around(working, place), 1)[0] for place in left)
    reach, soft = fitted(samples, np.concatenate(near))
    made = Pick(
        samples,
        without,
        reach if wanted.reach is None else wanted.reach,
        soft if wanted.soft is None else wanted.soft,
        specks=wanted.specks,
        holes=wanted.holes,
        edge=wanted.edge,
    )
    return made, np.asarray(Selection(pick=made).share(working), np.float32)


def _around(working: np.ndarray, place: Place) -> np.ndarray:
    """The colours (N, 3) about a place in parts of width and height."""
    height, width = working.shape[:2]
    if not all(0 <= part <= 1 for part in place):
        raise Refused(f"{place[0]:g},{place[1]:g} lies outside the picture; places are in parts of it, 0 to 1")
    x, y = min(int(place[0] * width), width - 1), min(int(place[1] * height), height - 1)
    reach = max(round(AROUND * width / 2), 1)
    return working[max(y - reach, 0) : y + reach + 1, max(x - reach, 0) : x + reach + 1].reshape(-1, 3)


def write_matte(path: Path, matte: np.ndarray) -> None:
    """The matte from black to white as a picture."""
    write_still(path, np.repeat(matte[..., None], 3, axis=-1))


def as_correction(made: Pick) -> Correction:
    """A correction of a shot with a step that picks these colours and does nothing to them yet."""
    return replace(PLAIN["shot"], steps=(*PLAIN["shot"].steps, Step("pick", Selection(pick=made))))


def described(source: Input, made: Pick, matte: np.ndarray) -> dict:
    """What is printed of a pick."""

    def listed(samples: tuple) -> list[dict]:
        return [{"level": round(one.level, 4), "x": round(one.x, 4), "y": round(one.y, 4)} for one in samples]

    return {
        "file": source.file.name,
        "taken": listed(made.taken),
        "left": listed(made.left),
        "reach": round(made.reach, 4),
        "soft": round(made.soft, 4),
        "share": round(float(matte.mean()), 5),
    }
