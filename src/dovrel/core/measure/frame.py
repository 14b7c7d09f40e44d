"""Developing and measuring one frame: what the live loop, the wall and the command line call."""

from __future__ import annotations

import threading
from collections import OrderedDict
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numba import njit

from dovrel.core.colour.cdl import TenNumbers
from dovrel.core.colour.chain import Chain
from dovrel.core.colour.extended import Extended, along_curve
from dovrel.core.colour.outputs import beyond
from dovrel.core.colour.tables import Table
from dovrel.core.measure import codes, kernels, lattice
from dovrel.core.measure.counting import WAVE_COLUMNS, Scopes, count
from dovrel.core.measure.readings import DEFAULT_PERCENTILES, Percentiles, readings_of_scopes
from dovrel.core.measure.threads import in_parts

DIRECT_PIXELS = 200_000
"""Smaller frames are developed pixel by pixel; for larger ones a whole lattice is quicker to bake."""

KEPT_LATTICES = 2


@dataclass(frozen=True)
class Measured:
    """A developed frame.

    Attributes
    ----------
    display : uint16 (3, H, W), display codes
    picture : uint8 (H, W, 3)
    scopes : counts over the meter
    readings : float64 (10,), percent
    """

    display: np.ndarray
    picture: np.ndarray
    scopes: Scopes
    readings: np.ndarray


def bake_levels(levels: Chain) -> kernels.Baked:
    """Corrections in order as tables; identities are left out."""
    active = [correction for correction in levels if not correction.is_identity]
    count = len(active)
    baked = kernels.Baked(
        mixes=np.zeros(count, np.bool_),
        matrices=np.zeros((count, 9), np.float32),
        curves=np.empty((count, 3, kernels.CURVE_SIZE), np.float32),
        saturations=np.ones(count, np.float32),
    )
    for level, correction in enumerate(active):
        if isinstance(correction, Extended):
            baked.mixes[level] = True
            baked.matrices[level] = np.ravel(correction.matrix)
            for channel in range(3):
                baked.curves[level, channel] = along_curve(kernels.CURVE_AXIS, correction.curves[channel])
        else:
            baked.saturations[level] = correction.saturation
            for channel, curve in enumerate(zip(correction.slope, correction.offset, correction.power, strict=True)):
                baked.curves[level, channel] = _curve(*curve)
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


class _Lattices:
    """The whole lattices baked last: a clip played under one correction bakes once."""

    def __init__(self) -> None:
        self._words: OrderedDict[tuple, tuple[Table, np.ndarray]] = OrderedDict()
        self._lock = threading.Lock()

    def words(self, grid: lattice.Lattice, levels: Chain, table: Table) -> np.ndarray:
        # The table is kept with its words, so that no other can come to have its identity.
        key = (grid, tuple(levels), id(table))
        with self._lock:
            if key in self._words:
                self._words.move_to_end(key)
                return self._words[key][1]
        baked = lattice.bake(grid.nodes(), bake_levels(levels), table_arguments(table))
        with self._lock:
            self._words[key] = (table, baked)
            while len(self._words) > KEPT_LATTICES:
                self._words.popitem(last=False)
        return baked


_lattices = _Lattices()


def develop(
    packed: np.ndarray,
    levels: Chain,
    table: Table,
    located: lattice.Located | None = None,
) -> np.ndarray:
    """Correct and output a frame: display codes uint16 (3, H, W).

    Parameters
    ----------
    packed : uint16 (H, W, 3), working codes (:func:`codes.pack`)
    levels : the corrections, in order
    table : the output table
    located : the same frame in its lattice, if it is to be developed again and again

    Raises
    ------
    ValueError
        If the frame is empty or not (H, W, 3).
    """
    if packed.ndim != 3 or packed.shape[2] != 3 or 0 in packed.shape:
        raise ValueError(f"a frame must be height × width × 3, not {packed.shape}")
    if located is not None:
        words = lattice.bake(located.nodes, bake_levels(levels), table_arguments(table))
        return lattice.develop_located(located, words)
    if packed.shape[0] * packed.shape[1] > DIRECT_PIXELS:
        grid = lattice.wide_lattice(packed)
        return lattice.develop(packed, grid, _lattices.words(grid, levels, table))
    shown = display_of(codes.unpack(packed), levels, table)
    return np.ascontiguousarray(codes.encode_signal(shown).transpose(2, 0, 1))


