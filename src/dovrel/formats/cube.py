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
    working = encodings.to_working(tables.lattice(size, 0.0, 1.0), encoding, output)
    for numbers in levels:
        working = cdl.apply(working, numbers)
    return outputs.to_display(working, output)


def write(path: Path, nodes: np.ndarray, title: str) -> None:
    """Write nodes (n, n, n, 3), red slowest in memory, red fastest in the file."""
    size = nodes.shape[0]
    safe = title.replace('"', "'").replace("\n", " ")
    rows = np.transpose(nodes, (2, 1, 0, 3)).reshape(-1, 3)
    with Path(path).open("w", encoding="ascii", errors="replace") as file:
        file.write(f'TITLE "{safe}"\n# recorded code values, full range, to display; tetrahedral interpolation\n')
        file.write(f"LUT_3D_SIZE {size}\nDOMAIN_MIN 0.0 0.0 0.0\nDOMAIN_MAX 1.0 1.0 1.0\n")
        np.savetxt(file, rows, fmt="%.7f")
