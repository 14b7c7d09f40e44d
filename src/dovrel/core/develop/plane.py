"""The opponent space of :mod:`dovrel.core.steps.opponent` as the kernels take it."""

from __future__ import annotations

import numpy as np

from dovrel.core.steps import opponent
from dovrel.machine.kernels import njit

LR, LG, LB = (np.float32(weight) for weight in opponent.LUMA)
TWO_SIXTHS, SIXTH, HALF = np.float32(2 / np.sqrt(6)), np.float32(1 / np.sqrt(6)), np.float32(1 / np.sqrt(2))


@njit(inline="always")
def smooth(part):
    part = min(max(part, np.float32(0)), np.float32(1))
    return part * part * (np.float32(3) - np.float32(2) * part)
