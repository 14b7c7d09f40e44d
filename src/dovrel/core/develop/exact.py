"""What a chain shows, through the exact transforms: what the fast ways are held to, and what files are written by."""

from __future__ import annotations

import numpy as np

from dovrel.core.colour import outputs
from dovrel.core.steps.chain import Chain, apply_in_order
from dovrel.core.steps.limits import Limits


def shown_exactly(working: np.ndarray, chain: Chain, output: str = outputs.DEFAULT_OUTPUT) -> np.ndarray:
    """Display values (..., 3) of working values under a chain: its steps in order, the output, its limits.

    Raises
    ------
    ValueError
        If the output is unknown.
    """
    display = outputs.to_display(apply_in_order(working, chain), output)
    for values in chain:
        if isinstance(values, Limits):
            display = values.limited(display).astype(np.float32)
    return display
