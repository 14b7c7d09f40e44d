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
from dovrel.core.develop.lattice import Located, weighted
from dovrel.core.develop.program import Program
from dovrel.core.develop.threads import in_parts
from dovrel.core.develop.values import values_through
from dovrel.machine.newest import Newest, Same

SHARES = 8
"""Shares that nodes are baked at, beside none: an eighth to all."""

Masks = tuple[np.ndarray, ...]
"""How far each pixel belongs to areas: float32 (H, W) of each, 0..1."""

_SEVERAL = 255
_KEPT = 3


@dataclass(frozen=True, eq=False)
class Placed:
    """Where a frame's pixels lie among areas: worked out once for as long as neither moves.

    Attributes
    ----------
    masks : float32 (k, H, W)
    which : uint8 (H, W), 0 for no area, n for the nth alone, 255 for several
    layers : int64 (M,), which layers of which nodes are in use: see :func:`_baked`
    several : int64 (P,), which pixels lie in several
    working, shares : float32 (P, 3) and (k, P), their colours, and how far they belong
    """

    masks: np.ndarray
    which: np.ndarray
    layers: np.ndarray
    several: np.ndarray
    working: np.ndarray
    shares: np.ndarray


_placed: Newest[Placed] = Newest(_KEPT)


def placed(packed: np.ndarray, masks: Masks, located: Located) -> Placed:
    """Where a frame's pixels uint16 (H, W, 3) lie among areas."""
    key = (Same(located), *map(Same, masks))
    known = _placed.get(key)
    if known is not None:
        return known
    stacked, which = _classified(masks)
    count = len(located.nodes)
    used = np.zeros(len(masks) * SHARES * count, np.uint8)
    in_parts(len(which), lambda first, last: _mark(located.corners, stacked, which, count, first, last, used))
    several = np.flatnonzero(which == _SEVERAL)
    working, shares = _gathered(packed, stacked, several)
    return _placed.keep(key, Placed(stacked, which, np.flatnonzero(used), several, working, shares))


def develop_located(packed: np.ndarray, located: Located, program: Program, masks: Masks) -> np.ndarray:
    """Codes uint16 (3, H, W) of a located frame whose pixels lie in areas.

    Parameters
    ----------
    packed : uint16 (H, W, 3), the frame's working codes
    """
    height, width = packed.shape[:2]
    here, nodes = placed(packed, masks, located), len(located.nodes)
    words = _baked(located, program, here)
    out = np.empty((3, height, width), np.uint16)
    corners, weights = located.corners, located.weights
    in_parts(height, lambda a, b: _sum(corners, weights, here.masks, here.which, words, nodes, a, b, out))
    _scatter(values_through(here.working, program, here.shares), here.several, out)
    return out


def put_in(packed: np.ndarray, program: Program, masks: Masks, out: np.ndarray) -> None:
    """Put the pixels that lie in any area into `out` (3, H, W), one by one."""
    stacked, which = _classified(masks)
    within = np.flatnonzero(which)
    working, shares = _gathered(packed, stacked, within)
    _scatter(values_through(working, program, shares), within, out)


def _classified(masks: Masks) -> tuple[np.ndarray, np.ndarray]:
    stacked = np.stack(masks)
    which = np.empty(stacked.shape[1:], np.uint8)
    in_parts(len(which), lambda first, last: _classify(stacked, first, last, which))
    return stacked, which


