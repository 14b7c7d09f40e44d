"""Developing one frame: corrected, put out, and pictured."""

from __future__ import annotations

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.colour.outputs import beyond
from dovrel.core.colour.tables import Table
from dovrel.core.develop import finishing, kernels, lattice, through
from dovrel.core.develop.finishing import finish, grained
from dovrel.core.develop.masks import masks_of
from dovrel.core.develop.program import Program, table_arguments
from dovrel.core.develop.threads import in_parts
from dovrel.core.develop.through import put_through
from dovrel.core.develop.values import values_through
from dovrel.core.steps.chain import Chain, finish_of
from dovrel.core.steps.finish import Finish
from dovrel.core.steps.limits import Limits
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.selection import Selection
from dovrel.core.steps.shapes import Ellipse
from dovrel.errors import Refused
from dovrel.machine.kernels import njit


def develop(
    packed: np.ndarray,
    chain: Chain,
    table: Table,
    located: lattice.Located | None = None,
    *,
    changing: bool = False,
) -> np.ndarray:
    """Correct, output and finish a frame: display codes uint16 (3, H, W), without grain, which is no part of what is measured.

    Parameters
    ----------
    packed : uint16 (H, W, 3), working codes (:func:`codes.pack`)
    chain : the corrections, in order
    table : the output table
    located : the same frame in its lattice, if it is to be developed again and again
    changing : whether the next frame has another correction, as between two keyframes

    Raises
    ------
    Refused
        If the frame is empty or not (H, W, 3).
    """
    if packed.ndim != 3 or packed.shape[2] != 3 or 0 in packed.shape:
        raise Refused(f"a frame must be height × width × 3, not {packed.shape}")
    masks = masks_of(packed, chain, table, located)
    finished = finish_of(chain)
    colour = [values for values in chain if not isinstance(values, Finish | Limits)] if finished else chain
    display = put_through(packed, Program.of(colour, table), masks, located, changing=changing)
    return finish(display, chain) if finished else display


_BYTES = np.clip(255 * codes.decode_signal(np.arange(8, 65536, 16).astype(np.uint16)) + 0.5, 0, 255).astype(np.uint8)


def picture_with_grain(display: np.ndarray, chain: Chain, frame: int) -> np.ndarray:
    """A developed frame as it is looked at: 8-bit picture (H, W, 3) with the chain's grain at this frame."""
    return picture_of(grained(display, chain, frame))


def picture_of(display: np.ndarray) -> np.ndarray:
    """Display codes (3, H, W) → 8-bit picture (H, W, 3)."""
    picture = np.empty((*display.shape[1:], 3), np.uint8)
    in_parts(display.shape[1], lambda first, last: _to_bytes(display, _BYTES, first, last, picture))
    return picture


@njit(nogil=True, cache=True)
def _to_bytes(display, table, first, last, picture):
    four = np.uint16(4)
    for y in range(first, last):
        for x in range(display.shape[2]):
            picture[y, x, 0] = table[display[0, y, x] >> four]
            picture[y, x, 1] = table[display[1, y, x] >> four]
            picture[y, x, 2] = table[display[2, y, x] >> four]


def display_of(working: np.ndarray, chain: Chain, table: Table) -> np.ndarray:
    """Display values float32 of working values (..., 3); a whole picture (H, W, 3) with its areas, colours without a place in none."""
    masks = masks_of(codes.pack(working), chain, table) if np.ndim(working) == 3 and _has_places(chain) else ()
    shares = np.stack(masks).reshape(len(masks), -1) if masks else kernels.NO_MASKS
    return values_through(working, Program.of(chain, table), shares)


def _has_places(chain: Chain) -> bool:
    return any(isinstance(values, Selection) and values.is_spatial for values in chain)


MENDING_ROUNDS = 3


def pack_display(display: np.ndarray, inverse: Table, table: Table) -> np.ndarray:
    """Display values → packed working values which `table` shows as those display values again.

    Parameters
    ----------
    display : float array (..., 3); levels outside 0..1 as of :func:`outputs.beyond`
    inverse, table : the output's inverse and the output (see :mod:`dovrel.core.colour.tables`)

    Returns
    -------
    uint16 array (..., 3), as of :func:`kernels.pack`
    """
    asked = np.nan_to_num(np.ascontiguousarray(display, np.float32)).reshape(-1, 3)
    flat = np.clip(asked, 0, 1)
    packed = np.empty(flat.shape, np.uint16)
    nodes, size, low, step = table_arguments(table)

    def part(first: int, last: int) -> None:
        kernels.display_to_packed(
            flat[first:last],
            inverse.flat,
            inverse.nodes.shape[0],
            nodes,
            size,
            low,
            step,
            MENDING_ROUNDS,
            packed[first:last],
        )

    in_parts(len(flat), part)
    outside = np.any(asked != flat, axis=1)
    if outside.any():
        packed[outside] = codes.pack(codes.unpack(packed[outside]) + beyond(asked[outside]))
    return packed.reshape(np.shape(display))


def warm_up(table: Table, inverse: Table | None = None) -> np.ndarray:
    """Compile or load every kernel of developing; display codes of a black frame, uint16 (3, 4, 4)."""
    tiny = np.zeros((4, 4, 3), np.uint16)
    chain = [Primary(saturation=0.9)]
    areas = [Selection((Primary(saturation=0.8),), shapes=(Ellipse(0.5, 0.5, 0.5, 0.5),))] * 2
    through.warm_up(Program.of([*chain, *areas], table))
    finishing.warm_up()
    if inverse is not None:
        pack_display(np.zeros((1, 3), np.float32), inverse, table)
    display = develop(tiny, chain, table, lattice.locate(tiny))
    picture_of(display)
    return display
