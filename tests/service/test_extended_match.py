"""The extended step from match to handover, as the service keeps it, on a demo of its own."""

import json

import numpy as np
import pytest
import simplejpeg

from dovrel.bench.orders import extended_of, extended_values, levels, numbers_of, ten
from dovrel.core.colour import outputs
from dovrel.core.develop import whole
from dovrel.core.measure.difference import display_difference
from dovrel.core.steps.chain import apply_in_order
from dovrel.core.steps.primary import Primary
from dovrel.demo import cards
from dovrel.formats import asc_cdl
from dovrel.media.footage import probe, read_recorded
from dovrel.media.picture import shrink, to_picture
from tests.helpers.asking import batch, family, keep_as_reference, shots
from tests.helpers.handing import hand_over

pytestmark = pytest.mark.shots("12A-1", "12A-2", "12B-3", "12C-2", "12C-4")


@pytest.fixture(scope="module")
def beginning(days, beginning):
    """12A-1 is the reference; 12C-2, of another make of camera, is matched to it with the extended step."""

    def match(run):
        with run.client() as client:
            keep_as_reference(client, "12A-1", 36)
            shot = shots(client)["12C-2"]
            order = {"frame": 36, "base": shot["version_id"], "extended": True}
            client.post(f"/shots/{shot['id']}/match", json=order).raise_for_status()

    return days.after(beginning, match)


@pytest.fixture
def matched(shot_named) -> dict:
    return shot_named("12C-2")


@pytest.fixture
def compared(api, matched) -> dict:
    """The shot as it is, after this server has compared it with its reference: only then can it say how far off an edit is."""
    order = {"frame": 36, "base": matched["version_id"], "extended": True}
    answer = api.post(f"/shots/{matched['id']}/match", json=order)
    assert answer.status_code == 200, answer.text
    return answer.json()["shot"]


def put(api, shot: dict, **change) -> dict:
    part = extended_of(shot)
    on = change.get("extended_on", part is not None and part.on)
    correction = ten(change.get("numbers", numbers_of(shot)), extended=extended_values(shot).as_array().tolist(), on=on)
    order = {"correction": correction, "base": shot["version_id"], "change": "by hand"}
    answer = api.put(f"/shots/{shot['id']}/correction", json=order)
    assert answer.status_code == 200, answer.text
    return answer.json()


def seen(api, shot: dict) -> np.ndarray:
    content = api.get(f"/shots/{shot['id']}/thumbnail.jpg").content
    return simplejpeg.decode_jpeg(content).astype(float)


def test_a_match_goes_on_with_an_extended_part_and_says_what_it_gains(api, matched):
    part = extended_of(matched)
    assert part is not None
    assert not part.values.is_identity
    assert part.on
    assert any("extended step takes" in note for note in matched["report"]["notes"])
    assert matched["report"]["tolerance"] == 3
    assert {"lows", "mids", "highs", "skin", "off", "worst"} == set(matched["report"]["residuals"])


def test_it_is_switched_off_and_on_as_versions(api, compared):
    matched, before = compared, seen(api, compared)
    off = put(api, shots(api)["12C-2"], extended_on=False)
    assert extended_values(off) == extended_values(matched)
    assert numbers_of(off) == numbers_of(matched)
    assert off["distance"] > matched["distance"] + 0.3
    assert off["report"]["residuals"] != matched["report"]["residuals"]
    assert np.abs(seen(api, off) - before).mean() > 0.5
    assert off["corrected"] != matched["corrected"]
    on = put(api, off, extended_on=True)
    assert on["distance"] == pytest.approx(matched["distance"], abs=1e-6)
    assert np.abs(seen(api, on) - before).max() == 0


def test_a_change_by_hand_keeps_it_and_undo_goes_back(api, compared):
    shot = shots(api)["12C-2"]
    numbers = [*numbers_of(shot)[:9], numbers_of(shot)[9] * 1.1]
    changed = put(api, shot, numbers=numbers)
    assert extended_of(changed) == extended_of(shot)
    assert changed["distance"] != shot["distance"]
    back = api.post(f"/shots/{shot['id']}/undo").json()
    assert back["correction"] == shot["correction"]


def test_cdls_carry_the_ten_numbers_and_a_cube_all_of_it(api, matched, tmp_path):
    order = {"shots": [matched["id"]], "formats": ["cdl", "cube"]}
    record = hand_over(api, order)
    for file in record["files"]:
        (tmp_path / file["name"]).write_bytes(api.get(f"/handovers/{record['id']}/{file['name']}").content)
    without = {form: ["extended"] for form in ("cdl", "cc", "ccc", "otio", "edl")}
    assert shots(api)["12C-2"]["left_out"] == without
    assert shots(api)["12A-1"]["left_out"] == {}
    numbers = asc_cdl.read(tmp_path / "12C-2.cdl")[0].numbers
    assert np.allclose(numbers.as_array(), numbers_of(matched), atol=1e-6)

    clip = cards.find("12C-2")
    recorded = shrink(read_recorded(clip.path, 36, probe(clip.path)))[::6, ::6].reshape(-1, 3)
    working = to_picture(recorded[None], clip.encoding).working[0]
    chain = [Primary.from_array(numbers_of(matched)), extended_values(matched)]
    rows = [line.split() for line in (tmp_path / "12C-2.cube").read_text().splitlines() if line[:1].isdigit()]
    nodes = np.array(rows, np.float32).reshape(33, 33, 33, 3).transpose(2, 1, 0, 3)  # blue runs slowest in the file
    through = whole.tetrahedral_weights(recorded, 33) @ nodes.reshape(-1, 3)
    exact, without = (np.clip(outputs.to_display(apply_in_order(working, c)), 0, 1) for c in (chain, chain[:1]))
    assert display_difference(through[None], exact[None]).mean() < 0.3
    assert display_difference(without[None], exact[None]).mean() > 0.8


