"""Naming the colour at one point of the picture."""

from __future__ import annotations

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import stops_from_grey
from dovrel.core.develop.kernels import NO_MASKS
from dovrel.core.develop.masks import masks_of
from dovrel.core.develop.program import Program
from dovrel.core.develop.values import values_through
from dovrel.core.measure.readings import chroma_plane, luma
from dovrel.core.steps.chain import Chain, apply_in_order


def name_point(
    packed: np.ndarray, x: float, y: float, chain: Chain, table: Table, reaching: Chain | None = None
) -> dict:
    """The mean of the 3 × 3 pixels around a point (in parts of width and height) under a chain
    of corrections.

    Returns
    -------
    dict with ``red``, ``green``, ``blue``, ``luma`` in percent; ``hue`` in degrees from +Cb
    and ``chroma`` in percent on the vectorscope; ``stops`` from mid grey, corrected; ``reaching``, the
        working values under the chain of that name, if there is one.
    """
    height, width = packed.shape[:2]
    column, row = min(int(x * width), width - 1), min(int(y * height), height - 1)
    around = slice(max(row - 1, 0), row + 2), slice(max(column - 1, 0), column + 2)
    working = codes.unpack(packed[around].reshape(-1, 3))

    def shares(through: Chain) -> list[np.ndarray]:
        return [mask[around].ravel() for mask in masks_of(packed, through, table)]

    here = shares(chain)
    program, given = Program.of(chain, table), np.stack(here) if here else NO_MASKS
    display = values_through(working, program, given).mean(axis=0, dtype=np.float64)
    reached = None
    if reaching is not None:
        reached = apply_in_order(working, reaching, shares(reaching)).mean(axis=0, dtype=np.float64).tolist()
    working = apply_in_order(working, chain, here)
    cb, cr = chroma_plane(display)
    return {
        "x": x,
        "y": y,
        "red": 100 * float(display[0]),
        "green": 100 * float(display[1]),
        "blue": 100 * float(display[2]),
        "luma": 100 * float(luma(display)),
        "hue": float(np.degrees(np.arctan2(cr, cb)) % 360),
        "chroma": 100 * float(np.hypot(cb, cr)),
        "stops": float(stops_from_grey(working).mean()),
        "reaching": reached,
    }
