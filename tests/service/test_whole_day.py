"""The whole day at once: batches, operations undone as one, families, levels, line-up, two workers."""

from concurrent.futures import ThreadPoolExecutor
from itertools import pairwise
from pathlib import Path

import numpy as np

from dovrel.bench.orders import numbers_of, ten
from dovrel.core.colour import tables
from dovrel.core.develop.frame import display_of
from dovrel.core.measure.readings import readings_of_display
from dovrel.core.steps.primary import Primary
from dovrel.demo import cards
from dovrel.formats import asc_cdl
from dovrel.media.footage import probe, read_recorded
from dovrel.media.picture import shrink, to_picture
from tests.helpers.asking import batch, day, family, shots
from tests.helpers.handing import hand_over

UNCORRECTED = [1, 1, 1, 0, 0, 0, 1, 1, 1, 1]


def test_a_batch_balances_and_is_taken_back_as_one(api):
    names = ["22A-1", "22B-1", "22C-1"]
    operation = batch(api, "balance", names)
    assert (operation["done"], operation["failed"]) == (3, [])
    after = shots(api)
    assert all(after[n]["state"] == "balanced" for n in names)
    assert numbers_of(after["22C-1"]) != UNCORRECTED
    assert api.post("/operations/undo").json() == {"what": "balance 3 shots", "left": []}
    assert all(numbers_of(shots(api)[n]) == UNCORRECTED and shots(api)[n]["state"] == "new" for n in names)
    api.post("/operations/redo")
    assert {n: shots(api)[n]["correction"] for n in names} == {n: after[n]["correction"] for n in names}


def test_a_match_of_a_family_leaves_its_reference_and_says_how_it_went(api):
    found = shots(api)
    api.post(f"/shots/{found['21A-1']['id']}/keep", json={"frame": 36, "as_reference": True})
    operation = batch(api, "match", ["21A-1", "21A-2", "21B-1", "21C-1"])
    assert operation["total"] == 3
    after = shots(api)
    assert after["21A-1"]["state"] == "new"
    assert all(after[n]["state"] == "matched" for n in ("21A-2", "21B-1", "21C-1"))
    assert after["21B-1"]["distance"] < 4
    refused = api.post("/batches", json={"kind": "match", "shots": [found["21A-1"]["id"]]})
    assert refused.status_code == 400
    assert "reference" in refused.json()["detail"]


def test_a_shot_of_a_family_without_a_reference_is_left_and_named(api):
    operation = batch(api, "match", ["14A-1", "14B-2"])
    assert operation["done"] == 2
    assert len(operation["failed"]) == 2
    assert "no reference yet" in operation["failed"][0]["said"]
    assert shots(api)["14B-2"]["state"] == "new"


def test_copying_steps_leaves_the_others(api):
    found = shots(api)
    source = {"correction": ten([1.1, 1.1, 1.1, -0.03, 0.0, 0.02, 1, 1, 1, 1.3]), "base": None, "change": "by hand"}
    assert api.put(f"/shots/{found['14A-1']['id']}/correction", json=source).status_code == 200
    more = {"source": found["14A-1"]["id"], "controls": ["saturation"]}
    batch(api, "copy", ["14A-1", "14B-2", "14B-3"], **more)
    after = shots(api)
    assert numbers_of(after["14B-2"]) == [1, 1, 1, 0, 0, 0, 1, 1, 1, 1.3]
    assert after["14A-1"]["version_id"] == found["14A-1"]["version_id"] or numbers_of(after["14A-1"])[9] == 1.3
    batch(api, "copy", ["14B-2"], source=found["14A-1"]["id"])
    assert numbers_of(shots(api)["14B-2"]) == numbers_of(source)
    api.post("/operations/undo")
    assert numbers_of(shots(api)["14B-2"])[:9] == UNCORRECTED[:9]


