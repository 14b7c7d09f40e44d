"""Pixels in areas: the share that one has in an area is a fourth axis of its lattice.

Nodes are baked at a few shares and interpolated between two of them, as colours are between nodes; only those that a pixel needs.
Pixels that lie in more than one area go through the kernels one by one.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from dovrel.core.colour import codes
from dovrel.core.develop import lattice
from dovrel.core.develop.lattice import Located, as_working, weighted
from dovrel.core.develop.program import Program
from dovrel.core.develop.threads import in_parts
from dovrel.core.develop.values import values_through
from dovrel.machine.newest import Newest, Same

SHARES = 8
"""Shares that nodes are baked at, beside none: an eighth to all."""

Masks = tuple[np.ndarray, ...]
"""How far each pixel belongs to areas: float32 (H, W) of each, 0..1."""

Head = tuple[lattice.Lattice, np.ndarray]
"""A whole lattice and its words, by which pixels come to the first area."""

_SEVERAL = 255
_KEPT = 3


@dataclass(frozen=True, eq=False)
class Placed:
    """Where a frame's pixels lie among areas: worked out once for as long as neither moves.

    Attributes
    ----------
    which : uint8 (H, W), 0 for no area, n for the nth alone, 255 for several
    own : float32 (H, W), the share in the one area
    areas : how many there are
    used : int64 (M,), which of all nodes' shares are in use: a node's number times (1 + k SHARES), and which share of which
        area; all nodes' shares of none are
    nodes, at : float32 (M, 3) and (k, M): their colours, and their shares
    several : int64 (P,), which pixels lie in several
    shares : float32 (k, P), how far those belong
    """

    which: np.ndarray
    own: np.ndarray
    areas: int
    used: np.ndarray
    nodes: np.ndarray
    at: np.ndarray
    several: np.ndarray
    shares: np.ndarray


_placed: Newest[Placed] = Newest(_KEPT)


def placed(masks: Masks, located: Located) -> Placed:
    """Where a frame's pixels lie among areas."""
    key = (Same(located), *map(Same, masks))
    known = _placed.get(key)
    if known is not None:
        return known
    which, own = _classified(masks)
    ways = 1 + len(masks) * SHARES
    marked = np.zeros((len(located.nodes), ways), np.uint8)
    marked[:, 0] = 1
    flat = marked.ravel()
    in_parts(len(which), lambda first, last: _mark(located.corners, own, which, ways, first, last, flat))
    several = np.flatnonzero(which == _SEVERAL)
    used = np.flatnonzero(flat)
    node, way = np.divmod(used, ways)
    at = np.zeros((len(masks), len(used)), np.float32)
    within = np.flatnonzero(way)
    at[(way[within] - 1) // SHARES, within] = ((way[within] - 1) % SHARES + 1) / SHARES
    placed = Placed(which, own, len(masks), used, located.nodes[node], at, several, _at_pixels(masks, several))
    return _placed.keep(key, placed)


def develop_located(located: Located, program: Program, masks: Masks) -> np.ndarray:
    """Codes uint16 (3, H, W) of a located frame whose pixels lie in areas."""
    height, width = located.corners.shape[:2]
    here, ways = placed(masks, located), 1 + len(masks) * SHARES
    words = _baked(located, program, here)
    out = np.empty((3, height, width), np.uint16)
    corners, weights = located.corners, located.weights
    in_parts(height, lambda a, b: _sum(corners, weights, here.own, here.which, words, ways, a, b, out))
    if len(here.several):
        _scatter(_several_through(located, program, here), here.several, out)
    return out


def _several_through(located: Located, program: Program, here: Placed) -> np.ndarray:
    """Display values (P, 3) of the pixels that lie in several areas: by the lattice up to the first one, then one by one."""
    assert program.head
    assert program.tail
    words = lattice.bake(located.nodes, program.head)
    working = np.empty((len(here.several), 3), np.float32)
    corners, weights = located.corners.reshape(-1, 4), located.weights.reshape(-1, 4)
    in_parts(len(working), lambda first, last: _gather(corners, weights, words, here.several, first, last, working))
    return values_through(working, program.tail, here.shares)


def put_in(packed: np.ndarray, program: Program, masks: Masks, out: np.ndarray, head: Head | None = None) -> None:
    """Put the pixels that lie in any area into `out` (3, H, W), one by one; up to the first area by its lattice, if given."""
    which, _ = _classified(masks)
    within = np.flatnonzero(which)
    if head and program.tail:
        working, rest = lattice.working_at(packed, within, *head), program.tail
    else:
        working, rest = codes.unpack(packed.reshape(-1, 3)[within]), program
    _scatter(values_through(working, rest, _at_pixels(masks, within)), within, out)


def _classified(masks: Masks) -> tuple[np.ndarray, np.ndarray]:
    """In which area each pixel lies, as in :class:`Placed`, and its share there."""
    which, own = np.zeros(masks[0].shape, np.uint8), np.zeros(masks[0].shape, np.float32)

    def part(first: int, last: int) -> None:
        for number, mask in enumerate(masks, 1):
            _classify(mask, number, first, last, which, own)

    in_parts(len(which), part)
    return which, own


def _at_pixels(masks: Masks, places: np.ndarray) -> np.ndarray:
    """Shares (k, P) of pixels by their number."""
    shares = np.empty((len(masks), len(places)), np.float32)
    for mask, share in zip(masks, shares, strict=True):
        np.take(mask.ravel(), places, out=share)
    return shares


def _scatter(shown: np.ndarray, places: np.ndarray, out: np.ndarray) -> None:
    in_parts(len(places), lambda first, last: _put(shown, places, out.reshape(3, -1), first, last))


def _baked(located: Located, program: Program, here: Placed) -> np.ndarray:
    """Words of the nodes' shares in use, in their places among all: uint64 (2 N (1 + k SHARES),)."""
    words = np.empty((len(located.nodes) * (1 + here.areas * SHARES), 2), np.uint64)
    words[here.used] = lattice.bake(here.nodes, program, here.at).reshape(-1, 2)
    return words.ravel()


@njit(nogil=True, cache=True)
def _classify(mask, number, first, last, which, own):
    for y in range(first, last):
        for x in range(mask.shape[1]):
            share = mask[y, x]
            if share > np.float32(0):
                if which[y, x] == 0:
                    which[y, x] = number
                    own[y, x] = share
                else:
                    which[y, x] = _SEVERAL


@njit(nogil=True, cache=True)
def _gather(corners, weights, words, places, first, last, working):
    """Working values of pixels by their number, through words of nodes after which nothing comes."""
    for n in range(first, last):
        at = places[n]
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


@njit(nogil=True, cache=True)
def _put(shown, places, out, first, last):
    """Display values (P, 3) as codes into pixels by their number."""
    scale, start = np.float32(codes.SIGNAL_SCALE), np.float32(codes.SIGNAL_LOW)
    for n in range(first, last):
        for channel in range(3):
            value = (shown[n, channel] - start) * scale + np.float32(0.5)
            out[channel, places[n]] = np.uint16(min(max(value, np.float32(0)), np.float32(65535)))


@njit(inline="always")
def _between(area, share):
    """The two of a node's shares that a share in an area lies between, and how far it is to the second, 0..4096."""
    place = share * np.float32(SHARES)
    level = min(int(place), SHARES - 1)
    above = 1 + area * SHARES + level
    return above - 1 if level > 0 else 0, above, int((place - np.float32(level)) * np.float32(_ONE))


_ONE = 4096


@njit(nogil=True, cache=True)
def _mark(corners, own, which, ways, first, last, used):
    for y in range(first, last):
        for x in range(corners.shape[1]):
            area = which[y, x]
            if area == 0 or area == _SEVERAL:
                continue
            below, above, part = _between(area - 1, own[y, x])
            for corner in range(4):
                node = np.int64(corners[y, x, corner]) * ways
                if part < _ONE:
                    used[node + below] = 1
                if part > 0:
                    used[node + above] = 1


@njit(nogil=True, cache=True)
def _sum(corners, weights, own, which, words, ways, first, last, out):
    two, one, bits = np.uint64(2), np.uint64(1), np.uint64(12)
    ways = np.uint64(ways)
    for y in range(first, last):
        for x in range(corners.shape[1]):
            area = which[y, x]
            if area == _SEVERAL:
                continue
            pair, single = np.uint64(0), np.uint64(0)
            if area == 0:
                for corner in range(4):
                    node = np.uint64(corners[y, x, corner]) * ways * two
                    weight = np.uint64(weights[y, x, corner])
                    pair += weight * words[node]
                    single += weight * words[node + one]
            else:
                lower, upper, whole = _between(area - 1, own[y, x])
                below, above, part = np.uint64(lower) * two, np.uint64(upper) * two, np.uint64(whole)
                # Only words that a pixel needs are baked: a share that lies on one of the two takes both from it.
                below = above if whole >= _ONE else below
                above = below if whole <= 0 else above
                for corner in range(4):
                    node = np.uint64(corners[y, x, corner]) * ways * two
                    weight = np.uint64(weights[y, x, corner])
                    upward = (weight * part) >> bits
                    downward = weight - upward
                    pair += downward * words[node + below] + upward * words[node + above]
                    single += downward * words[node + below + one] + upward * words[node + above + one]
            out[0, y, x] = pair >> np.uint64(44)
            out[1, y, x] = np.uint32(pair) >> np.uint32(12)
            out[2, y, x] = single >> bits
