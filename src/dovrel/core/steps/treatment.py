"""What kinds of steps share that treat the recorded picture before any colour is touched: noise reduced, the picture steadied."""

from __future__ import annotations

import numpy as np


class Treatment:
    """A kind that acts on a whole recorded picture, before all others; working values pass as they are."""

    def apply(self, working: np.ndarray) -> np.ndarray:
        """Working values as they are: the work is done on whole frames, by :mod:`dovrel.core.develop.treating`."""
        return working
