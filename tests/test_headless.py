"""The command line on files, as a script would call it."""

import hashlib
import json
from pathlib import Path

import numpy as np
import pytest

from dovrel.core.measure.difference import display_difference
from dovrel.demo import cards
from dovrel.media.stills import read_still, write_still
from tests.helpers.command import dovrel, dovrel_by_itself
from tests.helpers.looks import cube_file, faded


@pytest.fixture(scope="module")
def stills(tmp_path_factory, demo_frame, table):
    """Two display-referred pictures of one place: as it should be, and blue and dark."""
    from dovrel.core.develop.frame import display_of
    from dovrel.core.steps.primary import Primary

    folder = tmp_path_factory.mktemp("stills")
    working = demo_frame("12A-1", width=400).working
    write_still(folder / "ref.png", display_of(working, [], table))
    bad = Primary(offset=(-0.09, -0.05, -0.01))
    write_still(folder / "shot.tif", display_of(working, [bad], table))
    return folder


def test_measure(stills):
    result = json.loads(dovrel_by_itself("measure", stills / "ref.png", "--json").stdout)
    picture = read_still(stills / "ref.png")
    assert result["pixels"] == picture.shape[0] * picture.shape[1]
    expected = 100 * np.percentile(picture[..., 1], 50)
    assert result["readings"]["green mids"] == pytest.approx(expected, abs=0.2)


def test_an_untouched_still_comes_out_as_it_went_in(stills, tmp_path):
    identity = tmp_path / "none.cc"
    identity.write_text("<ColorCorrection id='x'/>")
    out = tmp_path / "out.png"
    assert dovrel("export", stills / "ref.png", "--cdl", identity, "--picture", out).returncode == 0
    assert np.abs(read_still(out) - read_still(stills / "ref.png")).max() <= 1 / 1023


def test_match_writes_what_it_says(stills, tmp_path):
    cdl, picture = tmp_path / "out.cdl", tmp_path / "out.png"
    run = dovrel("match", stills / "ref.png", stills / "shot.tif", "--cdl", cdl, "--picture", picture, "--json")
    assert run.returncode == 0, run.stderr
    result = json.loads(run.stdout)
    assert result["distance_after"] < 0.25 * result["distance_before"]
    assert display_difference(read_still(picture), read_still(stills / "ref.png")).mean() < 2
    again = tmp_path / "again.png"
    assert dovrel("export", stills / "shot.tif", "--cdl", cdl, "--picture", again).returncode == 0
    assert np.abs(read_still(again) - read_still(picture)).max() <= 1e-4 + 1 / 65535


def test_a_correction_file_carries_all_steps_and_is_read_back(stills, tmp_path):
    file, direct, again = tmp_path / "out.json", tmp_path / "direct.png", tmp_path / "again.png"
    run = dovrel(
        "match", stills / "ref.png", stills / "shot.tif", "--extended", "--correction", file, "--picture", direct
    )
    assert run.returncode == 0, run.stderr
    assert json.loads(file.read_text())["steps"][0]["id"] == "balance"
    assert dovrel("export", stills / "shot.tif", "--correction", file, "--picture", again).returncode == 0
    assert np.abs(read_still(again) - read_still(direct)).max() <= 1 / 65535
    under = json.loads(dovrel("measure", stills / "shot.tif", "--correction", file, "--json").stdout)["readings"]
    written = json.loads(dovrel("measure", direct, "--json").stdout)["readings"]
    assert list(under.values()) == pytest.approx(list(written.values()), abs=0.3)


@pytest.mark.parametrize(
    "text,said",
    [
        ("{", "not a readable JSON file"),
        ('{"schema": 1, "steps": [{"id": "balance", "values": {"kind": "unheard of"}}]}', "of the kind 'unheard of'"),
        ('{"schema": 7, "steps": []}', "newer Dovrel"),
        ('{"schema": 1, "steps": [{"id": "balance", "values": {"kind": "primary", "saturation": NaN}}]}', "finite"),
    ],
)
def test_a_file_that_is_no_correction_is_refused_by_name(stills, tmp_path, text, said):
    file, out = tmp_path / "in.json", tmp_path / "out.png"
    file.write_text(text)
    run = dovrel("export", stills / "ref.png", "--correction", file, "--picture", out)
    assert run.returncode == 2
    assert run.stderr.count("\n") == 1
    assert "in.json: " in run.stderr
    assert said in run.stderr
    assert not out.exists()


def test_the_schema_in_the_docs_is_the_one_that_is_read():
    kept = Path(__file__).parents[1] / "docs" / "correction.schema.json"
    assert json.loads(kept.read_text()) == json.loads(dovrel("correction-schema").stdout)


