"""Absurd requests and odd cards: each gets a sentence, and all else goes on."""

import json
import os
import shutil
import subprocess
from pathlib import Path
from typing import cast

import pytest

from dovrel.bench.orders import levels, ten
from dovrel.demo import cards
from tests.helpers.handing import hand_over

pytestmark = pytest.mark.shots("12A-1", "12A-2", "12C-2")

NOTHING = [1, 1, 1, 0, 0, 0, 1, 1, 1, 1]
BEYOND = 2**31


def test_take_in_lists_odd_clips_one_by_one_and_goes_on(api, running):
    """Names too long, tags too long, names that are no text, codecs nobody knows, lists that pose as clips."""
    folder = running.media / "odd"
    folder.mkdir()
    whole = cards.find("12C-2").path
    shutil.copy(whole, folder / "A_good.mp4")
    shutil.copy(whole, folder / ("B" + "x" * 230 + ".mp4"))
    tagged = ["-metadata", f"make={'M' * 400}", "-metadata", f"scene={'S' * 900}", "-metadata", f"camera={'Q' * 90}"]
    command = ["ffmpeg", "-loglevel", "error", "-y", "-i", str(whole), "-c", "copy", *tagged,
               "-movflags", "use_metadata_tags", str(folder / "C_tags.mov")]  # fmt: skip
    subprocess.run(command, check=True, stdin=subprocess.DEVNULL)
    shutil.copy(os.fsencode(whole), os.fsencode(folder) + b"/D_\xff\xfe.mp4")
    unknown = (folder / "C_tags.mov").read_bytes()
    for known in (b"avc1", b"hvc1", b"hev1"):
        unknown = unknown.replace(known, b"zq7x")
    (folder / "E_codec.mov").write_bytes(unknown)
    (folder / "F_concat.mov").write_text(f"ffconcat version 1.0\nfile '{whole}'\n")
    (folder / "G_playlist.mp4").write_text(f"#EXTM3U\n#EXTINF:1,\nfile://{whole}\n#EXT-X-ENDLIST\n")
    answer = api.post("/intake", json={"folder": str(folder)})
    assert answer.status_code == 200, answer.text
    assert answer.json()["added"] == 7
    running.wait_measured()
    mine = {
        s["file"][:3]: s
        for s in api.get("/day").json()["shots"]
        if s["file"][:2] in ("A_", "Bx", "C_", "D_", "E_", "F_", "G_")
    }
    assert {k: mine[k]["progress"] for k in ("A_g", "Bxx", "C_t")} == dict.fromkeys(("A_g", "Bxx", "C_t"), "ready")
    assert len(mine["Bxx"]["file"]) == 235
    faults = {k: mine[k]["fault"] for k in ("D_\\", "E_c", "F_c", "G_p")}
    assert "no UTF-8 text; rename it" in faults["D_\\"]
    assert "E_codec.mov: " in faults["E_c"]
    assert "codec" in faults["E_c"] or "cannot be decoded" in faults["E_c"]
    assert "F_concat.mov: not a readable clip" in faults["F_c"]
    assert "G_playlist.mp4: not a readable clip" in faults["G_p"]
    again = api.post("/intake", json={"folder": str(folder)}).json()
    assert (again["added"], again["already"]) == (0, 7)


def test_a_clip_that_was_replaced_by_a_link_is_not_followed(api, running, tmp_path):
    folder = running.media / "replaced"
    folder.mkdir()
    clip = folder / "A_clip.mp4"
    shutil.copy(cards.find("12C-2").path, clip)
    api.post("/intake", json={"folder": str(folder)})
    running.wait_measured()
    shot = next(s for s in api.get("/day").json()["shots"] if s["file"] == "A_clip.mp4")
    assert shot["progress"] == "ready"
    elsewhere = tmp_path / "private.mp4"
    shutil.copy(cards.find("12C-4").path, elsewhere)
    clip.unlink()
    clip.symlink_to(elsewhere)
    refused = api.get(f"/shots/{shot['id']}/frames/3/readings")
    assert refused.status_code == 400
    assert refused.json()["detail"].startswith("A_clip.mp4: lies outside the folders")
    api.post(f"/shots/{shot['id']}/measure")
    running.wait_measured()
    after = next(s for s in api.get("/day").json()["shots"] if s["id"] == shot["id"])
    assert (after["footage"], after["progress"]) == ("offline", "ready")


