"""Baked three-dimensional tables, applied by tetrahedral interpolation.

Two are kept: an output table (working → display) that the live path uses, and an input table
(code values → working) for sources whose exact transform is slow.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np

from dovrel.core.colour import encodings, outputs

OUTPUT_SIZE = 65
WORKING_DOMAIN = (0.045, 0.905)
"""Working values the output table spans; beyond it the output is black or peak white."""

INPUT_SIZE = 65


@dataclass(frozen=True)
class Table:
    """Nodes float32 (n, n, n, 3), indexed red, green, blue, over `low`..`high` in each channel."""

    nodes: np.ndarray
    low: float
    high: float

    @cached_property
    def flat(self) -> np.ndarray:
        """The nodes as the kernels read them: float32 (4 n³,), every node padded to four."""
        padded = np.zeros((*self.nodes.shape[:3], 4), np.float32)
        padded[..., :3] = self.nodes
        return padded.ravel()


def lattice(size: int, low: float, high: float) -> np.ndarray:
    """Evenly spaced nodes, float32 (size, size, size, 3), red slowest."""
    axis = np.linspace(low, high, size, dtype=np.float32)
    return np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)


@lru_cache(maxsize=4)
def output_table(output_id: str = outputs.DEFAULT_OUTPUT) -> Table:
    """The output transform as a table over :data:`WORKING_DOMAIN`.

    For plain video the working values are the display values, and the table is the identity
    over -0.125..1.125.
    """
    low, high = WORKING_DOMAIN if outputs.find(output_id).display else (-0.125, 1.125)
    nodes = outputs.to_display(lattice(OUTPUT_SIZE, low, high), output_id)
    return Table(np.ascontiguousarray(nodes, np.float32), low, high)


@lru_cache(maxsize=4)
def display_input_table(encoding_id: str, output_id: str = outputs.DEFAULT_OUTPUT) -> Table:
    """A display-referred encoding's way into the working space as a table over 0..1."""
    nodes = encodings.to_working(lattice(INPUT_SIZE, 0.0, 1.0), encoding_id, output_id, refine=2)
    return Table(np.ascontiguousarray(nodes, np.float32), 0.0, 1.0)
