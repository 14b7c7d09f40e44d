"""What ten numbers leave between two cameras: fitting the extended step, and whether to believe it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.optimize import least_squares

from dovrel.core.colour.tables import Table
from dovrel.core.develop.frame import display_of
from dovrel.core.match.fit import Pairs, differences, lab_residual
from dovrel.core.steps.extended import KNOTS, NOTHING, STEEPEST, Extended
from dovrel.core.steps.primary import IDENTITY, Primary

MOST_PAIRS = 500
"""More pairs say the same more slowly."""

LEAST_FOLD = 40
"""Pairs that must lie in each part of the picture."""

FOLDS = 3
"""Parts of the picture, each left out in turn to see what is gained where nothing was fitted."""

WORTH = 0.04
"""The part of the difference that must be gained there."""

_MATRIX_MOVE, _CURVE_MOVE = 0.08, 0.015
"""How far the numbers commonly move: of the matrix, and of the curves in working values."""
_STEP = 0.05
_OFF_DIAGONAL = [1, 2, 3, 5, 6, 7]
_CURVES = slice(9, 24)
_STEEPEST_RISE = 0.08


@dataclass(frozen=True)
class Extension:
    """An extended step and what it gains.

    Attributes
    ----------
    extended : the part, or None where it gains nothing that can be believed
    gained : the part of the difference, 0..1, that it takes away where it was not fitted
    """

    extended: Extended | None
    gained: float


NO_EXTENSION = Extension(None, 0.0)


def extend(pairs: Pairs, numbers: Primary, table: Table) -> Extension:
    """Fit the extended step that follows `numbers`, and keep it only if it can be believed.

    Each third of the picture is left out in turn; what a part fitted to the others gains there
    is what it may be expected to gain on the rest of the picture.

    Parameters
    ----------
    pairs : colours that should agree, and where they lie. They must be of one view that lies over
        the other: from another angle surfaces look different by themselves, everywhere alike,
        and what takes that away is no camera's
    """
    pairs = pairs.thinned(MOST_PAIRS)
    return _believed(pairs, pairs.fold(FOLDS), numbers, table)


def extend_shots(shots: Sequence[Pairs], table: Table) -> Extension:
    """Fit one extended step to several shots of a camera, and keep it only if it gains on shots that it was not fitted to.

    Parameters
    ----------
    shots : for each shot pairs as of :func:`extend`, its colours under its ten numbers already; one shot alone is judged by
        parts of its picture
    """
    shots = [one.thinned(max(MOST_PAIRS // len(shots), LEAST_FOLD)) for one in shots]
    if len(shots) < 2:
        return extend(shots[0], IDENTITY, table) if shots else NO_EXTENSION
    fold = np.repeat(np.arange(len(shots)) % FOLDS, [len(one) for one in shots])
    return _believed(Pairs.of_all(shots), fold, IDENTITY, table)


def _believed(pairs: Pairs, fold: np.ndarray, numbers: Primary, table: Table) -> Extension:
    """The step fitted to all pairs, if it gains on each fold (n,) when it is fitted to the others."""
    parts = np.unique(fold)
    if min(np.sum(fold == part) for part in parts) < LEAST_FOLD or len(parts) < 2:
        return NO_EXTENSION
    left_out = np.zeros(len(pairs))
    for number in parts:
        inside = fold != number
        part = fit_extended(pairs.where(inside), numbers, table)
        left_out[~inside] = differences(pairs.where(~inside), [numbers, part], table)
    before = float(np.average(differences(pairs, [numbers], table), weights=pairs.weight))
    after = float(np.average(left_out, weights=pairs.weight))
    gained = 1 - after / max(before, 1e-6)
    if gained < WORTH:
        return Extension(None, max(gained, 0.0))
    return Extension(fit_extended(pairs, numbers, table), gained)


def fit_extended(pairs: Pairs, numbers: Primary, table: Table, *, pull: float = 0.05) -> Extended:
    """Robust least squares over the pairs for the matrix and the curves.

    Parameters
    ----------
    numbers : the ten numbers that come before it, left as they are
    pull : how strongly each number is held to doing nothing, in units of one pair's worth per
        common move
    """
    balanced = numbers.apply(pairs.shot)
    common = np.r_[np.full(6, _MATRIX_MOVE), np.full(3 * len(KNOTS), _CURVE_MOVE)]
    residual = lab_residual(pairs)

    def value(moved: np.ndarray) -> np.ndarray:
        # On some hundred colours this is quicker than baking the curves into tables.
        shown = display_of(_built(moved * common).apply(balanced).astype(np.float32), [], table)
        return np.concatenate([residual(shown), pull * moved, 2 * pull * _bends(moved[6:])])

    def derivatives(moved: np.ndarray) -> np.ndarray:
        here = value(moved)
        return np.stack([(value(moved + step) - here) / _STEP for step in np.eye(len(common)) * _STEP], axis=1)

    solved = least_squares(
        value,
        np.zeros(len(common)),
        jac=derivatives,  # type: ignore[arg-type]
        method="trf",
        max_nfev=8,
        ftol=1e-4,
    )
    return _built(solved.x * common)


def _bends(offsets: np.ndarray) -> np.ndarray:
    """Second differences along each curve: what a smooth curve has little of."""
    return np.diff(offsets.reshape(-1, len(KNOTS)), 2, axis=1).ravel()


def _built(moved: np.ndarray) -> Extended:
    """An extended step of the matrix's six free numbers and the curves' fifteen, each curve rising."""
    numbers = NOTHING.as_array()
    numbers[_OFF_DIAGONAL] = moved[:6]
    matrix = numbers[:9].reshape(3, 3)
    matrix[np.diag_indices(3)] = 1 - (matrix.sum(axis=1) - matrix.diagonal())
    offsets = moved[6:].reshape(3, len(KNOTS))
    falls = 0.99 * STEEPEST * np.diff(KNOTS)
    rises = np.clip(np.diff(offsets, axis=1), -falls, _STEEPEST_RISE)
    middle = len(KNOTS) // 2
    along = np.concatenate([np.zeros((3, 1)), np.cumsum(rises, axis=1)], axis=1)
    numbers[_CURVES] = (offsets[:, [middle]] + along - along[:, [middle]]).ravel()
    return Extended.from_array(numbers)
