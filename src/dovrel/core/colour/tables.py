"""Baked three-dimensional tables, applied by tetrahedral interpolation.

Two are kept for each output: an output table (working → display) that the live path uses, and
its inverse (display → working) which brings display-referred sources in. Baking takes
seconds, so tables are kept on disk where :func:`keep_in` says; :func:`keep_for_all` names a folder
that all data folders of a user share.
"""

from __future__ import annotations

import contextlib
import hashlib
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property, lru_cache
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from dovrel.core.colour import outputs
from dovrel.machine.cache import PACKAGE, versioned
from dovrel.machine.files import written_aside

OUTPUT_SIZE = 97
WORKING_DOMAIN = (0.045, 0.905)
"""Working values the output table spans; beyond it the output is black or peak white."""

INVERSE_SIZE = 65
INVERSE_ROUNDS = 2
"""Rounds of :func:`outputs.from_display` for the inverse table's nodes."""

BAKED_BY = (PACKAGE / "core" / "colour", PACKAGE / "core" / "steps")
"""The folders whose code decides what a table holds."""

_kept_in: Path | None = None


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
    recipe = f"output {output_id} {OUTPUT_SIZE} {low} {high}"
    nodes = kept(recipe, lambda: outputs.to_display(lattice(OUTPUT_SIZE, low, high), output_id))
    return Table(nodes, low, high)


@lru_cache(maxsize=4)
def inverse_table(output_id: str = outputs.DEFAULT_OUTPUT) -> Table:
    """The output transform's inverse as a table over display values 0..1."""
    recipe = f"inverse {output_id} {INVERSE_SIZE} {INVERSE_ROUNDS}"
    display = lattice(INVERSE_SIZE, 0.0, 1.0)
    nodes = kept(recipe, lambda: outputs.from_display(display, output_id, INVERSE_ROUNDS))
    return Table(nodes, 0.0, 1.0)


def keep_in(folder: Path | None) -> None:
    """Keep baked tables in `folder` from now on and take them from there; nowhere if None."""
    global _kept_in
    _kept_in = folder
    if folder:
        folder.mkdir(parents=True, exist_ok=True)


def keep_for_all() -> None:
    """Keep baked tables in the user's cache, apart for each state of the code that bakes them."""
    digest = hashlib.sha256(ocio.__version__.encode())
    for folder in BAKED_BY:
        for path in sorted(folder.glob("*.py")):
            digest.update(path.read_bytes())
    keep_in(versioned("tables", digest.hexdigest()[:16]))


def kept_in() -> Path | None:
    """Where baked tables are kept."""
    return _kept_in


def kept(recipe: str, bake: Callable[[], np.ndarray]) -> np.ndarray:
    """Nodes baked by a recipe, from disk if they are there and whole."""
    if _kept_in is None:
        return np.ascontiguousarray(bake(), np.float32)
    whole_recipe = f"{recipe} {outputs.CONFIG_NAME} {ocio.__version__}"
    path = _kept_in / f"{hashlib.sha256(whole_recipe.encode()).hexdigest()[:24]}.npy"
    try:
        return np.load(path)
    except (OSError, ValueError, EOFError):
        nodes = np.ascontiguousarray(bake(), np.float32)
    # A table that finds no room on the disc is baked again next time.
    with contextlib.suppress(OSError), written_aside(path) as aside:
        np.save(aside, nodes)
    return nodes
