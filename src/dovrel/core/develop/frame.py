"""Developing one frame: corrected, put out, and pictured."""

from __future__ import annotations

import threading
from collections import OrderedDict

import numpy as np
from numba import njit

from dovrel.core.colour import codes
from dovrel.core.colour.outputs import beyond
from dovrel.core.colour.tables import Table
from dovrel.core.develop import kernels, lattice
from dovrel.core.develop.program import bake_chain, table_arguments
from dovrel.core.develop.threads import in_parts
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.primary import Primary

DIRECT_PIXELS = 200_000
"""Smaller frames are developed pixel by pixel; for larger ones a whole lattice is quicker to bake."""

_MOST_CHANGING = 900_000
"""A whole lattice has as many nodes: where its correction is another on the next frame, fewer pixels are quicker by themselves."""
_WORTH_TWO_THREADS = 20_000

KEPT_LATTICES = 2


class _Lattices:
    """The whole lattices baked last: a clip played under one correction bakes once."""

    def __init__(self) -> None:
        self._words: OrderedDict[tuple, tuple[Table, np.ndarray]] = OrderedDict()
        self._lock = threading.Lock()

    def words(self, grid: lattice.Lattice, chain: Chain, table: Table) -> np.ndarray:
        # The table is kept with its words, so that no other can come to have its identity.
        key = (grid, tuple(chain), id(table))
        with self._lock:
            if key in self._words:
                self._words.move_to_end(key)
                return self._words[key][1]
        baked = lattice.bake(grid.nodes(), bake_chain(chain), table_arguments(table))
        with self._lock:
            self._words[key] = (table, baked)
            while len(self._words) > KEPT_LATTICES:
                self._words.popitem(last=False)
        return baked


_lattices = _Lattices()


def develop(
    packed: np.ndarray,
    chain: Chain,
    table: Table,
    located: lattice.Located | None = None,
    *,
    changing: bool = False,
) -> np.ndarray:
    """Correct and output a frame: display codes uint16 (3, H, W).

    Parameters
    ----------
    packed : uint16 (H, W, 3), working codes (:func:`codes.pack`)
    chain : the corrections, in order
    table : the output table
    located : the same frame in its lattice, if it is to be developed again and again
    changing : whether the next frame has another correction, as between two keyframes

    Raises
    ------
    ValueError
        If the frame is empty or not (H, W, 3).
    """
    if packed.ndim != 3 or packed.shape[2] != 3 or 0 in packed.shape:
        raise ValueError(f"a frame must be height × width × 3, not {packed.shape}")
    if located is not None:
        words = lattice.bake(located.nodes, bake_chain(chain), table_arguments(table))
        return lattice.develop_located(located, words)
    if packed.shape[0] * packed.shape[1] > (_MOST_CHANGING if changing else DIRECT_PIXELS):
        grid = lattice.wide_lattice(packed)
        return lattice.develop(packed, grid, _lattices.words(grid, chain, table))
    shown = display_of(codes.unpack(packed), chain, table)
    return np.ascontiguousarray(codes.encode_signal(shown).transpose(2, 0, 1))


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


def display_of(working: np.ndarray, chain: Chain, table: Table) -> np.ndarray:
    """Display values of working values through the tables, float32 of the same shape (..., 3)."""
    flat = np.ascontiguousarray(working, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    baked, arguments = bake_chain(chain), table_arguments(table)

    def part(first: int, last: int) -> None:
        kernels.display_of(flat[first:last], baked, *arguments, out[first:last])

    if len(flat) < _WORTH_TWO_THREADS:
        part(0, len(flat))
    else:
        in_parts(len(flat), part)
    return out.reshape(np.shape(working))


MENDING_ROUNDS = 3


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
            MENDING_ROUNDS,
            packed[first:last],
        )

    in_parts(len(flat), part)
    outside = np.any(asked != flat, axis=1)
    if outside.any():
        packed[outside] = codes.pack(codes.unpack(packed[outside]) + beyond(asked[outside]))
    return packed.reshape(np.shape(display))


def warm_up(table: Table, inverse: Table | None = None) -> np.ndarray:
    """Compile or load every kernel of developing; display codes of a black frame, uint16 (3, 4, 4)."""
    tiny = np.zeros((4, 4, 3), np.uint16)
    chain = [Primary(saturation=0.9)]
    lattice.develop(tiny, grid := lattice.wide_lattice(tiny, 3), _lattices.words(grid, chain, table))
    display_of(codes.unpack(tiny), [], table)
    if inverse is not None:
        pack_display(np.zeros((1, 3), np.float32), inverse, table)
    display = develop(tiny, chain, table, lattice.locate(tiny))
    picture_of(display)
    return display
