"""Taking in a mixed card: cameras and encodings, readings, checksums, stopping, settings; all of it undone as one."""

import shutil
import subprocess
import time
from pathlib import Path

import pytest

from dovrel.bench.orders import ten
from dovrel.core.steps.primary import IDENTITY
from dovrel.formats import checksum_list
from dovrel.jobs.anew import measure_older
from dovrel.jobs.taking_in import stop_unfinished
from dovrel.store.database import engine_for, sessions
from dovrel.store.models import Shot, TakingIn
from dovrel.store.production import the_production
from tests.helpers import mixed

pytestmark = pytest.mark.shots("12A-1", "12C-2")


@pytest.fixture(scope="module")
def answered() -> dict:
    """What the service answered when the card was taken in."""
    return {}


@pytest.fixture(scope="module")
def beginning(days, beginning, answered):
    """A mixed card is taken in beside two shots of the demo."""
    mixed.whole(beginning.media)

    def take_in(run):
        with run.client() as client:
            answered.update(client.post("/intake", json={"folder": str(run.media / "card")}).json())
        run.wait_measured()

    return days.after(beginning, take_in)


@pytest.fixture
def card(beginning) -> Path:
    return beginning.media / "card"


@pytest.fixture
def taken(beginning, answered) -> dict:
    return answered


def day(api) -> dict:
    return api.get("/day").json()


def shot(api, name: str) -> dict:
    return next(s for s in day(api)["shots"] if s["name"] == name)


def camera_of(api, name: str) -> dict:
    found = shot(api, name)
    return next(c for c in day(api)["cameras"] if c["id"] == found["camera_id"])


@pytest.fixture
def settled(running, api):
    """A shot by its name, when all shots are measured."""

    def at_rest(name: str) -> dict:
        running.wait_measured()
        return shot(api, name)

    return at_rest


def test_every_clip_is_listed_once_and_what_is_none_is_named(api, card, taken):
    assert taken["added"] == 36
    names = {s["name"] for s in day(api)["shots"]}
    assert {"C001", "L001_1", "plate", "chart", "X_turned"} <= names
    assert not names & {"L001_2", "L001_3"}
    last = api.get("/intake").json()
    assert (last["total"], last["done"], last["stopped"]) == (36, 36, False)
    passed = {one["name"]: one["reason"] for one in last["passed"]}
    assert passed["C003_still.jpg"] == "the small picture of a clip"
    assert passed["report.pdf"] == ".pdf is no kind of clip"
    again = api.post("/intake", json={"folder": str(card)}).json()
    assert (again["added"], again["already"]) == (0, 36)


def test_clips_go_to_cameras_by_what_they_say(api):
    plain, hlg, pq = (camera_of(api, name) for name in ("C001", "C005", "C006"))
    assert [c["encoding"] for c in (plain, hlg, pq)] == ["rec709", "hlg", "pq"]
    assert {(c["make"], c["model"]) for c in (plain, hlg, pq)} == {("Corvane", "Twelve")}
    assert not hlg["assumed"]
    silent = camera_of(api, "S001")
    assert (silent["make"], silent["assumed"]) == ("", True)
    assert "does not say" in silent["reason"]
    assert camera_of(api, "P001")["id"] != silent["id"]


def test_what_the_files_say_is_told_and_used(api):
    turned, boxed, wide, fields = (shot(api, n)["clip"] for n in ("X_turned", "X_boxed", "X_anamorphic", "X_fields"))
    assert (turned["width"], turned["height"]) == (360, 640)
    assert boxed["width"] / boxed["height"] == pytest.approx(640 / 268, rel=0.02)
    assert (wide["width"], wide["height"]) == (1280, 360)
    assert fields["interlaced"]
    assert shot(api, "X_bright")["clip"]["ceiling"] > 1
    assert shot(api, "C001")["clip"]["sound"][0]["channels"] == 2
    assert shot(api, "L001_1")["clip"]["frames"] == 36
    assert set(shot(api, "S001")["clip"]["assumed"]) == {"range", "matrix", "transfer"}
    assert shot(api, "C001")["clip"]["assumed"] == []
    picture = api.get(f"/shots/{shot(api, 'X_boxed')['id']}/frames/3.jpg").content
    whole = api.get(f"/shots/{shot(api, 'X_boxed')['id']}/frames/3.jpg?whole=true").content
    assert picture != whole


