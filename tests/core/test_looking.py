"""Meters, brushes, limits, memory colours and marks."""

import numpy as np
import pytest

from dovrel.core.colour import codes, tables
from dovrel.core.colour.working import STOP, from_linear
from dovrel.core.develop.frame import develop
from dovrel.core.measure import familiar, limits, marking
from dovrel.core.measure.brush import LevelBrush, PlaneBrush, brushed
from dovrel.core.measure.meter import WHOLE, Meter
from dovrel.core.steps.primary import Primary


def display(picture: np.ndarray) -> np.ndarray:
    return np.ascontiguousarray(codes.encode_signal(picture).transpose(2, 0, 1))


def plain(width: int = 40, height: int = 30, colour=(0.5, 0.5, 0.5)) -> np.ndarray:
    return np.tile(np.array(colour, np.float32), (height, width, 1))


# Meters


def test_a_box_holds_its_pixels(table):
    packed = np.zeros((90, 160, 3), np.uint16)
    mask = Meter("box", ((0.5, 1 / 3), (0.75, 2 / 3))).mask(packed, table)
    assert mask.sum() == 40 * 30
    assert mask[30:60, 80:120].all()
    assert WHOLE.mask(packed, table) is None


def test_an_outline_holds_what_it_encloses(table):
    packed = np.zeros((200, 200, 3), np.uint16)
    angle = np.linspace(0, 2 * np.pi, 60, endpoint=False)
    points = tuple((0.5 + 0.3 * float(np.cos(a)), 0.5 + 0.3 * float(np.sin(a))) for a in angle)
    mask = Meter("outline", points).mask(packed, table)
    assert mask.sum() == pytest.approx(np.pi * 60**2, rel=0.03)
    assert mask[100, 100] == 1
    assert mask[5, 5] == 0


@pytest.mark.parametrize(
    "kind,points",
    [
        ("box", ((0.5, 0.0), (0.5, 1.0))),
        ("box", ((-0.1, 0.0), (1.0, 1.0))),
        ("box", ((0.0, 0.0), (1.0, float("nan")))),
        ("box", ((0.0, 0.0),)),
        ("outline", ((0.0, 0.0), (1.0, 1.0))),
        ("outline", ((0.0, 0.0), (1.0, 1.0), (2.0, 0.0))),
    ],
)
def test_impossible_meters_are_refused(kind, points):
    with pytest.raises(ValueError, match="meter"):
        Meter(kind, points)


def test_skin_is_metered_on_the_figures_and_neutrals_are_not(demo_frame, table):
    picture = demo_frame("12A-1")
    skin = Meter("skin").mask(picture.packed, table)
    neutrals = Meter("neutrals").mask(picture.packed, table)
    assert 0.005 < skin.mean() < 0.5
    assert not (skin & neutrals).any()
    shown = codes.decode_signal(develop(picture.packed, [], table).transpose(1, 2, 0))
    red, _, blue = shown[skin != 0].mean(axis=0)
    assert red > blue * 1.15


def test_a_meter_of_what_is_not_there_says_so(table):
    green = codes.pack(plain(colour=(0.3, 0.6, 0.3)))
    with pytest.raises(ValueError, match="no skin found in this frame"):
        Meter("skin").mask(green, tables.output_table("plain-video"))


# Brushes


def test_a_level_brush_holds_what_lies_in_its_range(rng):
    frame = display(rng.random((50, 80, 3)))
    values = codes.decode_signal(frame)
    mask = brushed(frame, [LevelBrush("green", 20, 40)])
    expected = (values[1] >= 0.2) & (values[1] <= 0.4)
    # A value on the brush's very edge may fall to either side.
    assert ((mask != 0) == expected).mean() > 0.999
    luma = np.tensordot([0.2126, 0.7152, 0.0722], values, 1)
    near = brushed(frame, [LevelBrush("luma", 50, 100)]) != 0
    assert (near == (luma >= 0.5)).mean() > 0.999


def test_a_brush_over_part_of_the_width_stays_there(rng):
    frame = display(rng.random((50, 80, 3)))
    mask = brushed(frame, [LevelBrush("red", -10, 110, 0.25, 0.5)])
    assert mask[:, 20:40].all()
    assert mask.sum() == 50 * 20


def test_two_brushes_combine_and_keep_within_the_meter(rng):
    frame = display(rng.random((50, 80, 3)))
    one, other = LevelBrush("red", 0, 50), PlaneBrush((-10, 10), (-10, 10))
    within = np.zeros((50, 80), np.uint8)
    within[10:40] = 1
    both = brushed(frame, [one, other], within)
    assert np.array_equal(both, brushed(frame, [one]) & brushed(frame, [other]) & within)
    assert 0 < both.sum() < within.sum()


def test_a_plane_brush_holds_a_known_colour():
    picture = plain()
    picture[:, :10] = (0.75, 0, 0)
    luma = 0.2126 * 0.75
    cb, cr = 100 * (0 - luma) / 1.8556, 100 * (0.75 - luma) / 1.5748
    mask = brushed(display(picture), [PlaneBrush((cb - 1, cb + 1), (cr - 1, cr + 1))])
    assert mask[:, :10].all()
    assert mask.sum() == 300


# Limits