def test_a_pick_writes_its_matte_and_a_correction(stills, tmp_path):
    matte, correction = tmp_path / "matte.png", tmp_path / "pick.json"
    places = ["--in", "0.36,0.6", "--in", "0.37,0.68", "--out", "0.16,0.4"]
    run = dovrel("pick", stills / "ref.png", *places, "--matte", matte, "--correction", correction, "--json")
    assert run.returncode == 0, run.stderr
    told = json.loads(run.stdout)
    assert len(told["taken"]) == 2
    assert len(told["left"]) == 1
    shown = read_still(matte)[..., 0]
    assert shown.mean() == pytest.approx(told["share"], abs=0.005)
    height, width = shown.shape
    assert shown[int(0.6 * height), int(0.36 * width)] > 0.9
    assert shown[int(0.4 * height), int(0.16 * width)] < 0.1
    wide = json.loads(dovrel("pick", stills / "ref.png", *places, "--reach", "0.3", "--soft", "0.1", "--json").stdout)
    assert wide["share"] > 2 * told["share"]
    plain = tmp_path / "plain.png"
    assert dovrel("export", stills / "ref.png", "--correction", correction, "--picture", plain).returncode == 0
    assert np.abs(read_still(plain) - read_still(stills / "ref.png")).max() <= 1 / 1023


