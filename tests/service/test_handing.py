"""Clips handed over in the background: rendered by the workers, cancelled, listed with what came of them."""

import re
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio
import pytest
import xxhash

from dovrel import cli
from dovrel.core.colour import outputs
from dovrel.core.steps.carried import FORMATS
from dovrel.core.steps.correction import PLAIN
from dovrel.core.steps.documents import written
from dovrel.core.steps.primary import Primary
from dovrel.formats import asc_cdl, checksum_list, edit_list
from dovrel.machine.printing import can_print
from dovrel.media.footage import probe, read_recorded
from dovrel.store.database import engine_for, sessions
from dovrel.store.models import Shot
from tests.helpers.command import dovrel
from tests.helpers.handing import all_ended, hand_over
from tests.helpers.within import reading_anywhere

pytestmark = pytest.mark.shots("12A-1", "12A-2", "12B-1", "12C-2", "14A-1", "21A-1", "22B-1", "22C-1")


def test_clips_are_rendered_in_the_background_as_they_were_when_ordered(api, shot_named, tmp_path):
    shot = shot_named("22B-1")
    order = {"shots": [shot["id"]], "formats": ["cdl"], "clips": ["prores-4444", "png"], "width": 640}
    record = api.post("/handovers", json=order).json()
    kinds = ["numbers", "prores-4444", "png", "checksums"]
    assert [(item["kind"], item["state"]) for item in record["items"]] == [(kind, "waiting") for kind in kinds]
    done = all_ended(api, record["id"])
    assert [(item["state"], item["said"]) for item in done["items"]] == [("done", "")] * 4
    _, clip, stills, _ = done["items"]
    assert 0 < clip["difference"] < 0.3
    assert stills["difference"] < 0.01
    assert clip["name"] == "22B-1_prores-4444.mov"
    assert clip["version_id"] == shot["version_id"]
    path = tmp_path / "clip.mov"
    path.write_bytes(api.get(f"/handovers/{record['id']}/{clip['name']}").content)
    with reading_anywhere():
        assert probe(path).frames == shot["clip"]["frames"]
    listed = checksum_list.read(next(Path(record["folder"], "ascmhl").glob("*.mhl"))).sums
    names = {file.relative_to(record["folder"]).parts[0] for file in listed}
    assert names == {"22B-1.cdl", clip["name"], stills["name"]}
    assert listed[Path(record["folder"], clip["name"])].value == xxhash.xxh3_128(path.read_bytes()).hexdigest()
    folder = api.get(f"/handovers/{record['id']}/{stills['name']}")
    assert folder.status_code == 400
    assert "is a folder of stills" in folder.json()["detail"]


def test_pictures_are_cut_and_written_on_as_ordered(api, shot_named, tmp_path):
    shot = shot_named("22B-1")
    order = {"shots": [shot["id"]], "clips": ["prores-4444"], "width": 640, "aspect": 2.0, "burnt": True}
    done = hand_over(api, order)
    item = done["items"][0]
    assert (item["state"], item["said"]) == ("done", "")
    assert 0 < item["difference"] < 0.3
    path = tmp_path / "clip.mov"
    path.write_bytes(api.get(f"/handovers/{done['id']}/{item['name']}").content)
    with reading_anywhere():
        assert probe(path).size == (640, 320)
        picture = read_recorded(path, 0, probe(path))
    corner, without = picture[-28:, :120], picture[-60:-32, :120]
    assert np.ptp(corner) > 0.4 > np.ptp(without) - 0.3


def test_files_are_called_by_a_pattern_and_clashes_are_told_before(api, shot_named):
    shots = [shot_named(name)["id"] for name in ("12A-1", "12A-2")]
    told = api.post("/handovers/names", json={"shots": shots, "names": "{scene}_{camera}"}).json()
    assert [told["called"][str(one)] for one in shots] == [f"12_A_{one}" for one in shots]
    assert told["clashes"] == {"12_A": ["12A-1", "12A-2"]}
    clear = {"shots": shots, "names": "{camera}-{name}_{timecode}"}
    assert api.post("/handovers/names", json=clear).json()["clashes"] == {}
    files = hand_over(api, {**clear, "formats": ["cdl"]})["files"]
    assert [file["name"] for file in files] == [
        f"A-{shot['name']}_{shot['clip']['timecode'].replace(':', '')}.cdl"
        for shot in map(shot_named, ("12A-1", "12A-2"))
    ]
    listed = api.get("/handovers").json()
    refused = api.post("/handovers", json={"shots": shots, "formats": ["cdl"], "names": "{reel}"})
    assert refused.status_code == 422
    assert "nothing that a shot has" in refused.text
    assert api.get("/handovers").json() == listed


