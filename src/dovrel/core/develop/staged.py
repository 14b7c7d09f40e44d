"""Frames seen once whose pixels lie in areas: by a lattice to the first area, one by one through the areas, by a lattice to the screen.

The lattices are baked when they are asked for a second time: a clip that is played or rendered goes on with them, and of a
correction that is another on each frame only what stays is baked.
"""

from __future__ import annotations

import threading

import numpy as np
from numba import njit

from dovrel.core.colour import codes
from dovrel.core.develop import lattice
from dovrel.core.develop.cells import AT_ONCE, room_for
from dovrel.core.develop.kernels import MATTE, NOTHING, correct, limit, matte_of, put_out
from dovrel.core.develop.placing import Masks
from dovrel.core.develop.program import Areas, Program
from dovrel.core.develop.threads import in_parts
from dovrel.machine.newest import Newest

_REAR_HIGH = int(codes.pack(np.array(1.13)))
REAR = lattice.Lattice((0, 0, 0), (_REAR_HIGH, _REAR_HIGH, _REAR_HIGH), 129)
"""What the areas can make of a frame: nodes as close as those of an output's table."""

_KEPT = 3
_NOTHING_BAKED = np.zeros(0, np.uint64)
_BLOCK = 32 * AT_ONCE
"""Pixels whose shares are brought together at once: they stay in the processor's nearer memory."""


class _SecondTime:
    """The words of whole lattices, baked when they are asked for a second time, and kept."""

    def __init__(self) -> None:
        self._baked: Newest[np.ndarray] = Newest(_KEPT)
        self._asked: Newest[bool] = Newest(4 * _KEPT)
        self._lock = threading.Lock()

    def words(self, grid: lattice.Lattice, program: Program) -> np.ndarray:
        """None of them the first time."""
        key = (grid, program.key)
        with self._lock:
            if (known := self._baked.get(key)) is not None:
                return known
            if not self._asked.get(key):
                self._asked.keep(key, True)
                return _NOTHING_BAKED
            return self._baked.keep(key, lattice.bake(grid.nodes(), program))


_fronts, _rears = _SecondTime(), _SecondTime()


def develop(packed: np.ndarray, areas: Areas, masks: Masks) -> np.ndarray:
    """Codes uint16 (3, H, W) of a frame uint16 (H, W, 3) whose pixels have shares in areas."""
    height, width = packed.shape[:2]
    grid = lattice.wide_lattice(packed)
    front = _fronts.words(grid, areas.head)
    rear = _NOTHING_BAKED if areas.matte else _rears.words(REAR, areas.after)
    baked = areas.baked(after_front=front.size > 0, before_rear=rear.size > 0)
    flat, out = packed.reshape(-1, 3), np.empty((3, height * width), np.uint16)
    before, after = (grid.steps, grid.size, front), (REAR.steps, REAR.size, rear)
    flat_masks = [mask.reshape(-1) for mask in masks]

    def part(first: int, last: int) -> None:
        room = np.empty((len(masks), _BLOCK), np.float32)
        for start in range(first, last, _BLOCK):
            end = min(start + _BLOCK, last)
            for mask, shares in zip(flat_masks, room, strict=True):
                shares[: end - start] = mask[start:end]
            _develop(flat[start:end], before, baked, room, areas.arguments, after, out[:, start:end])

    in_parts(height * width, part)
    return out.reshape(3, height, width)


@njit(nogil=True, cache=True, fastmath=True)
def _develop(packed, before, baked, masks, table, after, out):
    """Pixels uint16 (N, 3) into codes `out` (3, N): through a lattice's words, the steps, and another's words or all that is left."""
    room, cells_room = np.empty((AT_ONCE, 3), np.float32), np.empty((4, AT_ONCE), np.int32)
    steps, size, words = before
    nodes, nodes_a_side, low, step = table
    scale, start = np.float32(codes.PACK_SCALE), np.float32(codes.PACK_LOW)
    for first in range(0, packed.shape[0], AT_ONCE):
        count = min(AT_ONCE, packed.shape[0] - first)
        values, cells = room[:count], room_for(count, cells_room)
        if words.size > 0:
            lattice.working_into(packed, first, steps, size, words, cells, values)
        else:
            for n in range(values.shape[0]):
                for channel in range(3):
                    values[n, channel] = np.float32(packed[first + n, channel]) / scale + start
        correct(values, baked, masks, first)
        if baked.end == NOTHING:
            lattice.codes_into(values, after[0], after[1], after[2], cells, out, first)
            continue
        if baked.end == MATTE:
            matte_of(values, baked.stages.size, baked.numbers, baked.samples)
        else:
            put_out(values, nodes, nodes_a_side, low, step)
            if baked.limited:
                limit(values, baked.limits)
        lattice.as_codes(values, out, first)
