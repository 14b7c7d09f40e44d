"""Fitting the ten numbers to pairs of colours that should look alike."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.optimize import least_squares

from dovrel.core.colour.cdl import TenNumbers
from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import MID_GREY
from dovrel.core.measure.difference import ciede2000, lab_of_display
from dovrel.core.measure.frame import display_of


@dataclass(frozen=True)
class Pairs:
    """Colours that should agree: the shot's working values, the reference's display values.

    Attributes
    ----------
    shot : float32 (n, 3), working; reference : float32 (n, 3), display; weight : (n,), ≥ 0
    """

    shot: np.ndarray
    reference: np.ndarray
    weight: np.ndarray


def _to_vector(numbers: TenNumbers) -> np.ndarray:
    """Log slope, level at mid grey, log power, log saturation: parameters that hardly interact."""
    slope = np.maximum(numbers.slope, 0.02)
    return np.r_[
        np.log(slope),
        np.asarray(numbers.offset) + slope * MID_GREY,
        np.log(numbers.power),
        np.log(max(numbers.saturation, 0.05)),
    ]


def _to_numbers(vector: np.ndarray) -> TenNumbers:
    slope = np.exp(np.clip(vector[:3], -2.0, 2.0))
    offset = vector[3:6] - slope * MID_GREY
    power = np.exp(np.clip(vector[6:9], -1.5, 1.5))
    return TenNumbers.from_array([*slope, *offset, *power, np.exp(np.clip(vector[9], -1.6, 1.2))])


_SCALE = np.r_[np.full(3, 0.15), np.full(3, 0.05), np.full(3, 0.20), 0.25]
"""How far each parameter commonly moves; the prior's unit."""


PARSIMONY = 0.8
"""How strongly plain answers are preferred: channels alike, power and slope near one."""


def differences(pairs: Pairs, numbers: TenNumbers, table: Table) -> np.ndarray:
    """CIEDE2000 of every pair under a correction (n,)."""
    shown = display_of(pairs.shot, [numbers], table)
    return ciede2000(lab_of_display(shown), lab_of_display(pairs.reference))


def fit(
    pairs: Pairs, start: TenNumbers, prior: TenNumbers, prior_weight: float, trust: float, table: Table
) -> TenNumbers:
    """Robust least squares over the pairs, in L*a*b* with chroma weighted as CIE94 does.

    Parameters
    ----------
    start : where the search begins
    prior, prior_weight : numbers the answer is drawn towards, in units of one pair's worth per
        common move of a parameter; the channels are drawn together too, so that few pairs
        cannot twist them apart
    trust : 0..1, how far the pairs are trusted; plain answers are preferred the less the more

    Returns
    -------
    TenNumbers
    """
    target = lab_of_display(pairs.reference)
    chroma_weight = 1.0 / (1.0 + 0.045 * np.hypot(target[:, 1], target[:, 2]))
    row_weight = np.sqrt(pairs.weight / pairs.weight.sum())[:, None]
    lab_weight = np.stack([np.ones(len(target)), chroma_weight, chroma_weight], axis=1) * row_weight
    prior_vector = _to_vector(prior)

    def residual(vector: np.ndarray) -> np.ndarray:
        shown = lab_of_display(display_of(pairs.shot, [_to_numbers(vector)], table))
        difference = (shown - target) * lab_weight
        size = np.sqrt((difference**2).sum(axis=1)) / row_weight[:, 0]
        # A Charbonnier-like loss per pair: outliers count by their size, not its square.
        robust = difference * (1.0 / np.sqrt(1.0 + (size / 4.0) ** 2) ** 0.5)[:, None]
        pull = prior_weight * (vector - prior_vector) / _SCALE
        apart = np.concatenate([vector[i : i + 3] - vector[i : i + 3].mean() for i in (0, 6)])
        usual = PARSIMONY * (1.05 - trust) * np.concatenate([apart / 0.2, vector[6:9] / 0.3, [vector[:3].mean() / 0.5]])
        return np.concatenate([robust.ravel(), pull, usual])

    solved = least_squares(
        residual, _to_vector(start), x_scale=_SCALE, method="trf", max_nfev=25, diff_step=1e-4, ftol=1e-5
    )
    return _to_numbers(solved.x)


def blend(a: TenNumbers, b: TenNumbers, share: float) -> TenNumbers:
    """From `a` (share 0) to `b` (share 1), evenly in the fit's parameters."""
    if share <= 0:
        return a
    if share >= 1:
        return b
    return _to_numbers((1 - share) * _to_vector(a) + share * _to_vector(b))
