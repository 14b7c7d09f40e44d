"""Keyframes: what a step does between them, what may stand where, and how the four levels, copies and formats know them."""

import json

import numpy as np
import pytest

from dovrel.core.colour.working import STOP
from dovrel.core.steps import controls, documents
from dovrel.core.steps.carried import as_cdls, frames_to_carry, left_out
from dovrel.core.steps.copying import with_steps
from dovrel.core.steps.correction import BALANCE, EXTENDED, PLAIN, Correction, Step, checked
from dovrel.core.steps.extended import NOTHING, Extended
from dovrel.core.steps.keyframes import MOST_KEYFRAMES, Keyframe
from dovrel.core.steps.levels import FourLevels
from dovrel.core.steps.primary import IDENTITY, Primary

DARKER = controls.set_exposure(IDENTITY, -1.0)
LIGHTER = controls.set_exposure(IDENTITY, 1.0)
BENT = (0.0, 0.0, 0.01, 0.02, 0.02)
PART = Extended(((0.8, 0.2, 0.0), (0.0, 1.0, 0.0), (0.0, 0.05, 0.95)), curves=(BENT, BENT, BENT))


def changing(*keyframes: Keyframe) -> Step:
    return Step(BALANCE, IDENTITY, keyframes=keyframes)


WALK = changing(Keyframe(10, DARKER), Keyframe(20, LIGHTER, "eased"), Keyframe(40, IDENTITY))


def stops(step: Step, frame: int) -> float:
    values = step.at(frame).values
    assert isinstance(values, Primary)
    return values.offset[1] / STOP


def test_light_goes_on_evenly_in_stops_between_two_keyframes():
    assert [stops(WALK, frame) for frame in (0, 10, 15, 20)] == pytest.approx([-1, -1, 0, 1], abs=1e-6)
    # Eased: 3p² − 2p³ of the way.
    assert [stops(WALK, frame) for frame in (25, 30, 35, 40, 99)] == pytest.approx(
        [0.84375, 0.5, 0.15625, 0, 0], abs=1e-6
    )


def test_an_extended_step_goes_on_number_by_number_and_stays_one_that_can_be():
    step = Step(EXTENDED, NOTHING, keyframes=(Keyframe(0, NOTHING), Keyframe(4, PART)))
    half = step.at(2).values
    assert isinstance(half, Extended)
    assert half.as_array() == pytest.approx((NOTHING.as_array() + PART.as_array()) / 2)
    assert np.sum(half.matrix, axis=1) == pytest.approx([1, 1, 1])


@pytest.mark.parametrize(
    "keyframes,said",
    [
        ([Keyframe(3, IDENTITY), Keyframe(3, DARKER)], "two keyframes stand at frame 3"),
        ([Keyframe(5, IDENTITY), Keyframe(3, DARKER)], "3 comes after 5"),
        ([Keyframe(3, PART)], "frame 3 is of the kind extended"),
        ([Keyframe(n, IDENTITY) for n in range(MOST_KEYFRAMES + 1)], f"at most {MOST_KEYFRAMES} keyframes"),
    ],
)
def test_impossible_keyframes_say_why(keyframes, said):
    with pytest.raises(ValueError, match=said):
        changing(*keyframes)


@pytest.mark.parametrize("frame", [-1, 10**8])
def test_a_keyframe_stands_at_a_frame_that_a_clip_can_have(frame):
    with pytest.raises(ValueError, match="a keyframe's frame lies between 0 and"):
        Keyframe(frame, IDENTITY)


def test_values_go_to_the_keyframe_that_stands_there_and_nowhere_silently():
    assert changing().with_values(DARKER, 5) == Step(BALANCE, DARKER)
    assert stops(WALK.with_values(LIGHTER, 10), 10) == pytest.approx(1)
    assert WALK.with_values(LIGHTER, 20).keyframes[1].ease == "eased"
    with pytest.raises(ValueError, match="“balance” has keyframes, but none at frame 15"):
        WALK.with_values(LIGHTER, 15)


