"""A correction whole as one table: from recorded code values to display."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy import sparse
from scipy.sparse.linalg import lsmr

from dovrel.core.colour import encodings, outputs, tables
from dovrel.core.develop.exact import shown_exactly
from dovrel.core.steps.chain import Chain, apply_in_order

SIZE = 33
HELD = 1.0
"""Weight that holds a node near its start, beside one for each colour seen near it."""
LATTICE_ROUNDS = 8
COLOUR_ROUNDS = 40


def bake(
    encoding: str,
    chain: Chain,
    output: str = outputs.DEFAULT_OUTPUT,
    size: int = SIZE,
    colours: np.ndarray | None = None,
) -> np.ndarray:
    """Nodes of the table through the exact transforms: encoding, corrections in order, output.

    Nodes that lie on a curved function leave an error of one sign between them. They are
    fitted instead: to a lattice of twice the density and then, if given, to the colours that
    the table is for.

    Parameters
    ----------
    colours : float array (N, 3), recorded code values 0..1 that the table is for, some
        thousands; nodes far from them stay as the lattice has them

    Returns
    -------
    float32 (size, size, size, 3) over recorded code values 0..1, red slowest

    Raises
    ------
    Refused
        If the encoding or output is unknown.
    """

    def exact(recorded: np.ndarray) -> np.ndarray:
        working = encodings.to_working(recorded, encoding, output, refine=2)
        return shown_exactly(working, chain, output)

    nodes = np.clip(_fitted_to_lattice(exact(tables.lattice(2 * size - 1, 0.0, 1.0))), 0.0, 1.0)
    if colours is not None and len(colours):
        nodes = _fitted_to_colours(nodes, colours, exact(np.asarray(colours, np.float32)))
    return np.clip(nodes, 0.0, 1.0).astype(np.float32)


def table_of(chain: Chain, size: int, low: float, high: float, colours: np.ndarray | None = None) -> np.ndarray:
    """What a chain does to working values from `low` to `high`, fitted as :func:`bake` fits: float64 (size, size, size, 3), red slowest.

    `colours` are working values (N, 3) that the table is for.
    """
    nodes = table_of_function(lambda colours: apply_in_order(colours, chain), size, low, high)
    if colours is not None and len(colours):
        nodes = _fitted_to_colours(nodes, (colours - low) / (high - low), apply_in_order(colours, chain))
    return nodes


def table_of_function(function: Callable[[np.ndarray], np.ndarray], size: int, low: float, high: float) -> np.ndarray:
    """What a function does to colours (..., 3) from `low` to `high`, fitted to a lattice of twice the density: float64 (size, size, size, 3)."""
    return _fitted_to_lattice(function(tables.lattice(2 * size - 1, low, high).astype(np.float64)))


def look_of(chain: Chain, size: int = SIZE) -> np.ndarray:
    """What a chain does to colours as nodes of a look's table, ACEScct to ACEScct: float32 (size, size, size, 3), red slowest."""
    return table_of(chain, size, 0.0, 1.0).astype(np.float32)


def _fitted_to_colours(nodes: np.ndarray, colours: np.ndarray, exact: np.ndarray) -> np.ndarray:
    """Nodes whose interpolation comes nearest to `exact` at `colours`, held near their start.

    Regularised least squares by LSMR (Fong and Saunders 2011).
    """
    weights = tetrahedral_weights(colours, nodes.shape[0])
    flat = nodes.reshape(-1, 3)
    left = exact - weights @ flat
    change = [lsmr(weights, left[:, c], damp=np.sqrt(HELD), maxiter=COLOUR_ROUNDS)[0] for c in range(3)]
    return (flat + np.stack(change, axis=1)).reshape(nodes.shape)


def tetrahedral_weights(points: np.ndarray, size: int) -> sparse.csr_matrix:
    """Which nodes make up tetrahedral interpolation at `points` (N, 3) in 0..1: (N, size³)."""
    position = np.clip(points, 0.0, 1.0).astype(np.float64) * (size - 1)
    cell = np.minimum(position.astype(np.int64), size - 2)
    fraction = position - cell
    largest_first = np.argsort(-fraction, axis=1)
    high, middle, low = np.take_along_axis(fraction, largest_first, axis=1).T
    strides = np.array([size * size, size, 1])
    corners = np.cumsum(np.column_stack([cell @ strides, strides[largest_first]]), axis=1)
    weights = np.stack([1 - high, high - middle, middle - low, low], axis=1)
    rows = np.repeat(np.arange(len(points)), 4)
    return sparse.csr_matrix((weights.ravel(), (rows, corners.ravel())), shape=(len(points), size**3))


def _fitted_to_lattice(fine: np.ndarray) -> np.ndarray:
    """Nodes whose interpolation comes nearest to a lattice of twice the density.

    A few rounds of handing the error between the nodes back to them (Landweber's iteration
    with the interpolation's own weights) spread it evenly, and bring it to about half.

    Parameters
    ----------
    fine : float32 (2 n - 1, 2 n - 1, 2 n - 1, 3)
    """
    nodes = fine[::2, ::2, ::2].astype(np.float64)
    weight = _gathered(np.ones_like(fine))
    for _ in range(LATTICE_ROUNDS):
        nodes += _gathered(fine - _spread(nodes)) / weight
    return nodes


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