def measure(
    display: np.ndarray,
    mask: np.ndarray | None = None,
    percentiles: Percentiles = DEFAULT_PERCENTILES,
    columns: int = WAVE_COLUMNS,
) -> tuple[Scopes, np.ndarray]:
    """Scopes and the ten readings of display codes (3, H, W), where `mask` (H, W) is not zero.

    `columns` are those of waveform and parade.

    Raises
    ------
    ValueError
        If the mask leaves nothing to measure.
    """
    scopes = count(display, mask, columns)
    return scopes, readings_of_scopes(scopes, percentiles)


def render(
    packed: np.ndarray,
    levels: Chain,
    table: Table,
    mask: np.ndarray | None = None,
    percentiles: Percentiles = DEFAULT_PERCENTILES,
    located: lattice.Located | None = None,
) -> Measured:
    """Develop, picture and measure one frame; parameters as of :func:`develop` and :func:`measure`."""
    display = develop(packed, levels, table, located)
    scopes, readings = measure(display, mask, percentiles)
    return Measured(display, picture_of(display), scopes, readings)


_BYTES = np.clip(255 * codes.decode_signal(np.arange(8, 65536, 16).astype(np.uint16)) + 0.5, 0, 255).astype(np.uint8)


def picture_of(display: np.ndarray) -> np.ndarray:
    """Display codes (3, H, W) → 8-bit picture (H, W, 3)."""
    picture = np.empty((*display.shape[1:], 3), np.uint8)
    in_parts(display.shape[1], lambda first, last: _to_bytes(display, _BYTES, first, last, picture))
    return picture


@njit(nogil=True, cache=True)
def _to_bytes(display, table, first, last, picture):
    four = np.uint16(4)
    for y in range(first, last):
        for x in range(display.shape[2]):
            picture[y, x, 0] = table[display[0, y, x] >> four]
            picture[y, x, 1] = table[display[1, y, x] >> four]
            picture[y, x, 2] = table[display[2, y, x] >> four]


def display_of(working: np.ndarray, levels: Chain, table: Table) -> np.ndarray:
    """Display values of working values through the tables, float32 of the same shape (..., 3)."""
    flat = np.ascontiguousarray(working, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    kernels.display_of(flat, bake_levels(levels), *table_arguments(table), out)
    return out.reshape(np.shape(working))


INVERSE_ROUNDS = 3


def pack_display(display: np.ndarray, inverse: Table, table: Table) -> np.ndarray:
    """Display values → packed working values which `table` shows as those display values again.

    Parameters
    ----------
    display : float array (..., 3); levels outside 0..1 as of :func:`outputs.beyond`
    inverse, table : the output's inverse and the output (see :mod:`dovrel.core.colour.tables`)

    Returns
    -------
    uint16 array (..., 3), as of :func:`kernels.pack`
    """
    asked = np.nan_to_num(np.ascontiguousarray(display, np.float32)).reshape(-1, 3)
    flat = np.clip(asked, 0, 1)
    packed = np.empty(flat.shape, np.uint16)
    nodes, size, low, step = table_arguments(table)

    def part(first: int, last: int) -> None:
        kernels.display_to_packed(
            flat[first:last],
            inverse.flat,
            inverse.nodes.shape[0],
            nodes,
            size,
            low,
            step,
            INVERSE_ROUNDS,
            packed[first:last],
        )

    in_parts(len(flat), part)
    outside = np.any(asked != flat, axis=1)
    if outside.any():
        packed[outside] = codes.pack(codes.unpack(packed[outside]) + beyond(asked[outside]))
    return packed.reshape(np.shape(display))


def warm_up(table: Table, inverse: Table | None = None) -> None:
    """Compile or load every kernel, so that the first frame is as fast as the next."""
    tiny = np.zeros((4, 4, 3), np.uint16)
    levels = [TenNumbers(saturation=0.9)]
    render(tiny, levels, table, located=lattice.locate(tiny), mask=np.ones((4, 4), np.uint8))
    lattice.develop(tiny, grid := lattice.wide_lattice(tiny, 3), _lattices.words(grid, levels, table))
    display_of(codes.unpack(tiny), [], table)
    if inverse is not None:
        pack_display(np.zeros((1, 3), np.float32), inverse, table)
