"""A shot along time, over the service: looked at, held, steadied, matched at its keyframes, handed over by frame."""

import threading
import time

import pytest

from dovrel.bench.orders import ten
from dovrel.core.steps import controls
from dovrel.core.steps.primary import IDENTITY
from tests.helpers.asking import keyframed
from tests.helpers.handing import hand_over

pytestmark = pytest.mark.shots("12A-3", "14A-2", "14C-1", "21A-1", "21C-1", "22A-2", "22B-1", "23A-1")

BOX = {"kind": "box", "points": [[0.51, 0.19], [0.6, 0.43]]}
DARKER, LIGHTER = (controls.set_exposure(IDENTITY, stops).as_array().tolist() for stops in (-1.0, 1.0))


def frames(shot: dict) -> list[int]:
    return [one["frame"] for one in shot["correction"]["steps"][0]["keyframes"]]


@pytest.fixture
def walk(shot_named):
    """23A-1, whose light changes."""
    return shot_named("23A-1")


def test_every_shot_is_told_to_be_steady_or_not_when_it_is_measured(api):
    found = {shot["name"]: shot["course"]["steadiness"] for shot in api.get("/day").json()["shots"]}
    assert {name for name, one in found.items() if one != "steady"} == {
        "14A-2",
        "14C-1",
        "21C-1",
        "22A-2",
        "22B-1",
        "23A-1",
    }


def test_readings_along_a_shot_are_as_recorded_and_as_corrected(api, walk):
    levels = {"shot": keyframed((20, IDENTITY.as_array().tolist()), (60, LIGHTER))}
    found = api.post(f"/shots/{walk['id']}/along", json={"levels": levels}).json()
    assert found["course"]["steadiness"] == "changing"
    apart = [after[4] - before[4] for before, after in zip(found["recorded"], found["corrected"], strict=True)]
    assert apart[0] == pytest.approx(0, abs=0.1)
    assert all(one > 5 for frame, one in zip(found["frames"], apart, strict=True) if frame >= 60)
    boxed = api.post(f"/shots/{walk['id']}/along", json={"levels": levels, "frame": 48, "meter": BOX}).json()
    assert boxed["frames"][0] == 0
    assert boxed["recorded"] != found["recorded"]


def test_a_face_is_held_through_the_change_and_undone_as_one(api, walk):
    order = {"frame": 48, "meter": BOX, "base": walk["version_id"]}
    found = api.post(f"/shots/{walk['id']}/hold", json=order).json()
    assert 2 <= found["keyframes"] <= 5
    assert found["largest"] < 0.25 * found["was"]
    assert len(frames(found["shot"])) == found["keyframes"]
    assert found["shot"]["changes"]
    late = api.post(f"/shots/{walk['id']}/hold", json=order)
    assert late.status_code == 409
    back = api.post(f"/shots/{walk['id']}/undo").json()
    assert frames(back) == []


def test_a_hold_is_tighter_on_request_and_a_box_is_set_again_by_hand(api, walk):
    order = {"frame": 48, "meter": BOX}
    found = {}
    for tolerance in (0.5, 4):
        answer = api.post(f"/shots/{walk['id']}/hold", json={**order, "tolerance": tolerance}).json()
        found[tolerance] = answer["keyframes"]
        api.post(f"/shots/{walk['id']}/undo")
    assert found[4] < found[0.5]
    again = {"frame": 90, "meter": {"kind": "box", "points": [[0.5, 0.17], [0.6, 0.42]]}}
    joined = api.post(f"/shots/{walk['id']}/hold", json={**order, "again": [again]})
    assert joined.status_code == 200
    assert "lost" not in " ".join(joined.json()["notes"])
    api.post(f"/shots/{walk['id']}/undo")
    skin = {"frame": 90, "meter": {"kind": "skin", "points": []}}
    refused = api.post(f"/shots/{walk['id']}/hold", json={**order, "again": [skin]})
    assert refused.status_code == 422
    assert "a box or an outline" in refused.text


def test_a_wander_is_taken_off_and_a_steady_shot_left(api, shot_named):
    wandering, steady = shot_named("21C-1"), shot_named("12A-3")
    found = api.post(f"/shots/{wandering['id']}/steady", json={"base": wandering["version_id"]}).json()
    assert found["keyframes"] >= 2
    assert found["largest"] < 0.2 * found["was"]
    api.post(f"/shots/{wandering['id']}/undo")
    left = api.post(f"/shots/{steady['id']}/steady", json={"base": steady["version_id"]}).json()
    assert (left["keyframes"], left["shot"]["version_id"]) == (0, steady["version_id"])
    assert "does not change" in left["notes"][-1]


def test_work_that_is_no_longer_wanted_ends_and_changes_nothing(api, running, walk):
    answers = []

    def ask() -> None:
        with running.client() as client:
            answers.append(client.post(f"/shots/{walk['id']}/hold", json={"frame": 48, "meter": BOX, "work": "w1"}))

    asking = threading.Thread(target=ask)
    asking.start()
    until = time.monotonic() + 20
    while api.get("/works/w1").json()["part"] == 0 and time.monotonic() < until:
        time.sleep(0.02)
    assert 0 < api.get("/works/w1").json()["part"] < 1
    api.delete("/works/w1")
    asking.join(30)
    assert answers[0].status_code == 400
    assert answers[0].json()["detail"] == "cancelled; nothing was changed"
    assert frames(next(s for s in api.get("/day").json()["shots"] if s["id"] == walk["id"])) == []