def test_it_is_copied_when_asked_and_taken_back_as_one(api, matched):
    batch(api, "copy", ["12C-4"], source=matched["id"])
    assert extended_of(shots(api)["12C-4"]) is None
    batch(api, "copy", ["12C-4"], source=matched["id"], steps=["balance", "extended"])
    assert extended_of(shots(api)["12C-4"]) == extended_of(matched)
    api.post("/operations/undo")
    assert extended_of(shots(api)["12C-4"]) is None


def test_a_kept_frame_keeps_it_and_is_matched_to_with_it(api, matched):
    kept = api.post(f"/shots/{matched['id']}/keep", json={"frame": 36, "as_reference": True}).json()
    assert family(api, "Shop, window light")["reference"]["id"] == kept["id"]
    with_part = api.post(f"/kept/{kept['id']}/scopes", json={}).content
    api.post("/operations/undo")
    put(api, shots(api)["12C-2"], extended_on=False)
    plain = api.post(f"/shots/{matched['id']}/keep", json={"frame": 36, "as_reference": False}).json()
    without = api.post(f"/kept/{plain['id']}/scopes", json={}).content
    assert kept["readings"] != plain["readings"]
    assert with_part != without
    put(api, shots(api)["12C-2"], extended_on=True)


def test_a_batch_matches_with_it_where_one_view_lies_over_the_other(api):
    operation = batch(api, "match", ["12C-2", "12A-2"], extended=True)
    assert operation["failed"] == []
    after = shots(api)
    assert extended_of(after["12C-2"]) is not None
    assert extended_of(after["12A-2"]) is None
    assert after["12A-2"]["report"]["tolerance"] == 4.5
    assert any("of the reference's own camera" in note for note in after["12A-2"]["report"]["notes"])


def test_a_plain_match_goes_on_with_it_only_where_there_is_one(api):
    shot = shots(api)["12C-2"]
    again = api.post(f"/shots/{shot['id']}/match", json={"frame": 36, "base": shot["version_id"]}).json()["shot"]
    assert extended_of(again) is not None
    plain = api.post(
        f"/shots/{shot['id']}/match", json={"frame": 36, "base": again["version_id"], "extended": False}
    ).json()["shot"]
    assert extended_of(plain) is None
    balanced = api.post(f"/shots/{shot['id']}/balance", json={"frame": 36, "base": plain["version_id"]}).json()
    assert extended_of(balanced["shot"]) is None
    assert balanced["shot"]["report"] is None


def test_parts_that_would_harm_are_refused_on_the_live_channel(api, running, matched):

    falling = [*np.eye(3).ravel(), 0.2, *[0.0] * 14]
    with running.live() as channel:
        request = {"kind": "show", "number": 1, "shot": matched["id"], "frame": 0}
        channel.send(json.dumps({**request, "levels": levels(shot=ten(numbers_of(matched), extended=falling))}))
        answer = channel.recv(timeout=60)
    assert isinstance(answer, str)
    assert "falls" in answer


def test_a_patch_says_the_white_and_a_clipped_one_is_refused(api):
    """The wall between the posters: clipped in the shot that was recorded 2.6 stops over, whole in the other."""
    wall = {"kind": "box", "points": [[0.60, 0.30], [0.64, 0.40]]}
    order = {"frame": 0, "apply": False, "meter": wall, "patch": True}
    found = shots(api)
    blown = api.post(f"/shots/{found['12B-3']['id']}/balance", json=order)
    assert blown.status_code == 400
    assert "clipped in the recording; choose another" in blown.json()["detail"]
    nothing = api.post(f"/shots/{found['12A-1']['id']}/balance", json={"frame": 0, "patch": True})
    assert "draw a box" in nothing.json()["detail"]

    address = f"/shots/{found['12A-1']['id']}/balance"
    proposed = api.post(address, json=order).json()["candidates"]
    assert proposed[0]["id"] == "patch"
    base = found["12A-1"]["version_id"]
    picked = api.post(address, json={**order, "apply": True, "candidate": "patch", "base": base}).json()
    assert picked["applied"] == "patch"
    assert numbers_of(picked["shot"]) == proposed[0]["numbers"]


def test_where_another_angle_allows_no_extended_part_the_cameras_own_is_given(api):
    """12C-2 sees 12A-2 from another angle, and lies over 12A-1, which is of the same camera as that."""
    found = shots(api)
    api.post(f"/shots/{found['12A-2']['id']}/keep", json={"frame": 36, "as_reference": True})
    shot = found["12C-2"]
    order = {"frame": shot["clip"]["frames"] // 2, "base": shot["version_id"], "extended": True}
    answer = api.post(f"/shots/{shot['id']}/match", json=order)
    assert answer.status_code == 200, answer.text
    matched = answer.json()["shot"]
    part = extended_of(matched)
    assert part is not None
    assert not part.values.is_identity
    assert matched["report"]["chain"][-1] == "12A-2"
    assert any("over the reference's camera" in note for note in matched["report"]["notes"])
