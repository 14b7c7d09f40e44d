"""A correction baked into a lattice over a frame's own colours, and frames developed through it.

Tetrahedral interpolation (six tetrahedra about the grey diagonal) with integer addresses and
weights. A lattice spans the range of codes of the frame it is for, so its nodes lie close; a
:class:`Located` frame has its pixels' nodes and weights worked out once, so that a new
correction costs only the baking of the nodes in use and one weighted sum a pixel.

Two more places know the tetrahedron, since none of the three can be had from another without loss: `kernels.look_up`
reads a table of floats by floats, as exactly as they are; `whole.tetrahedral_weights` gives the weights themselves, as
a matrix in float64, for a fit.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numba import njit

from dovrel.core.colour import codes
from dovrel.core.develop.kernels import AS_SIGNAL, NO_MASKS, display_of
from dovrel.core.develop.program import Program
from dovrel.core.develop.threads import THREADS, in_parts, part_number

SIZE = 97
_FRACTION = 12
_ONE = 1 << _FRACTION
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
        """Low of each channel, then positions in nodes · 2²⁴ per code: int64 (6,), for the kernels."""
        low, high = np.array(self.low), np.array(self.high)
        multiplier = ((self.size - 1) << (2 * _FRACTION)) // np.maximum(high - low, 1)
        return np.concatenate([low, multiplier]).astype(np.int64)

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
    lattice = Lattice(*range_of(packed))
    index = _nodes_in_use(packed, lattice)
    while len(index) > _MOST_NODES:
        lattice = replace(lattice, size=(lattice.size + 1) // 2)
        index = _nodes_in_use(packed, lattice)
    steps, size = lattice.steps, lattice.size
    rank = np.zeros(size**3, np.uint16)
    rank[index] = np.arange(len(index), dtype=np.uint16)
    corners = np.empty((height, width, 4), np.uint16)
    weights = np.empty((height, width, 4), np.uint16)
    in_parts(height, lambda first, last: _locate(packed, steps, size, rank, first, last, corners, weights))
    return Located(lattice.working_at(index), corners, weights)


def _nodes_in_use(packed: np.ndarray, lattice: Lattice) -> np.ndarray:
    """Numbers of the nodes that a frame's pixels lie between, rising."""
    steps, size = lattice.steps, lattice.size
    used = np.zeros(size**3, np.uint8)
    in_parts(len(packed), lambda first, last: _mark(packed, steps, size, first, last, used))
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


def develop(packed: np.ndarray, lattice: Lattice, words: np.ndarray, interleaved: bool = False) -> np.ndarray:
    """Codes of a frame through a whole baked lattice: uint16 (3, H, W), or (H, W, 3) in memory if `interleaved`."""
    height, width = packed.shape[:2]
    shape = (height, width, 3) if interleaved else (3, height, width)
    whole = np.empty(shape, np.uint16)
    out = whole.transpose(2, 0, 1) if interleaved else whole
    steps, size = lattice.steps, lattice.size
    in_parts(len(packed), lambda first, last: _develop(packed, steps, size, words, first, last, out))
    return whole


def working_at(packed: np.ndarray, places: np.ndarray, lattice: Lattice, words: np.ndarray) -> np.ndarray:
    """Working values float32 (P, 3) of a frame's pixels by their number, through words of nodes after which nothing comes."""
    flat, steps, size = packed.reshape(-1, 3), lattice.steps, lattice.size
    working = np.empty((len(places), 3), np.float32)
    in_parts(len(places), lambda first, last: _at_places(flat, places, steps, size, words, first, last, working))
    return working


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


