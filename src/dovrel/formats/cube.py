"""The .cube table: a correction whole, from recorded code values to display."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from dovrel.core.colour import cdl, encodings, outputs, tables

SIZE = 33


def bake(
    encoding: str, levels: Sequence[cdl.TenNumbers], output: str = outputs.DEFAULT_OUTPUT, size: int = SIZE
) -> np.ndarray:
    """Nodes float32 (size, size, size, 3) over recorded code values 0..1, red slowest.

    Through the exact transforms: encoding, the levels in order, the output.
    """
    fine = _exact(2 * size - 1, encoding, levels, output)
    return _fitted(fine)


def _exact(size: int, encoding: str, levels: Sequence[cdl.TenNumbers], output: str) -> np.ndarray:
    working = encodings.to_working(tables.lattice(size, 0.0, 1.0), encoding, output, refine=2)
    for numbers in levels:
        working = cdl.apply(working, numbers)
    return outputs.to_display(working, output)


FIT_ROUNDS = 8


def _fitted(fine: np.ndarray) -> np.ndarray:
    """Nodes whose interpolation comes nearest to a lattice of twice the density.

    Nodes that lie on a curved function leave an error of one sign between them. A few rounds
    of handing the error between the nodes back to them (Landweber's iteration with the
    interpolation's own weights) spread it evenly, and bring it to about half.

    Parameters
    ----------
    fine : float32 (2 n - 1, 2 n - 1, 2 n - 1, 3)
    """
    nodes = fine[::2, ::2, ::2].astype(np.float64)
    weight = _gathered(np.ones_like(fine))
    for _ in range(FIT_ROUNDS):
        nodes += _gathered(fine - _spread(nodes)) / weight
    return np.clip(nodes, 0.0, 1.0).astype(np.float32)


def _spread(nodes: np.ndarray) -> np.ndarray:
    """Linear interpolation of nodes to twice the density, axis by axis."""
    for axis in range(3):
        low, high = _ends(nodes, axis)
        shape = list(nodes.shape)
        shape[axis] = 2 * shape[axis] - 1
        out = np.empty(shape)
        even, odd = _every_second(axis)
        out[even], out[odd] = nodes, (low + high) / 2
        nodes = out
    return nodes


def _gathered(fine: np.ndarray) -> np.ndarray:
    """The transpose of :func:`_spread`."""
    for axis in range(3):
        even, odd = _every_second(axis)
        out = fine[even].astype(np.float64)
        between = fine[odd] / 2
        low, high = _ends(out, axis)
        low += between
        high += between
        fine = out
    return fine


def _every_second(axis: int) -> tuple[tuple[slice, ...], tuple[slice, ...]]:
    before = (slice(None),) * axis
    return (*before, slice(0, None, 2)), (*before, slice(1, None, 2))


def _ends(nodes: np.ndarray, axis: int) -> tuple[np.ndarray, np.ndarray]:
    """Views of all but the last and all but the first along an axis."""
    before = (slice(None),) * axis
    return nodes[(*before, slice(None, -1))], nodes[(*before, slice(1, None))]


def write(path: Path, nodes: np.ndarray, title: str) -> None:
    """Write nodes (n, n, n, 3), red slowest in memory, red fastest in the file."""
    size = nodes.shape[0]
    safe = title.replace('"', "'").replace("\n", " ")
    rows = np.transpose(nodes, (2, 1, 0, 3)).reshape(-1, 3)
    with Path(path).open("w", encoding="ascii", errors="replace") as file:
        file.write(f'TITLE "{safe}"\n# recorded code values, full range, to display; tetrahedral interpolation\n')
        file.write(f"LUT_3D_SIZE {size}\nDOMAIN_MIN 0.0 0.0 0.0\nDOMAIN_MAX 1.0 1.0 1.0\n")
        np.savetxt(file, rows, fmt="%.7f")
