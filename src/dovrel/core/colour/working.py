"""The working space: ACEScct (ACES S-2016-001), AP1 primaries, logarithmic above a toe."""

from __future__ import annotations

import numpy as np

STOP = 1.0 / 17.52
"""One stop of exposure in the working space."""

MID_GREY = 0.41358840
"""18 % grey in the working space."""

AP1_LUMA = np.array([0.27222872, 0.67408177, 0.05368952])
"""Relative luminance of linear AP1 red, green and blue (ACES S-2014-004)."""

LOG_OFFSET = 9.72
TOE_LINEAR = 0.0078125
TOE_WORKING = 0.155251141552511
TOE_SLOPE = 10.5402377416545
TOE_OFFSET = 0.0729055341958355


def from_linear(linear: np.ndarray) -> np.ndarray:
    """Linear AP1 → working.

    Parameters
    ----------
    linear : float array, any shape, scene-linear AP1, 0.18 is mid grey; may be negative.

    Returns
    -------
    float array of the same shape, ACEScct code values (0.4136 for mid grey).
    """
    linear = np.asarray(linear)
    log = (np.log2(np.maximum(linear, 1e-10)) + LOG_OFFSET) * STOP
    return np.where(linear <= TOE_LINEAR, TOE_SLOPE * linear + TOE_OFFSET, log)


def to_linear(working: np.ndarray) -> np.ndarray:
    """Working → linear AP1; the inverse of :func:`from_linear`."""
    working = np.asarray(working)
    toe = (working - TOE_OFFSET) / TOE_SLOPE
    return np.where(working <= TOE_WORKING, toe, np.exp2(working / STOP - LOG_OFFSET))


def stops_from_grey(working: np.ndarray) -> np.ndarray:
    """Stops of luminance above 18 % grey of working values (..., 3); blacks end at 20 below."""
    luminance = np.maximum(to_linear(working) @ AP1_LUMA, 0.18 * 2.0**-20)
    return np.log2(luminance / 0.18)
