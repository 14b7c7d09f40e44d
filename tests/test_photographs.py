"""Photographs under known changes: the changes, what brings them back, and what is made of the answers."""

from itertools import pairwise

import numpy as np
import pytest

from dovrel.bench import balancing_photographs, learning, learning_cameras, matching_photographs, photographs
from dovrel.bench.balancing_photographs import Case
from dovrel.bench.matching_photographs import CAMERAS, CHANGES, UNHEARD, HalfCase
from dovrel.bench.photographs import AS_IT_IS, KNOWN, Change
from dovrel.core.balance.forest import learned
from dovrel.core.balance.statistics import usable_pixels
from dovrel.core.measure.difference import REC709_TO_XYZ
from dovrel.media.stills import write_still


@pytest.fixture
def light(rng) -> np.ndarray:
    """A made-up scene in linear Rec.709."""
    tones = np.linspace(0.02, 0.6, 160)[None, :, None] * np.linspace(0.5, 1.0, 90)[:, None, None]
    return tones * rng.uniform(0.7, 1.0, (90, 160, 3))


def test_changes_keep_the_luminance_of_grey_and_go_where_they_say():
    assert AS_IT_IS.gains == pytest.approx(np.ones(3), abs=1e-3)
    for change in KNOWN:
        assert REC709_TO_XYZ[1] @ change.gains == pytest.approx(2.0**change.stops, rel=1e-6)
    warm, green = Change(2500).gains, Change(tint=0.5).gains
    assert warm[0] > 1.3 > 0.4 > warm[2]
    assert green[1] / green[0] == pytest.approx(2**0.5, rel=1e-3)
    assert Change(5600, set_to=5600).gains == pytest.approx(np.ones(3))
    blue = Change(5600, set_to=3200).gains
    assert blue[2] > 1.5 > 0.8 > blue[0]


def test_a_change_of_a_logarithmic_recording_is_told_back_by_its_gains(light):
    gains = np.array([1.4, 1.0, 0.6])
    right, moved = photographs.regraded(light, gains)
    found = photographs.true_gains(moved, right, usable_pixels(moved.reach))
    assert found == pytest.approx(-np.log2(gains), abs=0.02)
    logged = photographs.true_gains(
        photographs.logged(light * 0.5), photographs.logged(light), np.ones((90, 160), bool)
    )
    assert logged == pytest.approx(np.ones(3), abs=0.03)


def test_examples_of_a_photograph_are_the_same_each_time(light, tmp_path, monkeypatch):
    monkeypatch.setattr(learning, "DRAWS", 4)
    shown = np.clip(light, 0, 1) ** (1 / 2.2)
    write_still(tmp_path / "Storm.jpg.png", shown)
    one, again = (learning._of_photograph(tmp_path / "Storm.jpg.png", None) for _ in range(2))
    assert len(one) >= 3
    for a, b in zip(one, again, strict=True):
        assert np.array_equal(a.numbers, b.numbers)
        assert np.array_equal(a.gains, b.gains)
    kept = tmp_path / "examples.npz"
    assert [e.group for e in learning.kept(kept, lambda: one)] == [e.group for e in learning.kept(kept, list)]


def test_photographs_are_found_by_name_and_too_few_are_refused(tmp_path, light):
    write_still(tmp_path / "Bridge_by_someone.png", np.clip(light, 0, 1))
    (tmp_path / "logo.png").write_bytes((tmp_path / "Bridge_by_someone.png").read_bytes())
    found = photographs.find(tmp_path)
    assert [photographs.name_of(path) for path in found] == ["Bridge"]
    with pytest.raises(ValueError, match="install the Debian packages"):
        balancing_photographs.run(tmp_path, tmp_path, None)


def test_answers_are_summed_up_by_kind_and_by_confidence():
    def case(kind: str, changed: bool, before: float, ours: float, sure: float, within: bool) -> Case:
        methods = dict.fromkeys(balancing_photographs.METHODS, 5.0)
        return Case("Storm", kind, changed, before, ours, methods, sure, within, "weighed")

    display, log = balancing_photographs.KINDS
    cases = [
        case(display, True, 10, 4, 0.5, True),
        case(display, True, 2, 3, 0.5, False),
        case(display, False, 0, 1, 0.9, True),
        case(log, True, 8, 8.1, 0.1, False),
        case(log, False, 0, 0.2, 0.7, True),
    ]
    found = balancing_photographs.summary(cases)
    ours = next(row for row in found["errors"] if (row["kind"], row["method"]) == (display, "ours"))
    assert ours["of_before"] == pytest.approx(7 / 12)
    assert (ours["worse"], ours["untouched_moved_by"]) == (0.5, 1)
    half = next(row for row in found["calibration"] if row["cases"] == 2)
    assert (half["said"], half["true"]) == (0.5, 0.5)


