"""The service as the page uses it, on a real database with the real worker."""

import json
import struct
import subprocess
import xml.etree.ElementTree as ElementTree
from typing import cast

import numpy as np
import pytest
import simplejpeg
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import connect

from dovrel.bench.orders import levels, numbers_of, ten
from dovrel.core.colour import outputs, tables
from dovrel.core.develop.frame import display_of
from dovrel.core.match.match import LEAST_SURE
from dovrel.core.measure.readings import readings_of_display
from dovrel.core.steps.primary import Primary
from dovrel.demo import cards
from dovrel.formats import asc_cdl
from dovrel.media.checksums import sums_of
from dovrel.media.footage import probe, read_recorded
from dovrel.media.picture import PREVIEW_WIDTH, to_picture
from tests.helpers.handing import hand_over

BOX = {"kind": "box", "points": [[0.5, 0.0], [0.75, 1.0]]}
IDENTITY = [1, 1, 1, 0, 0, 0, 1, 1, 1, 1]


def unpack(message: bytes) -> tuple[dict, dict[str, np.ndarray]]:
    (length,) = struct.unpack_from("<I", message)
    header = json.loads(message[4 : 4 + length])
    blobs, at = {}, 4 + length
    for name, kind, shape, size in header["blobs"]:
        blobs[name] = np.frombuffer(message, f"<{kind}", size // int(kind[1]), at).reshape(shape)
        at += size + -size % 4
    return header, blobs


@pytest.fixture
def live(running):
    with running.live() as socket:
        yield socket


def ask(live, **request) -> dict:
    if "numbers" in request:
        request["levels"] = levels(shot=request.pop("numbers"))
    live.send(json.dumps({"kind": "show", "number": 1, "frame": 12, **request}))
    while True:
        answer = live.recv(timeout=60)
        header = json.loads(answer) if isinstance(answer, str) else unpack(answer)[0]
        if not header.get("searching"):
            return header


def test_the_demo_day_is_taken_in_whole(api):
    day = api.get("/day").json()
    assert day["production"]["name"] == "Quire Lane"
    assert len(day["shots"]) == 27
    assert {f["name"] for f in day["families"]} >= {"Shop, window light", "Yard to shop"}
    assert all(shot["progress"] == "ready" for shot in day["shots"] if shot["name"][:2].isdigit())
    shot = next(s for s in day["shots"] if s["name"] == "12A-1")
    assert shot["clip"]["timecode"] == "09:14:02:00"
    assert shot["checksum"] == sums_of([cards.find("12A-1").path], [])[0]
    rows = api.get("/drift").json()[str(shot["id"])]
    assert len(rows) == 25


def test_first_measurement_is_the_full_frame_s(api, shot_named, table):
    shot = shot_named("12B-1")
    clip = cards.find("12B-1")
    drift = [row[0] for row in api.get("/drift").json()[str(shot["id"])]]
    picture = to_picture(read_recorded(clip.path, drift[len(drift) // 2], probe(clip.path)), clip.encoding)
    expected = readings_of_display(display_of(picture.working, [], table))
    assert np.abs(np.array(shot["measured"]["readings"]) - expected).max() < 0.05


def test_live_answers_with_picture_scopes_and_readings(live, shot_named):
    shot = shot_named("12A-1")
    live.send(json.dumps({"kind": "show", "number": 7, "shot": shot["id"], "frame": 3, "full": True}))
    header, blobs = unpack(live.recv(timeout=60))
    assert header["number"] == 7
    pixels = shot["clip"]["width"] * shot["clip"]["height"]
    assert (header["width"], header["height"]) == (shot["clip"]["width"], shot["clip"]["height"])
    assert header["pixels"] == pixels
    assert blobs["parade"].sum() == 3 * pixels
    assert blobs["vector"].sum() == pixels
    assert bytes(blobs["picture"][:2]) == b"\xff\xd8"


def test_live_sends_open_scopes_and_brushed_pixels(live, shot_named):
    shot = shot_named("12A-1")
    brush = {"kind": "level", "signal": "luma", "low": 40, "high": 120}
    live.send(
        json.dumps(
            {
                "kind": "show",
                "number": 1,
                "shot": shot["id"],
                "frame": 3,
                "brushes": [brush],
                "extra": {"chroma": True, "cast": True, "familiar": True, "vector_levels": [20, 60]},
            }
        )
    )
    header, blobs = unpack(live.recv(timeout=60))
    pixels = header["pixels"]
    assert blobs["chroma"].sum() == 2 * pixels
    assert blobs["cast"].sum() == 3 * pixels
    assert 0 < blobs["limited vector"].sum() < pixels
    # What was brushed lies where the brush was, and nowhere else.
    assert blobs["brushed waveform"].sum() == header["brushed"]
    lowest = np.nonzero(blobs["brushed waveform"].sum(axis=0))[0].min()
    assert lowest == int((0.40 + 0.125) / 1.25 * 256)
    above = blobs["waveform"][:, lowest + 1 :].sum()
    assert above <= header["brushed"] <= above + blobs["waveform"][:, lowest].sum()
    assert {one["name"] for one in header["familiar"]} == {"skin", "foliage", "sky", "neutrals"}
    assert sum(one["share"] for one in header["familiar"]) > 0.1


@pytest.mark.parametrize(
    "meter",
    [
        {"kind": "box", "points": [[0.25, 0.25], [0.75, 0.75]]},
        {"kind": "outline", "points": [[0.2, 0.2], [0.8, 0.2], [0.5, 0.9]]},
        {"kind": "skin", "points": [], "correction": ten(IDENTITY)},
        {"kind": "neutrals", "points": [], "correction": ten(IDENTITY)},
    ],
)
def test_live_meters_a_part_and_solves_on_it(live, shot_named, meter):
    shot = shot_named("12A-1")
    whole = ask(live, shot=shot["id"])
    part = ask(live, shot=shot["id"], meter=meter)
    assert 0 < part["pixels"] < whole["pixels"]
    aims = list(part["readings"])
    aims[4] += 3
    moved = ask(live, shot=shot["id"], meter=meter, aim={"values": aims, "moved": [4]})
    assert moved["readings"][4] == pytest.approx(aims[4], abs=0.4)
    # The same pixels stay metered while the correction moves.
    assert moved["pixels"] == part["pixels"]


def test_live_tells_clipping_of_recording_and_correction_apart(live, shot_named):
    shot = shot_named("12B-3")
    recorded = ask(live, shot=shot["id"])["limits"]
    lifted = ask(live, shot=shot["id"], numbers=[1, 1, 1, 0.3, 0.3, 0.3, 1, 1, 1, 1])["limits"]
    assert recorded["recorded_high"] > 0.001
    assert lifted["recorded_high"] == pytest.approx(recorded["recorded_high"])
    assert lifted["corrected_high"] > recorded["corrected_high"] + 0.05
    crushed = ask(live, shot=shot["id"], numbers=[1, 1, 1, -0.4, -0.4, -0.4, 1, 1, 1, 1])["limits"]
    assert crushed["corrected_low"] > 0.1


def test_live_plays_frames_small_and_measures_them(live, shot_named):
    shot = shot_named("12B-1")
    played = {}
    for frame in range(8, 20):
        played = ask(live, shot=shot["id"], frame=frame, playing=True)
        assert (played["width"], played["height"]) == (640, 360)
        assert played["pixels"] == 640 * 360
    still = ask(live, shot=shot["id"], frame=19)
    assert played["readings"] == pytest.approx(still["readings"], abs=1.5)


def test_live_marks_the_picture(live, shot_named):
    import simplejpeg

    shot = shot_named("12B-3")
    pictures = {}
    for mark in ("none", "clipping", "legality", "false colour", "skin"):
        request = {"kind": "show", "number": 1, "shot": shot["id"], "frame": 3, "mark": mark}
        live.send(json.dumps(request))
        header, blobs = unpack(live.recv(timeout=60))
        pictures[mark] = simplejpeg.decode_jpeg(blobs["picture"].tobytes()).astype(int)
        assert (header["bands"] is not None) == (mark == "false colour")
    changed = {mark: (np.abs(p - pictures["none"]).max(axis=2) > 40).mean() for mark, p in pictures.items()}
    assert 0.001 < changed["clipping"] < 0.9
    assert changed["false colour"] > 0.5
    assert changed["skin"] > 0.3


def test_live_solves_aims(live, shot_named):
    shot = shot_named("12A-1")
    before = ask(live, shot=shot["id"])["readings"]
    aims = list(before)
    aims[2] += 5
    after = ask(live, shot=shot["id"], aim={"values": aims, "moved": [2]})
    assert after["readings"][2] == pytest.approx(aims[2], abs=0.35)
    assert np.abs(np.array(after["readings"]) - aims).max() < 0.8
    assert after["missed"] == []
    again = ask(live, shot=shot["id"], numbers=after["numbers"])
    assert again["readings"] == pytest.approx(after["readings"])


def test_a_newer_request_does_not_wait_for_a_search(live, shot_named):
    """Aims that contradict each other are searched for long; what is asked next is answered in their place."""
    shot = shot_named("12A-1")
    aims = list(ask(live, shot=shot["id"])["readings"])
    aims[1] = aims[2] + 8
    plain = {"kind": "show", "shot": shot["id"], "frame": 12}
    live.send(json.dumps({**plain, "number": 2, "aim": {"values": aims, "moved": [1]}}))
    quick = unpack(live.recv(timeout=60))[0]
    assert (quick["number"], quick["searching"]) == (2, True)
    live.send(json.dumps({**plain, "number": 3}))
    assert unpack(live.recv(timeout=60))[0]["number"] == 3


def test_live_turns_controls(live, shot_named):
    shot = shot_named("12A-1")
    turned = ask(live, shot=shot["id"], turn={"control": "exposure", "value": 1.0})
    assert turned["controls"]["exposure"] == pytest.approx(1.0)
    assert turned["numbers"][3:6] == pytest.approx([1 / 17.52] * 3)
    back = ask(live, shot=shot["id"], numbers=turned["numbers"], turn={"control": "exposure", "value": 0.0})
    assert back["numbers"] == pytest.approx(IDENTITY, abs=1e-6)


@pytest.mark.parametrize(
    "request_text",
    [
        "nonsense",
        "{}",
        '{"kind":"show"}',
        '{"kind":"show","number":1,"shot":1,"frame":0,"levels":[1]}',
        "x" * 20000,
        "[1]",
    ],
)
def test_live_answers_bad_requests_with_a_sentence_and_goes_on(live, shot_named, request_text):
    live.send(request_text)
    assert "detail" in json.loads(live.recv(timeout=60))
    assert "readings" in ask(live, shot=shot_named("12A-1")["id"])


def test_live_names_what_is_missing(live):
    assert "no shot 999999" in ask(live, shot=999999)["detail"]
    assert "cannot be negative" in ask(live, shot=1, numbers=[-1, *IDENTITY[1:]])["detail"]


def test_the_newest_request_is_answered_last(live, shot_named):
    shot = shot_named("12A-2")["id"]
    for number in range(40):
        live.send(json.dumps({"kind": "show", "number": number, "shot": shot, "frame": 0}))
    seen = []
    while not seen or seen[-1] != 39:
        seen.append(unpack(live.recv(timeout=60))[0]["number"])
    assert seen == sorted(seen)


def test_versions_undo_and_redo(api, shot_named):
    shot = shot_named("14B-2")
    url = f"/shots/{shot['id']}"
    base = shot["version_id"]
    versions = []
    for step in (0.01, 0.02):
        numbers = [1, 1, 1, step, step, step, 1, 1, 1, 1]
        saved = api.put(
            f"{url}/correction", json={"correction": ten(numbers), "change": f"step {step}", "base": base}
        ).json()
        base = saved["version_id"]
        versions.append(base)
    assert numbers_of(shot_named("14B-2"))[3] == 0.02
    assert shot_named("14B-2")["state"] == "balanced"
    assert api.post(f"{url}/undo").json()["version_id"] == versions[0]
    assert numbers_of(api.post(f"{url}/undo").json()) == IDENTITY
    assert numbers_of(api.post(f"{url}/undo").json()) == IDENTITY
    assert api.post(f"{url}/redo").json()["version_id"] == versions[0]
    assert api.post(f"{url}/redo").json()["version_id"] == versions[1]
    assert api.post(f"{url}/redo").json()["version_id"] == versions[1]
    assert [v["change"] for v in api.get(f"{url}/versions").json()][:2] == ["step 0.02", "step 0.01"]


def test_two_windows_cannot_silently_overwrite_each_other(api, shot_named):
    shot = shot_named("21A-2")
    url = f"/shots/{shot['id']}/correction"
    body = {"correction": ten([*IDENTITY[:9], 0.9]), "change": "a", "base": shot["version_id"]}
    assert api.put(url, json=body).status_code == 200
    second = api.put(url, json={**body, "change": "b"})
    assert second.status_code == 409
    assert "another window" in second.json()["detail"]


IMPOSSIBLE = {
    "one number too few": {"steps": [{"id": "balance", "values": {"kind": "primary", "slope": [1, 1]}}]},
    "a negative slope": ten([-1, *IDENTITY[1:]]),
    "text for a number": ten(cast(list[float], ["x", *IDENTITY[1:]])),
    "no correction": None,
    "no balance": {"steps": []},
    "a kind that there is not": {"steps": [{"id": "balance", "values": {"kind": "unheard of"}}]},
    "two of a name": {"steps": [*ten(IDENTITY)["steps"], *ten(IDENTITY)["steps"]]},
    "a hundred": {"steps": [{**ten(IDENTITY)["steps"][0], "id": f"{n}"} for n in range(100)]},
}


@pytest.mark.parametrize("what", IMPOSSIBLE)
def test_impossible_corrections_are_refused(api, shot_named, what):
    shot = shot_named("12A-1")
    answer = api.put(
        f"/shots/{shot['id']}/correction", json={"correction": IMPOSSIBLE[what], "base": shot["version_id"]}
    )
    assert answer.status_code in (400, 422), what
    assert isinstance(answer.json()["detail"], str)
    assert shot_named("12A-1")["version_id"] == shot["version_id"]


def test_what_a_desk_left_unanswered_is_solved_without_it(api, shot_named):
    """Aims and turns as the live channel takes them come to the same numbers, for a shot that has left the desk."""
    shot = shot_named("21B-1")
    middle = shot["clip"]["frames"] // 2
    aims = [*shot["corrected"]]
    aims[1] += 4
    asked = {"number": 1, "shot": shot["id"], "frame": middle, "levels": levels(shot=shot["correction"]), "full": True}
    found = api.post(f"/shots/{shot['id']}/solved", json={**asked, "aim": {"values": aims, "moved": [1]}}).json()
    assert len(found) == 10
    saved = api.put(
        f"/shots/{shot['id']}/correction", json={"correction": ten(found), "base": shot["version_id"]}
    ).json()
    assert saved["corrected"][1] == pytest.approx(aims[1], abs=0.6)
    turn = {"control": "exposure", "value": 0.5}
    turned = api.post(f"/shots/{shot['id']}/solved", json={**asked, "turn": turn}).json()
    assert np.mean(turned[3:6]) > np.mean(numbers_of(shot)[3:6])
    api.post(f"/shots/{shot['id']}/undo")
    refused = api.post(f"/shots/{shot['id']}/solved", json={**asked, "turn": {"control": "hue", "value": 1}})
    assert refused.status_code == 422


def test_balance_reference_match_and_hand_over(api, shot_named, tmp_path):
    reference, shot = shot_named("12A-1"), shot_named("12A-2")
    no_reference = api.post(f"/shots/{shot_named('23A-1')['id']}/match", json={"frame": 0, "base": None})
    assert no_reference.status_code == 400
    assert "no reference" in no_reference.json()["detail"]

    balanced = api.post(f"/shots/{reference['id']}/balance", json={"frame": 36, "base": reference["version_id"]}).json()
    assert balanced["shot"]["state"] == "balanced"
    assert len(balanced["candidates"]) >= 2
    api.post(f"/shots/{reference['id']}/keep", json={"frame": 36}).raise_for_status()
    itself = api.post(f"/shots/{reference['id']}/match", json={"frame": 36, "base": balanced["shot"]["version_id"]})
    assert "is its family's reference" in itself.json()["detail"]

    answer = api.post(f"/shots/{shot['id']}/match", json={"frame": 36, "base": shot["version_id"]}).json()
    assert answer["offer"] is None
    matched = answer["shot"]
    report = matched["report"]
    assert report["after"] < 0.5 * report["before"]
    assert matched["state"] == "matched"
    assert matched["distance"] == pytest.approx(report["after"])
    assert report["residuals"]["off"] < report["after"]

    ids = [reference["id"], shot["id"]]
    record = hand_over(api, {"shots": ids, "formats": ["cdl", "cc", "ccc", "cube"]})
    assert {f["name"] for f in record["files"]} >= {"12A-2.cdl", "12A-2.cc", "12A-2.cube", "Shop_window_light.ccc"}
    path = tmp_path / "12A-2.cdl"
    path.write_bytes(api.get(f"/handovers/{record['id']}/12A-2.cdl").content)
    ElementTree.parse(path)
    numbers = asc_cdl.read(path)[0].numbers
    clip = cards.find("12A-2")
    working = to_picture(read_recorded(clip.path, 36, probe(clip.path)), clip.encoding).working[::4, ::4]
    kept_numbers = Primary.from_array(numbers_of(matched))
    difference = outputs.to_display(numbers.apply(working)) - outputs.to_display(kept_numbers.apply(working))
    assert np.abs(difference).max() <= 1e-4
    assert api.get(f"/handovers/{record['id']}/..%2F..%2Fpassword").status_code == 404
    assert api.get("/handovers").json()[0]["id"] == record["id"]


def test_thumbnails_follow_the_correction(api, shot_named):
    shot = shot_named("22A-1")
    before = api.get(f"/shots/{shot['id']}/thumbnail.jpg").content
    dark = [1, 1, 1, -0.1, -0.1, -0.1, 1, 1, 1, 1]
    api.put(f"/shots/{shot['id']}/correction", json={"correction": ten(dark), "base": shot["version_id"]})
    after = api.get(f"/shots/{shot['id']}/thumbnail.jpg").content
    assert before[:2] == after[:2] == b"\xff\xd8"
    assert before != after


def test_damaged_clips_are_listed_and_the_rest_goes_on(api, running):
    folder = running.media / "card"
    folder.mkdir()
    whole = cards.find("12C-2").path.read_bytes()
    (folder / "A_good.mp4").write_bytes(whole)
    (folder / "B_cut.mp4").write_bytes(whole[: len(whole) // 2])
    (folder / "C_empty.mov").write_bytes(b"")
    (folder / "notes.txt").write_text("not a clip")
    (folder / "link.mov").symlink_to("/etc/hostname")
    answer = api.post("/intake", json={"folder": str(folder)}).json()
    assert answer == {"added": 3, "already": 0, "ignored": 2, "stopped": False, "replaced": []}
    running.wait_measured()
    shots = {s["file"]: s for s in api.get("/day").json()["shots"]}
    assert shots["A_good.mp4"]["progress"] == "ready"
    # What is there of a clip that was cut short can be worked on; how much is missing is reported.
    assert shots["B_cut.mp4"]["progress"] == "ready"
    assert any("it seems cut short" in warning for warning in shots["B_cut.mp4"]["clip"]["warnings"])
    assert shots["C_empty.mov"]["progress"] == "faulty"
    assert "C_empty.mov: the file is empty" in shots["C_empty.mov"]["fault"]
    assert api.post("/intake", json={"folder": str(folder)}).json()["already"] == 3
    faulty = api.post(f"/shots/{shots['C_empty.mov']['id']}/balance", json={"frame": 0})
    assert faulty.status_code == 400
    assert "empty" in faulty.json()["detail"]


@pytest.mark.parametrize("folder", ["/etc", "/", "../../etc", "/nonexistent"])
def test_folders_not_named_by_the_user_are_not_read(api, folder):
    answer = api.post("/intake", json={"folder": folder})
    assert answer.status_code == 400
    assert "may read" in answer.json()["detail"]


def test_encodings_outside_the_folders_are_not_read(api):
    camera = api.get("/day").json()["cameras"][0]
    answer = api.patch(f"/cameras/{camera['id']}", json={"encoding": "file:/etc/passwd.clf"})
    assert answer.status_code == 400
    assert api.patch(f"/cameras/{camera['id']}", json={"encoding": "aces:nothing"}).status_code == 400


@pytest.mark.parametrize(
    "headers",
    [{"host": "evil.example"}, {"origin": "http://evil.example"}, {"origin": "null"}, {"origin": "http://[::1"}],
)
def test_foreign_hosts_and_origins_are_refused(api, headers):
    assert api.get("/day", headers=headers).status_code == 403


@pytest.mark.parametrize("origin", ["http://evil.example", None])
def test_the_live_channel_refuses_foreign_origins(running, origin):
    with pytest.raises((InvalidStatus, ConnectionClosed)):
        address = f"ws://127.0.0.1:{running.port}/api/live"
        with connect(address, origin=origin, additional_headers=running.secret.headers) as socket:
            socket.send("{}")
            socket.recv(timeout=5)


def test_only_loopback_is_bound(running):
    listening = subprocess.run(["ss", "-ltnH"], capture_output=True, text=True)
    if listening.returncode:
        pytest.skip("ss is not installed")
    lines = [line for line in listening.stdout.splitlines() if f":{running.port} " in line]
    assert lines
    assert all("127.0.0.1" in line for line in lines)


def test_every_fault_is_a_sentence(api):
    assert api.get("/shots/999999/versions").json()["detail"] == "there is no shot 999999"
    assert api.get("/nothing").status_code == 404
    assert api.post("/intake", json={}).json()["detail"].startswith("folder")


def test_kept_scopes_and_pictures(api, shot_named):
    shot = shot_named("14A-1")
    kept = api.post(f"/shots/{shot['id']}/keep", json={"frame": 10, "as_reference": False}).json()
    header, blobs = unpack(api.post(f"/kept/{kept['id']}/scopes", json={}).content)
    assert header["readings"] == pytest.approx(kept["readings"])
    width = min(shot["clip"]["width"], PREVIEW_WIDTH)
    height = width * 9 // 16
    assert blobs["waveform"].sum() == width * height
    box, _ = unpack(api.post(f"/kept/{kept['id']}/scopes", json={"meter": BOX}).content)
    assert box["pixels"] == width // 4 * height
    inside_out = {"kind": "box", "points": [[0.9, 0.0], [0.1, 1.0]]}
    assert api.post(f"/kept/{kept['id']}/scopes", json={"meter": inside_out}).status_code == 400
    assert api.get(f"/kept/{kept['id']}/picture.jpg").content[:2] == b"\xff\xd8"


def test_a_version_remembers_what_it_measures(api, shot_named):
    shot = shot_named("14B-2")
    assert shot["corrected"] is not None
    numbers = [1, 1, 1, 0.05708, 0.05708, 0.05708, 1, 1, 1, 1]
    brighter = api.put(
        f"/shots/{shot['id']}/correction", json={"correction": ten(numbers), "base": shot["version_id"]}
    ).json()
    darker = api.put(
        f"/shots/{shot['id']}/correction",
        json={"correction": ten([1, 1, 1, -0.05708, -0.05708, -0.05708, 1, 1, 1, 1]), "base": brighter["version_id"]},
    ).json()
    assert brighter["corrected"][4] > darker["corrected"][4] + 5
    undone = api.post(f"/shots/{shot['id']}/undo").json()
    assert undone["corrected"] == brighter["corrected"]
    api.post(f"/shots/{shot['id']}/undo")


def test_a_match_within_meters_is_by_what_they_hold(api, shot_named):
    """Boxes that hold different subjects share no points; boxes on the same subject do."""
    reference, shot = shot_named("12A-1"), shot_named("12C-2")
    api.post(f"/shots/{reference['id']}/keep", json={"frame": 12, "as_reference": True})
    left = {"kind": "box", "points": [[0.0, 0.0], [0.3, 1.0]]}
    right = {"kind": "box", "points": [[0.75, 0.0], [1.0, 1.0]]}
    order = {"frame": 12, "base": shot["version_id"], "meter": left, "reference_meter": right}
    apart = api.post(f"/shots/{shot['id']}/match", json=order).json()
    assert apart["shot"]["version_id"] == shot["version_id"], "what is not sure is offered, and nothing is changed"
    offered = apart["offer"]["report"]
    assert offered["confidence"] < LEAST_SURE
    whole = api.post(f"/shots/{shot['id']}/match", json={"frame": 12, "base": shot["version_id"]}).json()["shot"]
    assert whole["report"]["correspondences"] > offered["correspondences"]
    api.post(f"/shots/{shot['id']}/undo")
    applied = api.post(f"/shots/{shot['id']}/match", json={**order, "unsure": True}).json()
    assert applied["offer"] is None
    assert numbers_of(applied["shot"]) == pytest.approx(apart["offer"]["numbers"])
    assert applied["shot"]["report"]["confidence"] == pytest.approx(offered["confidence"])
    api.post(f"/shots/{shot['id']}/undo")
    refused = api.post(
        f"/shots/{shot['id']}/match", json={**order, "base": shot["version_id"], "meter": {"kind": "box", "points": []}}
    )
    assert refused.status_code == 400
    assert "meter" in refused.json()["detail"]


def test_output_tables_are_baked_once():
    assert tables.output_table() is tables.output_table()


def test_a_version_is_seen_and_brought_back_as_it_was(api, shot_named):
    """With the state and the report that it had, in a new version; what the shot started with, too."""
    shot = shot_named("22B-1")
    url = f"/shots/{shot['id']}"
    balanced = api.post(f"{url}/balance", json={"frame": 20, "base": shot["version_id"]}).json()["shot"]
    by_hand = {"correction": ten([1, 1, 1, 0.2, 0.2, 0.2, 1, 1, 1, 1]), "base": balanced["version_id"]}
    bright = api.put(f"{url}/correction", json=by_hand).json()

    def seen(**query) -> np.ndarray:
        jpeg = api.get(f"{url}/frames/20.jpg", params=query).raise_for_status().content
        return simplejpeg.decode_jpeg(jpeg).astype(float)

    as_balanced = seen(version=balanced["version_id"])
    assert seen(version=bright["version_id"]).mean() > as_balanced.mean() + 20
    assert seen(version=balanced["version_id"], peek=-3).mean() < as_balanced.mean() - 20
    assert api.get(f"{url}/frames/20.jpg", params={"version": 10**6}).status_code == 404
    late = api.post(f"{url}/versions/{balanced['version_id']}/again", json={"base": balanced["version_id"]})
    assert late.status_code == 409
    back = api.post(f"{url}/versions/{balanced['version_id']}/again", json={"base": bright["version_id"]}).json()
    assert back["correction"] == balanced["correction"]
    assert back["state"] == "balanced"
    assert back["version_id"] not in (balanced["version_id"], bright["version_id"])
    newest = api.get(f"{url}/versions").json()[0]
    assert newest["change"].startswith("back to balance by ")
    start = api.post(f"{url}/versions/0/again", json={"base": back["version_id"]}).json()
    assert numbers_of(start) == IDENTITY
    assert start["state"] == "new"
    assert numbers_of(api.post(f"{url}/undo").json()) == numbers_of(balanced)


def test_frames_are_kept_with_all_that_was_in_force(api, shot_named):
    """A trim that is changed later changes nothing in a frame that was kept before."""
    shot = shot_named("22B-1")
    kept = api.post(f"/shots/{shot['id']}/keep", json={"frame": 5, "as_reference": False}).json()
    listed = api.get(f"/families/{shot['family_id']}/kept").json()
    assert [one["id"] for one in listed][:1] == [kept["id"]]

    def measured() -> list[float]:
        header, _ = unpack(api.post(f"/kept/{kept['id']}/scopes", json={}).content)
        return header["readings"]

    before, camera = measured(), shot["camera_id"]
    trim = {"correction": ten([1, 1, 1, 0.1, 0.1, 0.1, 1, 1, 1, 1], "camera")}
    assert api.put(f"/levels/camera/{camera}", json=trim).status_code == 200
    assert measured() == before
    api.post("/operations/undo")
    look = {"correction": ten([1, 1, 1, 0.1, 0.1, 0.1, 1, 1, 1, 1], "family")}
    assert api.put(f"/levels/family/{shot['family_id']}", json=look).status_code == 200
    assert measured()[4] > before[4] + 5
    api.post("/operations/undo")


def test_new_families_and_shots_start_with_the_template(api, shot_named):
    steps = [*ten(IDENTITY, "family")["steps"], {**ten([1, 1, 1, 0, 0, 0, 1, 1, 1, 0.9])["steps"][0], "id": "softer"}]
    changed = api.put("/template/family", json={"correction": {"steps": steps}})
    assert changed.status_code == 200
    assert [step["id"] for step in changed.json()["template"]["family"]["steps"]] == ["look", "softer"]
    late = api.put("/template/family", json={"correction": ten(IDENTITY, "family"), "base": ten(IDENTITY, "family")})
    assert late.status_code == 409
    refused = api.put("/template/shot", json={"correction": {"steps": steps}})
    assert refused.status_code == 400
    assert "called “balance”" in refused.json()["detail"]
    made = api.post("/families", json={"name": "Begun with a template", "shots": []}).json()
    assert [step["id"] for step in made["correction"]["steps"]] == ["look", "softer"]
    api.post("/operations/undo")
    api.post("/operations/undo")
    production = api.get("/day").json()["production"]
    assert [step["id"] for step in production["template"]["family"]["steps"]] == ["look"]
