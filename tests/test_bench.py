"""What the benchmarks compute from what they measure, against closed forms; nothing is timed here."""

import numpy as np
import pytest

from dovrel.bench import balancing, changes, day, matching, solving
from dovrel.core.balance.propose import usable_pixels
from dovrel.core.colour.working import STOP, to_linear
from dovrel.core.measure.limits import RECORDED_HIGH
from dovrel.jobs.cores import threads_each


def pair(ours: float, unmatched: float, methods: list[float]) -> matching.PairResult:
    named = dict(zip(matching.METHODS, methods, strict=True))
    return matching.PairResult("12B-1", 0, "12A-1", unmatched, ours, named, 0.8, "points", False, 200, 0.7)


def test_the_ratio_is_to_the_best_published_method_and_means_are_geometric():
    results = [pair(1.0, 9.0, [4.0, 5.0, 6.0, 7.0]), pair(8.0, 7.0, [9.0, 8.0, 8.5, 8.0])]
    totals = matching.summary(results)
    assert [p["ratio"] for p in totals["pairs"]] == [0.25, 1.0]
    assert totals["geometric_mean_ratio"] == pytest.approx(0.5)
    assert totals["worst_ratio"] == 1.0
    assert totals["worse_than_no_match"] == ["12B-1"]
    assert totals["mean_ours"] == pytest.approx(4.5)


def test_what_a_further_worker_adds_is_a_part_of_the_first():
    results = [day.DayResult(1, 200, 3.0, 0.8), day.DayResult(2, 200, 2.0, 0.5), day.DayResult(4, 200, 1.0, 0.4)]
    added = day.summary(results)["added_by_each_worker"]
    assert added == {2: pytest.approx(0.5), 4: pytest.approx(2 / 3)}


@pytest.mark.parametrize("cores,workers,each", [(2, 1, 2), (2, 2, 1), (8, 3, 2), (2, 5, 1), (None, 1, 1)])
def test_workers_share_the_cores(monkeypatch, cores, workers, each):
    monkeypatch.setattr("os.cpu_count", lambda: cores)
    assert threads_each(workers) == each


def test_errors_of_a_balance_tell_exposure_from_white(demo_frame, table):
    truth = demo_frame("12A-1", 0, 320).working
    assert balancing.errors(truth, truth, table) == (pytest.approx(0, abs=1e-6), pytest.approx(0, abs=1e-4))
    stops, white = balancing.errors(truth + np.float32(1.5 * STOP), truth, table)
    assert stops == pytest.approx(1.5, abs=0.03)
    assert white < 0.3
    _, tinted = balancing.errors(truth + np.array([0.3 * STOP, 0, -0.3 * STOP], np.float32), truth, table)
    assert tinted > 3


def test_means_of_errors_are_of_their_sizes():
    results = [
        balancing.BalanceResult("12A-1", 0, "skin", 0.5, -1.0, 0.5, 4.0, 1.0),
        balancing.BalanceResult("12A-2", 0, "skin", 0.5, 1.0, -0.5, 2.0, 3.0),
    ]
    totals = balancing.summary(results)
    assert totals["mean_exposure_before"] == 1.0
    assert totals["mean_exposure_after"] == 0.5
    assert totals["mean_white_after"] == 2.0


@pytest.mark.parametrize("name", changes.CHANGES)
def test_changed_pictures_stay_recordings(demo_frame, name):
    """Whatever is changed, the code values and the working values of a picture agree, but where they clip."""
    before = demo_frame("12A-1", 0, 320)
    after = changes.CHANGES[name](before)
    assert after.packed.shape == before.packed.shape
    assert usable_pixels(after.recorded).mean() > 0.5
    assert np.abs(after.working - before.working).mean() > 0.01
    highest = changes.HIGHEST if name == "clipped" else 1.0
    whole = (after.code > 0) & (after.code < 65535)
    assert np.abs(after.recorded * highest - after.working)[whole].max() < 1e-4


def test_changes_do_what_they_are_called(demo_frame):
    before = demo_frame("12A-1", 0, 320)
    red = changes.CHANGES["little red"](before)
    ratio = to_linear(red.working)[..., 0] / np.maximum(to_linear(before.working)[..., 0], 1e-4)
    assert np.median(ratio) == pytest.approx(0.125, abs=0.005)
    clipped = changes.CHANGES["clipped"](before)
    assert np.mean(clipped.flags & RECORDED_HIGH != 0) > 0.02 + np.mean(before.flags & RECORDED_HIGH != 0)
    noisy = changes.CHANGES["noise, compression"](before)
    rough = [np.abs(np.diff(p.working, axis=1)).mean() for p in (before, noisy)]
    assert rough[1] > 1.2 * rough[0]


def test_a_drawn_change_is_that_of_its_seed_and_shot(demo_frame):
    before = demo_frame("12A-1", 0, 320)
    first, again = (changes.drawn(3, "12A-1")(before) for _ in range(2))
    assert np.array_equal(first.packed, again.packed)
    for seed, shot in ((4, "12A-1"), (3, "12A-2")):
        other = changes.drawn(seed, shot)(before)
        assert np.abs(other.working - first.working).mean() > 0.01
        assert usable_pixels(other.recorded).mean() > 0.5


def test_problems_are_met_within_the_tolerance_or_listed():
    results = [solving.SolveResult("one", "12A-1", left, seconds) for left, seconds in ((0.1, 0.02), (0.3, 0.04))]
    results.append(solving.SolveResult("another", "12A-1", 0.2, 0.01))
    one, another = solving.summary(results, [])["sets"]
    assert (one["met"], one["problems"], [m["left"] for m in one["missed"]]) == (1, 2, [0.3])
    assert (one["median_ms"], one["longest_ms"]) == (pytest.approx(30), pytest.approx(40))
    assert (another["met"], another["missed"]) == (1, [])


def test_a_move_is_whole_or_not_and_holds_the_rest_or_not():
    figures = ((1.0, 0.1, 0.02), (0.9, 0.2, 0.04), (0.96, 4.0, 0.06), (1.0, 0.3, 0.08))
    moved = [solving.MoveResult("lows", 8.0, "drag", *each) for each in figures]
    moved.append(solving.MoveResult("lows", 3.0, "drag", 0.5, 9.0, 0.01))
    eight, three = solving.summary([], moved)["moves"]
    assert (eight["moves"], eight["whole"], eight["holding"]) == (4, 0.75, 0.75)
    assert eight["median_ms"] == pytest.approx(50)
    assert (three["by"], three["whole"], three["holding"], three["pulled_p90"]) == (3.0, 0.0, 0.0, 9.0)
