"""Two lights in one picture: found, told, and each balanced by itself; one light is not taken for two."""

import numpy as np
import pytest

from dovrel.core.balance import hear, propose, statistics, two_lights
from dovrel.core.colour import white
from dovrel.core.develop.frame import display_of
from dovrel.core.measure.difference import display_difference
from dovrel.core.steps import primary

HALF = 240


def under_two(picture, left_cct: float, right_cct: float) -> np.ndarray:
    """Working values with the left half under one light and the right half under another."""
    working = picture.working.copy()
    for half, cct in ((np.s_[:, :HALF], left_cct), (np.s_[:, HALF:], right_cct)):
        working[half] -= white.offset_for(cct, 0).astype(np.float32)
    return working


def find(working, picture, table):
    return two_lights.find(statistics.look_at(working, picture.reach, table, finished=False))


def test_each_of_two_lights_is_proposed_for_its_part(demo_frame, table):
    picture = demo_frame("12B-1", 0, 480)
    working = under_two(picture, 9000, 4000)
    found = propose(working, picture.reach, table)
    assert "two lights: the warmer light on the right and the cooler light on the left" in found[0].reason
    assert [one.id for one in found[1:3]] == ["warmer", "cooler"]
    for one, half in ((found[1], np.s_[:, HALF + 40 :]), (found[2], np.s_[:, : HALF - 40])):
        wanted = display_of(picture.working[half], [], table)
        before = display_difference(display_of(working[half], [], table), wanted).mean()
        after = display_difference(display_of(working[half], [one.numbers], table), wanted).mean()
        other = found[2 if one is found[1] else 1].numbers
        by_other = display_difference(display_of(working[half], [other], table), wanted).mean()
        assert after < before, one.name
        assert after < 0.6 * by_other, one.name


@pytest.mark.parametrize("name", ["12A-1", "12B-1", "14A-1", "21A-1", "22A-1", "23A-1"])
def test_one_light_is_not_taken_for_two(demo_frame, table, name):
    picture = demo_frame(name, 0, 480)
    assert not any(one.id in ("warmer", "cooler") for one in propose(picture.working, picture.reach, table))


@pytest.mark.parametrize("swapped", [False, True])
def test_the_edge_between_two_lights_is_found(demo_frame, table, swapped):
    picture = demo_frame("14B-2", 0, 480)
    cooler, warmer = ("right", "left") if swapped else ("left", "right")
    ccts = (4000, 9000) if swapped else (9000, 4000)
    found = find(under_two(picture, *ccts), picture, table)
    assert found.sides == (f"on the {warmer}", f"on the {cooler}")
    mask = found.warmer(90, 160)
    truly = np.zeros((90, 160), bool)
    truly[:, :80] = swapped
    truly[:, 80:] = not swapped
    assert (mask == truly).mean() > 0.85
    turned = two_lights.TwoLights(np.array([1.5, 0.1, -0.3]), 1.0)
    assert turned.sides == ("below", "above")


def test_a_coloured_wall_is_left_to_the_cues(demo_frame, table):
    """Two kinds of near-neutrals are two lights only if the cues ask for other colours on either side."""
    picture = demo_frame("12A-1", 0, 480)
    working = under_two(picture, 6600, 5400)
    heard = hear(working, picture.reach, table)
    sides = two_lights.hear_each(heard, working, picture.reach, table, finished=False)
    assert sides is None
    assert propose(working, picture.reach, table)[0].numbers == primary.IDENTITY
