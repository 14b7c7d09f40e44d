"""One extended step for all shots of a camera: fitted to several, believed by those it was not fitted to."""

import numpy as np
import pytest

from dovrel.core.colour.working import STOP
from dovrel.core.match.cameras import extend_cameras
from dovrel.core.match.family import Member, solve_family
from dovrel.core.match.link import Link
from dovrel.core.steps.primary import IDENTITY

LIT = [np.zeros(3), np.array([0.4, 0.1, -0.3]), np.array([-0.5, 0.0, 0.2]), np.array([0.2, -0.2, 0.4])]
"""How many stops each shot was recorded brighter than the reference."""
MIXED = np.array([[0.80, 0.16, 0.04], [0.10, 0.94, -0.04], [-0.02, 0.20, 0.82]])
"""How another camera mixes what the reference's keeps apart, working values; greys stay."""


@pytest.fixture
def recorded(rng):
    """A link of two shots of one place; each has the stops it was lit by and the matrix its camera mixes by."""

    def link(one: int, other: int, matrices, *, overlies=True) -> Link:
        scene = rng.uniform(0.26, 0.54, (400, 3))
        grey = scene.mean(axis=1, keepdims=True)
        seen = [grey + (scene - grey) @ matrices[n].T + LIT[n] * STOP for n in (one, other)]
        places = rng.random((400, 2)).astype(np.float32)
        here, there = (part.astype(np.float32) for part in seen)
        return Link(here, there, np.ones(400), places, 400, overlies)

    return link


def solved(recorded, table, cameras: str, matrices, pairs, **how):
    members = [Member(f"shot {n}", IDENTITY, camera) for n, camera in enumerate(cameras)]
    links = {ends: recorded(*ends, matrices, **how) for ends in pairs}
    return extend_cameras(members, 0, solve_family(members, 0, links, table), links, table)


def test_a_cameras_step_is_one_for_all_its_shots(recorded, table):
    plain = np.eye(3)
    found = solved(recorded, table, "ABBA", [plain, MIXED, MIXED, plain], [(0, 1), (0, 2), (0, 3), (2, 3)])
    assert found.shots == {"B": 2}
    first, second = (found.extended(shot, table) for shot in (1, 2))
    assert first[0].extended is not None
    assert first[0].extended == second[0].extended
    assert first[0].gained > 0.3
    for shot, (_, placed) in ((1, first), (2, second)):
        before = found.solved.shots[shot].distance_after
        assert before is not None and placed.distance_after is not None
        assert placed.distance_after < 0.7 * before
        assert "2 shots of it lie over the reference's camera" in placed.notes[-1]
    own, told = found.extended(3, table)
    assert own.extended is None
    assert told.notes[-1] == "no extended step: it is of the reference's own camera"


def test_it_serves_a_shot_of_the_camera_that_hangs_on_another_one(recorded, table):
    matrices = [np.eye(3), MIXED, MIXED, MIXED]
    found = solved(recorded, table, "ABBB", matrices, [(0, 1), (0, 2), (2, 3)])
    part, placed = found.extended(3, table)
    assert placed.chain == (3, 2, 0)
    assert part.extended == found.extended(1, table)[0].extended
    before = found.solved.shots[3].distance_after
    assert before is not None and placed.distance_after is not None
    assert placed.distance_after < before


def test_what_one_shot_asks_for_and_the_others_do_not_is_not_believed(recorded, table):
    other_way = 2 * np.eye(3) - MIXED
    found = solved(recorded, table, "ABB", [np.eye(3), MIXED, other_way], [(0, 1), (0, 2)])
    part, placed = found.extended(1, table)
    assert part.extended is None
    assert "gain nothing on what they were not fitted to" in placed.notes[-1]
    assert placed.distance_after == found.solved.shots[1].distance_after


def test_from_another_angle_there_is_nothing_to_fit(recorded, table):
    found = solved(recorded, table, "AB", [np.eye(3), MIXED], [(0, 1)], overlies=False)
    part, placed = found.extended(1, table)
    assert part.extended is None
    assert "no shot of its camera lies over" in placed.notes[-1]
