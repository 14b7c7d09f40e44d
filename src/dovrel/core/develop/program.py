"""A chain of steps' values as the kernels take it. A new kind gets a function here that bakes it."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any

import numpy as np

from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import STOP
from dovrel.core.develop import kernels
from dovrel.core.steps import opponent
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.clipped_highs import ClippedHighs
from dovrel.core.steps.curves import Curve, Curves
from dovrel.core.steps.density import Density
from dovrel.core.steps.extended import Extended, along_curve
from dovrel.core.steps.hue_turns import HueTurns
from dovrel.core.steps.limits import Limits
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.rebuild import CHANNELS, SOFT, Rebuild
from dovrel.core.steps.zone_tints import ZoneTints


def bake_chain(chain: Chain) -> kernels.Baked:
    """Values in order as tables; identities are left out."""
    active = [values for values in chain if not (values.is_identity or isinstance(values, Limits))]
    count = len(active)
    slots = np.cumsum([isinstance(values, _IN_COLOUR) for values in active], dtype=np.int64) - 1
    colours = int(slots[-1]) + 1 if count else 0
    baked = kernels.Baked(
        stages=np.zeros(count, np.int64),
        numbers=np.zeros((count, 9), np.float32),
        curves=np.empty((count, 3, kernels.CURVE_SIZE), np.float32),
        saturations=np.ones(count, np.float32),
        slots=slots,
        hues=np.empty((colours, kernels.HUES + 1, 3), np.float32),
        depths=np.empty((colours, kernels.DEPTHS, 3), np.float32),
        zones=np.zeros((colours, kernels.CURVE_SIZE, 2), np.float32),
        limits=np.array([-_FAR, _FAR, 1.0], np.float32),
        limited=any(isinstance(values, Limits) for values in chain),
    )
    baked.hues[:] = _NO_TURN
    baked.depths[:] = _AS_DEEP
    for place, values in enumerate(active):
        _BAKED_BY[type(values)](values, baked, place)
    for values in chain:
        if isinstance(values, Limits):
            baked.limits[:] = (values.low / 100, values.high / 100, max(values.soft / 100, 1e-6))
    return baked


_FAR = 1e3
"""No display value lies as far from black."""
_NO_TURN, _AS_DEEP = (1.0, 0.0, 0.0), (1.0, 0.0, 0.0)
_HUE_AXIS = np.linspace(0.0, 360.0, kernels.HUES + 1)


def _bake_primary(primary: Primary, baked: kernels.Baked, place: int) -> None:
    baked.saturations[place] = primary.saturation
    for channel, curve in enumerate(zip(primary.slope, primary.offset, primary.power, strict=True)):
        baked.curves[place, channel] = _curve(*curve)


def _bake_extended(extended: Extended, baked: kernels.Baked, place: int) -> None:
    baked.stages[place] = kernels.MATRIX
    baked.numbers[place] = np.ravel(extended.matrix)
    for channel in range(3):
        baked.curves[place, channel] = along_curve(kernels.CURVE_AXIS, extended.curves[channel])


def _bake_curves(curves: Curves, baked: kernels.Baked, place: int) -> None:
    for channel in range(3):
        baked.curves[place, channel] = _channel_curve(curves.all, curves.channels[channel])


def _bake_hues(turns: HueTurns, baked: kernels.Baked, place: int) -> None:
    slot = _in_colour(baked, place)
    baked.hues[slot] = _hue_table(turns)
    baked.depths[slot, :, 2] = _FELT


def _bake_density(density: Density, baked: kernels.Baked, place: int) -> None:
    baked.depths[_in_colour(baked, place)] = _depth_table(density)


def _bake_zones(zones: ZoneTints, baked: kernels.Baked, place: int) -> None:
    baked.zones[_in_colour(baked, place)] = _zone_table(zones)


_FELT = opponent.coloured(kernels.DEPTH_AXIS).astype(np.float32)
"""How far lightness by hue is felt at a depth of colour."""


# Kept, since a hand moves one step of a correction at a time.
@lru_cache(maxsize=16)
def _hue_table(turns: HueTurns) -> np.ndarray:
    turn, colour, lightness = turns.done_at(_HUE_AXIS)
    radians = np.radians(turn)
    table = [colour * np.cos(radians), colour * np.sin(radians), STOP * lightness]
    return np.stack(table, axis=-1).astype(np.float32)


@lru_cache(maxsize=16)
def _depth_table(density: Density) -> np.ndarray:
    depths = kernels.DEPTH_AXIS
    table = [density.strength(depths), -density.darker(depths), np.zeros_like(depths)]
    return np.stack(table, axis=-1).astype(np.float32)


@lru_cache(maxsize=16)
def _zone_table(zones: ZoneTints) -> np.ndarray:
    return zones.tint_at(kernels.CURVE_AXIS).astype(np.float32)


def _in_colour(baked: kernels.Baked, place: int) -> int:
    baked.stages[place] = kernels.COLOUR
    return int(baked.slots[place])


def _bake_rebuild(rebuild: Rebuild, baked: kernels.Baked, place: int) -> None:
    baked.stages[place] = kernels.REBUILD
    which = CHANNELS.index(rebuild.channel)
    baked.numbers[place, :8] = (*rebuild.weights, rebuild.offset, rebuild.kept, SOFT, rebuild.amount, which)


def _bake_highs(highs: ClippedHighs, baked: kernels.Baked, place: int) -> None:
    baked.stages[place] = kernels.HIGHS
    baked.numbers[place, :8] = (*highs.ceilings, highs.soft * STOP, *highs.neutral, highs.reach)


_IN_COLOUR = (HueTurns, Density, ZoneTints)
"""Kinds that work in the opponent space, by tables over hue, depth of colour and level."""

_BAKED_BY: dict[type, Callable[[Any, kernels.Baked, int], None]] = {
    Primary: _bake_primary,
    Extended: _bake_extended,
    Curves: _bake_curves,
    HueTurns: _bake_hues,
    Density: _bake_density,
    ZoneTints: _bake_zones,
    Rebuild: _bake_rebuild,
    ClippedHighs: _bake_highs,
}


@lru_cache(maxsize=64)
def _channel_curve(first: Curve, second: Curve) -> np.ndarray:
    """A channel's curve of two, kept as those of ten numbers are."""
    return second.at(first.at(kernels.CURVE_AXIS)).astype(np.float32)


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