def test_undo_leaves_what_was_changed_by_hand_since(api):
    batch(api, "balance", ["14B-3", "14C-1"])
    shot = shots(api)["14C-1"]
    by_hand = {"correction": ten([1, 1, 1, 0.01, 0, 0, 1, 1, 1, 1]), "base": shot["version_id"], "change": "by hand"}
    api.put(f"/shots/{shot['id']}/correction", json=by_hand)
    assert api.post("/operations/undo").json()["left"] == ["14C-1"]
    assert numbers_of(shots(api)["14C-1"]) == numbers_of(by_hand)


def test_a_cancelled_batch_begins_nothing_more(api, running):
    found = shots(api)
    ids = [shot["id"] for shot in found.values()]
    operation = api.post("/batches", json={"kind": "balance", "shots": ids}).json()
    cancelled = api.post(f"/operations/{operation['id']}/cancel").json()
    assert cancelled["cancelled"]
    running.wait_idle()
    now = api.get(f"/operations/{operation['id']}").json()
    assert now["done"] < now["total"]
    assert now["done"] <= cancelled["done"] + 1
    api.post("/operations/undo")


def test_states_and_notes_of_many_shots_are_one_operation(api):
    batch(api, "balance", ["21A-2", "21B-1"])
    found = shots(api)
    ids = [found[n]["id"] for n in ("21A-2", "21B-1")]
    api.patch("/shots", json={"shots": ids, "state": "checked", "note": "grain in the shadows"})
    after = shots(api)
    assert [after[n]["state"] for n in ("21A-2", "21B-1")] == ["checked", "checked"]
    assert after["21A-2"]["note"] == "grain in the shadows"
    api.post("/operations/undo")
    assert [shots(api)[n]["state"] for n in ("21A-2", "21B-1")] == ["balanced", "balanced"]
    assert shots(api)["21A-2"]["note"] == ""
    assert api.patch("/shots", json={"shots": ids}).status_code == 400


def test_quick_presses_take_back_one_operation_each(api):
    """Three requests at once, as a key pressed three times sends them."""
    shot = shots(api)["12A-2"]
    notes = [f"note {number}" for number in range(3)]
    for before, note in pairwise([shot["note"], *notes]):
        change = {"shots": [shot["id"]], "note": note, "notes_before": [before]}
        assert api.patch("/shots", json=change).is_success

    with ThreadPoolExecutor(3) as pool:
        answers = list(pool.map(lambda _: api.post("/operations/undo"), range(3)))
    assert [(one.status_code, one.json().get("left")) for one in answers] == [(200, [])] * 3
    assert shots(api)["12A-2"]["note"] == shot["note"]


def test_families_are_split_named_merged_and_put_back(api):
    found = shots(api)
    window = family(api, "Shop, window light")
    made = api.post("/families", json={"name": "Through the door", "shots": [found["12C-4"]["id"]]}).json()
    assert shots(api)["12C-4"]["family_id"] == made["id"]
    assert api.post("/families", json={"name": "Through the door"}).status_code == 400
    api.patch(f"/families/{made['id']}", json={"name": "Tinted glass"})
    assert family(api, "Tinted glass")["id"] == made["id"]
    api.patch(f"/families/{made['id']}", json={"into": window["id"]})
    assert "Tinted glass" not in {f["name"] for f in day(api)["families"]}
    assert shots(api)["12C-4"]["family_id"] == window["id"]
    api.post("/operations/undo")
    assert shots(api)["12C-4"]["family_id"] == family(api, "Tinted glass")["id"]
    for _ in range(2):
        api.post("/operations/undo")
    assert shots(api)["12C-4"]["family_id"] == window["id"]


def test_families_are_proposed_and_arranged(api):
    proposed = api.get("/families/proposed").json()
    assert {p["name"] for p in proposed} == {f["name"] for f in day(api)["families"] if f["name"] != "Through the door"}
    assert sum(len(p["shots"]) for p in proposed) == 27
    half = proposed[0]["shots"][:2]
    api.post("/families/arrange", json={"families": [{"name": "First two", "shots": half}]})
    assert {s["family_id"] for s in day(api)["shots"] if s["id"] in half} == {family(api, "First two")["id"]}
    api.post("/operations/undo")


