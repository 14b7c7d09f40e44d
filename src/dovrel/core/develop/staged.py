"""Frames whose pixels lie in areas: by a lattice to the first area, one by one through the areas, by a lattice to the screen.

The lattices are baked when they are asked for a second time: a clip that is played or rendered goes on with them, and of a
correction that is another on each frame only what stays is baked.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.develop import lattice
from dovrel.core.develop.cells import AT_ONCE, room_for
from dovrel.core.develop.kernels import MATTE, NOTHING, Baked, correct, limit, matte_of, put_out
from dovrel.core.develop.placing import Masks
from dovrel.core.develop.program import Areas, Program
from dovrel.core.develop.threads import in_parts
from dovrel.machine.kernels import njit
from dovrel.machine.newest import SecondTime

_REAR_HIGH = int(codes.pack(np.array(1.13)))
REAR = lattice.Lattice((0, 0, 0), (_REAR_HIGH, _REAR_HIGH, _REAR_HIGH), 129)
"""What the areas can make of a frame: nodes as close as those of an output's table."""

_Way = tuple[np.ndarray, int, np.ndarray]
_KEPT = 3
_NOTHING_BAKED = np.zeros(0, np.uint64)
_BLOCK = 32 * AT_ONCE
"""Pixels whose shares are brought together at once: they stay in the processor's nearer memory."""


_fronts: SecondTime[np.ndarray] = SecondTime(_KEPT)
_rears: SecondTime[np.ndarray] = SecondTime(_KEPT)


def develop(packed: np.ndarray, areas: Areas, masks: Masks) -> np.ndarray:
    """Codes uint16 (3, H, W) of a frame uint16 (H, W, 3) whose pixels have shares in areas."""
    grid, flat = lattice.wide_lattice(packed), packed.reshape(-1, 3)
    front = _words(_fronts, grid, areas.head)
    before = grid.steps, grid.size, front

    def work(first: int, last: int, baked: Baked, shares: np.ndarray, after: _Way, out: np.ndarray) -> None:
        _develop(flat[first:last], before, baked, shares, areas.arguments, after, out)

    return _in_blocks(packed.shape[:2], areas, masks, work, after_front=front.size > 0)


def develop_located(located: lattice.Located, areas: Areas, masks: Masks) -> np.ndarray:
    """The same of a located frame, which comes to the first area by the nodes in use."""
    corners, weights = located.corners.reshape(-1, 4), located.weights.reshape(-1, 4)
    words = lattice.bake(located.nodes, areas.head)

    def work(first: int, last: int, baked: Baked, shares: np.ndarray, after: _Way, out: np.ndarray) -> None:
        _develop_located(corners[first:last], weights[first:last], words, baked, shares, areas.arguments, after, out)

    return _in_blocks(located.corners.shape[:2], areas, masks, work, after_front=True)


def _words(kept: SecondTime[np.ndarray], grid: lattice.Lattice, program: Program) -> np.ndarray:
    """Words of a whole lattice; none the first time."""
    words = kept.get((grid, program.key), lambda: lattice.bake(grid.nodes(), program))
    return _NOTHING_BAKED if words is None else words


def _in_blocks(
    size: tuple[int, ...],
    areas: Areas,
    masks: Masks,
    work: Callable[[int, int, Baked, np.ndarray, _Way, np.ndarray], None],
    *,
    after_front: bool,
) -> np.ndarray:
    """Codes of a picture's pixels by `work`, a block at a time, which gets what is to be done, shares and what comes after."""
    rear = _NOTHING_BAKED if areas.matte else _words(_rears, REAR, areas.after)
    baked, after = areas.baked(after_front=after_front, before_rear=rear.size > 0), (REAR.steps, REAR.size, rear)
    height, width = size
    out = np.empty((3, height * width), np.uint16)
    flat_masks = [mask.reshape(-1) for mask in masks]

    def part(first: int, last: int) -> None:
        room = np.empty((len(masks), _BLOCK), np.float32)
        for start in range(first, last, _BLOCK):
            end = min(start + _BLOCK, last)
            for mask, shares in zip(flat_masks, room, strict=True):
                shares[: end - start] = mask[start:end]
            work(start, end, baked, room, after, out[:, start:end])

    in_parts(height * width, part)
    return out.reshape(3, height, width)


@njit(nogil=True, cache=True, fastmath=True)
def _develop(packed, before, baked, masks, table, after, out):
    """Pixels uint16 (N, 3) into codes `out` (3, N): through a lattice's words if there are any, and on as :func:`_go_on`."""
    room, cells_room = np.empty((AT_ONCE, 3), np.float32), np.empty((4, AT_ONCE), np.int32)
    steps, size, words = before
    scale, start = np.float32(codes.PACK_SCALE), np.float32(codes.PACK_LOW)
    for first in range(0, packed.shape[0], AT_ONCE):
        count = min(AT_ONCE, packed.shape[0] - first)
        values, cells = room[:count], room_for(count, cells_room)
        if words.size > 0:
            lattice.working_into(packed, first, steps, size, words, cells, values)
        else:
            for n in range(count):
                for channel in range(3):
                    values[n, channel] = np.float32(packed[first + n, channel]) / scale + start
        _go_on(values, baked, masks, first, table, after, cells, out)


@njit(nogil=True, cache=True, fastmath=True)
def _develop_located(corners, weights, words, baked, masks, table, after, out):
    """The same of located pixels."""
    room, cells_room = np.empty((AT_ONCE, 3), np.float32), np.empty((4, AT_ONCE), np.int32)
    for first in range(0, corners.shape[0], AT_ONCE):
        count = min(AT_ONCE, corners.shape[0] - first)
        values = room[:count]
        lattice.working_of_located(corners, weights, first, words, values)
        _go_on(values, baked, masks, first, table, after, room_for(count, cells_room), out)


@njit(nogil=True, cache=True, fastmath=True)
def _go_on(values, baked, masks, first, table, after, cells, out):
    """Working values of pixels from `first` on: through the steps, and through another lattice's words or all that is left."""
    correct(values, baked, masks, first)
    if baked.end == NOTHING:
        lattice.codes_into(values, after[0], after[1], after[2], cells, out, first)
        return
    if baked.end == MATTE:
        matte_of(values, baked.stages.size, baked.numbers, baked.samples)
    else:
        put_out(values, table[0], table[1], table[2], table[3])
        if baked.limited:
            limit(values, baked.limits)
    lattice.as_codes(values, out, first)