def test_a_list_of_what_has_changed_since(api, shot_named):
    shots = [shot_named(name) for name in ("12A-1", "12A-2")]
    record = hand_over(api, {"shots": [one["id"] for one in shots], "formats": ["cc"]})

    def changed() -> list[str]:
        return next(one["changed"] for one in api.get("/handovers").json() if one["id"] == record["id"])

    assert changed() == []
    correction = written(PLAIN["shot"].balanced(Primary((1.1, 1.0, 1.0))))
    url = f"/shots/{shots[1]['id']}"
    api.put(f"{url}/correction", json={"correction": correction, "base": shots[1]["version_id"]})
    assert changed() == ["12A-2"]
    api.post(f"{url}/undo")
    assert changed() == []


@pytest.mark.parametrize("size", [17, 65])
def test_a_cube_has_as_many_points_as_asked(api, shot_named, size):
    shot = shot_named("22B-1")["id"]
    record = hand_over(api, {"shots": [shot], "formats": ["cube"], "cube_size": size})
    text = api.get(f"/handovers/{record['id']}/{record['files'][0]['name']}").text
    assert f"LUT_3D_SIZE {size}\n" in text
    assert sum(line[:1].isdigit() or line[:1] == "-" for line in text.splitlines()) == size**3


def test_what_is_asked_for_is_written_as_it_was_then(api, shot_named):
    """Changed right after the order, by when no worker can have written all of it."""
    shots = [shot_named(name) for name in ("12A-1", "12A-2", "12C-2", "14A-1", "21A-1", "22B-1")]
    last = shots[-1]
    order = {"shots": [shot["id"] for shot in shots], "formats": ["cube", "cc"]}
    record = api.post("/handovers", json=order).json()
    correction = written(PLAIN["shot"].balanced(Primary((1.3, 1.0, 1.0))))
    api.put(f"/shots/{last['id']}/correction", json={"correction": correction, "base": last["version_id"]})
    try:
        waiting = [item["name"] for item in api.get(f"/handovers/{record['id']}").json()["items"]
                   if item["state"] == "waiting"]  # fmt: skip
        assert last["name"] in waiting
        done = all_ended(api, record["id"])
        assert done["changed"] == [last["name"]]
        (numbers,) = asc_cdl.read(Path(done["folder"], f"{last['name']}.cc"))
        assert numbers.numbers.slope[0] != pytest.approx(1.3)
    finally:
        api.post(f"/shots/{last['id']}/undo")


def test_a_clip_that_vanished_is_said_and_the_rest_is_written(running):
    with running.client() as client:
        gone = next(shot for shot in client.get("/day").json()["shots"] if shot["name"] == "22C-1")
        kept = next(shot for shot in client.get("/day").json()["shots"] if shot["name"] == "12A-1")
        stored(running, gone["id"], path="/nowhere/PTL00005.MP4", proxy="")
        record = hand_over(client, {"shots": [gone["id"], kept["id"]], "formats": ["cube", "ccc"]})
    of = {item["name"]: item for item in record["items"]}
    assert (of["22C-1"]["state"], of["12A-1"]["state"], of["lists"]["state"]) == ("failed", "done", "done")
    assert "PTL00005.MP4" in of["22C-1"]["said"]
    names = sorted(path.name for path in Path(record["folder"]).iterdir())
    assert names == ["12A-1.cube", "Shop_window_light.ccc", "Yard_low_sun.ccc", "ascmhl"]


def stored(run, shot: int, **values: str) -> None:
    """Set columns of a shot in the database of a running demo, as nothing on the page does."""
    engine = engine_for(run.database)
    with sessions(engine).begin() as session:
        row = session.get_one(Shot, shot)
        for name, value in values.items():
            setattr(row, name, value)
    engine.dispose()


def test_what_is_cancelled_is_rendered_no_further(api):
    ids = [shot["id"] for shot in api.get("/day").json()["shots"] if shot["progress"] == "ready"][:6]
    record = api.post("/handovers", json={"shots": ids, "clips": ["tiff"], "formats": ["otio"]}).json()
    cancelled = api.post(f"/handovers/{record['id']}/cancel").json()
    assert cancelled["cancelled"]
    *others, checksums = all_ended(api, record["id"])["items"]
    states = [item["state"] for item in others]
    assert states.count("cancelled") >= 5
    assert "failed" not in states
    assert checksums["state"] == "done"


