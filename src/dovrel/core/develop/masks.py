"""Masks of a frame: how far each pixel is part of the areas of a chain, and to the picks whose matte is cleaned up."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.colour.tables import Table
from dovrel.core.develop.lattice import Located
from dovrel.core.develop.placing import Masks
from dovrel.core.develop.program import Program
from dovrel.core.develop.threads import in_parts
from dovrel.core.develop.through import put_through
from dovrel.core.steps import shapes
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.matte import MOST, cleaned
from dovrel.core.steps.selection import Selection
from dovrel.machine.kernels import njit
from dovrel.machine.newest import Newest, Same

_LEAST = np.float32(1 / 1024)
"""A smaller share is none."""
_KEPT = 8
_BLACK = np.float32(codes.BLACK_CODE)
_TO_BYTE = np.float32(MOST / codes.SIGNAL_SCALE)


_kept: Newest[np.ndarray] = Newest(_KEPT)
"""Mattes made last, of frame and pick: while a hand moves what comes after them they stay."""


def masks_of(packed: np.ndarray, chain: Chain, table: Table, located: Located | None = None) -> Masks:
    """Shares of a frame's pixels in each selection of a chain that needs the whole picture and does something, in order."""
    found: list[np.ndarray] = []
    for place, values in enumerate(chain):
        if isinstance(values, Selection) and values.is_spatial and not values.is_identity:
            found.append(_share(packed, chain[:place], values, table, located, found))
    return tuple(found)


def share_of(
    packed: np.ndarray, before: Chain, selection: Selection, table: Table, located: Located | None = None
) -> np.ndarray:
    """How far each pixel of a frame is part of a selection, float32 (H, W), 0..1; `before` is what comes before it."""
    return _share(packed, before, selection, table, located, list(masks_of(packed, before, table, located)))


def _share(
    packed: np.ndarray,
    before: Chain,
    selection: Selection,
    table: Table,
    located: Located | None,
    masks: list[np.ndarray],
) -> np.ndarray:
    height, width = packed.shape[:2]
    place = _place_share(selection.shapes, height, width) if selection.shapes else None
    if selection.pick is None:
        assert place is not None
        return place
    key = (Same(packed), tuple(before), selection.pick, selection.shapes)
    known = _kept.get(key)
    if known is not None:
        return known
    program = Program.of(before, table, selection.pick)
    shown = put_through(packed, program, tuple(masks), located)
    share = np.empty((height, width), np.float32)
    if selection.pick.is_cleaned:
        matte, bound = (np.empty((height, width), np.uint8) for _ in range(2))
        in_parts(height, lambda first, last: _to_bytes(shown, first, last, matte, bound))
        clean = cleaned(selection.pick, matte, bound)
        in_parts(height, lambda first, last: _of_bytes(clean, first, last, share))
    else:
        in_parts(height, lambda first, last: _of_codes(shown[0], first, last, share))
    if place is not None:
        share *= place
    return _kept.keep(key, share)


@njit(nogil=True, cache=True)
def _to_bytes(shown, first, last, matte, bound):
    """The first two planes of signal codes as bytes."""
    for y in range(first, last):
        for x in range(shown.shape[2]):
            matte[y, x] = min(
                max((np.float32(shown[0, y, x]) - _BLACK) * _TO_BYTE + np.float32(0.5), np.float32(0)), np.float32(MOST)
            )
            bound[y, x] = min(
                max((np.float32(shown[1, y, x]) - _BLACK) * _TO_BYTE + np.float32(0.5), np.float32(0)), np.float32(MOST)
            )


@njit(nogil=True, cache=True)
def _of_bytes(matte, first, last, share):
    for y in range(first, last):
        for x in range(matte.shape[1]):
            share[y, x] = np.float32(matte[y, x]) * np.float32(1 / MOST)


@njit(nogil=True, cache=True)
def _of_codes(plane, first, last, share):
    """Signal codes as shares; what is nearly none or all is."""
    for y in range(first, last):
        for x in range(plane.shape[1]):
            value = (np.float32(plane[y, x]) - _BLACK) * np.float32(1 / codes.SIGNAL_SCALE)
            share[y, x] = np.float32(0) if value < _LEAST else min(value, np.float32(1))


@lru_cache(maxsize=16)
def _place_share(places: tuple, height: int, width: int) -> np.ndarray:
    return _clear(shapes.joined(places, height, width))


def _clear(share: np.ndarray) -> np.ndarray:
    share = np.ascontiguousarray(share, np.float32)
    share[share < _LEAST] = 0.0
    share[share > 1 - _LEAST] = 1.0
    return share
