"""What the other shots of a camera needed, as a witness of a shot that shares nothing with any: most cameras are left as they are."""

from __future__ import annotations

import numpy as np

from dovrel.core.balance.belief import Belief, distance, mixed

LEAST_SHOTS = 2
"""Fewer shots of a camera do not show that it was left as it was."""
AGREE = 4.0
"""CIEDE2000, about, from their middle, within which the needs of a camera's shots agree."""
LEFT_AS_IT_WAS = 0.5
"""How likely a camera is taken to have been left as it was for one shot more, before that shot itself is heard."""
NEAR = 3.0
"""CIEDE2000, about, over which a belief is blurred when it is asked for a correction."""
BY_CHANCE = 0.05
"""What a picture's belief, so blurred, says of a correction that it has nothing to do with."""


def agreed(needs: np.ndarray) -> np.ndarray | None:
    """What all shots of a camera needed, gains in stops float64 (3,), from what each did (n, 3); None where they do not agree."""
    if len(needs) < LEAST_SHOTS:
        return None
    middle = np.median(needs, axis=0)
    return middle if distance(needs - middle).max() <= AGREE else None


def with_camera(wanted: Belief, gains: np.ndarray) -> tuple[Belief, float]:
    """A belief that has heard what the camera's other shots needed (3,), and how likely this one needs it too, 0..1.

    That is weighed by how far the shot's own light speaks for it, beside how far it would by chance.
    """
    said = float(wanted.weights @ np.exp(-((distance(wanted.gains - gains) / NEAR) ** 2) / 2))
    left = LEFT_AS_IT_WAS * said
    share = left / (left + (1 - LEFT_AS_IT_WAS) * BY_CHANCE)
    return mixed(wanted, Belief(gains[None], np.ones(1)), share), share