def middle_readings(name: str, chain: list[Primary]) -> np.ndarray:
    clip = cards.find(name)
    info = probe(clip.path)
    working = to_picture(shrink(read_recorded(clip.path, info.frames // 2, info)), clip.encoding).working
    for numbers in chain:
        working = numbers.apply(working)
    return readings_of_display(display_of(working.astype(np.float32), [], tables.output_table()))


def test_a_camera_s_trim_is_in_force_on_its_shots_and_no_others(api, running):
    trim = Primary((1.0, 1.0, 1.0), (0.05, 0.0, -0.05))
    before = shots(api)
    camera = next(c for c in day(api)["cameras"] if c["letter"] == "B")
    touched = api.put(
        f"/levels/camera/{camera['id']}", json={"correction": ten(trim.as_array().tolist(), "camera")}
    ).json()
    assert {s["name"] for s in before.values() if s["id"] in touched} == {
        n for n, s in before.items() if s["camera_id"] == camera["id"]
    }
    running.wait(lambda: shots(api)["12B-1"]["corrected"] != before["12B-1"]["corrected"], 120)
    expected = middle_readings("12B-1", [trim])
    assert np.abs(np.array(shots(api)["12B-1"]["corrected"]) - expected).max() < 0.6
    assert shots(api)["12A-1"]["corrected"] == before["12A-1"]["corrected"]
    api.post("/operations/undo")
    assert (
        next(c for c in day(api)["cameras"] if c["letter"] == "B")["correction"]["steps"]
        == ten(UNCORRECTED, "camera")["steps"]
    )


def test_levels_are_handed_over_in_as_few_cdls_as_carry_them(api):
    shot = shots(api)["12B-1"]
    camera = next(c for c in day(api)["cameras"] if c["letter"] == "B")
    trim, look = Primary((0.95, 1, 1), (0.02, 0, 0)), Primary(power=(1.1, 1.0, 0.95), saturation=0.8)
    finish = Primary((1.05, 1.0, 1.0))
    api.put(f"/levels/camera/{camera['id']}", json={"correction": ten(trim.as_array().tolist(), "camera")})
    api.put(f"/levels/family/{shot['family_id']}", json={"correction": ten(look.as_array().tolist(), "family")})
    api.put(
        f"/levels/show/{day(api)['production']['id']}", json={"correction": ten(finish.as_array().tolist(), "show")}
    )
    record = hand_over(api, {"shots": [shot["id"]], "formats": ["cc"]})
    files = [Path(record["folder"], file["name"]) for file in record["files"]]
    assert [file.name for file in files] == ["12B-1.1of2.cc", "12B-1.2of2.cc"]
    working = np.random.default_rng(4).uniform(0.1, 0.8, (50, 3))
    written, expected = working, working
    for path in files:
        written = asc_cdl.read(path)[0].numbers.apply(written)
    for numbers in (trim, look, finish):
        expected = numbers.apply(expected)
    assert np.abs(written - expected).max() < 1e-8


def test_a_camera_s_trim_is_proposed_with_its_reason(api):
    cameras = {c["letter"]: c["id"] for c in day(api)["cameras"]}
    trim = api.post(f"/cameras/{cameras['B']}/trim", params={"against": cameras["A"]}).json()
    assert trim["against"] == "A"
    assert "12B-1 and 12A-1" in trim["pairs"]
    assert trim["numbers"][6:] == [1, 1, 1, 1]
    assert trim["after"] <= trim["before"] + 0.02
    assert "contrast" in trim["reason"]
    same = api.post(f"/cameras/{cameras['B']}/trim", params={"against": cameras["B"]})
    assert same.status_code == 400


EDIT = (
    "TITLE: T\nFCM: NON-DROP FRAME\n\n"
    "001  R1 V C 09:14:02:10 09:14:03:10 01:00:00:00 01:00:01:00\n* FROM CLIP NAME: 12A-1\n"
    "002  R2 V C 09:31:40:00 09:31:41:00 01:00:01:00 01:00:02:00\n* FROM CLIP NAME: 12C-2\n"
    "003  R3 V C 09:31:40:00 09:31:41:00 01:00:02:00 01:00:03:00\n* FROM CLIP NAME: 99Z-9\n"
    "004  R1 V C 09:14:04:00 09:14:04:12 01:00:03:00 01:00:03:12\n* FROM CLIP NAME: 12A-1\n"
    "005  R3 V C 09:31:40:00 09:31:41:00 01:00:03:12 01:00:04:12\n* FROM CLIP NAME: 99Z-9\n"
)


def line_up(api) -> list[tuple[str, list[int] | None]]:
    names = {shot["id"]: name for name, shot in shots(api).items()}
    return [(names[use["shot"]], use["span"]) for use in day(api)["production"]["line_up"]]


def test_the_line_up_goes_by_hand_and_by_an_edit_list(api):
    found = shots(api)
    by_hand = [{"shot": found[n]["id"]} for n in ("22A-1", "12A-1", "14A-1")]
    answer = api.put("/line-up", json={"uses": by_hand}).json()
    assert answer["placed"] == 3
    assert len(answer["absent"]) == 24
    assert line_up(api) == [("22A-1", None), ("12A-1", None), ("14A-1", None)]
    base = day(api)["production"]["line_up_stamp"]
    answer = api.put("/line-up", json={"base": base, "edit_list": EDIT, "format": "edl"}).json()
    assert answer["placed"] == 3
    assert [(one["name"], one["reason"]) for one in answer["unplaced"]] == [("99Z-9", "no shot is called 99Z-9")] * 2
    assert len(answer["absent"]) == 25
    # A clip that is cut to twice stands twice, each time with the frames used there.
    assert line_up(api) == [("12A-1", [10, 33]), ("12C-2", [0, 23]), ("12A-1", [48, 59])]
    api.post("/operations/undo")
    assert line_up(api)[0] == ("22A-1", None)
    api.post("/operations/redo")
    assert len(line_up(api)) == 3


def test_a_line_up_that_cannot_be_is_refused_and_nothing_changes(api):
    before = line_up(api)
    shot = shots(api)["12A-1"]["id"]
    assert api.put("/line-up", json={"edit_list": "nothing", "format": "otio"}).status_code == 400
    foreign = EDIT.replace("12A-1", "77A-1").replace("12C-2", "77C-2")
    refused = api.put("/line-up", json={"edit_list": foreign, "format": "edl"})
    assert refused.status_code == 400
    assert "none of the day's shots" in refused.json()["detail"]
    assert api.put("/line-up", json={"uses": [{"shot": shot, "span": [20, 10]}]}).status_code == 422
    assert api.put("/line-up", json={"uses": [{"shot": 10**6}]}).status_code == 400
    assert line_up(api) == before


def test_frames_and_thumbnails_follow_every_level(api):
    shot = shots(api)["12A-1"]
    plain = api.get(f"/shots/{shot['id']}/frames/5.jpg").content
    dark = [1, 1, 1, -0.2, -0.2, -0.2, 1, 1, 1, 1]
    small = api.get(f"/shots/{shot['id']}/thumbnail.jpg").content
    api.put(f"/levels/show/{day(api)['production']['id']}", json={"correction": ten(dark, "show")})
    assert api.get(f"/shots/{shot['id']}/frames/5.jpg").content != plain
    assert api.get(f"/shots/{shot['id']}/thumbnail.jpg").content != small
    api.post("/operations/undo")
    assert api.get(f"/shots/{shot['id']}/frames/5.jpg").content == plain
