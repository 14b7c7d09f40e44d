"""What a chain shows, through the exact transforms: what the fast ways are held to, and what files are written by."""

from __future__ import annotations

import numpy as np

from dovrel.core.colour import outputs
from dovrel.core.steps.chain import Chain, apply_in_order, finish_of, limits_of
from dovrel.core.steps.grain import Grain


def shown_exactly(working: np.ndarray, chain: Chain, output: str = outputs.DEFAULT_OUTPUT) -> np.ndarray:
    """Display values (..., 3) of working values under a chain: its steps in order, the output, its limits.

    What finishes a whole picture is left out, see :func:`finished_exactly`.

    Raises
    ------
    Refused
        If the output is unknown.
    """
    return _limited(outputs.to_display(apply_in_order(working, chain), output), chain)


def finished_exactly(
    working: np.ndarray, chain: Chain, output: str = outputs.DEFAULT_OUTPUT, frame: int = 0
) -> np.ndarray:
    """A whole picture's display values (H, W, 3) under a chain, finished: limits come before grain, which they cut.

    `frame` is the number of the clip's frame; errors as of :func:`shown_exactly`.
    """
    finish = finish_of(chain)
    if not finish:
        return shown_exactly(working, chain, output)
    display = outputs.to_display(apply_in_order(working, chain), output).astype(np.float64)
    for values in finish:
        if not isinstance(values, Grain):
            display = values.finished(display)
    display = _limited(display, chain)
    grains = [values for values in finish if isinstance(values, Grain)]
    for values in grains:
        display = values.finished(display, frame)
    for values in limits_of(chain) if grains else ():
        display = np.clip(display, values.low / 100, values.high / 100)
    return display.astype(np.float32)


def _limited(display: np.ndarray, chain: Chain) -> np.ndarray:
    for values in limits_of(chain):
        display = values.limited(display).astype(np.float32)
    return display
