"""What kinds of steps share that finish the display signal, after the output.

Each has a fixed place among the others, whatever the order they stand in (:data:`dovrel.core.steps.kinds.FINISH`). Sizes
are in parts of the picture's width, so that a preview and the full frame agree.
"""

from __future__ import annotations

import numpy as np

from dovrel.core.steps.plain_numbers import PlainNumbers
from dovrel.core.steps.primary import REC709_LUMA

SMALLEST, LARGEST = 0.0002, 0.05
"""Sizes, in parts of the picture's width."""


class Finish(PlainNumbers):
    """A kind that acts on a whole display picture; working values pass as they are."""

    def apply(self, working: np.ndarray) -> np.ndarray:
        """Working values as they are: the work is done on the display signal, by :meth:`finished`."""
        return working

    def finished(self, display: np.ndarray, frame: int = 0) -> np.ndarray:
        """A display picture float (H, W, 3), 1 for white, finished: float64.

        `frame` is the number of the clip's frame, which grain alone asks for.
        """
        raise NotImplementedError


def blurred(values: np.ndarray, size: float) -> np.ndarray:
    """Values float (H, W) or (H, W, 3) blurred by a Gaussian whose standard deviation is `size` of the width, float64.

    Beyond its edges the picture goes on as in a mirror.
    """
    from scipy import ndimage  # here, since it takes long to load and most corrections have no finish

    sigma = size * values.shape[1]
    sigmas = (sigma, sigma, 0.0)[: values.ndim]
    return ndimage.gaussian_filter(np.asarray(values, np.float64), sigmas, mode="reflect", truncate=5.0)


def luma(display: np.ndarray) -> np.ndarray:
    """Rec.709 luma of display values (..., 3), float64."""
    return np.asarray(display, np.float64) @ REC709_LUMA
