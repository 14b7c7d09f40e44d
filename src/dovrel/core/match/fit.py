"""Fitting the ten numbers to pairs of colours that should look alike."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.optimize import least_squares

from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import MID_GREY
from dovrel.core.develop.frame import display_of
from dovrel.core.measure.difference import ciede2000, lab_of_display
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.primary import Primary

PATCHES = 5
"""Patches a side in which the picture is left out in turn, when a fit is tried on what it has not seen."""


@dataclass(frozen=True)
class Pairs:
    """Colours that should agree: the shot's working values, the reference's display values.

    Attributes
    ----------
    shot : float32 (n, 3), working; reference : float32 (n, 3), display; weight : (n,), ≥ 0
    place : (n, 2), where they lie in the shot, in parts of its width and height
    """

    shot: np.ndarray
    reference: np.ndarray
    weight: np.ndarray
    place: np.ndarray

    def __len__(self) -> int:
        return len(self.weight)

    def thinned(self, most: int, keep: int = 0) -> Pairs:
        """At most so many, evenly taken, the first `keep` all of them; the others weigh as much as all did."""
        if len(self) <= most:
            return self
        thin = self.where(np.r_[0:keep, np.linspace(keep, len(self) - 1, most - keep).astype(int)])
        thin.weight[keep:] *= self.weight[keep:].sum() / thin.weight[keep:].sum()
        return thin

    @classmethod
    def of_all(cls, parts: Sequence[Pairs]) -> Pairs:
        """Those of all parts."""
        return cls(
            np.concatenate([one.shot for one in parts]),
            np.concatenate([one.reference for one in parts]),
            np.concatenate([one.weight for one in parts]),
            np.concatenate([one.place for one in parts]),
        )

    def where(self, chosen: np.ndarray) -> Pairs:
        """Those of a mask or of indices."""
        return Pairs(self.shot[chosen], self.reference[chosen], self.weight[chosen], self.place[chosen])

    def fold(self, folds: int) -> np.ndarray:
        """Which of so many parts of the picture, each spread over all of it in patches, a pair lies in: (n,)."""
        across, down = (self.place * PATCHES).astype(int).T
        return (across + 2 * down) % folds


def to_vector(numbers: Primary) -> np.ndarray:
    """Log slope, level at mid grey, log power, log saturation: parameters that hardly interact."""
    slope = np.maximum(numbers.slope, 0.02)
    return np.r_[
        np.log(slope),
        np.asarray(numbers.offset) + slope * MID_GREY,
        np.log(numbers.power),
        np.log(max(numbers.saturation, 0.05)),
    ]


def to_numbers(vector: np.ndarray) -> Primary:
    """The inverse of :func:`to_vector`, kept within sensible limits."""
    slope = np.exp(np.clip(vector[:3], -2.0, 2.0))
    offset = vector[3:6] - slope * MID_GREY
    power = np.exp(np.clip(vector[6:9], -1.5, 1.5))
    return Primary.from_array([*slope, *offset, *power, np.exp(np.clip(vector[9], -1.6, 1.2))])


LIGHT = slice(3, 6)
SHAPE = np.r_[0:3, 6:10]
"""Where the light stands in :func:`to_vector`, and where contrast, gamma and saturation do."""

SCALE = np.r_[np.full(3, 0.15), np.full(3, 0.05), np.full(3, 0.20), 0.25]
"""How far each parameter commonly moves."""
_STEP = 0.02
"""Of a numerical derivative, in common moves: tables are interpolated in single precision."""

Free = Literal["light", "contrast", "all"]
"""What may move: the light alone (a gain in each channel); contrast and saturation too; all ten."""

_UNIT = np.eye(10)
_DIRECTIONS: dict[Free, np.ndarray] = {
    "light": _UNIT[3:6],
    "contrast": np.vstack([_UNIT[3:6], _UNIT[:3].sum(axis=0), _UNIT[9]]),
    "all": _UNIT,
}


def differences(pairs: Pairs, chain: Chain, table: Table) -> np.ndarray:
    """CIEDE2000 of every pair under a chain of corrections (n,)."""
    shown = display_of(pairs.shot, chain, table)
    return ciede2000(lab_of_display(shown), lab_of_display(pairs.reference))


def lab_residual(pairs: Pairs, outlying: float = 4.0) -> Callable[[np.ndarray], np.ndarray]:
    """A function from what the shot's colours show as (n, 3) to residuals (3 n,).

    L*a*b* with chroma weighted as CIE94 does; `outlying` is the difference from which on a pair
    counts by its size and no longer by its square.
    """
    target = lab_of_display(pairs.reference)
    chroma_weight = 1.0 / (1.0 + 0.045 * np.hypot(target[:, 1], target[:, 2]))
    row_weight = np.sqrt(pairs.weight / pairs.weight.sum())[:, None]
    lab_weight = np.stack([np.ones(len(target)), chroma_weight, chroma_weight], axis=1) * row_weight

    def residual(shown: np.ndarray) -> np.ndarray:
        difference = (lab_of_display(shown) - target) * lab_weight
        size = np.sqrt((difference**2).sum(axis=1)) / row_weight[:, 0]
        return (difference * (1.0 + (size / outlying) ** 2)[:, None] ** -0.25).ravel()

    return residual


def fit(
    pairs: Pairs,
    start: Primary,
    table: Table,
    free: Free,
    *,
    pull: float = 0.05,
    outlying: float = 4.0,
) -> Primary:
    """Robust least squares over the pairs, in L*a*b* with chroma weighted as CIE94 does.

    Parameters
    ----------
    start : where the search begins, and what the answer is held to
    free : which parameters move
    pull : how strongly the answer is held to `start`, in units of one pair's worth per common move
    outlying : difference from which on a pair counts by its size and no longer by its square
    """
    directions = _DIRECTIONS[free]
    base = to_vector(start)
    common = np.abs(directions @ SCALE) / (directions != 0).sum(axis=1)
    apart = lab_residual(pairs, outlying)

    def residual(moved: np.ndarray) -> np.ndarray:
        vector = base + moved @ directions
        shown = display_of(pairs.shot, [to_numbers(vector)], table)
        return np.concatenate([apart(shown), pull * (vector - base) / SCALE])

    def derivatives(moved: np.ndarray) -> np.ndarray:
        here = residual(moved)
        steps = np.diag(_STEP * common)
        return np.stack([(residual(moved + step) - here) / step.max() for step in steps], axis=1)

    solved = least_squares(
        residual,
        np.zeros(len(directions)),
        jac=derivatives,  # type: ignore[arg-type]
        x_scale=common,
        method="trf",
        max_nfev=25,
        ftol=1e-5,
    )
    return to_numbers(base + solved.x @ directions)


def blend(a: Primary, b: Primary, share: float) -> Primary:
    """From `a` (share 0) to `b` (share 1), evenly in the fit's parameters."""
    if share <= 0:
        return a
    if share >= 1:
        return b
    return to_numbers((1 - share) * to_vector(a) + share * to_vector(b))
