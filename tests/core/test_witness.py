"""What a camera's other shots needed, heard where a shot shares nothing with any."""

import numpy as np
import pytest

from dovrel.core.balance.belief import Belief, decide, distance, within_tolerance
from dovrel.core.match.cue import agreed, with_camera

NEEDS = np.array([0.5, 0.1, -0.6])


def around(gains, spread: float, rng) -> Belief:
    """A belief scattered about gains by so many stops."""
    found = np.asarray(gains) + rng.normal(0, spread, (300, 1)) + rng.normal(0, spread / 3, (300, 3))
    return Belief(found, np.full(len(found), 1 / len(found)))


def test_needs_of_one_camera_agree_or_say_nothing():
    near = NEEDS + np.array([[0.0, 0.0, 0.0], [0.1, 0.05, 0.1], [-0.1, 0.0, 0.0]])
    assert agreed(near) == pytest.approx(NEEDS, abs=0.06)
    assert agreed(np.vstack([near, NEEDS + 1.0])) is None
    assert agreed(near[:1]) is None
    assert agreed(np.zeros((0, 3))) is None


def test_a_light_that_speaks_for_them_makes_them_sure(rng):
    own = around(NEEDS, 0.5, rng)
    heard, share = with_camera(own, NEEDS)
    assert share > 0.75
    assert heard.weights.sum() == pytest.approx(1)
    sure, unsure = (within_tolerance(one, decide(one)) for one in (heard, own))
    assert sure > 0.8 > unsure
    assert distance(decide(heard) - NEEDS) < 1


def test_a_light_that_speaks_against_them_is_believed(rng):
    """So far as lights are: some of those that said nothing of what a camera needed were wrong."""
    own = around(NEEDS + 1.5, 0.2, rng)
    heard, share = with_camera(own, NEEDS)
    assert 0.05 < share < 0.2
    assert distance(decide(heard) - decide(own)) < distance(decide(heard) - NEEDS) / 3