def test_an_encoding_file_that_was_replaced_by_a_link_is_not_followed(api, running, tmp_path):
    shutil.copy(cards.ENCODINGS / "corvane-12.clf", running.media / "camera.clf")
    day = api.get("/day").json()
    camera = next(c for c in day["cameras"] if c["letter"] == "C")
    shot = next(s for s in day["shots"] if s["camera_id"] == camera["id"] and s["progress"] == "ready")
    chosen = f"file:{running.media / 'camera.clf'}"
    assert api.patch(f"/cameras/{camera['id']}", json={"encoding": chosen}).status_code == 200
    running.wait_measured()
    (tmp_path / "private.clf").write_text("secret words")
    (running.media / "camera.clf").unlink()
    (running.media / "camera.clf").symlink_to(tmp_path / "private.clf")
    refused = api.get(f"/shots/{shot['id']}/frames/3/readings")
    assert refused.status_code == 400
    assert refused.json()["detail"].startswith("camera.clf: lies outside")
    assert api.patch(f"/cameras/{camera['id']}", json={"encoding": camera["encoding"]}).status_code == 200
    running.wait_measured()


ABSURD = [
    ("GET", f"/shots/{BEYOND}/versions", None),
    ("GET", "/shots/-1/versions", None),
    ("GET", f"/shots/1/frames/{10**12}.jpg", None),
    ("GET", "/shots/1/frames/1.jpg?numbers=1,2,x", None),
    ("GET", "/shots/1/frames/1.jpg?numbers=" + ",".join(["nan"] * 10), None),
    ("GET", f"/operations/{10**30}", None),
    ("GET", f"/handovers/{BEYOND}/a.cdl", None),
    ("GET", "/handovers/1/a%00.cdl", None),
    ("POST", "/families", {"name": "a\0b"}),
    ("POST", "/families", {"name": "\ud800"}),
    ("POST", "/families", {"name": "x" * 5000}),
    ("POST", "/families", {"name": "x", "shots": [BEYOND]}),
    ("PATCH", "/families/1", {"name": "tab\0"}),
    ("PATCH", "/families/1", {"into": 2**63}),
    ("PATCH", "/shots", {"shots": [1], "note": "a\0"}),
    ("PATCH", "/shots", {"shots": [1], "note": "x" * 9000}),
    ("PATCH", "/shots", {"shots": [1], "family_id": 2**40}),
    ("PATCH", "/shots", {"shots": [1, 2], "note": "x", "notes_before": [""]}),
    ("PATCH", "/shots", {"shots": []}),
    ("PATCH", "/cameras/1", {"encoding": "file:/etc/passwd\0.clf"}),
    ("PATCH", "/cameras/1", {"encoding": "x" * 5000}),
    ("POST", "/intake", {"folder": "/a\0b"}),
    ("POST", "/intake", {"folder": "x" * 100_000}),
    ("PUT", "/shots/1/correction", {"correction": ten([1e300] * 10), "base": None}),
    ("PUT", "/shots/1/correction", {"correction": ten(NOTHING), "change": "a\0", "base": None}),
    ("PUT", "/shots/1/correction", {"correction": ten(NOTHING), "base": 2**70}),
    ("PUT", "/levels/camera/1", {"correction": ten(cast(list[float], [1, 1, 1, 0, 0, 0, 1, 1, 1, "much"]), "camera")}),
    ("PUT", f"/levels/show/{BEYOND}", {"correction": ten(NOTHING, "show")}),
    ("POST", "/shots/1/balance", {"frame": 2**80}),
    ("POST", "/shots/1/match", {"frame": 0, "strength": 1e9}),
    ("POST", "/shots/1/keep", {"frame": -5}),
    ("POST", "/batches", {"kind": "copy", "shots": [1], "source": BEYOND}),
    ("POST", "/batches", {"kind": "sing", "shots": [1]}),
    ("PUT", "/line-up", {"uses": [{"shot": BEYOND}]}),
    ("PUT", "/line-up", {"uses": [{"shot": 1, "span": [0, 10**15]}]}),
    ("PUT", "/line-up", {"edit_list": "[" * 100_000, "format": "otio"}),
    ("PUT", "/line-up", {"edit_list": "[" * 100_000, "format": "edl"}),
    ("PUT", "/line-up", {"edit_list": '{"OTIO_SCHEMA": "Timeline.1", "tracks": 5}', "format": "otio"}),
    ("POST", "/handovers", {"shots": [BEYOND], "formats": ["cdl"]}),
    ("POST", "/handovers", {"shots": [1], "formats": []}),
]  # fmt: skip


