"""A chain of corrections as the kernels take it."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from dovrel.core.colour.tables import Table
from dovrel.core.develop import kernels
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.extended import Extended, along_curve


def bake_chain(chain: Chain) -> kernels.Baked:
    """Corrections in order as tables; identities are left out."""
    active = [correction for correction in chain if not correction.is_identity]
    count = len(active)
    baked = kernels.Baked(
        mixes=np.zeros(count, np.bool_),
        matrices=np.zeros((count, 9), np.float32),
        curves=np.empty((count, 3, kernels.CURVE_SIZE), np.float32),
        saturations=np.ones(count, np.float32),
    )
    for place, correction in enumerate(active):
        if isinstance(correction, Extended):
            baked.mixes[place] = True
            baked.matrices[place] = np.ravel(correction.matrix)
            for channel in range(3):
                baked.curves[place, channel] = along_curve(kernels.CURVE_AXIS, correction.curves[channel])
        else:
            baked.saturations[place] = correction.saturation
            for channel, curve in enumerate(zip(correction.slope, correction.offset, correction.power, strict=True)):
                baked.curves[place, channel] = _curve(*curve)
    return baked


@lru_cache(maxsize=64)
def _curve(slope: float, offset: float, power: float) -> np.ndarray:
    """A channel's curve, kept: most changes are to one channel only."""
    curve = np.empty(kernels.CURVE_SIZE, np.float32)
    kernels.bake_curve(slope, offset, power, curve)
    return curve


def table_arguments(table: Table) -> tuple[np.ndarray, int, np.float32, np.float32]:
    """A table as the kernels take it: flat nodes, nodes a side, lowest value, nodes per unit."""
    size = table.nodes.shape[0]
    return table.flat, size, np.float32(table.low), np.float32((size - 1) / (table.high - table.low))