def test_checksums_that_came_with_the_card_are_held_to(api):
    assert shot(api, "C001")["clip"]["verified"] == "card.md5"
    differing = shot(api, "C004")["clip"]
    assert differing["verified"] == ""
    assert "not the one in card.md5" in differing["warnings"][-1]
    (listed,) = api.get("/intake").json()["lists"]
    assert (listed["name"], listed["files"], listed["missing"]) == ("card.md5", 9, ["C099.mp4"])


def test_an_asc_mhl_of_what_was_taken_in_is_written(api, card):
    written = api.post("/intake/checksums").json()
    found = checksum_list.read(Path(written["path"]))
    assert len(found.sums) == written["files"]
    names = {path.name for path in found.sums}
    assert {"C001.mp4", "L001_2.mov", "plate.1006.png"} <= names
    assert {one.kind for one in found.sums.values()} == {"xxh128"}


def test_what_is_said_of_many_clips_is_measured_and_undone_as_one(api, settled):
    before = {name: shot(api, name) for name in ("S001", "S002")}
    order = {"shots": [s["id"] for s in before.values()], "reading": {"range": "full", "matrix": "BT.709"}}
    assert api.patch("/shots", json=order).status_code == 200
    for name, was in before.items():
        now = settled(name)
        assert (now["clip"]["full_range"], now["clip"]["matrix"]) == (True, "BT.709")
        assert now["clip"]["assumed"] == ["transfer"]
        assert now["measured"]["readings"] != was["measured"]["readings"]
    assert api.post("/operations/undo").json()["left"] == []
    for name, was in before.items():
        assert settled(name)["measured"]["readings"] == was["measured"]["readings"]


def test_the_active_picture_is_set_by_hand_and_found_again(api, settled):
    clip = shot(api, "C007")
    box = [0.1, 0.2, 0.9, 0.8]
    api.patch("/shots", json={"shots": [clip["id"]], "reading": {"active": box}})
    assert settled("C007")["clip"]["width"] == 512
    api.patch("/shots", json={"shots": [clip["id"]], "reading": {"active": None}})
    assert settled("C007")["clip"]["width"] == 640
    refused = api.patch("/shots", json={"shots": [clip["id"]], "reading": {"active": [0.5, 0, 0.52, 1]}})
    assert refused.status_code == 422


def test_cameras_are_added_split_named_and_merged_with_undo(api, settled):
    clip = shot(api, "C003")
    old = camera_of(api, "C003")
    order = {"letter": "Q", "name": "second body", "encoding": "hlg", "shots": [clip["id"]]}
    new = api.post("/cameras", json=order).json()
    assert (new["letter"], new["make"]) == ("Q", "Corvane")
    assert settled("C003")["camera_id"] == new["id"]
    assert api.post("/cameras", json=order).status_code == 400
    api.patch(f"/cameras/{new['id']}", json={"name": "B body"})
    assert camera_of(api, "C003")["name"] == "B body"
    api.patch(f"/cameras/{new['id']}", json={"into": old["id"]})
    assert "Q" not in {c["letter"] for c in day(api)["cameras"]}
    assert settled("C003")["camera_id"] == old["id"]
    for _ in range(3):
        assert api.post("/operations/undo").json()["left"] == []
    assert "Q" not in {c["letter"] for c in day(api)["cameras"]}
    assert settled("C003")["measured"] == clip["measured"]