def _gathered(packed: np.ndarray, masks: np.ndarray, places: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Working values (P, 3) and shares (k, P) of pixels by their number."""
    return codes.unpack(packed.reshape(-1, 3)[places]), masks.reshape(len(masks), -1)[:, places]


def _scatter(shown: np.ndarray, places: np.ndarray, out: np.ndarray) -> None:
    in_parts(len(places), lambda first, last: _put(shown, places, out.reshape(3, -1), first, last))


def _baked(located: Located, program: Program, here: Placed) -> np.ndarray:
    """Words of all nodes in no area, then for each area and share of those in use: uint64 (2 N (1 + k SHARES),)."""
    count = len(located.nodes)
    layer, node = np.divmod(here.layers, count)
    shares = np.zeros((len(here.masks), len(node)), np.float32)
    shares[layer // SHARES, np.arange(len(node))] = (layer % SHARES + 1) / SHARES
    words = np.empty((count * (1 + len(here.masks) * SHARES), 2), np.uint64)
    words[:count] = lattice.bake(located.nodes, program).reshape(-1, 2)
    words[count + here.layers] = lattice.bake(located.nodes[node], program, shares).reshape(-1, 2)
    return words.ravel()


@njit(nogil=True, cache=True)
def _classify(masks, first, last, which):
    for y in range(first, last):
        for x in range(masks.shape[2]):
            found = 0
            for k in range(masks.shape[0]):
                if masks[k, y, x] > np.float32(0):
                    found = k + 1 if found == 0 else _SEVERAL
            which[y, x] = found


@njit(nogil=True, cache=True)
def _put(shown, places, out, first, last):
    """Display values (P, 3) as codes into pixels by their number."""
    scale, start = np.float32(codes.SIGNAL_SCALE), np.float32(codes.SIGNAL_LOW)
    for n in range(first, last):
        for channel in range(3):
            value = (shown[n, channel] - start) * scale + np.float32(0.5)
            out[channel, places[n]] = np.uint16(min(max(value, np.float32(0)), np.float32(65535)))


@njit(inline="always")
def _between(which, share, nodes):
    """The two layers that a share lies between, as first nodes, and how far it is to the second."""
    place = share * np.float32(SHARES)
    layer = min(int(place), SHARES - 1)
    below = nodes * (which * SHARES + layer) if layer > 0 else 0
    return below, nodes * (1 + which * SHARES + layer), place - np.float32(layer)


@njit(nogil=True, cache=True)
def _mark(corners, masks, which, nodes, first, last, used):
    for y in range(first, last):
        for x in range(corners.shape[1]):
            area = which[y, x]
            if area == 0 or area == _SEVERAL:
                continue
            below, above, part = _between(area - 1, masks[area - 1, y, x], nodes)
            for corner in range(4):
                node = corners[y, x, corner]
                used[above - nodes + node] = 1
                if below > 0 and part < np.float32(1):
                    used[below - nodes + node] = 1


@njit(nogil=True, cache=True)
def _sum(corners, weights, masks, which, words, nodes, first, last, out):
    for y in range(first, last):
        for x in range(corners.shape[1]):
            area = which[y, x]
            if area == _SEVERAL:
                continue
            n0, n1, n2, n3 = corners[y, x, 0], corners[y, x, 1], corners[y, x, 2], corners[y, x, 3]
            w0, w1, w2, w3 = (
                np.uint64(weights[y, x, 0]),
                np.uint64(weights[y, x, 1]),
                np.uint64(weights[y, x, 2]),
                np.uint64(weights[y, x, 3]),
            )
            below, above, part = 0, 0, np.float32(0)
            if area > 0:
                below, above, part = _between(area - 1, masks[area - 1, y, x], nodes)
            r, g, b = np.float32(0), np.float32(0), np.float32(0)
            if part < np.float32(1):
                base = np.uint64(below)
                red, green, blue = weighted(
                    base + np.uint64(n0), base + np.uint64(n1), base + np.uint64(n2), base + np.uint64(n3),
                    w0, w1, w2, w3, words,
                )  # fmt: skip
                r, g, b = np.float32(red), np.float32(green), np.float32(blue)
            if part > np.float32(0):
                base = np.uint64(above)
                red, green, blue = weighted(
                    base + np.uint64(n0), base + np.uint64(n1), base + np.uint64(n2), base + np.uint64(n3),
                    w0, w1, w2, w3, words,
                )  # fmt: skip
                r += part * (np.float32(red) - r)
                g += part * (np.float32(green) - g)
                b += part * (np.float32(blue) - b)
            out[0, y, x], out[1, y, x], out[2, y, x] = np.uint16(r), np.uint16(g), np.uint16(b)
