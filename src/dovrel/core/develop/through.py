"""A frame put through a program: by its lattice where its colours alone decide, one by one where they do not."""

from __future__ import annotations

import threading
from collections import OrderedDict

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.develop import lattice, layered, staged
from dovrel.core.develop.kernels import MATTE, NO_MASKS
from dovrel.core.develop.placing import Masks
from dovrel.core.develop.program import Program
from dovrel.core.develop.values import values_through

DIRECT_PIXELS = 200_000
"""Smaller frames are developed pixel by pixel; for larger ones a whole lattice is quicker to bake."""

_MOST_CHANGING = 900_000
"""A whole lattice has as many nodes: where its correction is another on the next frame, fewer pixels are quicker by themselves."""

KEPT_LATTICES = 4
"""Of a picture, of mattes that are cleaned up."""


class _Lattices:
    """The whole lattices baked last: a clip played under one correction bakes once."""

    def __init__(self) -> None:
        self._words: OrderedDict[tuple, np.ndarray] = OrderedDict()
        self._lock = threading.Lock()

    def words(self, grid: lattice.Lattice, program: Program) -> np.ndarray:
        key = (grid, program.key)
        with self._lock:
            if key in self._words:
                self._words.move_to_end(key)
                return self._words[key]
        baked = lattice.bake(grid.nodes(), program)
        with self._lock:
            self._words[key] = baked
            while len(self._words) > KEPT_LATTICES:
                self._words.popitem(last=False)
        return baked


_lattices = _Lattices()


def put_through(
    packed: np.ndarray,
    program: Program,
    masks: Masks = (),
    located: lattice.Located | None = None,
    *,
    changing: bool = False,
) -> np.ndarray:
    """Codes uint16 (3, H, W) of a frame; of a matte the first two alone may be given.

    Parameters
    ----------
    packed : uint16 (H, W, 3), working codes
    masks : its pixels' shares in areas
    located : the same frame in its lattice, if it is to be developed again and again
    changing : whether the next frame has another correction
    """
    if located is not None:
        if masks:
            assert program.areas
            shown = layered.develop_located(located, program.areas, masks)
            return staged.develop_located(located, program.areas, masks) if shown is None else shown
        return lattice.develop_located(located, lattice.bake(located.nodes, program))
    pixels = packed.shape[0] * packed.shape[1]
    if masks and program.areas and pixels > DIRECT_PIXELS:
        return staged.develop(packed, program.areas, masks)
    if pixels > (_MOST_CHANGING if changing else DIRECT_PIXELS):
        grid = lattice.wide_lattice(packed)
        way = lattice.develop_two if program.baked.end == MATTE else lattice.develop
        return way(packed, grid, _lattices.words(grid, program))
    shares = np.stack(masks).reshape(len(masks), -1) if masks else NO_MASKS
    shown = values_through(codes.unpack(packed), program, shares)
    return np.ascontiguousarray(codes.encode_signal(shown).transpose(2, 0, 1))


def warm_up(program: Program) -> None:
    """Compile or load every way through."""
    tiny = np.zeros((4, 4, 3), np.uint16)
    grid = lattice.wide_lattice(tiny, 3)
    lattice.develop(tiny, grid, lattice.bake(grid.nodes(), program))
    half = np.full((4, 4), np.float32(0.5))
    located = lattice.locate(tiny)
    for masks in ((half, half), (half,)):
        for _ in range(2):
            put_through(tiny, program, masks, located)
    if program.areas:
        staged.develop(tiny, program.areas, (half, half))
    put_through(tiny, program)
