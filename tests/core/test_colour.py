"""Colour against published values, colour-science and the colour-management library."""

import colour
import numpy as np
import PyOpenColorIO as ocio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dovrel.core.colour import encodings, outputs, tables, white, working
from dovrel.core.develop.frame import display_of
from dovrel.core.measure.difference import ciede2000, display_difference, lab_of_display
from dovrel.core.steps import controls, primary
from dovrel.media.picture import to_picture

AP1 = colour.RGB_COLOURSPACES["ACEScg"]


def test_working_space_agrees_with_colour_science():
    linear = np.r_[-0.01, 0.0, 0.0078125, np.geomspace(1e-4, 200, 400)]
    ours = working.from_linear(linear)
    assert np.allclose(ours, colour.models.log_encoding_ACEScct(linear), atol=2e-7)
    assert np.allclose(working.to_linear(ours), linear, rtol=1e-6, atol=1e-9)


def test_constants_are_the_published_ones():
    assert working.from_linear(np.array(0.18)) == pytest.approx(working.MID_GREY, abs=1e-7)
    assert pytest.approx(0.05708, abs=1e-5) == working.STOP
    assert np.allclose(working.AP1_LUMA, AP1.matrix_RGB_to_XYZ[1], atol=1e-5)
    assert np.allclose(white.XYZ_TO_AP1, AP1.matrix_XYZ_to_RGB, atol=1e-5)


def random_numbers(rng: np.random.Generator) -> primary.Primary:
    return primary.Primary.from_array(
        np.r_[np.exp(rng.normal(0, 0.3, 3)), rng.normal(0, 0.08, 3), np.exp(rng.normal(0, 0.3, 3)), rng.uniform(0, 2)]
    )


def test_cdl_agrees_with_the_library(rng):
    image = rng.uniform(-0.2, 1.3, (4000, 3)).astype(np.float32)
    for _ in range(12):
        numbers = random_numbers(rng)
        transform = ocio.CDLTransform(
            slope=numbers.slope, offset=numbers.offset, power=numbers.power, sat=numbers.saturation
        )
        transform.setStyle(ocio.CDL_NO_CLAMP)
        exact = outputs.run(ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor(), image)
        assert np.abs(numbers.apply(image) - exact).max() < 2e-5 * max(1.0, float(np.abs(exact).max()))


@pytest.mark.parametrize(
    "bad", [{"slope": (-0.1, 1, 1)}, {"power": (0, 1, 1)}, {"saturation": -1.0}, {"offset": (float("nan"), 0, 0)}]
)
def test_ten_numbers_refuse_what_the_standard_forbids(bad):
    with pytest.raises(ValueError, match=r"finite|negative"):
        primary.Primary(**bad)


def test_kernels_agree_with_exact_transforms(demo_frame, table, rng):
    """Correction and output through tables, against the exact path, over real frames."""
    for name in ("12A-1", "12C-2", "14B-3", "22A-1"):
        source = demo_frame(name).working[::3, ::3]
        numbers = primary.Primary((1.1, 0.95, 1.05), (-0.04, 0.01, 0.03), (0.95, 1.1, 1.0), 1.15)
        exact = outputs.to_display(numbers.apply(source))
        ours = display_of(source, [numbers], table)
        difference = display_difference(exact, ours)
        assert difference.mean() <= 0.1
        assert np.percentile(difference, 99) <= 0.5


def test_correction_tables_alone_are_within_a_ten_thousandth(rng):
    """With an identity output, what is left is the correction's own tables."""
    nodes = tables.lattice(65, -0.125, 1.125)
    identity = tables.Table(nodes, -0.125, 1.125)
    source = rng.uniform(0.08, 0.9, (20000, 3)).astype(np.float32)
    numbers = primary.Primary((1.05, 0.9, 1.0), (0.01, 0.02, -0.01), (1.1, 0.9, 1.0), 0.9)
    expected = np.clip(numbers.apply(source), -0.125, 1.125)
    assert np.abs(display_of(source, [numbers], identity) - expected).max() < 1e-4


def test_table_lookup_is_the_library_s_tetrahedral(rng):
    nodes = np.ascontiguousarray(rng.random((9, 9, 9, 3)), np.float32)
    points = rng.random((5000, 3)).astype(np.float32)
    lut = ocio.Lut3DTransform(gridSize=9)
    lut.setInterpolation(ocio.INTERP_TETRAHEDRAL)
    lut.setData(nodes.ravel())
    exact = outputs.run(ocio.Config.CreateRaw().getProcessor(lut).getDefaultCPUProcessor(), points)
    assert np.abs(display_of(points, [], tables.Table(nodes, 0.0, 1.0)) - exact).max() < 2e-5


