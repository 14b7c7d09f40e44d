"""Corrections of either kind, one after another."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dovrel.core.steps import extended, primary
from dovrel.core.steps.extended import Extended
from dovrel.core.steps.primary import Primary

Correction = Primary | Extended
Chain = Sequence[Correction]
"""Corrections in the order in which they are applied."""


def apply_in_order(working: np.ndarray, chain: Chain) -> np.ndarray:
    """Apply corrections one after another.

    Parameters
    ----------
    working : float array (..., 3), working values
    """
    for correction in chain:
        if correction.is_identity:
            continue
        if isinstance(correction, Extended):
            working = extended.apply(working, correction)
        else:
            working = primary.apply(working, correction)
    return working
