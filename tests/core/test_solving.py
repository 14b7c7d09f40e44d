"""The solver on hard problems: heavy casts, crushed lows, clipped highs, starts far from the aim."""

import numpy as np
import pytest

from dovrel.core.colour.cdl import IDENTITY, TenNumbers
from dovrel.core.correct.solve import TOLERANCE, solve, take_sample
from dovrel.core.measure.frame import display_of
from dovrel.core.measure.readings import readings_of_display
from dovrel.core.measure.sampled import Sample

FRAMES = ("12A-1", "12C-2", "12B-3", "14A-1", "21C-1", "22A-1", "23A-1", "12C-4")
PROBLEMS_A_FRAME = 26


def a_correction(rng: np.random.Generator) -> TenNumbers:
    """Slopes and powers within some ±25 %, offsets within some third of a stop, any saturation."""
    return TenNumbers.from_array(
        np.r_[
            np.exp(rng.normal(0, 0.08, 3)),
            rng.normal(0, 0.016, 3),
            np.exp(rng.normal(0, 0.08, 3)),
            rng.uniform(0.5, 1.6),
        ]
    )


@pytest.mark.parametrize("name", FRAMES)
def test_random_reachable_problems_all_converge(demo_frame, table, name):
    """Aims are readings under a known correction; every other search starts from another one."""
    pixels = take_sample(demo_frame(name).working)
    sample = Sample(pixels, table)
    rng = np.random.default_rng([7, *map(ord, name)])
    worst = []
    for number in range(PROBLEMS_A_FRAME):
        aims = sample.readings([a_correction(rng)])
        start = a_correction(rng) if number % 2 else IDENTITY
        solution = solve(pixels, start, aims, table)
        off = np.abs(sample.readings([solution.numbers]) - aims).max()
        worst.append(off)
        assert (off <= TOLERANCE) == (solution.missed == ())
    assert max(worst) <= TOLERANCE


def test_a_samples_readings_are_those_of_sorting(demo_frame, table):
    for name in FRAMES:
        pixels = take_sample(demo_frame(name).working)
        numbers = TenNumbers((1.1, 0.9, 1.0), (0.01, 0.0, -0.02), (1.0, 1.1, 0.95), 1.2)
        expected = readings_of_display(display_of(pixels, [numbers], table))
        assert np.abs(Sample(pixels, table).readings([numbers]) - expected).max() < 0.005


def test_the_levels_behind_the_readings_go_on_beyond_black(demo_frame, table):
    pixels = take_sample(demo_frame("12A-1").working)
    sample = Sample(pixels, table)
    down = TenNumbers(offset=(-0.3, -0.3, -0.3))
    further = TenNumbers(offset=(-0.35, -0.35, -0.35))
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
    quick = solve(pixels, IDENTITY, aims, table, thorough=False)
    thorough = solve(pixels, IDENTITY, aims, table)
    assert np.abs(quick.readings - aims).max() < 1
    assert np.abs(thorough.readings - aims).max() <= TOLERANCE


def test_weights_say_which_aims_matter(demo_frame, table):
    """Contradicting aims: what has the weight is met, the rest is told."""
    pixels = take_sample(demo_frame("12A-1").working)
    aims = Sample(pixels, table).readings([IDENTITY])
    aims[9] = aims[9] * 6
    weights = np.ones(10)
    weights[9] = 0
    solution = solve(pixels, IDENTITY, aims, table, weights=weights)
    assert np.abs(solution.readings - aims)[:9].max() <= TOLERANCE
    assert solution.missed == ()
