"""What the other shots of a camera needed, as a cue of a shot that shares nothing with any: most cameras are left as they are."""

from __future__ import annotations

import numpy as np

from dovrel.core.balance.belief import Belief, distance, mixed

LEAST_SHOTS = 2
"""Fewer shots of a camera do not show that it was left as it was."""
AGREE = 4.0
"""CIEDE2000, about, from their middle, within which the needs of a camera's shots agree."""
NEAR = 1.0
"""CIEDE2000, about, over which a belief is blurred when it is asked for a correction."""
LEVEL, SLOPE = 9.69, 1.66
"""Of the logistic function of the log of what it then says, which tells how likely the correction is right. Both are learned by
`bench learn-cameras`, where half the cameras were left as they were and half were changed."""
LEAST_SAID = 1e-3
"""What is said of anything."""


def agreed(needs: np.ndarray) -> np.ndarray | None:
    """What all shots of a camera needed, gains in stops float64 (3,), from what each did (n, 3); None where they do not agree."""
    if len(needs) < LEAST_SHOTS:
        return None
    middle = np.median(needs, axis=0)
    return middle if distance(needs - middle).max() <= AGREE else None


def spoken_for(wanted: Belief, gains: np.ndarray, near: float = NEAR) -> float:
    """How far a belief, blurred over so many CIEDE2000, speaks for gains (3,), 0..1."""
    return float(wanted.weights @ np.exp(-((distance(wanted.gains - gains) / near) ** 2) / 2))


def with_camera(wanted: Belief, gains: np.ndarray) -> tuple[Belief, float]:
    """A belief that has heard what the camera's other shots needed (3,), and how likely this one needs it too, 0..1.

    That is reported by how far the shot's own light speaks for it.
    """
    said = np.log(spoken_for(wanted, gains) + LEAST_SAID)
    share = float(1 / (1 + np.exp(-(LEVEL + SLOPE * said))))
    return mixed(wanted, Belief(gains[None], np.ones(1)), share), share
