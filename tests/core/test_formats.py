"""Files handed over, re-read by another library, give the same picture."""

import numpy as np
import PyOpenColorIO as ocio
import pytest

from dovrel.core.colour import encodings, outputs, tables
from dovrel.core.develop import whole
from dovrel.core.develop.frame import display_of
from dovrel.core.measure.difference import display_difference
from dovrel.core.steps import primary
from dovrel.core.steps.primary import Primary
from dovrel.demo.cards import CAMERA_ENCODINGS
from dovrel.formats import asc_cdl, cube

NUMBERS = Primary((1.123456789, 0.95, 1.05), (-0.0312345, 0.01, 0.0222), (0.97, 1.1, 1.0), 1.0734)


def displayed_through(path, name, image):
    """The picture as another library makes it from the file."""
    transform = ocio.CDLTransform.CreateFromFile(str(path), name)
    transform.setStyle(ocio.CDL_NO_CLAMP)
    processor = ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor()
    return outputs.to_display(outputs.run(processor, image))


@pytest.mark.parametrize("kind", ["cdl", "cc", "ccc"])
def test_cdl_files_reproduce_the_picture(tmp_path, demo_frame, kind):
    image = demo_frame("12A-1").working
    path = tmp_path / f"shot.{kind}"
    named = asc_cdl.NamedCorrection("12A-1", NUMBERS, "SDR Rec.709")
    if kind == "ccc":
        asc_cdl.write_ccc(path, [asc_cdl.NamedCorrection("other", primary.IDENTITY), named])
    else:
        {"cdl": asc_cdl.write_cdl, "cc": asc_cdl.write_cc}[kind](path, named)
    ours = outputs.to_display(NUMBERS.apply(image))
    assert np.abs(displayed_through(path, "12A-1", image) - ours).max() <= 1e-4
    again = {c.name: c for c in asc_cdl.read(path)}["12A-1"].numbers
    assert np.allclose(again.as_array(), NUMBERS.as_array(), rtol=1e-9)
    assert "ACEScct" in path.read_text()
    assert "without clamping" in path.read_text()


def test_names_with_markup_survive(tmp_path):
    path = tmp_path / "x.cc"
    asc_cdl.write_cc(path, asc_cdl.NamedCorrection('12A <"&> é', NUMBERS))
    assert asc_cdl.read(path)[0].name == '12A <"&> é'


@pytest.mark.parametrize(
    "text,what",
    [
        ("", "XML"),
        ("<ColorDecisionList/>", "no ColorCorrection"),
        ("<ColorCorrection><SOPNode><Slope>1 1</Slope></SOPNode></ColorCorrection>", "needs 3"),
        ("<ColorCorrection><SOPNode><Slope>1 a 1</Slope></SOPNode></ColorCorrection>", "not a number"),
        ("<ColorCorrection><SOPNode><Power>0 1 1</Power></SOPNode></ColorCorrection>", "power"),
        ("<ColorCorrection><SOPNode><Offset>nan 1 1</Offset></SOPNode></ColorCorrection>", "finite"),
        ('<!DOCTYPE a [<!ENTITY b "c">]><ColorCorrection>&b;</ColorCorrection>', "XML"),
    ],
)
def test_bad_cdl_files_are_refused_with_a_reason(tmp_path, text, what):
    path = tmp_path / "bad.cdl"
    path.write_text(text)
    with pytest.raises(ValueError, match=what):
        asc_cdl.read(path)


@pytest.mark.parametrize("name,camera", [("12A-1", "A"), ("12B-1", "B"), ("12C-2", "C")])
def test_cube_files_reproduce_the_picture(tmp_path, demo_frame, name, camera):
    """33 points from recorded code values to display, read and applied by another library."""
    encoding = CAMERA_ENCODINGS[camera]
    path = tmp_path / "shot.cube"
    numbers = Primary((1.05, 1.0, 0.97), (-0.01, 0.0, 0.01), (1.0, 1.02, 1.0), 1.05)
    seen = demo_frame(name, 40).recorded.reshape(-1, 3)[::7]
    cube.write(path, whole.bake(encoding, [numbers], colours=seen), 'a "title"')
    recorded = demo_frame(name).recorded
    transform = ocio.FileTransform(str(path), interpolation=ocio.INTERP_TETRAHEDRAL)
    read = outputs.run(ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor(), recorded)
    exact = outputs.to_display(numbers.apply(encodings.to_working(recorded, encoding)))
    difference = display_difference(read, exact)
    assert difference.mean() <= 0.06
    assert np.percentile(difference, 99) <= 0.3


def test_a_table_without_known_colours_is_within_half_a_difference(demo_frame):
    recorded = demo_frame("22A-1").recorded
    nodes = whole.bake(CAMERA_ENCODINGS["A"], [NUMBERS])
    exact = outputs.to_display(NUMBERS.apply(encodings.to_working(recorded, CAMERA_ENCODINGS["A"])))
    difference = display_difference(display_of(recorded, [], tables.Table(nodes, 0.0, 1.0)), exact)
    assert np.percentile(difference, 99) <= 0.5


def test_weights_are_tetrahedral_interpolation(rng):
    nodes = rng.random((5, 5, 5, 3)).astype(np.float32)
    points = np.vstack([rng.random((400, 3)), [[0, 0, 0], [1, 1, 1], [0.5, 0.5, 0.5], [1, 0, 0.25]]]).astype(np.float32)
    lut = ocio.Lut3DTransform(gridSize=5)
    lut.setInterpolation(ocio.INTERP_TETRAHEDRAL)
    lut.setData(nodes.ravel())
    theirs = outputs.run(ocio.Config.CreateRaw().getProcessor(lut).getDefaultCPUProcessor(), points)
    ours = whole.tetrahedral_weights(points, 5) @ nodes.reshape(-1, 3)
    assert np.abs(ours - theirs).max() < 1e-5


def test_cube_order_is_red_fastest(tmp_path):
    nodes = np.zeros((2, 2, 2, 3), np.float32)
    nodes[1, 0, 0] = (0.1, 0.2, 0.3)
    cube.write(tmp_path / "o.cube", nodes, "order")
    rows = [line for line in (tmp_path / "o.cube").read_text().splitlines() if line[:1].isdigit()]
    assert rows[1].split() == ["0.1000000", "0.2000000", "0.3000000"]
