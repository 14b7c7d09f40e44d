"""The solver on hard problems: heavy casts, crushed lows, clipped highs, starts far from the aim."""

from dataclasses import replace
from typing import cast

import numpy as np
import pytest
from scipy.optimize import brentq

from dovrel.bench import solving
from dovrel.core.correct.search import TOLERANCE
from dovrel.core.correct.solve import solve
from dovrel.core.develop.frame import display_of
from dovrel.core.measure.readings import readings_of_display
from dovrel.core.measure.sampled import Sample, take_sample
from dovrel.core.steps.primary import IDENTITY, Primary

PROBLEMS_A_FRAME = 26
SPREAD = solving.SPREADS["as the tests hold them"]


@pytest.mark.parametrize("name", solving.FRAMES)
def test_random_reachable_problems_all_converge(demo_frame, table, name):
    """Aims are readings under a known correction; every other search starts from another one."""
    pixels = take_sample(demo_frame(name).working)
    sample = Sample(pixels, table)
    rng = np.random.default_rng([7, *map(ord, name)])
    worst = []
    for number in range(PROBLEMS_A_FRAME):
        aims = sample.readings([solving.a_correction(rng, SPREAD)])
        start = solving.a_correction(rng, SPREAD) if number % 2 else IDENTITY
        solution = solve(pixels, start, aims, table)
        off = np.abs(sample.readings([solution.numbers]) - aims).max()
        worst.append(off)
        assert (off <= TOLERANCE) == (solution.missed == ())
    assert max(worst) <= TOLERANCE


def test_a_samples_readings_are_those_of_sorting(demo_frame, table):
    for name in solving.FRAMES:
        pixels = take_sample(demo_frame(name).working)
        numbers = Primary((1.1, 0.9, 1.0), (0.01, 0.0, -0.02), (1.0, 1.1, 0.95), 1.2)
        expected = readings_of_display(display_of(pixels, [numbers], table))
        assert np.abs(Sample(pixels, table).readings([numbers]) - expected).max() < 0.005


def test_the_levels_behind_the_readings_go_on_beyond_black(demo_frame, table):
    pixels = take_sample(demo_frame("12A-1").working)
    sample = Sample(pixels, table)
    down = Primary(offset=(-0.3, -0.3, -0.3))
    further = Primary(offset=(-0.35, -0.35, -0.35))
    readings, levels = sample.read([down])
    lower_readings, lower_levels = sample.read([further])
    assert readings[0] == pytest.approx(lower_readings[0], abs=0.01)
    assert levels[0] - lower_levels[0] == pytest.approx(0.05, abs=1e-3)


def test_a_sample_needs_pixels(table):
    with pytest.raises(ValueError, match="no pixels"):
        Sample(np.empty((0, 3), np.float32), table)


def test_a_quick_answer_is_near_and_a_thorough_one_there(demo_frame, table):
    """While a hand drags, one search must do; it may be a little off, never far."""
    pixels = take_sample(demo_frame("22A-1").working)
    aims = Sample(pixels, table).readings([IDENTITY])
    aims[[2, 5, 8]] += (3, 1, -2)
    quick = solve(pixels, IDENTITY, aims, table, effort="drag")
    thorough = solve(pixels, IDENTITY, aims, table)
    assert np.abs(quick.readings - aims).max() < 1
    assert np.abs(thorough.readings - aims).max() <= TOLERANCE


def test_a_search_that_is_overtaken_gives_the_nearest_so_far(demo_frame, table):
    pixels = take_sample(demo_frame("12A-1").working)
    start = Sample(pixels, table).readings([IDENTITY])
    aims = start.copy()
    aims[1] = aims[2] + 8
    asked = []

    def overtaken() -> bool:
        asked.append(True)
        return len(asked) > 12

    stopped = solve(pixels, IDENTITY, aims, table, overtaken=overtaken)
    ended = solve(pixels, IDENTITY, aims, table)
    first, stop, end = (float(((one - aims) ** 2).sum()) for one in (start, stopped.readings, ended.readings))
    assert end <= stop < first
    assert 12 < len(asked) < 40


@pytest.mark.parametrize("moved,by", [(4, -5), (5, 4), (1, 6), (8, -6)])
def test_a_hand_that_moves_a_reading_leaves_the_saturation_s_number(demo_frame, table, moved, by):
    """The picture's colour grows or shrinks with the cast that is made or taken away, and is not fought with."""
    pixels = take_sample(demo_frame("21C-1").working)
    start = replace(IDENTITY, saturation=0.9)
    aims = Sample(pixels, table).readings([start])
    aims[moved] += by
    solution = solve(pixels, start, aims, table, moved=[moved])
    assert np.abs(solution.readings - aims)[:9].max() <= TOLERANCE
    assert solution.numbers.saturation == 0.9
    assert solution.missed == ()