@pytest.mark.parametrize("method", balancing_photographs.METHODS)
def test_the_published_methods_find_the_light_on_a_grey_scene(method, rng):
    greys = np.repeat(rng.uniform(0.05, 0.5, (60, 80, 1)), 3, axis=2) * np.array([1.3, 1.0, 0.6])
    found = balancing_photographs.METHODS[method](greys)
    assert found / found[1] == pytest.approx([1.3, 1.0, 0.6], rel=0.02)


def test_a_half_is_matched_to_the_other_by_their_light(light):
    """A scene whose halves are alike, one of them a stop under: it is brought nearer, whatever it is called."""
    (case, left, anew), features = matching_photographs._of_change(
        "made up", "log-coded", light, light[:, ::-1], CHANGES[2], learned()
    )
    assert features is not None
    assert [one.camera for one in (case, left, anew)] == list(CAMERAS)
    assert left.after <= case.after + 0.5
    assert case.changed
    assert case.before > 3
    assert case.after <= case.before + matching_photographs.WORSE_BY
    assert 0 <= case.confidence <= 1


def test_halves_are_told_by_whether_their_match_was_applied():
    sure = HalfCase("a", "log-coded", UNHEARD, True, 10.0, 4.0, 0.7, True, True, "light")
    unsure = HalfCase("b", "log-coded", UNHEARD, True, 10.0, 14.0, 0.1, False, False, "light")
    alone = HalfCase("c", "log-coded", UNHEARD, False, 0.0, 1.5, 0.6, True, True, "light")
    found = matching_photographs.summary([sure, unsure, alone])[UNHEARD]
    every, applied, offered = found["errors"]
    assert (every["cases"], every["worse"]) == (3, 0.5)
    assert (applied["before"], applied["after"], applied["worse"]) == (10.0, 4.0, 0.0)
    assert applied["untouched_moved_by"] == 1.5
    assert offered["untouched_moved_by"] is None
    assert [row["true"] for row in found["calibration"]] == [0.0, 1.0]


def test_a_camera_left_as_it_was_is_spoken_for_by_the_light_of_a_half(light, tmp_path, monkeypatch):
    monkeypatch.setattr(learning_cameras, "CHANGES", 1)
    write_still(tmp_path / "Storm.jpg.png", np.clip(light, 0, 1) ** (1 / 2.2))
    said = learning_cameras._said(tmp_path / "Storm.jpg.png", learned(), None)
    assert len(said) == 2 * 2 * 2 * learning_cameras.NEEDS
    assert sum(one.true for one in said) >= len(said) / 2
    assert all(0 <= low <= high <= 1 for one in said for low, high in pairwise(one.by))


def test_how_far_a_camera_is_believed_is_learned_and_judged_on_photographs_left_out(rng):
    """Only the third bandwidth says anything; what it says is true as often as a logistic function of it."""
    said = []
    for number in range(3000):
        by = rng.uniform(0.001, 1.0, len(learning_cameras.NEARS))
        true = rng.random() < 1 / (1 + np.exp(-(2.0 + 1.5 * np.log(by[2]))))
        said.append(learning_cameras.Said(f"photograph {number % 22}", tuple(by), bool(true)))
    learned_so = learning_cameras.learn(said)
    assert learned_so.near == learning_cameras.NEARS[2]
    assert learned_so.level == pytest.approx(2.0, abs=0.25)
    assert learned_so.slope == pytest.approx(1.5, abs=0.25)
    assert min(learned_so.losses, key=lambda near: learned_so.losses[near]) == learned_so.near
    assert sum(row["cases"] for row in learned_so.right) == 3000
    assert all(row["said"] == pytest.approx(row["true"], abs=0.08) for row in learned_so.right)
