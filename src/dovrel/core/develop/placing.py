"""Where the pixels of a located frame lie among areas, and which colours are to be baked at which shares for that.

Pixels are put into **kinds** by the areas that they lie in wholly and the one that they lie in by a part. A kind's pixels need
their nodes at a few shares in that one area only. What lies in two areas by parts, and kinds of few pixels, are `several`.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dovrel.core.develop.lattice import Located
from dovrel.core.develop.threads import THREADS, in_parts, part_number
from dovrel.machine.kernels import njit
from dovrel.machine.newest import Same, SecondTime

SHARES = 8
"""Shares that nodes are baked at, beside none: an eighth to all."""

SEVERAL = 255
"""The kind of pixels that go one by one."""

Masks = tuple[np.ndarray, ...]
"""How far each pixel is part of areas: float32 (H, W) of each, 0..1."""

_COMMON = 1 / 2
"""A kind with a larger part of the pixels, all wholly in or out, has all nodes baked, which is quicker than to see which."""
_FEW = 1 / 500
"""Kinds with a smaller part of the pixels are not worth nodes of their own."""
_MOST_WHOLE = 8
_CODES = (_MOST_WHOLE + 1) << _MOST_WHOLE
_KEPT = 3


@dataclass(frozen=True, eq=False)
class Placed:
    """A frame's pixels among areas: worked out once for as long as neither moves.

    Attributes
    ----------
    kinds : uint8 (H, W)
    own : float32 (H, W), the share in the one area that a pixel lies in by a part
    ways : int64 (kinds, SHARES + 1), which **way** a node is baked for pixels of a kind at a share
    number : how many ways there are
    used : int64 (M,), what is to be baked: a node's number + its way · the nodes
    nodes, shares : int64 (M,) and float32 (k, M), which nodes those are, and their shares in areas
    several : int64 (P,), which pixels go one by one
    several_shares : float32 (k, P), how far those belong
    """

    kinds: np.ndarray
    own: np.ndarray
    ways: np.ndarray
    number: int
    used: np.ndarray
    nodes: np.ndarray
    shares: np.ndarray
    several: np.ndarray
    several_shares: np.ndarray


_placed: SecondTime[Placed] = SecondTime(_KEPT)


def placed(masks: Masks, located: Located) -> Placed | None:
    """Where a frame's pixels lie among areas; None the first time that this is asked, since masks under a hand change at once."""
    return _placed.get((Same(located), *map(Same, masks)), lambda: place(masks, located))


def shares_at(masks: Masks, places: np.ndarray) -> np.ndarray:
    """Shares float32 (k, P) of pixels by their number."""
    shares = np.empty((len(masks), len(places)), np.float32)

    def part(first: int, last: int) -> None:
        for mask, share in zip(masks, shares, strict=True):
            np.take(mask.ravel(), places[first:last], out=share[first:last])

    in_parts(len(places), part)
    return shares


def place(masks: Masks, located: Located) -> Placed:
    """Where a frame's pixels lie among areas, worked out."""
    height, width = masks[0].shape
    codes, own = np.zeros((height, width), np.uint16), np.zeros((height, width), np.float32)
    counts = np.zeros((THREADS, _CODES + 1), np.int64)

    def classify(first: int, last: int) -> None:
        for number, mask in enumerate(masks):
            _classify(mask, number, first, last, codes, own)
        _count(codes, first, last, counts[part_number(first, height)])

    in_parts(height, classify)
    counts = counts.sum(axis=0)
    kind_of, ways, shares = _ways(counts, len(masks), height * width)
    nodes, kinds = len(located.nodes), np.empty((height, width), np.uint8)
    marked = np.zeros((len(shares), nodes), np.bool_)
    common = np.bincount(kind_of, counts, SEVERAL + 1) > height * width * _COMMON
    common[: len(ways)] &= ways[:, 0] == ways[:, -1]
    marked[ways[common[: len(ways)], 0]] = True
    in_parts(
        height,
        lambda first, last: _mark(located.corners, codes, own, kind_of, common, ways, first, last, kinds, marked),
    )
    several = np.flatnonzero(kinds == SEVERAL)
    used, node, at = _listed(marked, shares, np.count_nonzero(marked))
    return Placed(kinds, own, ways, len(shares), used, node, at, several, shares_at(masks, several))


