"""Values of steps, one after another."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dovrel.core.steps.kinds import Values

Chain = Sequence[Values]
"""What steps hold, in the order in which it is applied."""


def apply_in_order(working: np.ndarray, chain: Chain) -> np.ndarray:
    """Apply values one after another.

    Parameters
    ----------
    working : float array (..., 3), working values
    """
    for values in chain:
        if not values.is_identity:
            working = values.apply(working)
    return working
