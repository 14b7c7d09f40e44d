"""Footage that is offline or was replaced by other files: said, kept apart from faults, and never handed over as if nothing were."""

import os
import shutil

import pytest

from dovrel.bench.orders import numbers_of, ten
from dovrel.demo import cards
from dovrel.jobs import footage_state
from tests.helpers.asking import batch, shots
from tests.helpers.handing import hand_over

pytestmark = pytest.mark.shots("12C-2")

FIRST, OTHER = cards.find("12B-1").path, cards.find("12A-2").path
BRIGHTER = ten([1, 1, 1, 0.05, 0.05, 0.05, 1, 1, 1, 1])


@pytest.fixture
def clip(running, api):
    """A clip that was taken in, measured and made brighter."""
    folder = running.media / "card"
    folder.mkdir()
    path = folder / f"one{FIRST.suffix}"
    shutil.copy2(FIRST, path)
    api.post("/intake", json={"folder": str(folder)}).raise_for_status()
    running.wait_measured()
    shot = of(api)
    order = {"correction": BRIGHTER, "base": shot["version_id"]}
    api.put(f"/shots/{shot['id']}/correction", json=order).raise_for_status()
    yield path
    shutil.rmtree(folder)


def of(api) -> dict:
    """The shot of the clip: the only one that the demo does not have by this file."""
    return next(shot for shot in shots(api).values() if shot["file"].startswith("one"))


def looked(running, api) -> dict:
    """The shot once its footage was looked at, and what came of it is done."""
    footage_state.look(running.sessions)
    running.wait_idle()
    return of(api)


def test_a_shot_whose_footage_is_offline_keeps_all_it_has_and_comes_back(running, api, clip):
    before = of(api)
    away = clip.rename(clip.with_suffix(".away"))
    gone = looked(running, api)
    assert (gone["footage"], gone["progress"], gone["fault"]) == ("offline", "ready", "")
    assert gone["measured"] == before["measured"]
    # Its correction was not seen yet: the picture as it was seen last stands in.
    assert api.get(f"/shots/{gone['id']}/thumbnail.jpg").status_code == 200
    assert api.get(f"/shots/{gone['id']}/frames/3/readings").json()["detail"].endswith("connect the card or disc again")
    # Another encoding is measured when the footage is back, and nothing is lost meanwhile.
    api.post(f"/shots/{gone['id']}/measure").raise_for_status()
    running.wait_idle()
    still = of(api)
    assert (still["footage"], still["progress"]) == ("offline", "ready")
    assert still["measured"]["readings"] == before["measured"]["readings"]
    assert numbers_of(still)[3] == pytest.approx(0.05)
    away.rename(clip)
    back = looked(running, api)
    assert (back["footage"], back["progress"], back["fault"]) == ("here", "ready", "")
    assert "outdated" not in back["measured"]


def test_a_shot_that_was_never_measured_waits_for_its_footage(running, api, clip):
    away = clip.rename(clip.with_suffix(".away"))
    with running.sessions.begin() as session:
        shot = session.get(footage_state.Shot, of(api)["id"])
        shot.measured, shot.clip, shot.progress = {}, {}, "waiting"
        footage_state.measure_anew(session, [shot])
    running.wait_idle()
    assert (of(api)["footage"], of(api)["progress"]) == ("offline", "waiting")
    away.rename(clip)
    assert (looked(running, api)["footage"], of(api)["progress"]) == ("here", "ready")


def test_a_replaced_file_is_named_everywhere_and_taken_in_again_with_its_corrections(running, api, clip):
    before = of(api)
    shutil.copy2(OTHER, clip)
    found = looked(running, api)
    assert (found["footage"], found["progress"]) == ("replaced", "ready")
    assert found["measured"] == before["measured"]
    again = api.post("/intake", json={"folder": str(clip.parent)}).json()
    assert again["replaced"] == [before["name"]]
    operation = batch(api, "balance", [before["name"]])
    assert "was replaced since it was taken in" in operation["failed"][0]["said"]
    order = {"shots": [before["id"]], "formats": ["cdl"], "clips": ["h264"]}
    items = hand_over(api, order)["items"]
    failed = {item["kind"]: item["said"] for item in items if item["state"] == "failed"}
    assert set(failed) == {"numbers", "h264"}
    assert all("was replaced" in said for said in failed.values())
    api.post(f"/shots/{before['id']}/measure").raise_for_status()
    running.wait_idle()
    after = of(api)
    assert (after["footage"], after["progress"]) == ("here", "ready")
    assert after["checksum"] != before["checksum"]
    assert numbers_of(after)[3] == pytest.approx(0.05)


def test_footage_is_back_when_all_its_files_are(running, api, clip):
    """A take that goes on in a second file, as a card that fills up makes it."""
    second = clip.with_name("second.mov")
    shutil.copy2(clip, second)
    with running.sessions.begin() as session:
        shot = session.get(footage_state.Shot, of(api)["id"])
        (first,) = shot.clip["files"]
        shot.clip = {**shot.clip, "files": [first, {**first, "name": second.name}]}
    away = second.rename(second.with_suffix(".away"))
    order = {"shots": [of(api)["id"]], "formats": ["cdl"], "clips": ["h264"]}
    rendered = next(item for item in hand_over(api, order)["items"] if item["kind"] == "h264")
    assert (rendered["state"], of(api)["footage"]) == ("failed", "offline")
    assert looked(running, api)["footage"] == "offline"
    away.rename(second)
    assert looked(running, api)["footage"] == "here"


def test_another_time_of_change_alone_is_no_other_file(running, api, clip):
    os.utime(clip, (1_700_000_000, 1_700_000_000))
    found = looked(running, api)
    assert found["footage"] == "here"
    with running.sessions() as session:
        files = session.get(footage_state.Shot, found["id"]).clip["files"]
    assert files[0]["modified"] == 1_700_000_000 * 10**9


def test_a_clip_of_the_same_size_and_time_is_known_by_its_first_frame_at_handing_over(running, api, clip):
    shot, status = of(api), clip.stat()
    other = OTHER.read_bytes()
    if len(other) > status.st_size:
        pytest.fail("the other clip is too large to stand in for the first")
    clip.write_bytes(other + bytes(status.st_size - len(other)))
    os.utime(clip, ns=(status.st_atime_ns, status.st_mtime_ns))
    assert looked(running, api)["footage"] == "here"
    items = hand_over(api, {"shots": [shot["id"]], "formats": ["cdl"], "clips": ["h264"]})["items"]
    rendered = next(item for item in items if item["kind"] == "h264")
    assert rendered["state"] == "failed"
    assert "when it was taken in" in rendered["said"]
    assert of(api)["footage"] == "replaced"