def _ways(counts: np.ndarray, areas: int, pixels: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Which kind a code is of, each kind's ways, and the ways' shares (W, k), from how many pixels have a code."""
    worth = [int(code) for code in np.flatnonzero(counts[:_CODES] > pixels * _FEW)][:SEVERAL]
    kind_of = np.full(_CODES + 1, SEVERAL, np.uint8)
    ways = np.zeros((len(worth), SHARES + 1), np.int64)
    known: dict[tuple[float, ...], int] = {}
    for kind, code in enumerate(worth):
        kind_of[code] = kind
        partly, wholly = code >> _MOST_WHOLE, code & ((1 << _MOST_WHOLE) - 1)
        shares = [float(wholly >> area & 1) for area in range(areas)]
        for step in range(SHARES + 1):
            if partly:
                shares[partly - 1] = step / SHARES
            ways[kind, step] = known.setdefault(tuple(shares), len(known))
    return kind_of, ways, np.array(list(known), np.float32).reshape(-1, areas)


@njit(nogil=True, cache=True)
def _classify(mask, number, first, last, codes, own):
    """Put an area's pixels into codes: the areas they lie in wholly as bits, then the one they lie in by a part."""
    bits = np.uint16(_MOST_WHOLE)
    for y in range(first, last):
        for x in range(mask.shape[1]):
            share = mask[y, x]
            if share <= np.float32(0):
                continue
            code = codes[y, x]
            if number >= _MOST_WHOLE or code >= _CODES:
                codes[y, x] = _CODES
            elif share >= np.float32(1):
                codes[y, x] = code | np.uint16(1 << number)
            elif (code >> bits) == 0:
                codes[y, x] = code | np.uint16((number + 1) << _MOST_WHOLE)
                own[y, x] = share
            else:
                codes[y, x] = _CODES


@njit(nogil=True, cache=True)
def _count(codes, first, last, counts):
    for y in range(first, last):
        for x in range(codes.shape[1]):
            counts[codes[y, x]] += 1


@njit(nogil=True, cache=True)
def _listed(marked, shares, count):
    """What is marked as a list: places, nodes, shares."""
    used, nodes = np.empty(count, np.int64), np.empty(count, np.int64)
    at = np.empty((shares.shape[1], count), np.float32)
    found = 0
    for way in range(marked.shape[0]):
        for node in range(marked.shape[1]):
            if marked[way, node]:
                used[found], nodes[found] = way * marked.shape[1] + node, node
                for area in range(shares.shape[1]):
                    at[area, found] = shares[way, area]
                found += 1
    return used, nodes, at


PART_BITS = 12
"""The way from one share to the next has 2¹² parts."""


@njit(inline="always")
def between(share):
    """The share baked at or below one, and how far it is from there to the next: in parts."""
    place = share * np.float32(SHARES)
    below = min(int(place), SHARES - 1)
    return below, int((place - np.float32(below)) * np.float32(1 << PART_BITS))


@njit(nogil=True, cache=True)
def _mark(corners, codes, own, kind_of, common, ways, first, last, kinds, marked):
    for y in range(first, last):
        for x in range(corners.shape[1]):
            kind = kind_of[codes[y, x]]
            kinds[y, x] = kind
            if kind == SEVERAL or common[kind]:
                continue
            below, part = between(own[y, x])
            lower, upper = marked[ways[kind, below]], marked[ways[kind, below + 1]]
            for corner in range(4):
                lower[corners[y, x, corner]] = True
            if part > 0:
                for corner in range(4):
                    upper[corners[y, x, corner]] = True
