"""How what a step sends out is shown in the end: where its points lie on parade and waveform, its hues on the vectorscope."""

from __future__ import annotations

import numpy as np

from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import MID_GREY
from dovrel.core.develop.frame import display_of
from dovrel.core.measure.readings import chroma_plane, luma
from dovrel.core.steps import opponent
from dovrel.core.steps.chain import Chain

LEVELS = np.linspace(0.0, 1.0, 129)
"""Working values of the greys that are looked at."""
HUES = np.arange(0.0, 360.0, 5.0)
DEPTH = 0.1
"""Of the colours that are looked at: a middling cloth."""


def greys_shown(after: Chain, table: Table) -> np.ndarray:
    """Luma in percent of greys at :data:`LEVELS` that a step sends out, under what comes `after` it: float64 (129,)."""
    greys = np.repeat(LEVELS[:, None], 3, axis=1)
    return 100 * luma(display_of(greys, after, table)).astype(np.float64)


def hues_shown(after: Chain, table: Table) -> np.ndarray:
    """Degrees from +Cb at which :data:`HUES` that a step sends out lie on the vectorscope: float64 (72,), rising.

    Where the output leads hues past each other they are kept in order.
    """
    radians = np.radians(HUES)
    colours = opponent.joined(np.array(MID_GREY), DEPTH * np.stack([np.cos(radians), np.sin(radians)], axis=-1))
    cb, cr = chroma_plane(display_of(colours, after, table)).astype(np.float64).T
    return np.maximum.accumulate(np.degrees(np.unwrap(np.arctan2(cr, cb))))
