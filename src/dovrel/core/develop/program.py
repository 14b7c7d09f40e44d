"""A chain of steps' values as the kernels take it. A new kind gets a function here that bakes it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any

import numpy as np

from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import STOP
from dovrel.core.develop import curving, kernels, selecting
from dovrel.core.steps import opponent
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.clipped_highs import ClippedHighs
from dovrel.core.steps.curves import Curve, Curves
from dovrel.core.steps.density import Density
from dovrel.core.steps.extended import Extended, along_curve
from dovrel.core.steps.finish import Finish
from dovrel.core.steps.hue_turns import HueTurns
from dovrel.core.steps.limits import Limits
from dovrel.core.steps.look import Look, lost
from dovrel.core.steps.pick import Pick, metric, middle_and_half
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.rebuild import CHANNELS, SOFT, Rebuild
from dovrel.core.steps.selection import Selection
from dovrel.core.steps.treatment import Treatment
from dovrel.core.steps.zone_tints import ZoneTints
from dovrel.machine.newest import Same


@dataclass(frozen=True)
class _Begin:
    """A selection begins; `mask` is which of the masks says where, `inner` how many stages later those for elsewhere begin."""

    selection: Selection
    mask: int
    inner: int


class _Elsewhere:
    """What is done to all that is not selected begins."""


class _Together:
    """What was done to both is brought together."""


def _flat(chain: Chain) -> list[Any]:
    """What is to be baked, in order: values that do something, a selection's between marks."""
    flat: list[Any] = []
    mask = 0
    for values in chain:
        if isinstance(values, Selection):
            here, elsewhere = ([one for one in side if not one.is_identity] for side in (values.inside, values.outside))
            if here or elsewhere:
                flat += [_Begin(values, mask, len(here) + 1), *here, _Elsewhere(), *elsewhere, _Together()]
                mask += values.is_spatial
        elif not (values.is_identity or isinstance(values, Limits | Finish | Treatment)):
            flat.append(values)
    return flat


def bake_chain(chain: Chain, matte: Pick | None = None, end: int = kernels.OUTPUT) -> kernels.Baked:
    """Values in order as tables; identities are left out. With a pick, its matte over them in the place of a picture."""
    active = _flat(chain)
    count = len(active)
    slots = np.cumsum([isinstance(values, _IN_COLOUR) for values in active], dtype=np.int64) - 1
    colours = int(slots[-1]) + 1 if count else 0
    picks = [one.selection.pick for one in active if isinstance(one, _Begin) and not one.selection.is_spatial]
    samples = [_samples(pick) for pick in (*picks, matte) if pick]
    baked = kernels.Baked(
        stages=np.zeros(count, np.int64),
        numbers=np.zeros((count + 1, kernels.NUMBERS), np.float32),
        curves=np.empty((count, 3, curving.CURVE_SIZE), np.float32),
        saturations=np.ones(count, np.float32),
        slots=slots,
        hues=np.empty((colours, kernels.HUES + 1, 3), np.float32),
        depths=np.empty((colours, kernels.DEPTHS, 3), np.float32),
        zones=np.zeros((colours, curving.CURVE_SIZE, 2), np.float32),
        looks=_tables_of(tuple(values for values in active if isinstance(values, Look))),
        limits=np.array([-_FAR, _FAR, 1.0], np.float32),
        limited=any(isinstance(values, Limits) for values in chain),
        samples=np.concatenate(samples) if samples else np.zeros((0, 7), np.float32),
        selects=any(isinstance(one, _Begin) for one in active),
        end=kernels.MATTE if matte else end,
    )
    slots[[isinstance(values, Look) for values in active]] = np.arange(len(baked.looks))
    baked.hues[:] = _NO_TURN
    baked.depths[:] = _AS_DEEP
    first = 0
    for place, values in enumerate(active):
        if isinstance(values, _Begin):
            first = _bake_begin(values, baked, place, first)
        else:
            _BAKED_BY[type(values)](values, baked, place)
    if matte:
        baked.numbers[count, :11] = _pick_numbers(matte, first)
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
    baked.numbers[place, :9] = np.ravel(extended.matrix)
    for channel in range(3):
        baked.curves[place, channel] = along_curve(curving.CURVE_AXIS, extended.curves[channel])


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
    return zones.tint_at(curving.CURVE_AXIS).astype(np.float32)


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


def _bake_look(look: Look, baked: kernels.Baked, place: int) -> None:
    baked.stages[place] = kernels.LOOK
    table = look.table
    _, size, low, step = table_arguments(table)
    baked.numbers[place, :4] = look.strength, size, low, step


def _tables_of(looks: tuple[Look, ...]) -> np.ndarray:
    """The tables of looks as the kernels take them; of one it is the table itself, since a hand bakes it again and again."""
    if len(looks) == 1:
        return looks[0].table.flat[None]
    return np.stack([look.table.flat for look in looks]) if looks else np.zeros((0, 0), np.float32)