def test_display_referred_comes_out_as_recorded(rng):
    code = rng.random((20000, 3)).astype(np.float32)
    exact = np.abs(outputs.to_display(encodings.to_working(code, "rec709")) - code).max(axis=1)
    # The library's inverse has no answer for a few colours in the gamut's very corners.
    assert np.percentile(exact, 99.9) <= 1 / 1023
    assert exact.max() <= 6 / 1023


@pytest.mark.parametrize("name", ["12C-2", "14C-1", "21C-1"])
def test_display_referred_frames_come_out_as_recorded_through_tables(demo_frame, table, name):
    recorded = demo_frame(name).recorded
    baked = np.abs(display_of(to_picture(recorded, "rec709").working, [], table) - recorded)
    assert baked.mean() <= 1 / 1023
    assert np.percentile(baked, 99) <= 3 / 1023


def test_baked_tables_are_kept_on_disk_and_a_damaged_one_is_baked_anew(tmp_path, monkeypatch):
    monkeypatch.setattr(tables, "OUTPUT_SIZE", 9)
    bake = tables.output_table.__wrapped__
    try:
        tables.keep_in(tmp_path / "tables")
        first = bake().nodes
        (kept,) = (tmp_path / "tables").iterdir()
        np.save(kept, np.full((9, 9, 9, 3), 0.5, np.float32))
        assert np.all(bake().nodes == 0.5), "the table on disk is taken"
        kept.write_bytes(b"half a table")
        assert np.array_equal(bake().nodes, first)
        assert np.array_equal(np.load(kept), first)
    finally:
        tables.keep_for_all()


def test_plain_video_changes_nothing(rng):
    code = rng.random((500, 3)).astype(np.float32)
    assert np.array_equal(outputs.to_display(encodings.to_working(code, "rec709", "plain-video"), "plain-video"), code)


@pytest.mark.parametrize(("encoding", "primaries"), [("rec2020", "ITU-R BT.2020"), ("p3", "P3-D65")])
@pytest.mark.parametrize(("output", "target", "gamma"), [("rec709", "ITU-R BT.709", 2.4), ("p3-d65", "P3-D65", 2.6)])
def test_wider_primaries_show_the_same_light(rng, encoding, primaries, output, target, gamma):
    """Against colour-science: a BT.1886 monitor of those primaries beside the output's."""
    code = rng.uniform(0.3, 0.6, (500, 3)).astype(np.float32)
    spaces = colour.RGB_COLOURSPACES
    light = colour.RGB_to_RGB(code**2.4, spaces[primaries], spaces[target])
    shown = encodings.to_output_code(code, encoding, output)
    assert shown == pytest.approx(np.sign(light) * np.abs(light) ** (1 / gamma), abs=2e-4)


def test_encodings_offered_are_acquisition_or_open_standards():
    found = {e.id for e in encodings.available()}
    assert {"rec709", "srgb", "rec2020", "p3", "hlg", "pq", "aces:ACEScct", "aces:ACES2065-1"} <= found
    for encoding in encodings.available():
        code = np.array([[0.2, 0.4, 0.5]], np.float32)
        assert np.isfinite(encodings.to_working(code, encoding.id)).all()


@pytest.mark.parametrize("name", ["nonsense", "aces:nonsense", "file:/nowhere/x.clf", "file:/etc/hostname"])
def test_bad_encodings_are_refused_with_a_sentence(name):
    with pytest.raises(ValueError, match=r"encoding"):
        encodings.to_working(np.zeros((1, 3), np.float32), name)


def test_broken_clf_is_named(tmp_path):
    broken = tmp_path / "broken.clf"
    broken.write_text("<ProcessList")
    with pytest.raises(ValueError, match=r"broken\.clf"):
        encodings.to_working(np.zeros((1, 3), np.float32), f"file:{broken}")


def test_planckian_locus_agrees_with_colour_science():
    for cct in (2500, 3200, 4500, 6000, 9000):
        assert np.allclose(white.planckian_uv(cct), colour.temperature.CCT_to_uv_Krystek1985(cct), atol=1e-9)


def test_white_gains_make_their_light_neutral():
    """A surface lit by the named scene white comes out with equal channels."""
    for cct, tint in ((3200, 0.0), (4800, 8.0), (9000, -12.0)):
        uv = white.scene_white_uv(cct, tint)
        xy = colour.UCS_uv_to_xy(uv)
        lit = AP1.matrix_XYZ_to_RGB @ colour.xy_to_XYZ(xy)
        balanced = lit * white.gains_for_white(uv)
        assert np.ptp(balanced) / balanced.mean() < 1e-4


