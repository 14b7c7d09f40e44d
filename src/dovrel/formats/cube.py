"""The .cube table file."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from dovrel.machine.files import written_aside

TO_DISPLAY = "recorded code values, full range, to display; tetrahedral interpolation"


def write(path: Path, nodes: np.ndarray, title: str, about: str = TO_DISPLAY) -> None:
    """Write nodes (n, n, n, 3), red slowest in memory, red fastest in the file; `about` says what it takes and gives."""
    size = nodes.shape[0]
    safe = title.replace('"', "'").replace("\n", " ")
    rows = np.transpose(nodes, (2, 1, 0, 3)).reshape(-1, 3)
    with written_aside(path) as aside, aside.open("w", encoding="ascii", errors="replace") as file:
        file.write(f'TITLE "{safe}"\n# {about}\n')
        file.write(f"LUT_3D_SIZE {size}\nDOMAIN_MIN 0.0 0.0 0.0\nDOMAIN_MAX 1.0 1.0 1.0\n")
        np.savetxt(file, rows, fmt="%.7f")