def test_readings_moved_with_the_saturation_are_all_met(demo_frame, table):
    pixels = take_sample(demo_frame("12A-1").working)
    sample = Sample(pixels, table)
    aims = sample.readings([Primary((1.03, 1, 1), (0, 0, 0.01), (1, 0.95, 1), 0.8)])
    solution = solve(pixels, IDENTITY, aims, table, moved=range(10))
    assert np.abs(solution.readings - aims).max() <= TOLERANCE


@pytest.mark.parametrize("name,part", [("12A-1", 1.27), ("21C-1", 1.27), ("22A-1", 0.73), ("12C-4", 0.73)])
def test_saturation_is_met_and_pulls_along_no_more_than_saturation_does(demo_frame, table, name, part):
    pixels = take_sample(demo_frame(name).working)
    sample = Sample(pixels, table)
    aims = sample.readings([IDENTITY])
    aims[9] *= part

    def by_itself(saturation: float) -> np.ndarray:
        return sample.readings([replace(IDENTITY, saturation=saturation)]) - aims

    alone = by_itself(cast(float, brentq(lambda one: by_itself(one)[9], 0.05, 4)))
    for effort in ("drag", "thorough"):
        off = solve(pixels, IDENTITY, aims, table, moved=[9], effort=effort).readings - aims
        assert abs(off[9]) < 0.15
        assert (off[:9] ** 2).sum() <= 1.05 * (alone[:9] ** 2).sum()


@pytest.mark.parametrize("moved,by", [(0, 12), (4, 55), (5, -20), (6, 9)])
def test_a_move_goes_no_farther_than_what_is_held_allows(demo_frame, table, moved, by):
    pixels = take_sample(demo_frame("21B-1").working)
    start = Sample(pixels, table).readings([IDENTITY])
    aims = start.copy()
    aims[moved] += by
    solution = solve(pixels, IDENTITY, aims, table, moved=[moved])
    went = (solution.readings - start)[moved] / by
    pulled = np.delete(np.abs(solution.readings - start)[:9], moved).max()
    assert 0.2 < went < 1.05
    assert pulled <= max(1.0, abs(went * by) / 3) + 0.01
    if went < 0.95:
        (told,) = [one for one in solution.missed if one.reading == moved]
        assert "power" in told.reason or "pull along what is held" in told.reason


def test_a_power_beyond_the_usual_is_found_where_no_other_does(demo_frame, table):
    """A lamp-lit night of another camera: its blue lows lie so low that only a strong bend comes near."""
    aims = Sample(take_sample(demo_frame("14A-1", 12, 960).working), table).readings([IDENTITY])
    pixels = take_sample(demo_frame("14C-1", 12, 960).working)
    solution = solve(pixels, IDENTITY, aims, table)
    assert solution.numbers.power[2] > 2.5
    assert np.abs(solution.readings - aims).max() < 0.9
    assert all("blue" in one.reason for one in solution.missed if one.reading in (6, 7, 8))


def test_numbers_that_are_bent_far_are_gone_on_from(demo_frame, table):
    """A hand that drags on a correction with an unusual power moves a reading and nothing else."""
    pixels = take_sample(demo_frame("12A-1").working)
    bent = Primary((1.4, 1.4, 1.4), (0.12, 0.12, 0.12), (4.5, 4.5, 4.5), 0.8)
    aims = Sample(pixels, table).readings([bent])
    aims[2] += 0.5
    dragged = solve(pixels, bent, aims, table, effort="drag")
    assert np.abs(dragged.readings - aims).max() < 0.3
    assert np.abs(dragged.numbers.as_array() - bent.as_array()).max() < 0.6


def test_a_middle_that_no_power_bends_is_said_to_be_one(demo_frame, table):
    """Red's mids hardly below its highs, far above its lows: no curve of a CDL does that."""
    pixels = take_sample(demo_frame("21A-1").working)
    aims = Sample(pixels, table).readings([IDENTITY])
    aims[1] = aims[2] - 0.2
    missed = {one.reading: one for one in solve(pixels, IDENTITY, aims, table).missed}
    assert missed.keys() & {0, 1, 2}
    assert any("red's middle would have to be bent by a power under 0.25" in one.reason for one in missed.values())
