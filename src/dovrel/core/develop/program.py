"""A chain of steps' values as the kernels take it. A new kind gets a function here that bakes it."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any

import numpy as np

from dovrel.core.colour.tables import Table
from dovrel.core.develop import kernels
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.extended import Extended, along_curve
from dovrel.core.steps.primary import Primary


def bake_chain(chain: Chain) -> kernels.Baked:
    """Values in order as tables; identities are left out."""
    active = [values for values in chain if not values.is_identity]
    count = len(active)
    baked = kernels.Baked(
        mixes=np.zeros(count, np.bool_),
        matrices=np.zeros((count, 9), np.float32),
        curves=np.empty((count, 3, kernels.CURVE_SIZE), np.float32),
        saturations=np.ones(count, np.float32),
    )
    for place, values in enumerate(active):
        _BAKED_BY[type(values)](values, baked, place)
    return baked


def _bake_primary(primary: Primary, baked: kernels.Baked, place: int) -> None:
    baked.saturations[place] = primary.saturation
    for channel, curve in enumerate(zip(primary.slope, primary.offset, primary.power, strict=True)):
        baked.curves[place, channel] = _curve(*curve)


def _bake_extended(extended: Extended, baked: kernels.Baked, place: int) -> None:
    baked.mixes[place] = True
    baked.matrices[place] = np.ravel(extended.matrix)
    for channel in range(3):
        baked.curves[place, channel] = along_curve(kernels.CURVE_AXIS, extended.curves[channel])


_BAKED_BY: dict[type, Callable[[Any, kernels.Baked, int], None]] = {Primary: _bake_primary, Extended: _bake_extended}


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
