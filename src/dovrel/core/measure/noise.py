"""The noise of a picture as it is shown."""

from __future__ import annotations

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.develop.treating import MEDIAN_OF_NOISE, finest
from dovrel.core.measure.familiar import plane_of

_ENDS = (codes.BLACK_CODE + 200, codes.WHITE_CODE - 200)
"""Codes nearer to black or white have their noise cut off."""


def noise_of(display: np.ndarray) -> tuple[float, float]:
    """Deviations of luma's and of chroma's noise, percent of the signal.

    From the finest diagonal differences of neighbouring pixels, whose median size is noise's wherever most of a picture is
    flat at that size (Donoho and Johnstone 1994). A smaller picture of the same has less of it.

    Parameters
    ----------
    display : uint16 (3, H, W), display codes, two pixels each way at least
    """
    within = np.all((display > _ENDS[0]) & (display < _ENDS[1]), axis=0)[:-1, :-1]
    if not within.any():
        return 0.0, 0.0
    found = [_deviation(plane, within) for plane in plane_of(display)]
    return found[0], float(np.hypot(found[1], found[2]) / np.sqrt(2))


def _deviation(plane: np.ndarray, within: np.ndarray) -> float:
    return float(np.median(np.abs(finest(plane)[within])) / MEDIAN_OF_NOISE)