def test_clipping_of_recording_and_correction_are_told_apart():
    code = np.full((10, 10, 3), 30000, np.uint16)
    code[:2, :, 0] = 65535
    code[2:3] = 0
    picture = plain(10, 10)
    picture[:5] = (1.0, 0.5, 0.5)
    picture[8:] = (0.2, 0.0, 0.2)
    flags = limits.recorded_flags(code)
    found = limits.tally(display(picture), flags)
    assert found.recorded_high == pytest.approx(0.2)
    assert found.recorded_low == pytest.approx(0.1)
    assert found.corrected_high == pytest.approx(0.3)
    assert found.corrected_low == pytest.approx(0.2)
    assert found.illegal == 0
    marks = limits.flag(display(picture), flags)
    assert marks[0, 0] == limits.RECORDED_HIGH
    assert marks[4, 4] == limits.CORRECTED_HIGH
    assert marks[9, 9] == limits.CORRECTED_LOW
    assert marks[6, 6] == 0


@pytest.mark.parametrize(
    "colour,legal",
    [
        ((1.04, 0.5, 0.5), True),
        ((1.06, 0.5, 0.5), False),
        ((-0.04, 0.5, 0.5), True),
        ((-0.06, 0.5, 0.5), False),
        ((1.02, 1.02, 1.02), True),
        ((1.04, 1.04, 1.04), False),
        ((-0.02, -0.02, -0.02), False),
        ((-0.005, -0.005, -0.005), True),
    ],
)
def test_legality_is_r_103(colour, legal):
    """EBU R 103: R′G′B′ −5…105 %, luma −1…103 %."""
    found = limits.tally(display(plain(colour=colour)), np.zeros((30, 40), np.uint8))
    assert found.illegal == (0.0 if legal else 1.0)


def test_limits_within_a_meter():
    picture = plain()
    picture[:15] = 1.0
    mask = np.zeros((30, 40), np.uint8)
    mask[:, :20] = 1
    mask[:10] = 0
    found = limits.tally(display(picture), np.zeros((30, 40), np.uint8), mask)
    assert found.corrected_high == pytest.approx(5 / 20)


# Familiar colours


def test_the_charts_patches_are_found_where_they_are_named():
    """Skin, foliage and sky of the 24-patch chart, from their published reflectances under D65."""
    import colour

    chart = colour.SDS_COLOURCHECKERS["ColorChecker N Ohta"]
    daylight = colour.SDS_ILLUMINANTS["D65"]
    for patch, name in (("dark skin", "skin"), ("light skin", "skin"), ("foliage", "foliage"), ("blue sky", "sky")):
        linear = colour.XYZ_to_RGB(colour.sd_to_XYZ(chart[patch], illuminant=daylight) / 100, "ITU-R BT.709")
        frame = display(plain(colour=np.clip(linear, 0, 1) ** (1 / 2.4)))
        for zone in familiar.ZONES:
            assert familiar.find(frame, zone).mean() == (1.0 if zone == name else 0.0), (patch, zone)


def test_a_survey_tells_share_lightness_and_how_far_off():
    picture = plain(60, 60, (0.785, 0.613, 0.535))
    picture[:30] = 0.5
    found = {one.name: one for one in familiar.survey(display(picture))}
    assert found["skin"].share == pytest.approx(0.5, abs=0.03)
    assert found["skin"].off == pytest.approx(0, abs=2)
    assert found["neutrals"].share == pytest.approx(0.5, abs=0.03)
    assert found["neutrals"].off == pytest.approx(0, abs=0.1)
    # 50 % on a BT.1886 monitor is 0.5^2.4 of white: L* of 18.9 cd/m².
    assert found["neutrals"].lightness == pytest.approx(116 * 0.1895 ** (1 / 3) - 16, abs=1)
    assert found["sky"].share == 0
    assert np.isnan(found["sky"].off)


# Marks


def test_false_colour_has_one_band_a_stop():
    stops = np.arange(-9, 10)
    packed = codes.pack(from_linear(0.18 * 2.0**stops)[None, :, None].repeat(3, axis=2))
    colours = marking.false_colour(packed, [])[0]
    bands = marking.band_colours()
    assert len(np.unique(bands, axis=0)) == 2 * marking.BANDS + 1
    assert np.array_equal(colours[2:-2], bands)
    assert np.array_equal(colours[0], bands[0])
    # Above the toe a stop is an equal offset in all channels.
    brighter = marking.false_colour(packed, [Primary(offset=(STOP, STOP, STOP))])[0]
    assert np.array_equal(brighter[6:-3], bands[5:])


def test_marked_pixels_stand_out_and_the_rest_loses_its_colour(rng):
    picture = rng.integers(0, 256, (20, 30, 3)).astype(np.uint8)
    mask = np.zeros((20, 30), np.uint8)
    mask[5:10] = 1
    marked = marking.only(picture, mask)
    assert np.array_equal(marked[5:10], picture[5:10])
    rest = marked[10:]
    assert (rest == rest[..., :1]).all()
    assert rest.max() < 110


def test_the_two_clippings_have_patterns_of_their_own():
    grey = np.full((40, 40, 3), 128, np.uint8)
    patterns = []
    for flag in (limits.RECORDED_HIGH, limits.CORRECTED_HIGH):
        flags = np.zeros((40, 40), np.uint8)
        flags[:20] = flag
        marked = marking.clipping(grey, flags)
        assert (marked[20:] == 128).all()
        assert set(np.unique(marked[:20])) == {20, 235}
        patterns.append(marked[:20])
    assert (patterns[0] != patterns[1]).mean() > 0.2
    illegal = np.full((40, 40), limits.ILLEGAL, np.uint8)
    assert not np.array_equal(marking.legality(grey, illegal)[:20], patterns[0])