def test_only_a_shots_own_steps_change_along_it():
    assert checked("shot", Correction((WALK,))).frames == (10, 20, 40)
    look = Correction((Step("look", IDENTITY, keyframes=(Keyframe(0, IDENTITY),)),))
    with pytest.raises(ValueError, match="only a shot's own steps change along the shot, not a family's"):
        checked("family", look)
    far = Correction((changing(Keyframe(0, Primary(saturation=1e7))),))
    with pytest.raises(ValueError, match="lies beyond 1000000"):
        checked("shot", far)


def test_keyframes_beyond_the_clip_are_refused_but_for_those_that_stood_there():
    correction = Correction((WALK,))
    correction.refuse_beyond(41, PLAIN["shot"])
    with pytest.raises(ValueError, match="keyframe at frame 41, but the clip ends at frame 40"):
        correction.refuse_beyond(40, PLAIN["shot"])
    correction.refuse_beyond(30, correction)


def test_what_is_done_depends_on_the_frame_and_cannot_be_had_without_one():
    levels = FourLevels(shot=Correction((WALK, Step("deep", Primary(saturation=1.1)))))
    assert levels.frames == (10, 20, 40)
    assert not levels.is_identity
    assert levels.at(10).from_balance == (DARKER, Primary(saturation=1.1))
    assert levels.at(20).in_order[1] == LIGHTER
    with pytest.raises(ValueError, match="“balance” has keyframes"):
        _ = levels.shot.chain
    off = levels.replaced("shot", Correction((Step(BALANCE, IDENTITY, on=False, keyframes=WALK.keyframes),)))
    assert off.frames == ()
    assert off.is_identity


def test_a_balance_found_anew_keeps_how_its_keyframes_go_on():
    found = Correction((WALK,)).balanced(IDENTITY, along={10: LIGHTER, 20: DARKER})
    assert [(one.frame, one.values, one.ease) for one in found.step(BALANCE).keyframes] == [
        (10, LIGHTER, "straight"),
        (20, DARKER, "eased"),
    ]
    assert Correction((WALK,)).balanced(DARKER) == Correction((Step(BALANCE, DARKER),))


def test_copies_carry_keyframes_and_controls_are_copied_at_the_keyframes_of_either():
    source = Correction((WALK,))
    onto = Correction((changing(Keyframe(0, Primary(saturation=0.5)), Keyframe(20, Primary(saturation=1.5))),))
    assert with_steps(source, onto, [BALANCE]) == source
    lighter = with_steps(source, onto, [BALANCE], ["exposure"]).step(BALANCE)
    assert [one.frame for one in lighter.keyframes] == [0, 10, 20, 40]
    assert [stops(lighter, frame) for frame in (0, 10, 20, 40)] == pytest.approx([-1, -1, 1, 0], abs=1e-6)
    assert [one.values.saturation for one in lighter.keyframes if isinstance(one.values, Primary)] == pytest.approx(
        [0.5, 1.0, 1.5, 1.5]
    )


def test_formats_carry_one_frame_and_there_is_one_for_each_keyframe_or_stretch():
    levels = FourLevels(shot=Correction((WALK,)))
    assert frames_to_carry(levels, 97) == [10, 20, 40]
    assert frames_to_carry(levels, 97, "stretches") == [5, 15, 30, 68]
    assert frames_to_carry(levels, 31) == [10, 20, 30]
    assert frames_to_carry(FourLevels(), 97) == [48]
    assert as_cdls(levels.at(10)) == [DARKER]
    assert left_out(levels, "cdl") == []


def test_documents_keep_keyframes_and_older_ones_have_none():
    correction = Correction((WALK,))
    assert documents.read(json.loads(json.dumps(documents.written(correction)))) == correction
    older = documents.written(PLAIN["shot"])
    for step in older["steps"]:
        del step["keyframes"]
    assert documents.read(older) == PLAIN["shot"]
    twice = documents.written(correction)
    twice["steps"][0]["keyframes"][1]["frame"] = 10
    with pytest.raises(ValueError, match="step 1: two keyframes stand at frame 10"):
        documents.read(twice)
    twice["steps"][0]["keyframes"][1] |= {"frame": 20, "ease": "slow"}
    with pytest.raises(ValueError, match="keyframes"):
        documents.read(twice)
