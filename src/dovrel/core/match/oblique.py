"""What another angle does to the light by itself, and how far a gain seen from there is believed.

From elsewhere bright sides of things turn dark and dark ones bright: tones flatten, and all of a
scene may seem brighter or darker by a third of a stop. An angle does not colour.
"""

from __future__ import annotations

import numpy as np

from dovrel.core.colour.working import STOP
from dovrel.core.match.fit import LIGHT, SHAPE, to_numbers, to_vector
from dovrel.core.steps.primary import Primary

DOUBT, MOST_DOUBT = 0.1, 0.3
"""Stops of exposure that an angle may make: for each CIEDE2000 of disagreement, and at most."""

NO_CAST = 0.1
"""Stops between channels that are no cast."""

ANGLE_LEAVES = 2.5
"""Median CIEDE2000 that stays between pairs from another angle by the angle itself, by what the
demo's views show of cameras that need nothing but a gain in each channel: 0.7 to 2.7."""

SHAPE_PULL = 0.5
"""How strongly contrast and saturation fitted from another angle are held to those expected, see :func:`fit`."""


def beyond_angle(error: float) -> float:
    """The part, 0..1, of contrast and saturation fitted from another angle that is believed.

    None while a gain in each channel leaves no more than angles leave by themselves, soon all
    beyond it, as in :func:`cautious`.

    Parameters
    ----------
    error : how far the pairs disagree, median CIEDE2000 after the gains
    """
    return max(0.0, 1 - (ANGLE_LEAVES / max(error, 1e-9)) ** 4)


def cautious(alike: Primary, numbers: Primary, error: float) -> Primary:
    """A small exposure from another angle is no evidence: an angle does as much to a surface by itself.

    The common gain is dropped where the largest gain of a channel lies within that doubt, which
    grows with how far the pairs disagree, and soon kept whole beyond it (between a hard and a
    soft threshold, Gao and Bruce 1997); what differs between the channels is kept, for an angle
    does not colour.

    Parameters
    ----------
    alike : what the shot needs if it was recorded as the reference was: the reference's balance;
        doubted is how the answer differs from it
    numbers : the answer so far
    error : how far the pairs still disagree, median CIEDE2000
    """
    vector, expected = to_vector(numbers), to_vector(alike)
    moved = (vector - expected)[LIGHT]
    doubt = min(DOUBT * error, MOST_DOUBT) * STOP
    kept = max(0.0, 1 - (doubt / max(float(np.abs(moved).max()), 1e-9)) ** 4)
    vector[LIGHT] -= (1 - kept) * moved.mean()
    left = vector - expected
    nothing = np.abs(left[LIGHT]).max() < NO_CAST * STOP and np.abs(left[SHAPE]).max() < 0.01
    return alike if kept == 0 and nothing else to_numbers(vector)
