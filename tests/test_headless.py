"""The command line on files, as a script would call it."""

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from dovrel.core.measure.difference import display_difference
from dovrel.demo import cards
from dovrel.media.stills import read_still, write_still


def dovrel(*arguments: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run([sys.executable, "-m", "dovrel.cli", *map(str, arguments)], capture_output=True, text=True)


@pytest.fixture(scope="module")
def stills(tmp_path_factory, demo_frame, table):
    """Two display-referred pictures of one place: as it should be, and blue and dark."""
    from dovrel.core.develop.frame import display_of
    from dovrel.core.steps.primary import Primary

    folder = tmp_path_factory.mktemp("stills")
    working = demo_frame("12A-1", width=640).working
    write_still(folder / "ref.png", display_of(working, [], table))
    bad = Primary(offset=(-0.09, -0.05, -0.01))
    write_still(folder / "shot.tif", display_of(working, [bad], table))
    return folder


def test_measure(stills):
    result = json.loads(dovrel("measure", stills / "ref.png", "--json").stdout)
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


def test_balance_of_a_camera_clip(tmp_path):
    clip = cards.find("12A-3")
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
