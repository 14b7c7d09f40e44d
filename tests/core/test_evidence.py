"""The pairs of colours a match is fitted to: means of light, as wide as the thing they show."""

import cv2
import numpy as np
import pytest

from dovrel.bench.changes import clipped
from dovrel.core.colour.working import from_linear, to_linear
from dovrel.core.match import Evidence, correspond, match
from dovrel.core.match.fit import differences
from dovrel.core.match.link import CLIPPED_WEIGHT
from dovrel.core.steps.extended import Extended
from dovrel.core.steps.primary import IDENTITY, Primary


def test_neighbourhoods_are_as_large_as_what_they_show(demo_frame):
    """The middle half of a frame, seen twice as large."""
    whole = np.clip(demo_frame("12A-1", 0, 960).recorded, 0, 1)
    height, width = whole.shape[:2]
    middle = whole[height // 4 : 3 * height // 4, width // 4 : 3 * width // 4]
    close = cv2.resize(middle, (width, height), interpolation=cv2.INTER_CUBIC)
    found = correspond.correspond(correspond.find_features(whole), correspond.find_features(close))
    assert len(found) > 60
    assert np.abs((found.shot - 0.5) / 2 + 0.5 - found.reference).max(axis=1).mean() < 0.01
    assert np.median(found.larger) == pytest.approx(0.5, rel=0.08)
    there, here = found.wider
    assert np.median(there) == 1
    assert np.median(here) == pytest.approx(2, rel=0.08)


def test_print_on_paper_is_one_grey_from_near_and_far(rng):
    """Sharp letters close by, and the same sheet so far off that they melt: light says the same of both."""
    letters = np.where(rng.random((360, 640, 1)) < 0.3, 0.02, 0.8).astype(np.float32).repeat(3, axis=2)
    near = cv2.resize(letters, (1280, 720), interpolation=cv2.INTER_NEAREST)[180:540, 320:960]
    points = rng.uniform(0.2, 0.8, (50, 2)).astype(np.float32)
    in_near = (points - 0.5) * 2 + 0.5
    inside = (in_near > 0.1).all(axis=1) & (in_near < 0.9).all(axis=1)
    points, in_near = points[inside], in_near[inside]
    once, twice = np.ones(len(points)), np.full(len(points), 2.0)

    def means(light: np.ndarray, places: np.ndarray, wider: np.ndarray) -> np.ndarray:
        return correspond.local_means(correspond.narrowest_means(light), places, wider)

    def apart(far_means: np.ndarray, near_means: np.ndarray) -> float:
        return float(np.abs(far_means / near_means - 1).mean())

    # Melted once more, as by a lens: the light stays, the logarithms do not.
    melted = cv2.GaussianBlur(letters, (0, 0), 1.5)
    light = means(melted, points, once), means(near, in_near, twice)
    assert apart(*light) < 0.06
    logs = (
        to_linear(means(from_linear(melted), points, once)),
        to_linear(means(from_linear(near), in_near, twice)),
    )
    assert apart(*logs) > 4 * apart(*light)


def test_what_is_clipped_says_where_it_lies_and_hardly_weighs(demo_frame, table):
    """Most of 12B-3 clipped: the rest decides the match, and the clipped parts still end near their place."""
    reference, shot = demo_frame("12A-1", 0, 960), demo_frame("12B-3", 0, 960)
    blown = clipped(shot)
    evidence = Evidence(reference.working, blown.working, blown.recorded, table)
    assert evidence.pairs is not None
    at_end = evidence.pairs.shot.max(axis=1) > blown.working.max() - 0.002
    fine = evidence.pairs.shot.max(axis=1) < blown.working.max() - 0.08
    assert at_end.sum() > 100
    assert fine.sum() > 100
    assert np.median(evidence.pairs.weight[at_end]) < 2 * CLIPPED_WEIGHT * np.median(evidence.pairs.weight[fine])
    result = match(evidence)
    after = differences(evidence.pairs, [result.numbers], table)
    assert np.median(after[fine]) < 4
    assert after[at_end].mean() < 0.5 * differences(evidence.pairs, [IDENTITY], table)[at_end].mean()


def test_the_reference_is_seen_under_all_of_its_balance(demo_frame, table):
    """Ten numbers and an extended step: a shot that is the same frame asks for both of them."""
    frame = demo_frame("12A-1", 0, 960)
    numbers = Primary((1.1, 1.1, 1.1), (-0.04, -0.03, -0.05), (1.0, 1.0, 1.0), 1.1)
    plain = Evidence(frame.working, frame.working, frame.recorded, table, reference_balance=[numbers])
    assert plain.reference_numbers == numbers
    assert plain.distance(numbers) < 0.15
    swapped = Extended(((0.8, 0.2, 0.0), (0.0, 1.0, 0.0), (0.0, 0.2, 0.8)))
    both = Evidence(frame.working, frame.working, frame.recorded, table, reference_balance=[numbers, swapped])
    assert both.reference_numbers == numbers
    assert both.distance(numbers, swapped) < 0.15
    assert both.distance(numbers) > 0.5