def test_what_cannot_be_held_says_why(api, walk):
    def refused(**order) -> str:
        answer = api.post(f"/shots/{walk['id']}/hold", json={"frame": 48, "base": walk["version_id"], **order})
        assert answer.status_code == 400
        return answer.json()["detail"]

    tiny = {"kind": "box", "points": [[0.2, 0.2], [0.205, 0.3]]}
    assert "too small to follow" in refused(meter=tiny)
    # The man at the left is passed by, and is out of the picture long before the end.
    passed_by = {"kind": "box", "points": [[0.05, 0.17], [0.16, 0.4]]}
    assert "is lost before frame 95" in refused(meter=passed_by, drawn=8, frame=94)
    assert "no step" in api.post(f"/shots/{walk['id']}/hold", json={"frame": 4, "step": "none"}).json()["detail"]


def test_keyframes_beyond_the_clip_and_on_other_levels_are_refused(api, walk):
    def saved(correction: dict) -> tuple[int, str]:
        answer = api.put(f"/shots/{walk['id']}/correction", json={"correction": correction, "base": walk["version_id"]})
        return answer.status_code, answer.json().get("detail", "")

    assert saved(keyframed((500, DARKER))) == (
        400,
        "“balance” has a keyframe at frame 501, but the clip ends at frame 96",
    )
    status, said = saved(keyframed((5, DARKER), (5, LIGHTER)))
    assert (status, "two keyframes stand at frame 5" in said) == (422, True)
    look = ten(IDENTITY.as_array().tolist(), "family")
    look["steps"][0]["keyframes"] = [{"frame": 0, "values": look["steps"][0]["values"], "ease": "straight"}]
    answer = api.put(f"/levels/family/{walk['family_id']}", json={"correction": look})
    assert answer.status_code == 400
    assert "only a shot's own steps change along the shot" in answer.json()["detail"]


def test_a_changing_shot_is_handed_over_by_frame(api, walk):
    correction = keyframed((20, DARKER), (60, LIGHTER))
    saved = api.put(f"/shots/{walk['id']}/correction", json={"correction": correction, "base": walk["version_id"]})
    assert saved.status_code == 200
    order = {"shots": [walk["id"]], "formats": ["cdl", "cube"]}
    names = {file["name"] for file in hand_over(api, order)["files"]}
    assert names == {f"23A-1.frame00{frame}.{form}" for frame in (21, 61) for form in ("cdl", "cube")}
    stretches = hand_over(api, {**order, "formats": ["cc"], "sampling": "stretches"})
    assert [file["name"] for file in stretches["files"]] == [
        "23A-1.frame0011.cc",
        "23A-1.frame0041.cc",
        "23A-1.frame0078.cc",
    ]


def test_a_balance_is_found_at_each_keyframe(api, walk):
    correction = keyframed((10, DARKER), (85, LIGHTER))
    base = api.put(
        f"/shots/{walk['id']}/correction", json={"correction": correction, "base": walk["version_id"]}
    ).json()["version_id"]
    shot = api.post(f"/shots/{walk['id']}/balance", json={"frame": 10, "base": base}).json()["shot"]
    assert frames(shot) == [10, 85]
    numbers = [one["values"]["offset"][1] for one in shot["correction"]["steps"][0]["keyframes"]]
    assert [abs(found - was[4]) > 0.01 for found, was in zip(numbers, (DARKER, LIGHTER), strict=True)] == [True, True]


def test_a_changing_shot_is_matched_at_each_keyframe(api, walk, shot_named):
    """To a frame of itself: where the light has gone, its match brings it back."""
    other = shot_named("21A-1")
    api.post(f"/shots/{other['id']}/keep", json={"frame": 30, "as_reference": True})
    api.patch("/shots", json={"shots": [walk["id"]], "family_id": other["family_id"]})
    correction = keyframed((5, IDENTITY.as_array().tolist()), (85, IDENTITY.as_array().tolist()))
    base = api.put(
        f"/shots/{walk['id']}/correction", json={"correction": correction, "base": walk["version_id"]}
    ).json()["version_id"]
    found = api.post(f"/shots/{walk['id']}/match", json={"frame": 5, "base": base, "unsure": True}).json()["shot"]
    assert frames(found) == [5, 85]
    assert any("matched at 2 of 2 keyframes" in note for note in found["report"]["notes"])
    # A tie that follows its subject is held at the other keyframe too; one that stays is part of the frame on the desk alone.
    patch = [[0.3, 0.3], [0.4, 0.4]]
    track = {"drawn": 5, "first": 5, "places": [[0.35, 0.35, 0, 1]] * 81, "aspect": 1.78}
    ends = []
    for tie in ({"reference": patch, "shot": patch}, {"reference": patch, "shot": patch, "track": track}):
        api.post(f"/shots/{walk['id']}/undo")
        order = {"frame": 5, "base": base, "unsure": True, "ties": [tie], "ties_alone": True}
        found = api.post(f"/shots/{walk['id']}/match", json=order).json()["shot"]
        assert found["report"]["basis"] == "ties"
        ends.append([one["values"] for one in found["correction"]["steps"][0]["keyframes"]])
    assert ends[0][0] == ends[1][0]
    assert ends[0][1] != ends[1][1]