def _bake_begin(begin: _Begin, baked: kernels.Baked, place: int, first: int) -> int:
    """A selection's beginning; its samples stand from `first` on, the next one's from what is returned."""
    selection = begin.selection
    baked.numbers[place, kernels.INNER] = begin.inner
    if selection.is_spatial:
        baked.stages[place] = selecting.AREA
        baked.numbers[place, 0] = begin.mask
        return first
    assert selection.pick
    baked.stages[place] = selecting.PICK
    baked.numbers[place, :11] = _pick_numbers(selection.pick, first)
    return first + len(selection.pick.taken) + len(selection.pick.left)


def _bake_elsewhere(_: _Elsewhere, baked: kernels.Baked, place: int) -> None:
    baked.stages[place] = selecting.ELSEWHERE


def _bake_together(_: _Together, baked: kernels.Baked, place: int) -> None:
    baked.stages[place] = selecting.TOGETHER


def _pick_numbers(pick: Pick, first: int) -> list[float]:
    everything = (-_FAR, _FAR)
    hues = middle_and_half(pick.hues) if pick.hues else (0.0, 180.0)
    ranges = (*(pick.levels or everything), *(pick.depths or everything), *hues)
    return [first, len(pick.taken), len(pick.left), pick.reach, pick.soft, *ranges]


@lru_cache(maxsize=64)
def _samples(pick: Pick) -> np.ndarray:
    rows = [(one.x, one.y, one.level, *metric(one)) for one in (*pick.taken, *pick.left)]
    return np.array(rows, np.float32)


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
    Look: _bake_look,
    _Elsewhere: _bake_elsewhere,
    _Together: _bake_together,
}


@lru_cache(maxsize=64)
def _channel_curve(first: Curve, second: Curve) -> np.ndarray:
    """A channel's curve of two, kept as those of ten numbers are."""
    return second.at(first.at(curving.CURVE_AXIS)).astype(np.float32)


@lru_cache(maxsize=64)
def _curve(slope: float, offset: float, power: float) -> np.ndarray:
    """A channel's curve, kept: most changes are to one channel only."""
    curve = np.empty(curving.CURVE_SIZE, np.float32)
    curving.bake_curve(slope, offset, power, curve)
    return curve


@dataclass(frozen=True, eq=False)
class Program:
    """What pixels are put through: steps and the output's table, or steps and a pick whose matte is wanted.

    Attributes
    ----------
    baked, table : as the kernels take them
    key : what it does to colours that lie in no area, the key of its tables
    areas : its parts about the areas, where a selection needs places
    """

    baked: kernels.Baked
    table: tuple[np.ndarray, int, np.float32, np.float32]
    key: tuple = ()
    areas: Areas | None = None

    @classmethod
    def of(cls, chain: Chain, table: Table, matte: Pick | None = None) -> Program:
        gone = lost(chain)
        chain = [values for values in chain if values not in gone]
        places = [n for n, values in enumerate(chain) if isinstance(values, Selection) and values.is_spatial]
        areas = Areas(chain, places[0], places[-1] + 1, table, matte) if places else None
        return cls(bake_chain(chain, matte), table_arguments(table), (_in_no_area(chain), matte, Same(table)), areas)


@dataclass(frozen=True, eq=False)
class Areas:
    """A chain whose areas begin with one of its steps and end before another; its parts are baked when they are asked for.

    With a pick whose matte is wanted, that comes after them.
    """

    chain: Chain
    first: int
    end: int
    table: Table
    matte: Pick | None

    @cached_property
    def head(self) -> Program:
        """What comes before the first area, without an output."""
        before = self.chain[: self.first]
        key = _in_no_area(before), kernels.NOTHING
        return Program(bake_chain(before, end=kernels.NOTHING), table_arguments(self.table), key)

    @cached_property
    def tail(self) -> Program:
        """All from the first area on."""
        return Program(bake_chain(self.chain[self.first :], self.matte), table_arguments(self.table))

    @cached_property
    def after(self) -> Program:
        """What comes after the last area, with the output and all limits."""
        limits = [one for one in self.chain[: self.end] if isinstance(one, Limits)]
        return Program.of([*self.chain[self.end :], *limits], self.table)

    @property
    def arguments(self) -> tuple[np.ndarray, int, np.float32, np.float32]:
        return table_arguments(self.table)

    def baked(self, *, after_front: bool, before_rear: bool) -> kernels.Baked:
        """All but what comes before the areas, or all but what comes after them, or but both."""
        chain = self.chain[self.first if after_front else 0 : self.end if before_rear else None]
        return bake_chain(chain, self.matte, kernels.NOTHING if before_rear else kernels.OUTPUT)


def _in_no_area(chain: Chain) -> tuple:
    """What a chain does to colours that lie in no area."""
    flat: list[Any] = []
    for values in chain:
        flat += values.outside if isinstance(values, Selection) and values.is_spatial else (values,)
    return tuple(flat)


def table_arguments(table: Table) -> tuple[np.ndarray, int, np.float32, np.float32]:
    """A table as the kernels take it: flat nodes, nodes a side, lowest value, nodes per unit."""
    size = table.nodes.shape[0]
    return table.flat, size, np.float32(table.low), np.float32((size - 1) / (table.high - table.low))
