"""What a picture's correction may be, how likely each is, and which to give.

A correction is known here by its gains in stops (3,), of red, green and blue in linear AP1.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dovrel.core.colour.working import AP1_LUMA

EXPOSURE_WEIGHT, COLOUR_WEIGHT = 9.0, 13.0
"""CIEDE2000 that a stop of exposure and a stop of colour come to, about mid grey."""

HARM = 1.0
"""How much worse it is to lead a picture away from what it should be than to leave it so far off."""

TOLERANCE_STOPS, TOLERANCE_COLOUR = 0.5, 4.0
"""An answer is within tolerance if its exposure is, and its neutrals in CIEDE2000 are."""

_PARTS = (0.0, 0.2, 0.4, 0.6, 0.8, 1.0, 1.1)
"""Of the mean correction, between which is chosen."""
_BANDWIDTH = 3.0
"""CIEDE2000 over which a belief is blurred before another one leans on it."""
_LEAST_SAID = 0.01
_MOST_PAIRED = 120
_MUCH = 4.0
"""CIEDE2000 feared of another's answer from which two disagree."""


@dataclass(frozen=True)
class Belief:
    """Corrections float64 (n, 3), and how likely each is, float64 (n,), which sum to 1."""

    gains: np.ndarray
    weights: np.ndarray

    @property
    def mean(self) -> np.ndarray:
        return self.weights @ self.gains


def exposure_of(gains: np.ndarray) -> np.ndarray:
    """Stops of exposure in gains (..., 3), keeping grey's luminance."""
    return np.log2(np.maximum(np.exp2(gains) @ AP1_LUMA, 1e-9))


def distance(gains: np.ndarray) -> np.ndarray:
    """About how many CIEDE2000 gains (..., 3) move a picture."""
    colour = gains - gains.mean(axis=-1, keepdims=True)
    return np.sqrt((EXPOSURE_WEIGHT * exposure_of(gains)) ** 2 + (COLOUR_WEIGHT**2) * (colour**2).sum(axis=-1))


def expected_loss(belief: Belief, gains: np.ndarray) -> float:
    """What a correction is feared to cost: the distance left, and harm done to what was nearer before."""
    left = distance(gains - belief.gains)
    harm = np.maximum(left - distance(belief.gains), 0)
    return float(belief.weights @ (left + HARM * harm))


def decide(belief: Belief) -> np.ndarray:
    """The correction that is feared to cost least; none at all if that is it."""
    likeliest = belief.gains[np.argmax(belief.weights)]
    return min(
        (part * gains for gains in (belief.mean, likeliest) for part in _PARTS),
        key=lambda gains: expected_loss(belief, gains),
    )


def within_tolerance(belief: Belief, gains: np.ndarray) -> float:
    """How likely a correction is right to half a stop and 4 CIEDE2000 of neutrals, 0..1."""
    off = gains - belief.gains
    colour = COLOUR_WEIGHT * np.sqrt(((off - off.mean(axis=1, keepdims=True)) ** 2).sum(axis=1))
    good = (np.abs(exposure_of(off)) <= TOLERANCE_STOPS) & (colour <= TOLERANCE_COLOUR)
    return float(belief.weights @ good)


def with_white(belief: Belief, ratios: np.ndarray, spread: float) -> Belief:
    """A belief that has learned the light's log ratios of red and blue to green (2,), certain to `spread` stops."""
    off = -(belief.gains[:, [0, 2]] - belief.gains[:, [1]]) - ratios
    weights = belief.weights * np.exp(-(off**2).sum(axis=1) / (2 * spread**2)) + 1e-12
    # The exposure is then that of corrections near this white, the white this one.
    exposure = exposure_of(belief.gains)
    gains = np.array([-ratios[0], 0.0, -ratios[1]]) + np.zeros((len(weights), 1))
    gains = gains - exposure_of(gains)[:, None] + exposure[:, None]
    return Belief(gains, weights / weights.sum())


def mixed(belief: Belief, other: Belief, share: float) -> Belief:
    """A belief of which so large a part, 0..1, is another's."""
    weights = np.concatenate([belief.weights * (1 - share), other.weights * share])
    return Belief(np.vstack([belief.gains, other.gains]), weights)


def apart(shot: Belief, reference: Belief) -> Belief:
    """What brings a shot as far from right as a reference is left, from what both need; of each the likeliest."""
    one, other = (_likeliest(belief) for belief in (shot, reference))
    gains = (one.gains[:, None] - other.gains[None]).reshape(-1, 3)
    return Belief(gains, np.outer(one.weights, other.weights).ravel())


def _likeliest(belief: Belief) -> Belief:
    chosen = np.argsort(-belief.weights)[:_MOST_PAIRED]
    weights = belief.weights[chosen]
    return Belief(belief.gains[chosen], weights / weights.sum())


def leaning(belief: Belief, on: Belief, *, colour_only: bool = False) -> Belief:
    """A belief that has heard another's, of a picture that needs the same correction, or only the same colours.

    What the other one holds for impossible is held for unlikely here, no more.
    """
    here, there = belief.gains, on.gains
    if colour_only:
        here, there = (gains - exposure_of(gains)[:, None] for gains in (here, there))
    off = distance(here[:, None] - there[None])
    said = np.exp(-((off / _BANDWIDTH) ** 2) / 2) @ on.weights
    weights = belief.weights * (said + _LEAST_SAID)
    return Belief(belief.gains, weights / weights.sum())


def disagrees(belief: Belief, gains: np.ndarray, *, colour_only: bool = False) -> bool:
    """Whether a belief fears much of a correction (3,), or of its colours alone, beyond what it would choose itself."""
    own = decide(belief)
    if colour_only:
        gains = gains - exposure_of(gains) + exposure_of(own)
    return expected_loss(belief, gains) > expected_loss(belief, own) + _MUCH
