"""What stays different after a match, zone by zone and on skin, apart from what an angle scatters.

Seen from another side every surface is lit a little differently, so that single points stay
apart however well two shots are matched. The means of many points are freed of that scatter:
what differs there is what a correction left.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import asdict, dataclass

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.match.fit import Pairs
from dovrel.core.measure import familiar
from dovrel.core.measure.difference import ciede2000, lab_of_display
from dovrel.core.measure.readings import luma

LEAST_SKIN = 12
"""Pairs, and pixels in a thousand, of fewer of which nothing is said about skin."""

_WORST_FROM = 0.9
_SHARES = (0.25, 0.5, 0.25)
"""Parts of the tones that are lows, mids and highs."""


@dataclass(frozen=True)
class Residuals:
    """CIEDE2000 between the mean colours of shot and reference.

    Attributes
    ----------
    lows, mids, highs : of the darkest quarter, the middle half and the brightest quarter of what
        the two share
    skin : of what is skin in the reference, None where hardly anything is
    worst : CIEDE2000 that nine tenths of the shared places stay below; None where no places correspond
    """

    lows: float
    mids: float
    highs: float
    skin: float | None
    worst: float | None = None

    @property
    def off(self) -> float:
        """How far the shot is off as a whole: the zones' mean by their share, skin counting like a zone of its own."""
        whole = float(np.dot(_SHARES, (self.lows, self.mids, self.highs)))
        return whole if self.skin is None else 0.75 * whole + 0.25 * self.skin

    def as_record(self) -> dict[str, float | None]:
        """All figures by name, the whole as ``off``."""
        return {**asdict(self), "off": self.off}


def of_pairs(pairs: Pairs, shown: np.ndarray) -> Residuals:
    """Residuals over pairs, of which the shot's colours are shown as `shown` (n, 3), display."""
    rank = _rank(luma(pairs.reference), pairs.weight)
    zones = [_apart(shown, pairs.reference, pairs.weight * inside) for inside in _zones(rank)]
    skin = is_skin(pairs.reference)
    found = _apart(shown, pairs.reference, pairs.weight * skin) if skin.sum() >= LEAST_SKIN else None
    apart = ciede2000(lab_of_display(shown), lab_of_display(pairs.reference))
    return Residuals(*zones, skin=found, worst=_quantile(apart, pairs.weight, _WORST_FROM))


def _quantile(values: np.ndarray, weight: np.ndarray, part: float) -> float:
    """The value (n,) that a part of the whole weight (n,) stays below."""
    order = np.argsort(values)
    below = np.cumsum(weight[order]) / weight.sum()
    return float(values[order][min(np.searchsorted(below, part), len(order) - 1)])


def of_pictures(shown: np.ndarray, reference: np.ndarray) -> Residuals:
    """Residuals of two pictures of which no points correspond: (n, 3) and (m, 3), display.

    Each zone is a picture's own darkest quarter, middle half or brightest quarter.
    """
    sides = [(image, list(_zones(_rank(luma(image), np.ones(len(image)))))) for image in (shown, reference)]
    means = [[image[inside].mean(axis=0) for inside in zones] for image, zones in sides]
    zones = [_difference(here, there) for here, there in zip(*means, strict=True)]
    skins = [image[is_skin(image)] for image, _ in sides]
    enough = all(len(skin) * 1000 >= LEAST_SKIN * len(image) for skin, (image, _) in zip(skins, sides, strict=True))
    return Residuals(*zones, skin=_difference(*(skin.mean(axis=0) for skin in skins)) if enough else None)


def _rank(tones: np.ndarray, weight: np.ndarray) -> np.ndarray:
    """Place of each in the order of tones, 0..1, by weight."""
    order = np.argsort(tones, kind="stable")
    rank = np.empty(len(tones))
    rank[order] = np.cumsum(weight[order]) - weight[order] / 2
    return rank / weight.sum()


def _zones(rank: np.ndarray) -> Iterator[np.ndarray]:
    edges = np.cumsum((0.0, *_SHARES))
    for low, high in itertools.pairwise(edges):
        yield (rank >= low) & (rank <= high)


def is_skin(display: np.ndarray) -> np.ndarray:
    """Which display values (n, 3) look like skin: bool (n,)."""
    return familiar.find(codes.encode_signal(display).T, "skin").astype(bool)


def _apart(shown: np.ndarray, reference: np.ndarray, weight: np.ndarray) -> float:
    if not weight.any():
        return 0.0
    return _difference(np.average(shown, axis=0, weights=weight), np.average(reference, axis=0, weights=weight))


def _difference(here: np.ndarray, there: np.ndarray) -> float:
    return float(ciede2000(lab_of_display(here[None]), lab_of_display(there[None]))[0])
