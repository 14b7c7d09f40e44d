"""Ties: a patch in the reference and a patch in the shot that should measure the same."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.match.fit import Pairs
from dovrel.core.measure.difference import ciede2000, lab_of_display
from dovrel.core.steps.track import Track
from dovrel.errors import Refused

Box = tuple[tuple[float, float], tuple[float, float]]
"""Upper left and lower right corner, in parts of width and height."""

SHARE = 1.0
"""The weight of all ties together, beside that of all points that were found."""


@dataclass(frozen=True)
class Tie:
    """One patch in each picture.

    Raises
    ------
    Refused
        If a box has no area or does not lie on the picture.
    """

    reference: Box
    shot: Box

    def __post_init__(self) -> None:
        for (left, top), (right, bottom) in (self.reference, self.shot):
            if not (0 <= left < right <= 1 and 0 <= top < bottom <= 1):
                raise Refused("a tie needs a patch with an area on each picture")


def followed(box: Box, track: Track, frame: int) -> Box | None:
    """A patch as it lies on a frame with the subject that it follows; None where that is lost, or hardly in the picture."""
    if frame == track.drawn:
        return box
    if not track.holds(frame):
        return None
    motion = track.motion(frame)
    (left, top), (right, bottom) = box
    x, y = motion.at((left + right) / 2, (top + bottom) / 2, track.aspect)
    across, down = motion.scale * (right - left) / 2, motion.scale * (bottom - top) / 2
    inside = (max(x - across, 0.0), max(y - down, 0.0)), (min(x + across, 1.0), min(y + down, 1.0))
    kept = (inside[1][0] - inside[0][0], inside[1][1] - inside[0][1])
    return inside if min(kept) > 0 and kept[0] * kept[1] >= _LEAST_SEEN * 4 * across * down else None


_LEAST_SEEN = 0.5
"""The part of a followed patch that must be in the picture."""


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
        codes.decode_signal(patch_mean(display.transpose(1, 2, 0), box))
        for display, box in ((reference, tie.reference), (shot, tie.shot))
    )
    difference = ciede2000(lab_of_display(here[None]), lab_of_display(there[None]))
    return TieReading(_in_percent(there), _in_percent(here), float(difference[0]))


def _in_percent(patch: np.ndarray) -> tuple[float, ...]:
    return tuple(100 * float(value) for value in patch)


def with_ties(pairs: Pairs | None, tied: Pairs, *, alone: bool) -> Pairs | None:
    """Pairs with those of ties before them, which together weigh as much as all others; or the ties alone."""
    if not len(tied):
        return pairs
    if pairs is None or alone:
        return tied
    weight = SHARE * pairs.weight.sum() / len(tied)
    return Pairs.of_all([replace(tied, weight=np.full(len(tied), weight)), pairs])
