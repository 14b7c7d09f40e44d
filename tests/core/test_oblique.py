"""How far a match seen from another angle is believed."""

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dovrel.bench import matching
from dovrel.core.colour.working import STOP
from dovrel.core.develop.frame import display_of
from dovrel.core.match import Evidence, match
from dovrel.core.match.fit import LIGHT, to_vector
from dovrel.core.match.oblique import ANGLE_LEAVES, MOST_DOUBT, beyond_angle, cautious
from dovrel.core.measure.difference import display_difference
from dovrel.core.steps import controls
from dovrel.core.steps.primary import IDENTITY, Primary
from dovrel.demo import cards

TRUTH = Path(__file__).parents[2] / "benchmarks" / "truth"
gains = st.tuples(*[st.floats(-3, 3)] * 3)


def under(gain) -> Primary:
    """A gain in stops of each channel."""
    r, g, b = (float(stops) * STOP for stops in gain)
    return Primary(offset=(r, g, b))


def stops(numbers: Primary) -> np.ndarray:
    return (to_vector(numbers)[LIGHT] - to_vector(IDENTITY)[LIGHT]) / STOP


@given(gains, st.floats(0.0, 12.0))
def test_caution_drops_small_exposures_and_keeps_large_ones(gain, error):
    before, after = stops(under(gain)), stops(cautious(IDENTITY, under(gain), error))
    assert abs(after.mean()) <= abs(before.mean()) + 1e-9
    if np.abs(before).max() > 3 * MOST_DOUBT:
        assert np.abs(after - before).max() < 0.1 * np.abs(before).max()
    if np.abs(after).max() > 0:
        assert np.allclose(after - after.mean(), before - before.mean(), atol=1e-9)


@given(gains, st.floats(-2, 2))
def test_all_is_judged_from_what_the_reference_needed(gain, given):
    """A reference that was itself brought up by so much changes nothing in what is believed."""
    plain = stops(cautious(IDENTITY, under(gain), 2.0))
    moved = stops(cautious(under([given] * 3), under(np.add(gain, given)), 2.0))
    assert np.allclose(moved - given, plain, atol=1e-6)


def test_nothing_small_and_neutral_is_left_of_a_doubtful_match():
    assert cautious(IDENTITY, under((0.2, 0.22, 0.18)), 3.0) == IDENTITY
    warm = stops(cautious(IDENTITY, under((0.35, 0.0, -0.35)), 3.0))
    assert warm[0] - warm[2] == pytest.approx(0.7)


@given(st.floats(0.0, 20.0), st.floats(0.0, 20.0))
def test_contrast_is_believed_beyond_what_an_angle_leaves(error, more):
    low, high = sorted([error, more])
    assert 0 <= beyond_angle(low) <= beyond_angle(high) < 1
    assert beyond_angle(ANGLE_LEAVES) == 0
    assert beyond_angle(2 * ANGLE_LEAVES) > 0.9


@pytest.fixture(scope="module")
def answers() -> dict[str, dict]:
    entries = json.loads((TRUTH / "truth.json").read_text())
    return {entry["shot"]: entry for entry in reversed(entries)}


@pytest.mark.parametrize(
    "shot,seen_from", [("12B-1", "12B-3"), ("12B-1", "12C-2"), ("12A-1", "12B-1"), ("14A-1", "14B-3")]
)
def test_a_shot_that_is_right_stays_right_seen_from_the_other_side(answers, table, shot, seen_from):
    """The reference is the true answer of another view; the shot needs nothing, or hardly anything."""
    entry = answers[shot]
    recorded = matching.recorded(cards.find(shot), entry["frame"])
    reference = matching.true_answer(answers[seen_from], TRUTH)
    truth = display_of(matching.true_answer(entry, TRUTH).working, [], table)
    found = match(Evidence(reference.working, recorded.working, recorded.recorded, table))

    def off(numbers: Primary) -> float:
        shown = matching.fitted(display_of(recorded.working, [numbers], table), truth)
        return float(display_difference(shown, truth).mean())

    assert off(found.numbers) < off(IDENTITY) + 1.0


@pytest.mark.parametrize("shot", ["12A-2", "21B-1", "14B-2"])
def test_a_shot_that_is_wrong_is_brought_near_seen_from_elsewhere(answers, table, shot):
    entry = answers[shot]
    recorded = matching.recorded(cards.find(shot), entry["frame"])
    reference = matching.recorded(cards.find(entry["reference"]), 0)
    truth = display_of(matching.true_answer(entry, TRUTH).working, [], table)
    found = match(Evidence(reference.working, recorded.working, recorded.recorded, table))
    shown = {
        name: matching.fitted(display_of(recorded.working, [numbers], table), truth)
        for name, numbers in (("before", IDENTITY), ("after", found.numbers))
    }
    before, after = (float(display_difference(shown[name], truth).mean()) for name in ("before", "after"))
    assert after < 0.5 * before
    assert controls.read(found.numbers, 0.4135884).saturation == pytest.approx(1.0, abs=0.3)