def test_export_takes_picks_and_areas(stills, tmp_path):
    ellipse = {"kind": "ellipse", "x": 0.5, "y": 0.5, "width": 0.3, "height": 0.2, "soft": 0.0}
    darker = {"kind": "primary", "offset": [-0.1, -0.1, -0.1]}
    track = {"drawn": 0, "first": 0, "places": [[0.5, 0.5, 0, 1]], "aspect": 16 / 9}
    selection = {"kind": "selection", "inside": [darker], "shapes": [ellipse], "track": track}
    plain = {"id": "balance", "values": {"kind": "primary"}}
    document = tmp_path / "area.json"
    document.write_text(json.dumps({"schema": 1, "steps": [plain, {"id": "area", "values": selection}]}))
    out = tmp_path / "out.png"
    run = dovrel("export", stills / "ref.png", "--correction", document, "--picture", out)
    assert run.returncode == 0, run.stderr
    before, after = read_still(stills / "ref.png"), read_still(out)
    height, width = before.shape[:2]
    assert np.abs(after[:20] - before[:20]).max() <= 1 / 1023
    middle = (slice(height // 2 - 5, height // 2 + 5), slice(width // 2 - 5, width // 2 + 5))
    assert after[middle].mean() < before[middle].mean() - 0.05


def test_export_takes_the_shows_finish_and_says_what_may_not_stand_there(stills, tmp_path):
    def document(name: str, own: str, values: dict) -> Path:
        plain = {"id": own, "values": {"kind": "primary"}}
        file = tmp_path / f"{name}.json"
        file.write_text(json.dumps({"schema": 1, "steps": [plain, {"id": "edges", "values": values}]}))
        return file

    vignette = {"kind": "vignette", "stops": -2.0, "begins": 0.2, "soft": 0.5}
    balance = document("balance", "balance", {"kind": "density"})
    out = tmp_path / "out.png"
    orders = ["export", stills / "ref.png", "--correction", balance, "--picture", out]
    run = dovrel(*orders, "--show", document("finish", "finish", vignette))
    assert run.returncode == 0, run.stderr
    before, after = read_still(stills / "ref.png"), read_still(out)
    height, width = before.shape[:2]
    middle = (slice(height // 2 - 5, height // 2 + 5), slice(width // 2 - 5, width // 2 + 5))
    assert np.abs(after[middle] - before[middle]).max() <= 1 / 1023
    assert np.allclose(after[0, 0], before[0, 0] * 2 ** (-2 / 2.4), atol=1 / 1023)
    table = cube_file(tmp_path / "faded rec709.cube", faded)
    digest = hashlib.sha256(table.read_bytes()).hexdigest()
    look = {"kind": "look", "digest": digest, "name": "faded", "takes": "output:rec709", "gives": "output:rec709"}
    looked = document("look", "look", {**look, "strength": 1.0})
    run = dovrel(*orders, "--family", looked, "--look", table)
    assert run.returncode == 0, run.stderr
    assert np.abs(read_still(out) - faded(before.astype(np.float64))).mean() < 2e-3
    run = dovrel(*orders[:3], document("wrong", "balance", vignette), "--picture", out)
    assert run.returncode == 2
    assert "“edges” finishes the display signal" in run.stderr


@pytest.mark.parametrize(
    ("places", "said"),
    [
        ((), "at least one colour"),
        (("--in", "0.5"), "two numbers x,y"),
        (("--in", "1.5,0.5"), "outside the picture"),
        (("--in", "0.3,0.3", "--out", "0.3,0.3"), "both included and excluded"),
        (("--in", "0.3,0.3", "--reach", "9"), "reach lies between"),
    ],
)
def test_bad_picks_get_a_sentence(stills, places, said):
    run = dovrel("pick", stills / "ref.png", *places)
    assert run.returncode == 2
    assert said in run.stderr
    assert len(run.stderr.splitlines()) == 1


def test_balance_of_a_camera_clip(tmp_path):
    clip = cards.find("12A-3", cards.SHIPPED)
    cdl = tmp_path / "b.cdl"
    run = dovrel("balance", clip.path, "--encoding", clip.encoding, "--cdl", cdl, "--json")
    assert run.returncode == 0, run.stderr
    best = json.loads(run.stdout)["candidates"][0]
    assert best["warmth"] > 6500
    assert cdl.exists()


@pytest.mark.parametrize(
    "arguments,what",
    [
        (["measure", "/nowhere/x.png"], "x.png: there is no such file"),
        (["measure", __file__], "test_headless.py: "),
        (["balance", "/nowhere/y.mov"], "y.mov: there is no such file"),
        (["match", "/nowhere/a.png", "/nowhere/b.png"], "a.png: there is no such file"),
    ],
)
def test_bad_input_is_one_line_and_exit_code_2(arguments, what):
    run = dovrel(*arguments)
    assert run.returncode == 2
    assert run.stdout == ""
    assert run.stderr.count("\n") == 1
    assert what in run.stderr


def test_unknown_encodings_are_refused(stills):
    run = dovrel("measure", stills / "ref.png", "--encoding", "nothing")
    assert run.returncode == 2
    assert "nothing" in run.stderr


@pytest.fixture(scope="module")
def family_of_stills(tmp_path_factory, demo_frame, table):
    """Three windows of one picture, each of its own light: the first and the last share nothing."""
    from dovrel.core.develop.frame import display_of
    from dovrel.core.steps.primary import Primary

    folder = tmp_path_factory.mktemp("family")
    working = demo_frame("12A-1", width=960).working
    for name, left, right, offset in (
        ("ref", 0.0, 0.42, (0.0, 0.0, 0.0)),
        ("near", 0.2, 0.74, (-0.05, -0.02, 0.02)),
        ("far", 0.5, 1.0, (0.02, -0.03, -0.06)),
    ):
        part = np.ascontiguousarray(working[:, int(left * 960) : int(right * 960)])
        write_still(folder / f"{name}.png", display_of(part, [Primary(offset=offset)], table))
        write_still(folder / f"{name} true.png", display_of(part, [], table))
    return folder


def test_several_shots_are_matched_as_a_family(family_of_stills, tmp_path):
    folder, pictures, cdls = family_of_stills, tmp_path / "pictures", tmp_path / "cdls"
    shots = [folder / "near.png", folder / "far.png"]
    run = dovrel(
        "match", folder / "ref.png", *shots, "--cameras", "A,A", "--pictures", pictures, "--cdls", cdls, "--json"
    )
    assert run.returncode == 0, run.stderr
    near, far = json.loads(run.stdout)["shots"]
    assert near["chain"] == ["near", "ref"]
    assert far["chain"] == ["far", "near", "ref"]
    assert far["notes"][0] == "through near"
    for name in ("near", "far"):
        true = read_still(folder / f"{name} true.png")
        before = display_difference(read_still(folder / f"{name}.png"), true).mean()
        assert display_difference(read_still(pictures / f"{name}.png"), true).mean() < 0.35 * before
        again = tmp_path / "again.png"
        assert (
            dovrel("export", folder / f"{name}.png", "--cdl", cdls / f"{name}.cdl", "--picture", again).returncode == 0
        )
        assert np.abs(read_still(again) - read_still(pictures / f"{name}.png")).max() <= 1e-4 + 1 / 65535


@pytest.mark.parametrize(
    "more,said",
    [
        (["--cameras", "A"], "2 shots and 1 cameras"),
        (["--cdl", "x.cdl"], "--pictures and --cdls"),
    ],
)
def test_a_family_asked_for_wrongly_is_told(family_of_stills, more, said):
    folder = family_of_stills
    run = dovrel("match", folder / "ref.png", folder / "near.png", folder / "far.png", *more)
    assert run.returncode == 2
    assert said in run.stderr


def test_an_unsure_match_is_offered_and_not_applied(stills, demo_frame, table, tmp_path):
    from dovrel.core.develop.frame import display_of

    other = tmp_path / "other.png"
    write_still(other, display_of(demo_frame("21A-2", width=640).working, [], table))
    result = json.loads(dovrel("match", stills / "shot.tif", other, "--json").stdout)
    assert not result["sure"]
    assert result["numbers"] == [1, 1, 1, 0, 0, 0, 1, 1, 1, 1]
    assert result["offered"] != result["numbers"]
    assert result["distance_after"] == result["distance_before"]
