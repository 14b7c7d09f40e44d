"""Ties: a patch in the reference and a patch in the shot that should measure the same."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from dovrel.core.match.fit import Pairs
from dovrel.core.measure import codes
from dovrel.core.measure.difference import ciede2000, lab_of_display

Box = tuple[tuple[float, float], tuple[float, float]]
"""Upper left and lower right corner, in parts of width and height."""

SHARE = 1.0
"""The weight of all ties together, beside that of all points that were found."""


@dataclass(frozen=True)
class Tie:
    """One patch in each picture.

    Raises
    ------
    ValueError
        If a box has no area or does not lie on the picture.
    """

    reference: Box
    shot: Box

    def __post_init__(self) -> None:
        for (left, top), (right, bottom) in (self.reference, self.shot):
            if not (0 <= left < right <= 1 and 0 <= top < bottom <= 1):
                raise ValueError("a tie needs a patch with an area on each picture")


def patch_mean(image: np.ndarray, box: Box) -> np.ndarray:
    """Mean of an image (H, W, C) within a box, at least one pixel: float64 (C,)."""
    height, width = image.shape[:2]
    (left, top), (right, bottom) = box
    x, y = min(int(left * width), width - 1), min(int(top * height), height - 1)
    patch = image[y : max(y + 1, round(bottom * height)), x : max(x + 1, round(right * width))]
    return patch.reshape(-1, image.shape[2]).mean(axis=0, dtype=np.float64)


@dataclass(frozen=True)
class TieReading:
    """What a tie's patches measure: R′, G′, B′ in percent, and their CIEDE2000."""

    reference: tuple[float, ...]
    shot: tuple[float, ...]
    difference: float


def compare(tie: Tie, reference: np.ndarray, shot: np.ndarray) -> TieReading:
    """Measure a tie in two developed frames, display codes uint16 (3, H, W) each."""
    there, here = (
        codes.decode_display(patch_mean(display.transpose(1, 2, 0), box))
        for display, box in ((reference, tie.reference), (shot, tie.shot))
    )
    difference = ciede2000(lab_of_display(here[None]), lab_of_display(there[None]))
    return TieReading(_in_percent(there), _in_percent(here), float(difference[0]))


def _in_percent(patch: np.ndarray) -> tuple[float, ...]:
    return tuple(100 * float(value) for value in patch)


def with_ties(
    pairs: Pairs | None, ties: Sequence[Tie], reference_display: np.ndarray, shot_working: np.ndarray, *, alone: bool
) -> Pairs | None:
    """Pairs with those of the ties added, which together weigh as much as all others; or the ties alone."""
    if not ties:
        return pairs
    there = np.array([patch_mean(reference_display, tie.reference) for tie in ties], np.float32)
    here = np.array([patch_mean(shot_working, tie.shot) for tie in ties], np.float32)
    place = np.array([np.mean(tie.shot, axis=0) for tie in ties])
    if pairs is None or alone:
        return Pairs(here, there, np.ones(len(ties)), place)
    weight = SHARE * pairs.weight.sum() / len(ties)
    return Pairs(
        np.concatenate([here, pairs.shot]),
        np.concatenate([there, pairs.reference]),
        np.concatenate([np.full(len(ties), weight), pairs.weight]),
        np.concatenate([place, pairs.place]),
    )
