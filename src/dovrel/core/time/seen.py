"""How a change of light is seen: stops of red, green and blue as CIEDE2000."""

from __future__ import annotations

from itertools import combinations_with_replacement

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import AP1_LUMA, STOP
from dovrel.core.develop.frame import display_of
from dovrel.core.measure.difference import ciede2000, lab_of_display
from dovrel.core.steps.chain import Chain
from dovrel.core.time.run import Frame

_TRIED = 0.15
"""How many stops light is changed to see what that does."""
_SAMPLED = 900
_DIRECTIONS = np.array(
    [[1, 0, 0], [0, 1, 0], [0, 0, 1], [1, 1, 0], [0, 1, 1], [1, 0, 1], [1, 1, 1], [1, 0, -1], [1, -1, 1]]
)


def shown(working: np.ndarray, chain: Chain, table: Table) -> np.ndarray:
    """CIE L*a*b* of working values (n, 3) under a chain, as an output shows them."""
    return lab_of_display(display_of(working, list(chain), table))


def seen_by(frame: Frame, chain: Chain, table: Table, mask: np.ndarray | None = None) -> np.ndarray:
    """What makes a change e of light, in stops (3,), count as sqrt(eᵀ · seen · e) CIEDE2000 on a frame's colours, (3, 3).

    `chain` is what is applied after the change; `mask` bool (H, W) is where it is looked at.
    """
    pixels = codes.unpack(frame.packed)[frame.clean if mask is None else frame.clean & mask]
    if len(pixels) == 0:
        pixels = codes.unpack(frame.packed).reshape(-1, 3)
    pixels = pixels[:: max(1, len(pixels) // _SAMPLED)]
    before = shown(pixels, chain, table)
    directions = _DIRECTIONS / np.linalg.norm(_DIRECTIONS, axis=1)[:, None] * _TRIED
    squares = []
    for change in directions:
        sides = [ciede2000(before, shown(pixels + side * change * STOP, chain, table)) for side in (1, -1)]
        squares.append(np.mean(np.square(sides)))
    pairs = list(combinations_with_replacement(range(3), 2))
    terms = np.array([[(1 if i == j else 2) * e[i] * e[j] for i, j in pairs] for e in directions])
    found = np.linalg.lstsq(terms, np.array(squares), rcond=None)[0]
    seen = np.zeros((3, 3))
    for (i, j), value in zip(pairs, found, strict=True):
        seen[i, j] = seen[j, i] = value
    values, vectors = np.linalg.eigh(seen)
    return vectors @ np.diag(np.maximum(values, 1e-3)) @ vectors.T


def size_of(changes: np.ndarray, seen: np.ndarray) -> np.ndarray:
    """CIEDE2000 (…) of changes of light (…, 3) in stops."""
    return np.sqrt(np.maximum(np.einsum("...i,ij,...j->...", changes, seen, changes), 0))


def exposure_of(change: np.ndarray) -> float:
    """Stops of exposure in a change of light (3,)."""
    return float(change @ AP1_LUMA)


def cast_of(change: np.ndarray) -> tuple[float, float]:
    """How much warmer and how much greener a change of light (3,) is, stops: red against blue, green against both."""
    return float(change[0] - change[2]), float(change[1] - (change[0] + change[2]) / 2)
