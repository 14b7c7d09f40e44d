"""A family solved as one: chains, contradictions, what stays as it was."""

from dataclasses import replace

import numpy as np
import pytest

from dovrel.core.colour.working import STOP
from dovrel.core.develop.frame import display_of
from dovrel.core.match import family
from dovrel.core.match.chains import chains_to, trust_of
from dovrel.core.match.family import Member, solve_family
from dovrel.core.match.link import Link, link, links_between
from dovrel.core.match.side import side_of
from dovrel.core.match.together import solve_together
from dovrel.core.match.view import view_of
from dovrel.core.measure.difference import ciede2000, lab_of_display
from dovrel.core.steps.primary import IDENTITY, Primary

LIT = [np.zeros(3), np.array([0.8, 0.1, -0.5]), np.array([-0.7, 0.0, 0.4]), np.array([0.3, -0.4, 0.9])]
"""How many stops each shot was recorded brighter than the reference."""


@pytest.fixture
def linked(rng):
    """A link of two shots of one place, by the stops each was lit by; `angle` scatters every surface."""

    def links(one, other, pairs=300, *, overlies=True, angle=0.0) -> Link:
        scene = rng.uniform(0.28, 0.52, (pairs, 3))
        scatter = rng.normal(0, angle * STOP, scene.shape)
        first, second = ((scene + np.asarray(lit) * STOP).astype(np.float32) for lit in (one, other))
        second += scatter.astype(np.float32)
        return Link(first, second, np.ones(pairs), rng.random((pairs, 2)).astype(np.float32), pairs, overlies)

    return links


def members(number=4, cameras="AAAA"):
    return [Member(f"shot {n}", IDENTITY, cameras[n]) for n in range(number)]


def off(numbers: Primary, lit, table) -> float:
    """Mean CIEDE2000 between a grey scale as it should be and as the answer shows it of a shot that was lit so."""
    scale = np.repeat(np.linspace(0.3, 0.5, 20)[:, None], 3, axis=1)
    shown = display_of((scale + np.asarray(lit) * STOP).astype(np.float32), [numbers], table)
    return float(
        ciede2000(lab_of_display(shown), lab_of_display(display_of(scale.astype(np.float32), [], table))).mean()
    )


def listening():
    """What shots without links learn from their cameras, by their number; and what asks them."""
    heard: dict[int, np.ndarray | None] = {}

    def by_light(shot: int, camera: np.ndarray | None) -> tuple[Primary, float]:
        heard[shot] = camera
        return IDENTITY, 0.0

    return heard, by_light


def test_a_shot_that_shares_nothing_with_the_reference_matches_through_its_neighbours(linked, table):
    links = {(n, n + 1): linked(LIT[n], LIT[n + 1]) for n in range(3)}
    solved = solve_family(members(), 0, links, table)
    assert [shot.chain for shot in solved.shots] == [(0,), (1, 0), (2, 1, 0), (3, 2, 1, 0)]
    for shot, lit in zip(solved.shots, LIT, strict=True):
        assert off(shot.numbers, lit, table) < 0.6
    far = solved.shots[3]
    assert far.notes[0] == "through shot 2 and shot 1"
    assert far.basis == "chain"
    assert far.distance_before
    assert far.distance_after
    assert far.distance_after < 0.1 * far.distance_before
    assert far.confidence < solved.shots[1].confidence
    assert solved.shots[0].numbers == IDENTITY


def test_a_shot_that_nothing_links_stays_as_it_was(linked, table):
    found = {3: (Primary(offset=(-0.02, 0.0, 0.0)), 0.3)}
    links = {(0, 1): linked(LIT[0], LIT[1]), (1, 2): linked(LIT[1], LIT[2])}
    alone = solve_family(members(), 0, links, table).shots[3]
    assert (alone.numbers, alone.chain, alone.offered, alone.distance_after) == (IDENTITY, (), None, None)
    assert "it is left as it was" in alone.notes
    unsure = solve_family(members(), 0, links, table, by_light=lambda n, _: found[n]).shots[3]
    assert (unsure.numbers, unsure.offered) == (IDENTITY, found[3][0])
    sure = solve_family(members(), 0, links, table, by_light=lambda n, _: (found[n][0], 0.9)).shots[3]
    assert (sure.numbers, sure.basis) == (found[3][0], "light")


def test_a_family_of_which_nothing_hangs_on_the_reference_stays_as_it_was(linked, table):
    for links in ({}, {(1, 2): linked(LIT[1], LIT[2])}, {(0, 1): linked(LIT[0], LIT[0])}):
        solved = solve_family(members(), 0, links, table)
        assert [shot.numbers for shot in solved.shots] == [IDENTITY] * 4
        assert solved.shots[3].basis == "none"


def test_a_shot_that_nothing_links_hears_what_its_camera_needed_where_its_other_shots_agree(linked, table):
    links = {(0, 1): linked(LIT[0], LIT[1]), (0, 2): linked(LIT[0], LIT[1] + 0.05)}
    heard, by_light = listening()
    solve_family(members(cameras="ABBB"), 0, links, table, by_light)
    assert heard[3] == pytest.approx(-LIT[1], abs=0.1)
    solve_family(members(cameras="ABBC"), 0, links, table, by_light)
    assert heard[3] is None
    links[0, 2] = linked(LIT[0], LIT[2])
    solve_family(members(cameras="ABBB"), 0, links, table, by_light)
    assert heard[3] is None


