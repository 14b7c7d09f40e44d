"""A frame as it is compared with others: its light and its features, whatever balance is in force on it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dovrel.core.balance import exposure
from dovrel.core.colour.codes import CLIPPED_AT
from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import STOP
from dovrel.core.develop.frame import display_of
from dovrel.core.match import correspond
from dovrel.core.match.side import Side
from dovrel.core.measure.sampled import take_sample

SEEN_AT = -0.5
"""Stops from mid grey at which the middle of a frame's tones is seen, so that frames of any exposure are seen alike."""


@dataclass(frozen=True, eq=False)
class View:
    """What is kept of a frame for comparing.

    Attributes
    ----------
    means : float32 (H/2, W/2, 4), around every second pixel: linear AP1 before the balance, and the part that is clipped in the recording
    metered : bool (H, W), the pixels that count
    grey : float32 (H, W), the mean of display values 0..1 at one exposure for all frames
    features : of what is shown then
    """

    means: np.ndarray
    metered: np.ndarray
    grey: np.ndarray
    features: correspond.Features

    def inside(self, points: np.ndarray) -> np.ndarray:
        """Which points (n, 2), in parts of width and height, lie on metered pixels."""
        height, width = self.metered.shape
        x = np.clip((points[:, 0] * width).astype(int), 0, width - 1)
        y = np.clip((points[:, 1] * height).astype(int), 0, height - 1)
        return self.metered[y, x]


def view_of(side: Side, table: Table) -> View:
    """A picture as it is compared with others."""
    stops = exposure.scene_stops(take_sample(side.working, 6000))
    middle = float(np.percentile(stops, [20, 50, 80]).mean())
    shown = np.clip(display_of(side.working + np.float32((SEEN_AT - middle) * STOP), [], table), 0, 1)
    clipped = (side.recorded.max(axis=2) >= CLIPPED_AT - 0.01).astype(np.float32)
    means = correspond.narrowest_means(np.dstack([side.light, clipped]))
    return View(means, side.metered, shown.mean(axis=2), correspond.find_features(shown))