def test_nothing_asked_for_is_refused_and_so_is_an_unknown_kind(api, shot_named):
    shot = shot_named("22B-1")["id"]
    listed = api.get("/handovers").json()
    for order in (
        {"shots": [shot]},
        {"shots": [shot], "clips": ["flip-book"]},
        {"shots": [shot], "clips": ["png"], "width": 3},
    ):
        assert api.post("/handovers", json=order).status_code == 422
    assert api.post("/handovers/999999/cancel").status_code == 404
    assert api.get("/handovers").json() == listed


def test_a_clf_carries_the_shots_colour_steps(api, shot_named, tmp_path):
    shot = shot_named("22C-1")
    numbers = Primary((1.1, 1.0, 0.9), (0.02, 0.0, -0.01), saturation=0.9)
    correction = {"steps": written(PLAIN["shot"].balanced(numbers))["steps"]}
    order = {"correction": correction, "change": "numbers", "base": shot["version_id"]}
    api.put(f"/shots/{shot['id']}/correction", json=order).raise_for_status()
    try:
        record = hand_over(api, {"shots": [shot["id"]], "formats": ["clf"]})
        path = tmp_path / "shot.clf"
        path.write_bytes(api.get(f"/handovers/{record['id']}/22C-1.clf").content)
    finally:
        api.post(f"/shots/{shot['id']}/undo")
    processor = outputs.config().getProcessor(ocio.FileTransform(src=str(path))).getDefaultCPUProcessor()
    working = np.linspace((0.1, 0.2, 0.3), (0.8, 0.7, 0.6), 50).astype(np.float32)
    assert np.abs(outputs.run(processor, working) - numbers.apply(working)).max() < 3e-5


def test_the_line_up_goes_with_it_as_edit_lists(api, shot_named):
    ids = [shot_named(name)["id"] for name in ("12A-1", "12B-1")]
    record = hand_over(api, {"shots": ids, "formats": ["otio", "edl"]})
    assert [file["name"] for file in record["files"]] == ["line-up.otio", "line-up.edl"]
    events = edit_list.read(api.get(f"/handovers/{record['id']}/line-up.edl").text, "edl")
    assert len(events) == 2
    assert "ASC_SOP" in api.get(f"/handovers/{record['id']}/line-up.edl").text


def test_a_report_of_the_day_goes_with_it(api, shot_named):
    ids = [shot_named(name)["id"] for name in ("12A-1", "14A-1")]
    record = hand_over(api, {"shots": ids, "report": True})
    names = ["report.html", "measurements.csv", *(["report.pdf"] if can_print() else [])]
    assert [file["name"] for file in record["files"]] == names
    page = api.get(f"/handovers/{record['id']}/report.html").text
    assert page.count('alt="as corrected"') == 2
    rows = api.get(f"/handovers/{record['id']}/measurements.csv").text.splitlines()
    assert [row.split(",")[0] for row in rows] == ["shot", "12A-1", "14A-1"]


@pytest.fixture
def by_command(running, monkeypatch):
    """The command line on the running day; its database runs on a cluster that serves other tests, too."""
    monkeypatch.setattr(cli, "_address", lambda _: running.database)
    return lambda *arguments: dovrel(*arguments, "--data", running.data)


def test_the_report_is_written_without_a_browser_too(running, by_command, tmp_path):
    run = by_command("report", tmp_path / "told")
    assert run.returncode == 0, run.stderr
    rows = (tmp_path / "told" / "measurements.csv").read_text().splitlines()
    assert len(rows) == 1 + sum(shot["progress"] == "ready" for shot in running.day()["shots"])


def test_every_format_is_written_without_a_browser(by_command, tmp_path):
    """An .amf refers to files that lie beside it, and all that was written is in the checksum list."""
    to = tmp_path / "given"
    formats = [part for form in FORMATS for part in ("--format", form)]
    run = by_command("handover", to, *formats, "--shot", "12A-1")
    assert run.returncode == 0, run.stderr
    written = {Path(line).suffix for line in run.stdout.splitlines()}
    assert written == {f".{form}" for form in FORMATS}
    beside = re.findall(r"<aces:file>(.+\.clf)</aces:file>", (to / "12A-1.amf").read_text())
    assert beside and all((to / name).is_file() for name in beside)
    (listed,) = to.glob("ascmhl/*.mhl")
    assert all(f">{name}</path>" in listed.read_text() for name in ["12A-1.amf", *beside])
    for wrong, said in ((["--format", "xyz"], "there is no format xyz"), (["--format", "cdl"], "is there already")):
        again = by_command("handover", to, *wrong)
        assert again.returncode == 2
        assert said in again.stderr
