"""ACES Metadata Files, built into a pipeline by the library's own reader of them: what comes out is what the Desk shows."""

import importlib.util
import re
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
    """The program that comes with the library and turns an AMF into one of its own files, told of ACES 2 and its identifiers."""
    assert ocio.__file__
    file = Path(ocio.__file__).parent / "bin/pyocioamf/pyocioamf.py"
    spec = importlib.util.spec_from_file_location("pyocioamf", file)
    assert spec and spec.loader
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    module.NS = {**module.NS, "aces": "urn:ampas:aces:amf:v2.0"}
    module.load_aces_ref_config = outputs.config

    def named(parts, identifier: str) -> str | None:
        listed = ((one.getName(), one.getInterchangeAttributes().get("amf_transform_ids", "")) for one in parts)
        return next((name for name, lines in listed if identifier in lines.splitlines()), None)

    module.search_colorspaces = lambda config, identifier: named(config.getColorSpaces(), identifier)
    module.search_viewtransforms = lambda config, identifier: named(config.getViewTransforms(), identifier)
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
    assert [one.name.split("_")[0] for one in written[1:]] == ["encoding"]
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


def test_files_of_an_encoding_are_shared_by_shots(tmp_path, rng):
    colours = rng.uniform(0.1, 0.6, (100, 3)).astype(np.float32)
    first, second = (
        amf.write(tmp_path / f"{n}.amf", amf.Told(n, "A.mov", "rec709", "rec709", [NUMBERS], colours))
        for n in ("a", "b")
    )
    assert [path.name for path in first] == ["a.amf", "encoding_Rec.709_camera.clf"]
    assert [path.name for path in second] == ["b.amf"]
    assert "encoding_Rec.709_camera.clf" in second[0].read_text()


def test_a_file_is_of_one_version_and_has_a_number_of_its_own(tmp_path):
    told = amf.Told("a", "A.mov", "aces:S-Log3 S-Gamut3.Cine", "pq-1000", [NUMBERS], np.zeros((1, 3), np.float32))
    first, second = (amf.write(tmp_path / f"{n}.amf", told)[0].read_text() for n in ("a", "b"))
    assert 'xmlns:aces="urn:ampas:aces:amf:v2.0"' in first and 'version="2.0"' in first
    identifiers = re.findall(r"<aces:transformId>(.*)</aces:transformId>", first)
    assert len(identifiers) == 4
    assert all(one.startswith("urn:ampas:aces:transformId:v2.0:") for one in identifiers)
    assert identifiers[-1].endswith(":Output.Academy.Rec2100-D65_1000nit_in_Rec2100-D65_ST2084.a2.v1")
    numbers = [re.search(r"<aces:uuid>urn:uuid:([0-9a-f-]{36})</aces:uuid>", text)[1] for text in (first, second)]
    assert len(set(numbers)) == 2


def test_encodings_and_outputs_have_the_names_of_the_academy():
    named = {one.name: transform_ids.into_aces(one.name) for one in encodings.available() if one.kind == "scene"}
    assert sum(found is not None for found in named.values()) >= 14
    assert named["S-Log3 S-Gamut3.Cine"] == "urn:ampas:aces:transformId:v2.0:CSC.Sony.SLog3_SGamut3Cine_to_ACES.a2.v1"
    assert transform_ids.into_aces("no such space") is None
    assert transform_ids.out_of_aces("ACEScct") == "urn:ampas:aces:transformId:v2.0:CSC.Academy.ACES_to_ACEScct.a2.v1"
    outs = {name: transform_ids.of_output(name) for name in outputs.OUTPUTS}
    assert outs["plain-video"] is None
    assert outs["rec709"].endswith(":Output.Academy.Rec709-D65_100nit_in_Rec709-D65_BT1886.a2.v1")
    assert outs["p3-d65"].endswith(":Output.Academy.P3-D65_48nit_in_P3-D65_Gamma2pt6.a2.v1")


def test_plain_video_is_no_part_of_aces(tmp_path):
    told = amf.Told("1", "A.mov", "rec709", "plain-video", [], np.zeros((1, 3)))
    with pytest.raises(ValueError, match="plain video"):
        amf.write(tmp_path / "1.amf", told)
    assert list(tmp_path.iterdir()) == []
