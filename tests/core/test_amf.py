"""ACES Metadata Files, built into a pipeline by the library's own reader of them: what comes out is what the Desk shows."""

import importlib.util
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio
import pytest

from dovrel.core.colour import encodings, outputs, tables, transform_ids
from dovrel.core.develop.exact import shown_exactly
from dovrel.core.measure.difference import display_difference
from dovrel.core.steps.curves import Curve, Curves
from dovrel.core.steps.hue_turns import HueTurns, Spoke
from dovrel.core.steps.primary import Primary
from dovrel.formats import amf, cube

NUMBERS = Primary((1.1, 1.0, 0.95), (-0.03, 0.0, 0.02), (1.0, 1.1, 0.95), 0.8)
CURVES = Curves(Curve(((0.15, 0.12), (0.35, 0.37), (0.6, 0.62)), low_held=True))
HUES = HueTurns((Spoke(10, 40, 12, 0.7, -0.5), Spoke(210, 50, -6, 1.3)))


@pytest.fixture(scope="module")
def reader():
    """The program that comes with the library and turns an AMF into one of its own files."""
    file = Path(ocio.__file__).parent / "bin/pyocioamf/pyocioamf.py"
    spec = importlib.util.spec_from_file_location("pyocioamf", file)
    assert spec and spec.loader
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def _through(reader, path: Path, code: np.ndarray) -> np.ndarray:
    reader.build_ctf(str(path))
    made = ocio.FileTransform(str(path.with_suffix(".ctf")), interpolation=ocio.INTERP_BEST)
    return outputs.run(outputs.config().getProcessor(made).getDefaultCPUProcessor(), code)


CHAINS = {
    "nothing": [],
    "ten numbers": [NUMBERS],
    "two after another": [NUMBERS, Primary((0.9, 1.0, 1.1), saturation=1.3)],
    "the same twice": [Primary((1.05, 1.0, 0.95)), Primary((1.05, 1.0, 0.95))],
    "numbers, curves, hues, numbers": [NUMBERS, CURVES, HUES, NUMBERS],
}


@pytest.mark.parametrize("chain", CHAINS.values(), ids=CHAINS)
def test_another_reader_shows_what_the_desk_shows(reader, demo_frame, tmp_path, chain):
    encoding = "aces:S-Log3 S-Gamut3.Cine"
    working = np.ascontiguousarray(demo_frame("12A-1").working[::3, ::3].reshape(-1, 3), np.float32)
    code = outputs.run(encodings.space_processor("ACEScct", "S-Log3 S-Gamut3.Cine"), working)
    path = tmp_path / "12A-1.amf"
    amf.write(path, amf.Told("12A-1", "A001C001.mov", encoding, "rec709", chain, working[::8]))
    difference = display_difference(_through(reader, path, code), shown_exactly(working, chain))
    assert difference.mean() <= 0.15
    assert np.percentile(difference, 99) <= 0.8


@pytest.mark.parametrize(
    ("encoding", "output"),
    [("rec709", "rec709"), ("aces:Linear Rec.709 (sRGB)", "p3-d65"), ("hlg", "p3-d65")],
)
def test_encodings_without_an_identifier_are_files_beside_it(reader, tmp_path, rng, encoding, output):
    code = rng.uniform(0.05, 0.95, (4000, 3)).astype(np.float32)
    working = encodings.to_working(code, encoding, output)
    path = tmp_path / "21C-2.amf"
    written = amf.write(path, amf.Told("21C-2", "C.mov", encoding, output, [NUMBERS], working))
    assert {one.name.split("_")[0] for one in written[1:]} == {"encoding", "output"}
    difference = display_difference(_through(reader, path, code), shown_exactly(working, [NUMBERS], output))
    assert difference.mean() <= 0.3


def test_files_of_encodings_of_one_name_are_told_apart(reader, tmp_path, rng):
    """Two cameras' tables, both called camera.cube."""
    code = rng.uniform(0.1, 0.9, (500, 3)).astype(np.float32)
    names = []
    for brighter in (0.0, 0.05):
        table = tmp_path / f"{brighter}" / "camera.cube"
        table.parent.mkdir()
        cube.write(table, 0.1 + brighter + 0.5 * tables.lattice(2, 0.0, 1.0), "camera")
        path = tmp_path / f"shot{brighter}.amf"
        working = encodings.to_working(code, f"file:{table}")
        written = amf.write(path, amf.Told("shot", "A.mov", f"file:{table}", "rec709", [], working))
        names.append(written[1].name)
        assert display_difference(_through(reader, path, code), shown_exactly(working, [])).mean() <= 0.15
    assert len(set(names)) == 2


def test_files_of_an_output_are_shared_by_shots(tmp_path, rng):
    colours = rng.uniform(0.1, 0.6, (100, 3)).astype(np.float32)
    first, second = (
        amf.write(
            tmp_path / f"{n}.amf", amf.Told(n, "A.mov", "aces:S-Log3 S-Gamut3.Cine", "rec709", [NUMBERS], colours)
        )
        for n in ("a", "b")
    )
    assert [path.name for path in first] == ["a.amf", "output_rec709.clf"]
    assert [path.name for path in second] == ["b.amf"]
    assert "output_rec709.clf" in second[0].read_text()


def test_names_of_camera_encodings_are_known_to_another_reader(reader):
    config = reader.load_aces_ref_config()
    named = {one.name: transform_ids.into_aces(one.name) for one in encodings.available() if one.kind == "scene"}
    listed = {name: found for name, found in named.items() if found}
    known = [name for name, found in listed.items() if reader.search_colorspaces(config, found)]
    assert len(listed) >= 14
    # Its list is of an earlier year than three of them.
    assert len(listed) - len(known) <= 3
    assert transform_ids.into_aces("no such space") is None


def test_plain_video_is_no_part_of_aces(tmp_path):
    told = amf.Told("1", "A.mov", "rec709", "plain-video", [], np.zeros((1, 3)))
    with pytest.raises(ValueError, match="plain video"):
        amf.write(tmp_path / "1.amf", told)
    assert list(tmp_path.iterdir()) == []
