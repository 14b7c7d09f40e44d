"""What is believed of a picture's correction, and what is decided by it."""

import numpy as np
import pytest

from dovrel.bench import learning
from dovrel.bench.learning import Example
from dovrel.core.balance import forest
from dovrel.core.balance.belief import (
    Belief,
    apart,
    decide,
    disagrees,
    distance,
    expected_loss,
    exposure_of,
    leaning,
    mixed,
    with_white,
    within_tolerance,
)


def belief(*rows: tuple[float, tuple[float, float, float]]) -> Belief:
    weights = np.array([row[0] for row in rows])
    return Belief(np.array([row[1] for row in rows]), weights / weights.sum())


BRIGHTER, DARKER, WARMER = (1.0, 1.0, 1.0), (-1.0, -1.0, -1.0), (0.5, 0.0, -0.5)
NOTHING = (0.0, 0.0, 0.0)


def test_a_sure_correction_is_given_and_an_unsure_one_is_not():
    assert decide(belief((1, BRIGHTER))) == pytest.approx(BRIGHTER)
    assert not decide(belief((1, BRIGHTER), (1, DARKER))).any()
    assert not decide(belief((2, NOTHING), (1, BRIGHTER))).any(), "most likely nothing is wrong"
    assert decide(belief((1, NOTHING), (4, BRIGHTER))).mean() > 0.5


def test_what_is_decided_is_feared_least():
    unsure = belief((3, BRIGHTER), (1, WARMER), (1, NOTHING))
    given = decide(unsure)
    assert expected_loss(unsure, given) <= min(expected_loss(unsure, np.array(g)) for g in (NOTHING, unsure.mean))


def test_distance_counts_exposure_and_colour():
    assert distance(np.zeros(3)) == pytest.approx(0, abs=1e-6)
    assert exposure_of(np.array(BRIGHTER)) == pytest.approx(1)
    assert distance(np.array(BRIGHTER)) == pytest.approx(9, abs=0.1)
    assert distance(np.array(WARMER)) > 8


def test_within_tolerance_is_the_part_of_belief_that_lies_near():
    told = belief((3, BRIGHTER), (1, NOTHING))
    assert within_tolerance(told, np.array(BRIGHTER)) == pytest.approx(0.75)
    assert within_tolerance(told, np.array((0.4, 0.4, 0.4))) == pytest.approx(0.25)
    assert within_tolerance(told, np.array((1.0, 1.0, 0.2))) == 0


def test_a_known_white_keeps_what_is_believed_of_exposure():
    told = with_white(belief((1, BRIGHTER), (1, (1.5, 1.0, 0.5))), np.array([-0.5, 0.5]), 0.1)
    given = told.mean
    assert given[[0, 2]] - given[1] == pytest.approx([0.5, -0.5], abs=1e-6)
    assert exposure_of(given) == pytest.approx(exposure_of(np.array([1.5, 1.0, 0.5])), abs=0.05)


def test_a_belief_leans_on_another_and_is_not_overruled_by_one():
    unsure = belief((1, BRIGHTER), (1, DARKER))
    assert decide(leaning(unsure, belief((1, (1.1, 1.1, 1.1))))) == pytest.approx(BRIGHTER, abs=0.2)
    sure = belief((50, BRIGHTER), (1, DARKER))
    assert decide(leaning(sure, belief((1, NOTHING)))).mean() > 0.8
    other_exposure = leaning(belief((1, BRIGHTER), (1, WARMER)), belief((1, (-1.5, -2, -2.5))), colour_only=True)
    assert decide(other_exposure) == pytest.approx(WARMER, abs=0.1), "its colours count, its exposure does not"


def test_what_sets_two_pictures_apart_is_the_difference_of_what_they_need():
    moved = decide(apart(belief((1, BRIGHTER)), belief((1, WARMER))))
    assert moved == pytest.approx(np.subtract(BRIGHTER, WARMER), abs=1e-6)
    unsure = belief((1, BRIGHTER), (1, DARKER))
    assert not decide(apart(unsure, unsure)).any(), "both may need the same"
    told = apart(belief((3, BRIGHTER), (1, NOTHING)), belief((1, NOTHING)))
    assert within_tolerance(told, np.array(BRIGHTER)) == pytest.approx(0.75)


def test_a_belief_is_mixed_with_another_by_its_share():
    told = mixed(belief((1, BRIGHTER)), belief((1, DARKER)), 0.25)
    assert told.weights.sum() == pytest.approx(1)
    assert told.mean == pytest.approx(np.multiply(BRIGHTER, 0.5))


def test_disagreement_is_told():
    assert disagrees(belief((1, BRIGHTER)), np.array(DARKER))
    assert not disagrees(belief((1, BRIGHTER)), np.array(DARKER), colour_only=True)
    assert disagrees(belief((1, BRIGHTER)), np.array(WARMER), colour_only=True)


@pytest.fixture
def examples(rng) -> list[Example]:
    """Pictures whose first two numbers say the correction, among others that say nothing."""
    made = []
    for n in range(400):
        numbers = rng.normal(size=6).astype(np.float32)
        gains = np.array([numbers[0], numbers[0], numbers[0]]) + np.array([numbers[1], 0, -numbers[1]])
        made.append(Example(f"place {n % 20}", numbers, gains))
    return made


@pytest.fixture
def grown(examples, monkeypatch) -> forest.Forest:
    monkeypatch.setattr(learning.statistics, "cues", lambda: ["levels", "edges", *["skin"] * 4])
    return learning.learn(examples)


def test_a_forest_says_what_pictures_like_this_one_needed(grown, examples):
    off = [np.abs(grown.belief(one.numbers).mean - one.gains).max() for one in examples]
    assert np.mean(off) < 0.35
    told = grown.belief(examples[0].numbers)
    assert told.weights.sum() == pytest.approx(1)
    assert len(told.gains) == len(told.weights) < len(examples)


def test_a_forest_says_which_cue_moved_it(grown, examples):
    number = max(examples, key=lambda one: one.numbers[0]).numbers
    moved = grown.moved_by(number)
    assert sum(moved.values()) + grown.gains.mean(axis=0) == pytest.approx(grown.belief(number).mean, abs=1e-6)
    assert exposure_of(moved["levels"]) > 5 * abs(exposure_of(moved["skin"]))


def test_a_forest_is_kept_and_read(grown, examples, tmp_path):
    forest.save(grown, tmp_path / "learned.npz")
    read = forest.load(tmp_path / "learned.npz")
    for one in examples[:20]:
        assert read.belief(one.numbers).mean == pytest.approx(grown.belief(one.numbers).mean, abs=1e-5)
    assert read.cues == grown.cues


def test_confidence_is_how_often_answers_came_true(examples, monkeypatch):
    monkeypatch.setattr(learning.statistics, "cues", lambda: ["levels"] * 6)
    table = learning.calibrated(examples)
    assert np.all(np.diff(table[:, 0]) >= 0)
    assert np.all(np.diff(table[:, 1]) >= 0)
    assert 0 <= table[0, 1] <= table[-1, 1] <= 1


def test_no_group_is_in_two_folds():
    parts = learning.folds([f"place {n}" for n in range(30)])
    assert sum(map(len, parts)) == len(set.union(*parts)) == 30


def test_the_shipped_forest_is_small_and_knows_its_cues():
    assert forest.LEARNED.stat().st_size < 1_000_000
    assert {"levels", "edges", "near-neutrals", "skin"} <= set(forest.learned().cues)
