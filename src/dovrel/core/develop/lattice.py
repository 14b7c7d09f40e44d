"""A correction baked into a lattice over a frame's own colours, and frames developed through it.

Tetrahedral interpolation (six tetrahedra about the grey diagonal, :mod:`dovrel.core.develop.cells`) with integer addresses
and weights. A lattice spans the range of codes of the frame it is for, so its nodes lie close; a
:class:`Located` frame has its pixels' nodes and weights worked out once, so that a new
correction costs only the baking of the nodes in use and one weighted sum a pixel.

Two more places know the tetrahedron, since none of the three can be had from another without loss: `kernels.look_up`
reads a table of floats by floats, as exactly as they are; `whole.tetrahedral_weights` gives the weights themselves, as
a matrix in float64, for a fit.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.develop.cells import (
    AT_ONCE,
    FRACTION,
    cells_from,
    codes_apart,
    locate_cells,
    looked_up,
    nodes_of,
    weighted,
    weights_of,
)
from dovrel.core.develop.kernels import AS_SIGNAL, NO_MASKS, display_of
from dovrel.core.develop.program import Program
from dovrel.core.develop.threads import THREADS, in_parts, part_number
from dovrel.machine.kernels import njit

SIZE = 97
_LEAST_RANGE = 2048
_MOST_NODES = 65535
_ROUND = 4096
"""Ranges of whole lattices are widened to multiples of this, so that frames alike share one."""


@dataclass(frozen=True)
class Lattice:
    """Even nodes over a range of working codes.

    Attributes
    ----------
    low, high : the lowest and highest working code of each channel
    size : nodes a side
    """

    low: tuple[int, int, int]
    high: tuple[int, int, int]
    size: int = SIZE

    @property
    def steps(self) -> np.ndarray:
        """Low of each channel, then positions in nodes · 2¹² per code: float32 (6,), for :mod:`dovrel.core.develop.cells`."""
        low, high = np.array(self.low), np.array(self.high)
        by = ((self.size - 1) << FRACTION) / np.maximum(high - low, 1)
        return np.concatenate([low, by]).astype(np.float32)

    def working_at(self, index: np.ndarray) -> np.ndarray:
        """Working values of nodes by number (red slowest), float32 (N, 3)."""
        cells = np.unravel_index(index, (self.size,) * 3)
        return np.stack([axis[cell] for axis, cell in zip(self._axes(), cells, strict=True)], axis=-1)

    def nodes(self) -> np.ndarray:
        """Working values of all nodes, red slowest, float32 (size³, 3)."""
        return np.stack(np.meshgrid(*self._axes(), indexing="ij"), axis=-1).reshape(-1, 3)

    def _axes(self) -> list[np.ndarray]:
        ends = zip(self.low, self.high, strict=True)
        return [
            (np.linspace(low, high, self.size) / codes.PACK_SCALE + codes.PACK_LOW).astype(np.float32)
            for low, high in ends
        ]


@dataclass(frozen=True, eq=False)
class Located:
    """A frame in its lattice.

    Attributes
    ----------
    nodes : float32 (N, 3), working values of the nodes in use
    corners : uint16 (H, W, 4), which nodes a pixel lies between
    weights : uint16 (H, W, 4), their weights, 4096 in all
    """

    nodes: np.ndarray
    corners: np.ndarray
    weights: np.ndarray

    @property
    def nbytes(self) -> int:
        return self.nodes.nbytes + self.corners.nbytes + self.weights.nbytes


def range_of(packed: np.ndarray) -> tuple[tuple[int, int, int], tuple[int, int, int]]:
    """Lowest and highest working code of each channel, at least 2048 apart."""
    flat = packed.reshape(-1, 3)
    found = np.empty((THREADS, 2, 3), np.int64)
    found[:, 0], found[:, 1] = 65535, 0
    in_parts(len(flat), lambda first, last: _extremes(flat[first:last], found[part_number(first, len(flat))]))
    low, high = found[:, 0].min(axis=0), found[:, 1].max(axis=0)
    middle = (low + high) // 2
    narrow = high - low < _LEAST_RANGE
    low = np.where(narrow, np.clip(middle - _LEAST_RANGE // 2, 0, 65535 - _LEAST_RANGE), low)
    high = np.where(narrow, low + _LEAST_RANGE, high)
    r, g, b = (int(value) for value in low)
    x, y, z = (int(value) for value in high)
    return (r, g, b), (x, y, z)


def wide_lattice(packed: np.ndarray, size: int = SIZE) -> Lattice:
    """A lattice over a frame's range, widened so that frames alike get the same one."""
    low, high = range_of(packed)
    r, g, b = (value // _ROUND * _ROUND for value in low)
    x, y, z = (min(-(-value // _ROUND) * _ROUND, 65535) for value in high)
    return Lattice((r, g, b), (x, y, z), size)


def locate(packed: np.ndarray) -> Located:
    """Work out the nodes and weights of a frame's pixels.

    Parameters
    ----------
    packed : uint16 (H, W, 3), working codes
    """
    height, width = packed.shape[:2]
    flat = packed.reshape(-1, 3)
    lattice = Lattice(*range_of(packed))
    index = _nodes_in_use(flat, lattice)
    while len(index) > _MOST_NODES:
        lattice = replace(lattice, size=(lattice.size + 1) // 2)
        index = _nodes_in_use(flat, lattice)
    steps, size = lattice.steps, lattice.size
    rank = np.zeros(size**3, np.uint16)
    rank[index] = np.arange(len(index), dtype=np.uint16)
    corners, weights = np.empty((len(flat), 4), np.uint16), np.empty((len(flat), 4), np.uint16)
    in_parts(len(flat), lambda first, last: _locate(flat, steps, size, rank, first, last, corners, weights))
    return Located(lattice.working_at(index), corners.reshape(height, width, 4), weights.reshape(height, width, 4))


def _nodes_in_use(flat: np.ndarray, lattice: Lattice) -> np.ndarray:
    """Numbers of the nodes that pixels uint16 (N, 3) lie between, rising."""
    steps, size = lattice.steps, lattice.size
    used = np.zeros(size**3, np.uint8)
    in_parts(len(flat), lambda first, last: _mark(flat, steps, size, first, last, used))
    return np.flatnonzero(used)


def bake(working: np.ndarray, program: Program, masks: np.ndarray = NO_MASKS) -> np.ndarray:
    """Nodes (N, 3) put through a program, as the kernels take them: uint64 (2 N,).

    Display codes of red and green in the halves of the first word, blue in the second. `masks` float32 (k, N) are the
    nodes' shares in areas.
    """
    words = np.empty(2 * len(working), np.uint64)
    nodes, size, low, step = program.table

    def part(first: int, last: int) -> None:
        shown = np.empty((last - first, 3), np.float32)
        here = np.ascontiguousarray(masks[:, first:last])
        display_of(working[first:last], program.baked, here, nodes, size, low, step, shown)
        _to_words(shown, first, words)

    in_parts(len(working), part)
    return words


def words_of(shown: np.ndarray) -> np.ndarray:
    """Display values float32 (N, 3) as :func:`bake` gives them: uint64 (2 N,)."""
    words = np.empty(2 * len(shown), np.uint64)
    _to_words(shown, 0, words)
    return words


def table_words(values: np.ndarray) -> np.ndarray:
    """Any table's nodes uint16 (N, 3) as :func:`develop` takes them: uint64 (2 N,)."""
    words = np.empty((len(values), 2), np.uint64)
    words[:, 0] = (values[:, 0].astype(np.uint64) << np.uint64(32)) | values[:, 1]
    words[:, 1] = values[:, 2]
    return words.ravel()


def develop_located(located: Located, words: np.ndarray) -> np.ndarray:
    """Display codes uint16 (3, H, W) of a located frame under baked nodes."""
    height, width = located.corners.shape[:2]
    out = np.empty((3, height, width), np.uint16)
    in_parts(height, lambda first, last: _sum(located.corners, located.weights, words, first, last, out))
    return out


def develop_two(packed: np.ndarray, lattice: Lattice, words: np.ndarray) -> np.ndarray:
    """The first two planes of what :func:`develop` gives, uint16 (2, H, W), in less time."""
    flat, out = packed.reshape(-1, 3), np.empty((2, *packed.shape[:2]), np.uint16)
    steps, size, planes = lattice.steps, lattice.size, out.reshape(2, -1)
    in_parts(len(flat), lambda first, last: _develop_two(flat, steps, size, words, first, last, planes))
    return out


def develop(packed: np.ndarray, lattice: Lattice, words: np.ndarray, interleaved: bool = False) -> np.ndarray:
    """Codes of a frame through a whole baked lattice: uint16 (3, H, W), or (H, W, 3) in memory if `interleaved`."""
    height, width = packed.shape[:2]
    out = np.empty((height, width, 3) if interleaved else (3, height, width), np.uint16)
    flat, planes = packed.reshape(-1, 3), out.reshape(-1, 3).T if interleaved else out.reshape(3, -1)
    steps, size = lattice.steps, lattice.size
    in_parts(len(flat), lambda first, last: _develop(flat, steps, size, words, first, last, planes))
    return out


@njit(nogil=True, cache=True)
def _extremes(flat, found):
    r0, g0, b0 = np.uint16(65535), np.uint16(65535), np.uint16(65535)
    r1, g1, b1 = np.uint16(0), np.uint16(0), np.uint16(0)
    for n in range(flat.shape[0]):
        r, g, b = flat[n, 0], flat[n, 1], flat[n, 2]
        r0, g0, b0 = min(r0, r), min(g0, g), min(b0, b)
        r1, g1, b1 = max(r1, r), max(g1, g), max(b1, b)
    found[0, 0], found[0, 1], found[0, 2] = r0, g0, b0
    found[1, 0], found[1, 1], found[1, 2] = r1, g1, b1


@njit(nogil=True, cache=True)
def _mark(flat, steps, size, first, last, used):
    room = np.empty((4, AT_ONCE), np.int32)
    for start in range(first, last, AT_ONCE):
        cells = cells_from(flat, start, last, steps, size, room)
        for n in range(cells[0].size):
            n0, n1, n2, n3 = nodes_of(cells, n, size)
            used[n0] = used[n1] = used[n2] = used[n3] = 1


@njit(nogil=True, cache=True)
def _locate(flat, steps, size, rank, first, last, corners, weights):
    room = np.empty((4, AT_ONCE), np.int32)
    for start in range(first, last, AT_ONCE):
        cells = cells_from(flat, start, last, steps, size, room)
        for n in range(cells[0].size):
            at = start + n
            n0, n1, n2, n3 = nodes_of(cells, n, size)
            corners[at, 0], corners[at, 1], corners[at, 2], corners[at, 3] = rank[n0], rank[n1], rank[n2], rank[n3]
            w0, w1, w2, w3 = weights_of(cells, n)
            weights[at, 0], weights[at, 1], weights[at, 2], weights[at, 3] = w0, w1, w2, w3


@njit(nogil=True, cache=True)
def _to_words(shown, first, words):
    """Display values float32 (N, 3) as words from place `first` on."""
    scale, start = np.float32(codes.SIGNAL_SCALE), np.float32(codes.SIGNAL_LOW)
    zero, most, half = np.float32(0), np.float32(65535), np.float32(0.5)
    for n in range(shown.shape[0]):
        red = np.uint64(min(max((shown[n, 0] - start) * scale + half, zero), most))
        green = np.uint64(min(max((shown[n, 1] - start) * scale + half, zero), most))
        words[2 * (first + n)] = (red << np.uint64(32)) | green
        words[2 * (first + n) + 1] = np.uint64(min(max((shown[n, 2] - start) * scale + half, zero), most))


@njit(nogil=True, cache=True)
def _sum(corners, weights, words, first, last, out):
    for y in range(first, last):
        for x in range(corners.shape[1]):
            r, g, b = weighted(
                np.uint64(corners[y, x, 0]),
                np.uint64(corners[y, x, 1]),
                np.uint64(corners[y, x, 2]),
                np.uint64(corners[y, x, 3]),
                np.uint64(weights[y, x, 0]),
                np.uint64(weights[y, x, 1]),
                np.uint64(weights[y, x, 2]),
                np.uint64(weights[y, x, 3]),
                words,
            )
            out[0, y, x], out[1, y, x], out[2, y, x] = r, g, b


@njit(nogil=True, cache=True)
def _develop(flat, steps, size, words, first, last, out):
    room = np.empty((4, AT_ONCE), np.int32)
    for start in range(first, last, AT_ONCE):
        cells = cells_from(flat, start, last, steps, size, room)
        for n in range(cells[0].size):
            r, g, b = looked_up(cells, n, size, words)
            out[0, start + n], out[1, start + n], out[2, start + n] = r, g, b


@njit(nogil=True, cache=True)
def _develop_two(flat, steps, size, words, first, last, out):
    room = np.empty((4, AT_ONCE), np.int32)
    two, shift, lower = np.uint64(2), np.uint64(32 + FRACTION), np.uint32(FRACTION)
    for start in range(first, last, AT_ONCE):
        cells = cells_from(flat, start, last, steps, size, room)
        for n in range(cells[0].size):
            n0, n1, n2, n3 = nodes_of(cells, n, size)
            w0, w1, w2, w3 = weights_of(cells, n)
            pair = w0 * words[n0 * two] + w1 * words[n1 * two] + w2 * words[n2 * two] + w3 * words[n3 * two]
            out[0, start + n], out[1, start + n] = pair >> shift, np.uint32(pair) >> lower


@njit(inline="always")
def as_working(code):
    """A signal code of working values after which nothing comes."""
    return np.float32(code) * np.float32(1 / codes.SIGNAL_SCALE / AS_SIGNAL) + np.float32(codes.SIGNAL_LOW / AS_SIGNAL)


@njit(nogil=True, cache=True)
def working_into(flat, first, steps, size, words, cells, working):
    """Working values float32 (n, 3) of pixels (N, 3) from `first` on, through words of nodes after which nothing comes."""
    codes_apart(flat, first, cells)
    locate_cells(cells, steps, size)
    for n in range(working.shape[0]):
        r, g, b = looked_up(cells, n, size, words)
        working[n, 0], working[n, 1], working[n, 2] = as_working(r), as_working(g), as_working(b)


@njit(nogil=True, cache=True)
def working_of_located(corners, weights, first, words, working):
    """The same of located pixels, corners and weights (N, 4)."""
    for n in range(working.shape[0]):
        at = first + n
        r, g, b = weighted(
            np.uint64(corners[at, 0]),
            np.uint64(corners[at, 1]),
            np.uint64(corners[at, 2]),
            np.uint64(corners[at, 3]),
            np.uint64(weights[at, 0]),
            np.uint64(weights[at, 1]),
            np.uint64(weights[at, 2]),
            np.uint64(weights[at, 3]),
            words,
        )
        working[n, 0], working[n, 1], working[n, 2] = as_working(r), as_working(g), as_working(b)


@njit(nogil=True, cache=True, fastmath=True)
def codes_into(working, steps, size, words, cells, out, first):
    """Codes of working values float32 (n, 3) through words of a whole lattice, into `out` (3, N) from `first` on."""
    scale, start, half = np.float32(codes.PACK_SCALE), np.float32(codes.PACK_LOW), np.float32(0.5)
    zero, most = np.float32(0), np.float32(65535)
    r, g, b = cells[0], cells[1], cells[2]
    for n in range(working.shape[0]):
        r[n] = np.int32(min(max((working[n, 0] - start) * scale + half, zero), most))
        g[n] = np.int32(min(max((working[n, 1] - start) * scale + half, zero), most))
        b[n] = np.int32(min(max((working[n, 2] - start) * scale + half, zero), most))
    locate_cells(cells, steps, size)
    for n in range(working.shape[0]):
        out[0, first + n], out[1, first + n], out[2, first + n] = looked_up(cells, n, size, words)


@njit(nogil=True, cache=True, fastmath=True)
def as_codes(shown, out, first):
    """Display values float32 (n, 3) as codes into `out` (3, N) from `first` on."""
    scale, start, half = np.float32(codes.SIGNAL_SCALE), np.float32(codes.SIGNAL_LOW), np.float32(0.5)
    zero, most = np.float32(0), np.float32(65535)
    for n in range(shown.shape[0]):
        for channel in range(3):
            out[channel, first + n] = np.uint16(min(max((shown[n, channel] - start) * scale + half, zero), most))