def test_an_encoding_is_remembered_for_all_of_a_make_and_model(api, running, settled):
    camera = camera_of(api, "C001")
    api.patch(f"/cameras/{camera['id']}", json={"encoding": "srgb", "remember": True})
    production = day(api)["production"]
    assert production["encodings"] == [{"make": "Corvane", "model": "Twelve", "encoding": "srgb"}]
    folder = running.media / "begun"
    folder.mkdir()
    (folder / "C101.mp4").write_bytes((running.media / "card" / "C001.mp4").read_bytes())
    api.post("/intake", json={"folder": str(folder)})
    later = camera_of(api, "C101")
    assert (later["encoding"], later["assumed"]) == ("srgb", False)
    settled("C101")


def test_shots_are_taken_off_the_day_and_put_back(api):
    clip = shot(api, "D001")
    api.patch("/shots", json={"shots": [clip["id"]], "off": True})
    assert shot(api, "D001")["off"]
    base = day(api)["production"]["line_up_stamp"]
    answer = api.put("/line-up", json={"base": base, "uses": [{"shot": clip["id"]}]})
    assert answer.status_code == 400
    api.post("/operations/undo")
    assert not shot(api, "D001")["off"]


def test_clips_of_one_take_are_joined_by_hand(api, settled):
    names = ("P001", "D001")
    ids = [shot(api, name)["id"] for name in names]
    assert api.post("/shots/join", json={"shots": ids[:1]}).status_code == 400
    joined = api.post("/shots/join", json={"shots": ids}).json()
    assert joined["name"] == "D001"
    refused = settled("D001")
    assert refused["progress"] == "faulty"
    assert "another size, rate or codec" in refused["fault"]
    api.post("/operations/undo")
    assert settled("D001")["progress"] == "ready"
    assert not shot(api, "P001")["off"]


def test_taking_in_is_stopped_and_gone_on_with(api, running, settled):
    folder = running.media / "more"
    folder.mkdir()
    for number in range(6):
        (folder / f"N{number}.mov").write_bytes((running.media / "card" / "P001.mov").read_bytes())
    api.post("/intake", json={"folder": str(folder)})
    waiting = api.post("/intake/stop").json()
    stopped = sum(s["progress"] == "stopped" for s in day(api)["shots"])
    assert stopped in (waiting, waiting - 1), "what a worker had begun is finished, and nothing else"
    assert api.post("/intake/go-on").status_code == 200
    for number in range(6):
        assert settled(f"N{number}")["progress"] == "ready"


def test_a_family_of_mixed_sizes_is_cut_to_its_references_frame(api, settled):
    tall, wide = settled("X_turned"), settled("C003")
    family = api.post("/families", json={"name": "Mixed", "shots": [tall["id"], wide["id"]]}).json()
    api.post(f"/shots/{tall['id']}/keep", json={"frame": 3})
    whole = api.get(f"/shots/{wide['id']}/frames/3.jpg").content
    reference = api.get(f"/shots/{tall['id']}/frames/3.jpg").content
    readings = wide["corrected"]
    api.patch(f"/families/{family['id']}", json={"framing": "reference"})
    until = time.monotonic() + 30
    while shot(api, "C003")["corrected"] == readings and time.monotonic() < until:
        time.sleep(0.2)
    assert shot(api, "C003")["corrected"] != readings
    assert api.get(f"/shots/{wide['id']}/frames/3.jpg").content != whole
    assert api.get(f"/shots/{tall['id']}/frames/3.jpg").content == reference
    api.post("/operations/undo")
    assert api.get(f"/shots/{wide['id']}/frames/3.jpg").content == whole


