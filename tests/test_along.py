"""Commands on clips along time: what they answer, write and refuse."""

import json

import numpy as np
import pytest
from typer.testing import CliRunner

from dovrel.cli import app
from dovrel.core.steps.correction import BALANCE, PLAIN
from dovrel.core.steps.primary import Primary
from dovrel.demo import cards
from dovrel.formats import correction_file
from dovrel.media.footage import probe
from dovrel.media.stills import read_still, write_still

WANDERING, STEADY, CHANGING = (cards.find(name, cards.SHIPPED) for name in ("21C-1", "12A-3", "23A-1"))
WALK = (CHANGING.path, "--encoding", CHANGING.encoding)


def run(*arguments) -> tuple[int, str, str]:
    found = CliRunner().invoke(app, [str(one) for one in arguments])
    return found.exit_code, found.stdout, found.stderr


def answer(*arguments) -> dict:
    code, out, err = run(*arguments, "--json")
    assert code == 0, err
    return json.loads(out)


def test_drift_tells_readings_changes_and_steadiness():
    cloud = cards.find("22B-1")
    found = answer("drift", cloud.path, "--encoding", cloud.encoding)
    (change,) = found["changes"]
    assert found["steadiness"] == "changing"
    assert not found["steady"]
    assert change["stops"] < -1.5
    assert 0 < change["first"] < change["last"] < found["frames"]
    assert [one["frame"] for one in found["readings"]][:1] == [0]
    steady = answer("drift", STEADY.path, "--encoding", STEADY.encoding)
    assert (steady["steady"], steady["changes"]) == (True, [])


def test_a_wander_is_taken_off_and_written_as_correction_and_clip(tmp_path):
    correction, clip = tmp_path / "steady.json", tmp_path / "steady.mov"
    found = answer("steady", WANDERING.path, "--correction", correction, "--clip", clip)
    assert found["left"]["largest"] < 0.2 * found["was"]
    kept = correction_file.read(correction).step(BALANCE)
    assert [one.frame for one in kept.keyframes] == [one["frame"] for one in found["keyframes"]]
    written = probe(clip)
    assert (written.frames, written.size) == (probe(WANDERING.path).frames, probe(WANDERING.path).size)
    assert answer("drift", clip)["steady"]


def test_a_box_is_followed_and_held_as_it_looks_at_a_frame(tmp_path):
    box = ("--box", "0.4,0.35,0.2,0.3", "--at", 10)
    places = answer("track", WANDERING.path, *box)["places"]
    assert places[10] == {
        "frame": 10, "x": 0.4, "y": 0.35, "width": 0.2, "height": 0.3, "angle": 0.0, "sure": 1.0,
    }  # fmt: skip
    assert len(places) == probe(WANDERING.path).frames
    held = answer("hold", WANDERING.path, *box)
    assert 2 <= len(held["keyframes"]) <= 5
    assert held["left"]["mean"] < 0.15 * held["was"]
    assert Primary.from_array(held["keyframes"][0]["numbers"]).slope == (1.0, 1.0, 1.0)
    steady = answer("hold", STEADY.path, *box, "--encoding", STEADY.encoding)
    assert steady["keyframes"] == []
    assert "does not change" in steady["notes"][-1]


def test_a_corrected_frame_is_as_its_keyframes_make_it_there(tmp_path):
    """The same place on a subject before and after the light has gone, held."""
    correction, other = tmp_path / "held.json", tmp_path / "plain.json"
    code, _, err = run("hold", *WALK, "--box", "0.51,0.19,0.09,0.24", "--at", 48, "--correction", correction)
    assert (code, err) == (0, "")
    correction_file.write(other, PLAIN["shot"])
    means = {}
    for name, file in (("held", correction), ("plain", other)):
        for frame in (48, 62):
            picture = tmp_path / f"{name}.{frame}.png"
            assert run("export", *WALK, "--correction", file, "--frame", frame, "--picture", picture)[0] == 0
            means[name, frame] = read_still(picture)[170:280, 670:750].mean()
    assert means["held", 48] == pytest.approx(means["plain", 48], abs=0.006)
    assert means["held", 62] > means["plain", 62] + 0.02
    code, _, err = run("export", STEADY.path, "--correction", correction, "--picture", tmp_path / "none.png")
    assert code == 2
    assert "but the clip ends at frame" in err
    assert not (tmp_path / "none.png").exists()


def test_a_box_is_held_as_a_reference_has_it(tmp_path):
    picture = tmp_path / "like.png"
    brighter = tmp_path / "brighter.json"
    correction_file.write(brighter, PLAIN["shot"].balanced(Primary(offset=(0.04, 0.04, 0.04))))
    assert run("export", *WALK, "--correction", brighter, "--frame", 40, "--picture", picture)[0] == 0
    found = answer("hold", *WALK, "--box", "0.51,0.19,0.09,0.24", "--at", 40, "--against", picture)
    first = Primary.from_array(found["keyframes"][0]["numbers"])
    assert first.offset == pytest.approx((0.04, 0.04, 0.04), abs=0.03)
    assert "matched to like.png at frame 40" in found["notes"][0]


def test_a_hold_keeps_within_what_may_be_left():
    """A box that was drawn on two frames; more may be left, so fewer keyframes do."""
    order = (*WALK, "--box", "0.51,0.19,0.09,0.24", "--at", 48, "--again", "0.515,0.2,0.09,0.24@0")
    firm, loose = (answer("hold", *order, "--tolerance", tolerance) for tolerance in (1, 5))
    assert 2 <= len(loose["keyframes"]) < len(firm["keyframes"])
    assert loose["left"]["mean"] > firm["left"]["mean"]


@pytest.mark.parametrize(
    "arguments,said",
    [
        (("track", WANDERING.path, "--box", "0.2,0.2,0.1"), "a box is four numbers"),
        (("track", WANDERING.path, "--box", "1.2,0.2,0.1,0.1"), "lies outside the picture"),
        (("track", WANDERING.path, "--box", "0.2,0.2,0.1,0.1", "--at", 5000), "5000 is not one of them"),
        (("hold", WANDERING.path, "--box", "0.2,0.2,0.1,0.1", "--first", 60, "--last", 20), "are not among them"),
        (("hold", WANDERING.path, "--box", "0.2,0.2,0.1,0.1", "--again", "0.2,0.2,0.1,0.1"), "x,y,w,h@F"),
        (("hold", WANDERING.path, "--box", "0.2,0.2,0.1,0.1", "--again", "0.2,0.2,0.1,0.1@999"), "is not one of them"),
        (("drift", "nothing.mov"), "nothing.mov"),
        (("steady", WANDERING.path, "--encoding", "aces:nothing"), "nothing"),
        (("steady", WANDERING.path, "--clip", "out.avi"), "a clip is written as .mov"),
    ],
)
def test_bad_input_ends_with_one_sentence_and_exit_code_2(arguments, said):
    code, out, err = run(*arguments)
    assert (code, out) == (2, "")
    assert said in err
    assert len(err.splitlines()) == 1


def test_a_clip_cut_short_and_a_still_say_so(tmp_path):
    cut = tmp_path / "cut.mov"
    cut.write_bytes(STEADY.path.read_bytes()[:200_000])
    code, _, err = run("drift", cut, "--encoding", STEADY.encoding)
    assert code == 2
    assert "cut.mov: frames" in err
    assert "cannot be read; is the file whole?" in err
    still = tmp_path / "still.png"
    write_still(still, np.full((9, 16, 3), 0.5, np.float32))
    code, _, err = run("steady", still)
    assert code == 2
    assert "it has no length" in err