def test_a_link_that_all_others_contradict_is_told_and_left_out(linked, table):
    links = {(n, n + 1): linked(LIT[n], LIT[n + 1]) for n in range(3)}
    # Between two of them something that looks alike, under quite another light, was taken for the same.
    links[0, 3] = linked(LIT[0], LIT[3] + 1.5, pairs=10, overlies=False)
    solved = solve_family(members(), 0, links, table)
    assert solved.contrary == [(0, 3)]
    assert off(solved.shots[3].numbers, LIT[3], table) < 0.6
    assert any("shot 3 contradicts all others" in note for note in solved.shots[0].notes) or any(
        "shot 0 contradicts all others" in note for note in solved.shots[3].notes
    )


def test_shots_that_were_recorded_alike_come_out_alike(linked, table):
    links = {(0, 1): linked(LIT[0], LIT[1]), (1, 2): linked(LIT[1], LIT[1]), (2, 3): linked(LIT[1], LIT[0])}
    solved = solve_family(members(), 0, links, table)
    assert solved.shots[2].numbers == solved.shots[1].numbers != IDENTITY
    assert any("settings, or its light, changed" in note for note in solved.shots[3].notes), (
        "lit as the reference again, by the same camera"
    )
    others = solve_family(members(cameras="AABB"), 0, links, table)
    assert not any("settings, or its light, changed" in note for note in others.shots[2].notes)


def test_a_small_exposure_from_another_angle_is_no_evidence(linked, table):
    links = {(0, 1): linked(np.zeros(3), np.full(3, 0.1), overlies=False, angle=0.4)}
    solved = solve_family(members(2), 0, links, table)
    assert solved.shots[1].numbers == IDENTITY


def test_pairs_that_nothing_was_fitted_to_judge_the_answer(linked, table, monkeypatch):
    worse = Primary(offset=(0.05, 0.0, -0.05))
    monkeypatch.setattr(family, "solve_together", lambda placed, *_: {**placed, 1: worse})
    solved = solve_family(members(2), 0, {(0, 1): linked(LIT[0], LIT[0])}, table)
    assert solved.shots[1].numbers == IDENTITY
    assert "nothing was changed" in solved.shots[1].notes[-1]


def test_all_moved_together_agree_better_than_placed_in_turn(linked, table):
    """A loop whose last link says by a tenth of a stop what the first does not: all share the difference."""
    lit = [np.zeros(3), LIT[1], LIT[2]]
    links = {(0, 1): linked(lit[0], lit[1]), (1, 2): linked(lit[1], lit[2]), (0, 2): linked(lit[0], lit[2])}
    rough = {
        0: IDENTITY,
        1: Primary(offset=tuple(-STOP * (lit[1] + 0.3))),
        2: Primary(offset=tuple(-STOP * (lit[2] - 0.3))),
    }
    moved = solve_together(rough, 0, links, [None, None, None], table)
    assert moved[0] == IDENTITY
    for n in (1, 2):
        assert off(moved[n], lit[n], table) < 0.5 * off(rough[n], lit[n], table)


def test_what_follows_the_references_balance_is_in_force_on_it(linked, table):
    graded = Primary(saturation=0.5)
    first = Member("shot 0", IDENTITY, "A", after=(graded,))
    solved = solve_family([first, *members()[1:2]], 0, {(0, 1): linked(LIT[0], LIT[1])}, table)
    assert solved.shots[1].numbers.saturation == pytest.approx(0.5, abs=0.08)


def test_an_unknown_reference_is_refused(table):
    with pytest.raises(ValueError, match="one of the family"):
        solve_family(members(), 7, {}, table)


def test_the_surest_chain_is_taken_and_trust_falls_along_it(linked):
    sure, few = linked(LIT[0], LIT[1]), linked(LIT[0], LIT[2], pairs=8, overlies=False)
    _, first, second, nothing = chains_to(0, 4, {(0, 1): sure, (1, 2): sure, (0, 2): few})
    assert first
    assert second
    assert second.shots == (2, 1, 0)
    assert second.trust < first.trust <= 1
    assert nothing is None


def test_colours_that_do_not_go_together_are_not_trusted(linked, rng):
    true = linked(LIT[0], LIT[1], pairs=30)
    false = Link(true.one, rng.permutation(true.other), true.weight, true.places, 30, False)
    assert true.agreement > 0.9 > 0.3 > false.agreement
    assert trust_of(true) > 1.8 * trust_of(false)


def test_views_of_one_place_are_linked_and_those_of_two_are_not(demo_frame, table):
    frames = [demo_frame(name, width=640) for name in ("12A-1", "12C-2", "21A-2")]
    views = [view_of(side_of(frame.working, frame.reach, None), table) for frame in frames]
    links = links_between(views)
    assert list(links) == [(0, 1)]
    assert links[0, 1].overlies
    assert links[0, 1].agreement > 0.9
    darker = view_of(side_of(frames[0].working - np.float32(2 * STOP), frames[0].reach, None), table)
    same = link(views[0], darker)
    assert same
    assert same.stops == pytest.approx(np.full(3, 2.0), abs=0.1)


def test_frames_of_a_shot_whose_light_changes_say_nothing_of_its_camera(linked, table):
    """Two frames of one shot that need other numbers: its camera was not changed between them, and no other shot hears of them."""
    links = {(0, 1): linked(LIT[0], LIT[1]), (0, 2): linked(LIT[0], LIT[1] + 0.4)}
    heard, by_light = listening()
    plain = members(cameras="ABBB")
    told = solve_family(plain, 0, links, table, by_light).shots[2].notes
    assert any("settings, or its light, changed after shot 1" in note for note in told)
    assert heard[3] is not None
    along = [plain[0], *(replace(one, frame_of="walk") for one in plain[1:3]), plain[3]]
    links[0, 2] = linked(LIT[0], LIT[1] + 0.2)
    told = solve_family(along, 0, links, table, by_light).shots[2].notes
    assert not any("settings, or its light, changed" in note for note in told)
    assert heard[3] is None
