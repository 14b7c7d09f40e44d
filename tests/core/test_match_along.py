"""A match along time: at which keyframes a shot is matched, and what becomes of those between."""

import numpy as np
import pytest

from dovrel.core.colour.working import STOP
from dovrel.core.match.along import MOST_LOOKED_AT, Wanted, by_light_if_surer, looked_at, match_along, moved_along
from dovrel.core.match.match import Match
from dovrel.core.match.residuals import Residuals
from dovrel.core.steps.correction import BALANCE, Correction, Step
from dovrel.core.steps.keyframes import Keyframe
from dovrel.core.steps.primary import IDENTITY, Primary


def lit(stops: float) -> Primary:
    return IDENTITY.with_offset_added([stops * STOP] * 3)


def keyframed(**stops_at: float) -> Correction:
    """A correction whose balance has these exposures at these frames: f5=1 is one stop at frame 5."""
    keyframes = tuple(Keyframe(int(frame[1:]), lit(stops)) for frame, stops in stops_at.items())
    return Correction((Step(BALANCE, keyframes[0].values, keyframes=keyframes),))


def answer(numbers: Primary, confidence: float = 0.9, basis: str = "points", found: int = 300) -> Match:
    nothing = Residuals(0.0, 0.0, 0.0, None)
    return Match(numbers, None, 5.0, 1.0, nothing, np.zeros(10), confidence, basis, ("a note",), found, 4.5)


def stops(correction: Correction) -> dict[int, float]:
    return {one.frame: exposure(one.values) for one in correction.step(BALANCE).keyframes}


def exposure(numbers) -> float:
    return numbers.offset[1] / STOP


def test_a_shot_without_keyframes_is_looked_at_on_the_frame_in_hand():
    assert looked_at(Correction((Step(BALANCE, IDENTITY),)), 12, 50) == [12]


def test_few_keyframes_are_all_looked_at_but_those_behind_the_end():
    assert looked_at(keyframed(f5=0, f30=0, f85=0), 12, 50) == [5, 30]
    assert looked_at(keyframed(f60=0, f85=0), 12, 50) == [12]


def test_of_many_keyframes_the_ends_and_the_one_in_hand_are_looked_at():
    many = keyframed(**{f"f{n}": 0.0 for n in range(0, 400, 10)})
    found = looked_at(many, 133, 399)
    assert len(found) <= MOST_LOOKED_AT
    assert {0, 130, 390} <= set(found)
    assert max(np.diff(found)) <= 130


def test_keyframes_that_were_found_are_set_and_the_report_is_of_the_nearest():
    correction = keyframed(f5=0, f85=1)
    report, matched = match_along(correction, 80, {5: answer(lit(0.5)), 85: answer(lit(1.5))}, Wanted())
    assert stops(matched) == pytest.approx({5: 0.5, 85: 1.5})
    assert report.numbers == lit(1.5)
    assert any("matched at 2 of 2 keyframes; these words tell of frame 86" in note for note in report.notes)


def test_a_keyframe_that_is_not_sure_moves_as_those_beside_it():
    correction = keyframed(f0=0, f20=-1, f40=0, f60=2)
    answers = {0: answer(lit(1)), 20: answer(lit(7), 0.05), 40: answer(lit(2)), 60: answer(lit(9), 0.05)}
    report, matched = match_along(correction, 0, answers, Wanted())
    assert stops(matched) == pytest.approx({0: 1, 20: 0.5, 40: 2, 60: 4})
    assert "frame 21: its own match is only 5% sure" in report.notes
    _, all_taken = match_along(correction, 0, answers, Wanted(unsure=True))
    assert stops(all_taken) == pytest.approx({0: 1, 20: 7, 40: 2, 60: 9})


def test_nothing_changes_where_the_reported_keyframe_is_not_sure():
    correction = keyframed(f0=0, f20=-1)
    report, matched = match_along(correction, 0, {0: answer(lit(1), 0.05), 20: answer(lit(2))}, Wanted())
    assert not report.sure
    assert matched is correction


def test_between_those_found_every_number_moves_evenly():
    steep = Primary(slope=(1.0, 1.1, 0.9))
    start = {n: steep.with_offset_added([n / 10 * STOP] * 3) for n in (0, 10, 20, 40)}
    found = {n: steep.with_offset_added([2 * n / 10 * STOP] * 3) for n in (10, 20)}
    moved = moved_along(start, found)
    assert list(moved) == [0, 10, 20, 40]
    assert moved[10] == found[10]
    assert [exposure(moved[n]) for n in (0, 40)] == pytest.approx([1.0, 6.0])
    assert moved[40].slope == pytest.approx((1.0, 1.1, 0.9))


def test_light_is_heard_where_a_family_says_too_little_and_nothing_is_shared():
    light, dim = answer(lit(1), 0.9, "light", 0), answer(lit(1), 0.3, "light", 0)
    weak, sure = answer(lit(2), 0.1, "chain", 14), answer(lit(2), 0.5, "chain", 90)
    points = answer(lit(1), 0.4, found=40)
    assert by_light_if_surer(light, weak) is light
    assert by_light_if_surer(light, None) is light
    assert by_light_if_surer(light, sure) is sure
    assert by_light_if_surer(dim, weak) is weak
    assert by_light_if_surer(points, weak) is weak
