"""Solving aims, balancing and matching, on real frames with known answers."""

import numpy as np
import pytest

from dovrel.core.colour import working
from dovrel.core.correct.search import TOLERANCE
from dovrel.core.correct.solve import solve
from dovrel.core.develop.frame import display_of
from dovrel.core.match import Evidence, match
from dovrel.core.match.fit import blend
from dovrel.core.match.shared import palette, shared_distance
from dovrel.core.measure.difference import display_difference
from dovrel.core.measure.readings import reading_name, readings_of_display
from dovrel.core.measure.sampled import take_sample
from dovrel.core.steps.primary import IDENTITY, Primary


def readings_under(sample, numbers, table):
    return readings_of_display(display_of(sample, [numbers], table))


@pytest.mark.parametrize("name", ["12A-1", "12B-1", "21A-1", "22A-1"])
def test_reachable_aims_are_met(demo_frame, table, name):
    """Aims taken from a known correction of the same frame are met to the stated tolerance."""
    sample = take_sample(demo_frame(name).working)
    rng = np.random.default_rng(sum(map(ord, name)))
    for _ in range(6):
        known = Primary.from_array(
            np.r_[
                np.exp(rng.normal(0, 0.12, 3)),
                rng.normal(0, 0.025, 3),
                np.exp(rng.normal(0, 0.1, 3)),
                rng.uniform(0.8, 1.2),
            ]
        )
        aims = readings_under(sample, known, table)
        solution = solve(sample, IDENTITY, aims, table)
        assert np.abs(readings_under(sample, solution.numbers, table) - aims).max() <= TOLERANCE
        assert solution.missed == ()


def test_one_reading_moves_and_the_rest_hold(demo_frame, table):
    sample = take_sample(demo_frame("12A-1").working)
    aims = readings_under(sample, IDENTITY, table)
    aims[2] += 4
    solution = solve(sample, IDENTITY, aims, table)
    assert np.abs(solution.readings - aims).max() <= TOLERANCE


def test_unreachable_aims_are_answered_honestly(demo_frame, table):
    sample = take_sample(demo_frame("12A-1").working)
    aims = readings_under(sample, IDENTITY, table)
    aims[2] = 130.0
    solution = solve(sample, IDENTITY, aims, table)
    missed = {m.reading: m for m in solution.missed}
    assert 2 in missed
    assert missed[2].difference > 20
    assert missed[2].reason == "the output ends there"


def test_solving_a_flat_picture_does_not_fall_over(table):
    flat = np.full((500, 3), working.MID_GREY, np.float32)
    solution = solve(flat, IDENTITY, np.array([5, 40, 90] * 3 + [10.0]), table)
    assert np.isfinite(solution.numbers.as_array()).all()
    assert solution.missed


@pytest.mark.parametrize("aims", [np.full(9, 5.0), np.full(10, np.nan)])
def test_impossible_questions_are_refused(table, aims):
    with pytest.raises(ValueError, match="targets"):
        solve(np.zeros((10, 3), np.float32), IDENTITY, aims, table)


def test_names_of_readings():
    assert [reading_name(i) for i in (0, 4, 8, 9)] == ["red lows", "green mids", "blue highs", "saturation"]


def test_sample_is_spread_evenly():
    image = np.repeat(np.arange(1000), 100).reshape(1000, 100, 1).repeat(3, axis=2)
    sample = take_sample(image, 2000)
    assert len(sample) == 2000
    counts = np.bincount(sample[:, 0], minlength=1000)
    assert counts.min() >= 1
    assert counts.max() <= 3


def test_matching_a_frame_to_itself_changed_gives_the_change_back(demo_frame, table):
    """A known change of the very same frame is undone to a small difference."""
    reference = demo_frame("12A-1", width=640)
    change = Primary((0.9, 0.95, 1.05), (0.06, 0.0, -0.04), (1.0, 1.0, 1.05), 0.85)
    shot = change.apply(reference.working).astype(np.float32)
    evidence = Evidence(reference.working, shot, reference.recorded, table)
    result = match(evidence)
    shown = display_of(shot, [result.numbers], table)
    assert display_difference(shown, display_of(reference.working, [], table)).mean() < 1.2
    assert result.basis == "points"
    assert result.distance_after < result.distance_before
    assert result.confidence > 0.8


@pytest.mark.parametrize("name", ["12A-2", "12B-3", "12C-2"])
def test_matches_across_cameras_come_nearer(demo_frame, table, name):
    reference, shot = demo_frame("12A-1", width=640), demo_frame(name, width=640)
    result = match(Evidence(reference.working, shot.working, shot.recorded, table))
    assert result.distance_after < 0.5 * result.distance_before
    assert result.correspondences >= 12


def test_a_match_is_never_worse_than_none(demo_frame, table):
    """Two places that share nothing: whatever is answered, the measured distance does not grow."""
    reference, shot = demo_frame("14A-1", width=640), demo_frame("21A-2", width=640)
    evidence = Evidence(reference.working, shot.working, shot.recorded, table)
    result = match(evidence)
    assert result.distance_after <= result.distance_before + 1e-9
    assert not result.sure, "another place's light is no evidence enough"
    assert result.notes


def test_strength_goes_from_nothing_to_all(demo_frame, table):
    reference, shot = demo_frame("12A-1", width=640), demo_frame("12B-3", width=640)
    evidence = Evidence(reference.working, shot.working, shot.recorded, table)
    none, half, whole = (match(evidence, strength=s) for s in (0.0, 0.5, 1.0))
    assert none.numbers == IDENTITY
    assert whole.distance_after < half.distance_after < none.distance_after
    with pytest.raises(ValueError, match="strength"):
        match(evidence, strength=1.5)


def test_clipping_in_the_recording_is_reported(demo_frame, table):
    reference, shot = demo_frame("12A-1", width=640), demo_frame("12B-3", width=640)
    result = match(Evidence(reference.working, shot.working, shot.recorded, table))
    assert any("clipped in the recording" in note for note in result.notes)


def test_blend_ends_where_it_should():
    a, b = Primary(slope=(1.2, 1, 1)), Primary(offset=(0.1, 0, 0), saturation=0.8)
    assert blend(a, b, 0) == a
    assert blend(a, b, 1) == b
    assert 0.8 < blend(a, b, 0.5).saturation < 1


def test_shared_distance_ignores_what_only_one_picture_holds(rng):
    common = rng.uniform(0.2, 0.8, (60, 100, 3))
    with_extra = common.copy()
    with_extra[:15] = (0.9, 0.1, 0.1)
    assert shared_distance(palette(common), palette(common)) == pytest.approx(0, abs=1e-9)
    assert shared_distance(palette(common), palette(with_extra)) < 4
    assert shared_distance(palette(common), palette(common * 0.6)) > 8