@njit(inline="always")
def _cell(r, g, b, steps, size):
    """The tetrahedron of a colour: its four nodes' numbers and weights."""
    fraction_bits = np.int64(_FRACTION)
    top = np.int64(((size - 1) << _FRACTION) - 1)
    zero, one = np.int64(0), np.int64(_ONE)
    r = min(max(((np.int64(r) - steps[0]) * steps[3]) >> fraction_bits, zero), top)
    g = min(max(((np.int64(g) - steps[1]) * steps[4]) >> fraction_bits, zero), top)
    b = min(max(((np.int64(b) - steps[2]) * steps[5]) >> fraction_bits, zero), top)
    mask = np.int64(_ONE - 1)
    x, y, z = r & mask, g & mask, b & mask
    along_b, along_g, along_r = np.int64(1), np.int64(size), np.int64(size * size)
    # The largest fraction's axis is stepped along first, the smallest's last; written without
    # branches, which real pictures would make unpredictable.
    xy, yz, xz = x >= y, y >= z, x >= z
    first = along_r if xy & xz else (along_g if yz else along_b)
    last = along_b if yz & xz else (along_g if xy | xz else along_r)
    high = max(x, max(y, z))
    low = min(x, min(y, z))
    middle = x + y + z - high - low
    n0 = (r >> fraction_bits) * along_r + (g >> fraction_bits) * along_g + (b >> fraction_bits)
    n3 = n0 + along_r + along_g + along_b
    return n0, n0 + first, n3 - last, n3, one - high, high - middle, middle - low, low


@njit(nogil=True, cache=True)
def _mark(packed, steps, size, first, last, used):
    for y in range(first, last):
        for x in range(packed.shape[1]):
            n0, n1, n2, n3, _, _, _, _ = _cell(packed[y, x, 0], packed[y, x, 1], packed[y, x, 2], steps, size)
            used[np.uint64(n0)] = 1
            used[np.uint64(n1)] = 1
            used[np.uint64(n2)] = 1
            used[np.uint64(n3)] = 1


@njit(nogil=True, cache=True)
def _locate(packed, steps, size, rank, first, last, corners, weights):
    for y in range(first, last):
        for x in range(packed.shape[1]):
            n0, n1, n2, n3, w0, w1, w2, w3 = _cell(packed[y, x, 0], packed[y, x, 1], packed[y, x, 2], steps, size)
            corners[y, x, 0], corners[y, x, 1] = rank[np.uint64(n0)], rank[np.uint64(n1)]
            corners[y, x, 2], corners[y, x, 3] = rank[np.uint64(n2)], rank[np.uint64(n3)]
            weights[y, x, 0], weights[y, x, 1], weights[y, x, 2], weights[y, x, 3] = w0, w1, w2, w3


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


@njit(inline="always")
def weighted(n0, n1, n2, n3, w0, w1, w2, w3, words):
    """Two words' weighted sums at once: 16-bit codes times 4096 stay within their halves."""
    two, one, shift = np.uint64(2), np.uint64(1), np.uint64(_FRACTION)
    n0, n1, n2, n3 = n0 * two, n1 * two, n2 * two, n3 * two
    pair = w0 * words[n0] + w1 * words[n1] + w2 * words[n2] + w3 * words[n3]
    single = w0 * words[n0 + one] + w1 * words[n1 + one] + w2 * words[n2 + one] + w3 * words[n3 + one]
    return pair >> np.uint64(32 + _FRACTION), np.uint32(pair) >> np.uint32(_FRACTION), single >> shift


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


@njit(inline="always")
def _looked_up(r, g, b, steps, size, words):
    """Codes of a colour through words of all nodes."""
    n0, n1, n2, n3, w0, w1, w2, w3 = _cell(r, g, b, steps, size)
    return weighted(
        np.uint64(n0),
        np.uint64(n1),
        np.uint64(n2),
        np.uint64(n3),
        np.uint64(w0),
        np.uint64(w1),
        np.uint64(w2),
        np.uint64(w3),
        words,
    )


@njit(nogil=True, cache=True)
def _develop(packed, steps, size, words, first, last, out):
    for y in range(first, last):
        for x in range(packed.shape[1]):
            r, g, b = _looked_up(packed[y, x, 0], packed[y, x, 1], packed[y, x, 2], steps, size, words)
            out[0, y, x], out[1, y, x], out[2, y, x] = r, g, b


@njit(inline="always")
def as_working(code):
    """A signal code of working values after which nothing comes."""
    return np.float32(code) * np.float32(1 / codes.SIGNAL_SCALE / AS_SIGNAL) + np.float32(codes.SIGNAL_LOW / AS_SIGNAL)


@njit(nogil=True, cache=True)
def _at_places(flat, places, steps, size, words, first, last, working):
    for n in range(first, last):
        at = places[n]
        r, g, b = _looked_up(flat[at, 0], flat[at, 1], flat[at, 2], steps, size, words)
        working[n, 0], working[n, 1], working[n, 2] = as_working(r), as_working(g), as_working(b)
