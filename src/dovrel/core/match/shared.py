"""What two pictures share when no points correspond: colours, by partial assignment."""

from __future__ import annotations

import numpy as np
from scipy.optimize import linear_sum_assignment

from dovrel.core.measure.difference import ciede2000, lab_of_display

PALETTE = 220
SHARED_PART = 0.6
"""The part of two palettes that is taken to be common to both."""


def palette(display: np.ndarray, size: int = PALETTE) -> np.ndarray:
    """`size` colours that stand for a picture's pixels (..., 3): evenly spread samples, L*a*b*."""
    flat = np.asarray(display).reshape(-1, 3)
    order = np.linspace(0, len(flat) - 1, size * 37).astype(int)
    lab = lab_of_display(flat[order])
    # Sorting by lightness and averaging runs keeps the distribution and calms the noise.
    lab = lab[np.lexsort((np.arctan2(lab[:, 2], lab[:, 1]), np.round(lab[:, 0] / 4)))]
    return lab.reshape(size, 37, 3).mean(axis=1)


def shared_distance(palette_a: np.ndarray, palette_b: np.ndarray) -> float:
    """Mean CIEDE2000 over the best-fitting :data:`SHARED_PART` of two palettes (n, 3).

    The palettes are assigned one to one at the least total difference.
    """
    cost = ciede2000(palette_a[:, None], palette_b[None])
    rows, columns = linear_sum_assignment(cost)
    kept = np.sort(cost[rows, columns])[: max(1, int(SHARED_PART * len(rows)))]
    return float(kept.mean())
