"""In which tetrahedra of a lattice colours lie: found for many at once, in loops that fit the processor's wide registers; lock released.

**Cells** of n colours are four arrays int32 (n,): the first node's number; which steps lead to the second node and to the last, packed; the
weights' running sums from the last but one node on, packed; the last node's weight. :func:`nodes_of` and :func:`weights_of` unpack them.
"""

from __future__ import annotations

import numpy as np

from dovrel.machine.kernels import njit

AT_ONCE = 1024
"""Pixels that are worked on together: they stay in the processor's nearest memory."""

FRACTION = 12
"""Weights have 2¹² parts."""
_ONE = 1 << FRACTION
_HALF_WORD = 16


@njit(inline="always")
def room_for(count, room):
    """Cells of as many colours in room int32 (4, AT_ONCE); one after the other, or the loops would not be wide."""
    return room[0][:count], room[1][:count], room[2][:count], room[3][:count]


@njit(nogil=True, cache=True)
def codes_apart(flat, first, cells):
    """Codes (N, 3) from `first` on, a channel after the other, into the first three arrays of cells."""
    r, g, b = cells[0], cells[1], cells[2]
    for n in range(r.size):
        r[n], g[n], b[n] = flat[first + n, 0], flat[first + n, 1], flat[first + n, 2]


@njit(nogil=True, cache=True)
def cells_from(flat, first, last, steps, size, room):
    """Cells of as many codes (N, 3) as are worked on together, from `first` on and before `last`, in room as of :func:`room_for`."""
    cells = room_for(min(AT_ONCE, last - first), room)
    codes_apart(flat, first, cells)
    locate_cells(cells, steps, size)
    return cells


@njit(nogil=True, cache=True, fastmath=True)
def locate_cells(cells, steps, size):
    """Cells of the codes in their first three arrays, in place.

    `steps` float32 (6,) are the low code of each channel, then nodes · 4096 a code; `size` is nodes a side.
    """
    _locate_cells(cells[0], cells[1], cells[2], cells[3], steps, np.int32(size))


@njit(nogil=True, cache=True, fastmath=True)
def _locate_cells(first, between, weights, last_weight, steps, size):
    low_r, low_g, low_b, by_r, by_g, by_b = steps[0], steps[1], steps[2], steps[3], steps[4], steps[5]
    zero, top = np.float32(0), np.float32((size - 1) * _ONE - 1)
    along_r, along_g, along_b = size * size, size, np.int32(1)
    mask, bits, half = np.int32(_ONE - 1), np.int32(FRACTION), np.int32(_HALF_WORD)
    for n in range(first.size):
        r = np.int32(min(max((np.float32(first[n]) - low_r) * by_r, zero), top))
        g = np.int32(min(max((np.float32(between[n]) - low_g) * by_g, zero), top))
        b = np.int32(min(max((np.float32(weights[n]) - low_b) * by_b, zero), top))
        x, y, z = r & mask, g & mask, b & mask
        # The largest fraction's axis is stepped along first, the smallest's last; written without
        # branches, which real pictures would make unpredictable.
        xy, yz, xz = x >= y, y >= z, x >= z
        onto_second = along_r if xy & xz else (along_g if yz else along_b)
        onto_last = along_b if yz & xz else (along_g if xy | xz else along_r)
        high = max(x, max(y, z))
        low = min(x, min(y, z))
        first[n] = (r >> bits) * along_r + (g >> bits) * along_g + (b >> bits)
        between[n] = (onto_second << half) | onto_last
        weights[n] = (high << bits) | (x + y + z - high - low)
        last_weight[n] = low


@njit(inline="always")
def nodes_of(cells, n, size):
    """The four nodes' numbers of the colour `n`, uint64."""
    between, half = np.uint64(cells[1][n]), np.uint64(_HALF_WORD)
    first = np.uint64(cells[0][n])
    last = first + np.uint64(size * size + size + 1)
    return first, first + (between >> half), last - (between & np.uint64((1 << _HALF_WORD) - 1)), last


@njit(inline="always")
def weights_of(cells, n):
    """Their weights, uint64, 4096 in all."""
    packed, last = np.uint64(cells[2][n]), np.uint64(cells[3][n])
    high, middle = packed >> np.uint64(FRACTION), packed & np.uint64(_ONE - 1)
    return np.uint64(_ONE) - high, high - middle, middle - last, last


@njit(inline="always")
def weighted(n0, n1, n2, n3, w0, w1, w2, w3, words):
    """Two words' weighted sums at once: 16-bit codes times 4096 stay within their halves."""
    two, one, shift = np.uint64(2), np.uint64(1), np.uint64(FRACTION)
    n0, n1, n2, n3 = n0 * two, n1 * two, n2 * two, n3 * two
    pair = w0 * words[n0] + w1 * words[n1] + w2 * words[n2] + w3 * words[n3]
    single = w0 * words[n0 + one] + w1 * words[n1 + one] + w2 * words[n2 + one] + w3 * words[n3 + one]
    return pair >> np.uint64(32 + FRACTION), np.uint32(pair) >> np.uint32(FRACTION), single >> shift


@njit(inline="always")
def looked_up(cells, n, size, words):
    """Codes of the colour `n` through words of all nodes."""
    n0, n1, n2, n3 = nodes_of(cells, n, size)
    w0, w1, w2, w3 = weights_of(cells, n)
    return weighted(n0, n1, n2, n3, w0, w1, w2, w3, words)