@settings(max_examples=40, deadline=None)
@given(st.floats(3000, 20000), st.floats(-40, 40))
def test_white_is_read_back_from_its_offset(cct, tint):
    warmth, back = white.white_of(white.offset_for(cct, tint))
    assert 1e6 / warmth == pytest.approx(1e6 / cct, abs=0.05)
    assert back == pytest.approx(tint, abs=0.05)


@pytest.mark.parametrize(
    "mired,tint", [(39, 0), (20, 30), (0.001, 0), (-50, -20), (560, 5), (700, 0), (170, 75), (250, -90)]
)
def test_the_scale_of_whites_goes_on_beyond_the_locus(mired, tint):
    """Bluer than any temperature, redder than a candle, far across: read back as set, and near what lies beside."""
    offset = white.offset_for(1e6 / mired, tint)
    warmth, back = white.white_of(offset)
    assert 1e6 / warmth == pytest.approx(mired, abs=0.05)
    assert back == pytest.approx(tint, abs=0.05)
    beside = white.offset_for(1e6 / (mired + 1), tint)
    assert 0 < np.abs(beside - offset).max() < 0.1 * working.STOP


def test_directions_of_warmth_and_tint():
    red, _, blue = white.offset_for(8000, 0)
    assert red > 0 > blue
    red, green, blue = white.offset_for(6000, 20)
    assert green < min(red, blue)


@settings(max_examples=40, deadline=None)
@given(st.floats(-3, 3), st.floats(0.5, 2.0), st.floats(2500, 15000), st.floats(-25, 25), st.floats(0, 2))
def test_controls_are_read_back_as_set(exposure, contrast, warmth, tint, saturation):
    numbers = controls.set_contrast(primary.IDENTITY, contrast)
    numbers = controls.set_white(numbers, warmth, tint)
    numbers = controls.set_exposure(numbers, exposure)
    numbers = controls.set_saturation(numbers, saturation)
    read = controls.read(numbers)
    assert read.exposure == pytest.approx(exposure, abs=1e-6)
    assert read.contrast == pytest.approx(contrast, rel=1e-6)
    assert 1e6 / read.warmth == pytest.approx(1e6 / warmth, abs=0.1)
    assert read.tint == pytest.approx(tint, abs=0.1)
    assert read.saturation == saturation


def test_one_stop_doubles_the_light():
    grey = np.full(3, working.MID_GREY)
    lifted = controls.set_exposure(primary.IDENTITY, 1.0).apply(grey)
    assert np.allclose(working.to_linear(lifted), 0.36, atol=1e-4)


def test_contrast_leaves_the_pivot():
    numbers = controls.set_contrast(primary.IDENTITY, 1.4)
    assert np.allclose(numbers.apply(np.full(3, working.MID_GREY)), working.MID_GREY)


def test_ciede2000_against_the_published_pairs():
    """Sharma, Wu and Dalal 2005, table 1, and colour-science on random colours."""
    published = [
        ((50, 2.6772, -79.7751), (50, 0, -82.7485), 2.0425),
        ((50, -1.3802, -84.2814), (50, 0, -82.7485), 1.0000),
        ((50, 2.5, 0), (73, 25, -18), 27.1492),
        ((50, 2.5, 0), (58, 24, 15), 19.4535),
        ((2.0776, 0.0795, -1.1350), (0.9033, -0.0636, -0.5514), 0.9082),
        ((90.8027, -2.0831, 1.4410), (91.1528, -1.6435, 0.0447), 1.4441),
    ]
    for a, b, expected in published:
        assert ciede2000(np.array(a), np.array(b)) == pytest.approx(expected, abs=1e-4)
    rng = np.random.default_rng(1)
    a, b = (np.c_[rng.uniform(0, 100, 500), rng.uniform(-90, 90, (500, 2))] for _ in range(2))
    assert np.allclose(ciede2000(a, b), colour.delta_E(a, b, method="CIE 2000"), atol=1e-9)


def test_lab_of_display_agrees_with_colour_science(rng):
    display = rng.random((200, 3))
    xyz = colour.RGB_to_XYZ(display**2.4, "ITU-R BT.709")
    d65 = colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["D65"]
    assert np.allclose(lab_of_display(display), colour.XYZ_to_Lab(xyz, d65), atol=0.02)