def test_a_listing_that_was_cut_off_can_be_gone_on_with(api, running, settled):
    """As a server that was killed leaves it: one clip of two listed."""
    folder = running.media / "cut off"
    folder.mkdir()
    for number in range(2):
        (folder / f"K{number}.mov").write_bytes((running.media / "card" / "P001.mov").read_bytes())
    engine = engine_for(running.database)
    factory = sessions(engine)
    with factory.begin() as session:
        production = the_production(session)
        session.add(TakingIn(production_id=production.id, folder=str(folder), total=2, done=0))
    stop_unfinished(factory)
    engine.dispose()
    assert api.get("/intake").json()["stopped"]
    assert api.post("/intake/go-on").json()["added"] == 2
    assert settled("K1")["progress"] == "ready"


def test_a_file_replaced_by_a_shorter_one_keeps_the_keyframes_and_says_which_lie_beyond_it(api, card, settled):
    clip = shot(api, "P001")
    path, last = card / "P001.mov", clip["clip"]["frames"] - 1
    correction = ten(IDENTITY.as_array().tolist())
    values = correction["steps"][0]["values"]
    correction["steps"][0]["keyframes"] = [
        {"frame": frame, "values": values, "ease": "straight"} for frame in (1, last)
    ]
    order = {"correction": correction, "base": clip["version_id"]}
    assert api.put(f"/shots/{clip['id']}/correction", json=order).json()["beyond"] == []
    whole, half = path.read_bytes(), path.with_suffix(".half.mov")
    cut = ["ffmpeg", "-v", "error", "-i", path, "-frames:v", str(last // 2), "-c", "copy", half]
    subprocess.run([str(part) for part in cut], check=True)
    try:
        half.replace(path)
        api.patch("/shots", json={"shots": [clip["id"]], "reading": {"range": "full"}})
        assert settled("P001")["footage"] == "replaced"
        api.post(f"/shots/{clip['id']}/measure").raise_for_status()
        shorter = settled("P001")
        assert (shorter["progress"], shorter["clip"]["frames"]) == ("ready", last // 2)
        assert shorter["beyond"] == [last]
        assert [one["frame"] for one in shorter["correction"]["steps"][0]["keyframes"]] == [1, last]
    finally:
        path.write_bytes(whole)
        api.post("/operations/undo")
        api.post(f"/shots/{clip['id']}/undo")
        api.post(f"/shots/{clip['id']}/measure").raise_for_status()
    assert settled("P001")["clip"]["frames"] == last + 1


def test_what_an_earlier_dovrel_did_not_measure_is_measured(api, running, settled):
    clip = shot(api, "S001")
    assert clip["course"]["steadiness"]
    engine = engine_for(running.database)
    factory = sessions(engine)
    with factory.begin() as session:
        row = session.get_one(Shot, clip["id"])
        row.measured = {name: value for name, value in row.measured.items() if name != "course"}
    assert shot(api, "S001")["course"] is None
    measure_older(factory)
    engine.dispose()
    assert settled("S001")["course"] == clip["course"]


def test_a_shot_taken_in_later_starts_with_the_template_and_is_measured_under_it(api, running, card, settled):
    softer = {**ten([1, 1, 1, 0.03, 0.03, 0.03, 1, 1, 1, 0.9])["steps"][0], "id": "softer"}
    template = {"steps": [*ten(IDENTITY.as_array().tolist())["steps"], softer]}
    assert api.put("/template/shot", json={"correction": template}).status_code == 200
    later = running.media / "template"
    later.mkdir()
    shutil.copy(card / shot(api, "C001")["file"], later / "C001_later.mp4")
    api.post("/intake", json={"folder": str(later)})
    begun, plain = settled("C001_later"), shot(api, "C001")
    assert [step["id"] for step in begun["correction"]["steps"]] == ["balance", "softer"]
    assert [step["id"] for step in plain["correction"]["steps"]] == ["balance"]

    def brighter() -> bool:
        return shot(api, "C001_later")["corrected"][4] > plain["corrected"][4] + 3

    until = time.monotonic() + 60
    while not brighter() and time.monotonic() < until:
        time.sleep(0.2)
    assert brighter()
