"""Values of steps, one after another."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dovrel.core.steps.finish import Finish
from dovrel.core.steps.kinds import FINISH, TREATMENT, Values
from dovrel.core.steps.limits import Limits
from dovrel.core.steps.selection import Selection
from dovrel.core.steps.treatment import Treatment

Chain = Sequence[Values]
"""What steps hold, in the order in which it is applied."""


def apply_in_order(working: np.ndarray, chain: Chain, shares: Sequence[np.ndarray] = ()) -> np.ndarray:
    """Apply values one after another.

    Parameters
    ----------
    working : float array (..., 3), working values
    shares : float arrays (...), how far each is part of each selection that needs the whole picture and does something, in
        order; without, they are worked out of a whole picture (H, W, 3), and colours without a place belong to none
    """
    given = iter(shares)
    for values in chain:
        if values.is_identity:
            continue
        if isinstance(values, Selection) and values.is_spatial:
            working = values.apply(working, next(given, None))
        else:
            working = values.apply(working)
    return working


def treatment_of(chain: Chain) -> tuple[Treatment, ...]:
    """What of a chain treats the recorded picture and does something, in the order in which it does."""
    found = [values for values in chain if isinstance(values, Treatment) and not values.is_identity]
    return tuple(sorted(found, key=lambda values: TREATMENT.index(type(values))))


def finish_of(chain: Chain) -> tuple[Finish, ...]:
    """What of a chain finishes the display signal and does something, in the order in which it does."""
    found = [values for values in chain if isinstance(values, Finish) and not values.is_identity]
    return tuple(sorted(found, key=lambda values: FINISH.index(type(values))))


def limits_of(chain: Chain) -> tuple[Limits, ...]:
    """The limits in a chain, in order."""
    return tuple(values for values in chain if isinstance(values, Limits))