@pytest.mark.parametrize(
    ("method", "path", "body"), ABSURD, ids=[f"{i} {m} {p[:30]}" for i, (m, p, _) in enumerate(ABSURD)]
)
def test_an_absurd_request_gets_a_sentence(api, method, path, body):
    before = api.get("/day").json()
    # As plain ASCII, so that even half a surrogate arrives.
    content = None if body is None else json.dumps(body).encode()
    answer = api.request(method, path, content=content, headers={"Content-Type": "application/json"})
    assert 400 <= answer.status_code < 500, answer.text
    detail = answer.json()["detail"]
    assert isinstance(detail, str)
    assert 5 < len(detail) < 500
    assert api.get("/day").json() == before


@pytest.mark.parametrize(
    "message",
    [b"\x00\x01", "[" * 30_000, "x" * 200_000, '{"kind": "show", "number": 1e999}',
     json.dumps({"kind": "show", "number": 1, "shot": 2**40, "frame": 0, "levels": levels(shot=NOTHING)}),
     json.dumps({"kind": "show", "number": 2**80, "shot": 1, "frame": 0, "levels": levels(shot=NOTHING)}),
     '{"kind": "show", "number": 1, "shot": 1, "frame": 0, "levels": [NaN]}',
     json.dumps({"kind": "show", "number": 1, "shot": 1, "frame": 0, "levels": levels(shot=[0, 0, 0, -1e6, 0, 0, 1e6, 1e6, 1e6, 1e6]),
                 "aim": {"values": [1e6] * 10, "moved": [0, 9]}}),
     json.dumps({"kind": "point", "number": 1, "shot": 1, "frame": 10**7, "x": 2, "y": 0})],
    ids=range(9),
)  # fmt: skip
def test_a_bad_message_is_answered_on_the_live_channel_which_goes_on(running, shot_named, message):
    shot = shot_named("12A-1")["id"]
    with running.live() as live:
        live.send(message)
        answer = live.recv(timeout=60)
        if isinstance(answer, str):
            assert 10 < len(json.loads(answer)["detail"]) < 500
        live.send(json.dumps({"kind": "show", "number": 9, "shot": shot, "frame": 3}))
        while isinstance(answer, str) or b'"number":9' not in answer[:200]:
            answer = live.recv(timeout=60)
        assert b'"readings"' in answer[:4000]


def test_a_refused_hand_over_leaves_no_folder_and_no_list(api, running, shot_named):
    folder = running.data / "handover"
    before = sorted(folder.iterdir()) if folder.exists() else []
    faulty = next((s for s in api.get("/day").json()["shots"] if s["progress"] == "faulty"), None)
    ids = [shot_named("12A-1")["id"], faulty["id"] if faulty else 999_999]
    listed = api.get("/handovers").json()
    assert 400 <= api.post("/handovers", json={"shots": ids, "formats": ["cdl"]}).status_code < 500
    assert (sorted(folder.iterdir()) if folder.exists() else []) == before
    assert api.get("/handovers").json() == listed


def test_what_is_handed_over_is_whole(api, running, shot_named):
    record = hand_over(api, {"shots": [shot_named("12A-1")["id"]], "formats": ["cdl", "cube"]})
    folder = Path(record["folder"])
    assert sorted(p.name for p in folder.iterdir()) == ["12A-1.cdl", "12A-1.cube", "ascmhl"]
    assert not list(running.data.rglob("*.partial*"))


def test_a_new_camera_gets_the_encoding_that_its_clip_is_tagged_with(api, running):
    folder = running.media / "tagged"
    folder.mkdir()
    command = ["ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", "testsrc2=size=320x180:rate=24", "-frames:v", "12",
               "-c:v", "libx264", "-pix_fmt", "yuv420p10le", "-color_trc", "arib-std-b67", "-colorspace", "bt2020nc",
               "-color_primaries", "bt2020", "-metadata", "camera=K", str(folder / "hybrid.mkv")]  # fmt: skip
    subprocess.run(command, check=True, stdin=subprocess.DEVNULL)
    assert api.post("/intake", json={"folder": str(folder)}).json()["added"] == 1
    running.wait_measured()
    day = api.get("/day").json()
    shot = next(s for s in day["shots"] if s["file"] == "hybrid.mkv")
    camera = next(c for c in day["cameras"] if c["id"] == shot["camera_id"])
    assert (camera["letter"], camera["encoding"]) == ("K", "hlg")
    assert (shot["clip"]["transfer"], shot["clip"]["matrix"]) == ("HLG", "BT.2020")
