"""Pixels in areas: the share that one has in an area is a fourth axis of its lattice.

Nodes are baked at a few shares and interpolated between two of them, as colours are between nodes; only those that a pixel needs.
Pixels that lie in two areas by parts go through the kernels one by one.
"""

from __future__ import annotations

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.develop import lattice
from dovrel.core.develop.kernels import AS_SIGNAL
from dovrel.core.develop.lattice import Located, working_of_located
from dovrel.core.develop.placing import PART_BITS, SEVERAL, Masks, Placed, between, placed
from dovrel.core.develop.program import Areas, Program
from dovrel.core.develop.threads import in_parts
from dovrel.core.develop.values import values_through
from dovrel.machine.kernels import njit


def develop_located(located: Located, areas: Areas, masks: Masks) -> np.ndarray | None:
    """Codes uint16 (3, H, W) of a located frame whose pixels lie in areas; None where it is not known yet how they lie."""
    here = placed(masks, located)
    if here is None:
        return None
    height, width = located.corners.shape[:2]
    reached = values_through(located.nodes, areas.head)
    words = _baked(reached, areas.tail, here)
    out = np.empty((3, height, width), np.uint16)
    in_parts(height, lambda first, last: _sum(located, here, words, first, last, out))
    if len(here.several):
        _scatter(_several_through(located, reached, areas.tail, here), here.several, out)
    return out


def _baked(reached: np.ndarray, tail: Program, here: Placed) -> np.ndarray:
    """Words of the nodes' ways in use, in their places among all: uint64 (2 · ways · N,); `reached` is what comes to the tail."""
    words = np.empty((here.number * len(reached), 2), np.uint64)
    working = reached[here.nodes]
    working *= np.float32(1 / AS_SIGNAL)
    words[here.used] = lattice.bake(working, tail, here.shares).reshape(-1, 2)
    return words.ravel()


def _several_through(located: Located, reached: np.ndarray, tail: Program, here: Placed) -> np.ndarray:
    """Display values (P, 3) of the pixels that go one by one from the first selection on, and to it by the lattice."""
    words = lattice.words_of(reached)
    working = np.empty((len(here.several), 3), np.float32)
    corners, weights = (one.reshape(-1, 4)[here.several] for one in (located.corners, located.weights))
    in_parts(
        len(working),
        lambda first, last: working_of_located(corners, weights, first, words, working[first:last]),
    )
    return values_through(working, tail, here.several_shares)


def _scatter(shown: np.ndarray, places: np.ndarray, out: np.ndarray) -> None:
    in_parts(len(places), lambda first, last: _put(shown, places, out.reshape(3, -1), first, last))


def _sum(located: Located, here: Placed, words: np.ndarray, first: int, last: int, out: np.ndarray) -> None:
    ways = here.ways * len(located.nodes)
    _sum_ways(located.corners, located.weights, here.own, here.kinds, ways, words, first, last, out)


@njit(nogil=True, cache=True)
def _put(shown, places, out, first, last):
    """Display values (P, 3) as codes into pixels by their number."""
    scale, start = np.float32(codes.SIGNAL_SCALE), np.float32(codes.SIGNAL_LOW)
    for n in range(first, last):
        for channel in range(3):
            value = (shown[n, channel] - start) * scale + np.float32(0.5)
            out[channel, places[n]] = np.uint16(min(max(value, np.float32(0)), np.float32(65535)))


@njit(nogil=True, cache=True)
def _sum_ways(corners, weights, own, kinds, ways, words, first, last, out):
    two, one, bits = np.uint64(2), np.uint64(1), np.uint64(PART_BITS)
    for y in range(first, last):
        for x in range(corners.shape[1]):
            kind = kinds[y, x]
            if kind == SEVERAL:
                continue
            level, part = between(own[y, x])
            below = np.uint64(ways[kind, level])
            pair, single = np.uint64(0), np.uint64(0)
            if part == 0:
                for corner in range(4):
                    node = (np.uint64(corners[y, x, corner]) + below) * two
                    weight = np.uint64(weights[y, x, corner])
                    pair += weight * words[node]
                    single += weight * words[node + one]
            else:
                above, whole = np.uint64(ways[kind, level + 1]), np.uint64(part)
                for corner in range(4):
                    corner_node = np.uint64(corners[y, x, corner])
                    node, higher = (corner_node + below) * two, (corner_node + above) * two
                    weight = np.uint64(weights[y, x, corner])
                    upward = (weight * whole) >> bits
                    downward = weight - upward
                    pair += downward * words[node] + upward * words[higher]
                    single += downward * words[node + one] + upward * words[higher + one]
            out[0, y, x] = pair >> np.uint64(44)
            out[1, y, x] = np.uint32(pair) >> np.uint32(12)
            out[2, y, x] = single >> bits
