"""Kinds of steps that act on colour alone: what they leave as it is, what they refuse, and the fast way held to the exact one."""

from dataclasses import replace

import numpy as np
import PyOpenColorIO as ocio
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dovrel.core.colour import codes, outputs
from dovrel.core.colour.working import MID_GREY, STOP, from_linear
from dovrel.core.develop import lattice, whole
from dovrel.core.develop.exact import shown_exactly
from dovrel.core.develop.frame import develop, display_of
from dovrel.core.measure.difference import display_difference
from dovrel.core.steps import opponent
from dovrel.core.steps.chain import apply_in_order
from dovrel.core.steps.clipped_highs import ClippedHighs
from dovrel.core.steps.correction import Correction, Step, checked
from dovrel.core.steps.curves import Curve, Curves
from dovrel.core.steps.density import Density
from dovrel.core.steps.hue_turns import HueTurns, Spoke
from dovrel.core.steps.kinds import Kinds
from dovrel.core.steps.limits import Limits
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.rebuild import Rebuild
from dovrel.core.steps.zone_tints import ZoneTints
from dovrel.demo import cards

CURVES = Curves(
    Curve(((0.15, 0.12), (0.35, 0.37), (0.6, 0.62)), low_held=True),
    red=Curve(((0.3, 0.28), (0.5, 0.53))),
    blue=Curve(((0.2, 0.24), (0.4, 0.4), (0.55, 0.5)), high_held=True),
)
HUES = HueTurns((Spoke(10, 30, 12, 0.5, -0.8), Spoke(150, 60, -20, 1.6, 0.5), Spoke(350, 25, 5, 1.2)))
DENSITY = Density(1.2, 0.8)
ZONES = ZoneTints((0.03, -0.02), (-0.02, 0.0), (0.05, 0.02), soft=1.5, opposed=True)
RED = Rebuild("red", (0.1, 1.2, -0.3), -0.02, kept=0.35)
HIGHS = ClippedHighs((0.56, 0.56, 0.54), (0.04, 0.0, -0.04), 1.0)
HARD: tuple[Kinds, ...] = (RED, HIGHS, CURVES, HUES, DENSITY, ZONES)
IDS = [values.kind for values in HARD]

BRIGHT = Primary(offset=(0.03, 0.03, 0.03))

working = st.tuples(*[st.floats(0.2, 0.8)] * 3).map(np.array)
part = st.floats(0, 1)


@pytest.mark.parametrize("values", [*HARD, None], ids=[*IDS, "all of them"])
@pytest.mark.parametrize("name", ["12A-1", "14A-1", "22A-1"])
def test_the_fast_way_is_the_exact_one(demo_frame, table, name, values):
    picture = demo_frame(name)
    chain = [Primary(offset=(0.02, 0.0, -0.01), saturation=1.2), *(HARD if values is None else [values])]
    exact = outputs.to_display(apply_in_order(picture.working, chain))
    for fast in (
        codes.decode_signal(develop(picture.packed, chain, table, lattice.locate(picture.packed)).transpose(1, 2, 0)),
        display_of(picture.working, chain, table),
    ):
        difference = display_difference(fast[::3, ::3], exact[::3, ::3])
        one = values is not None
        assert difference.mean() <= (0.1 if one else 0.15)
        assert np.percentile(difference, 99) <= (0.5 if one else 0.75)
    undone = outputs.to_display(chain[0].apply(picture.working))
    assert display_difference(undone[::3, ::3], exact[::3, ::3]).mean() > 0.1


@pytest.mark.parametrize("values", HARD, ids=IDS)
def test_a_table_of_33_points_carries_it_as_it_is_shown(demo_frame, values):
    picture = demo_frame("12A-1")
    recorded = np.ascontiguousarray(picture.recorded[::2, ::2]).reshape(-1, 3)
    encoding = cards.find("12A-1").encoding
    nodes = whole.bake(encoding, [BRIGHT, values], colours=recorded[::8])
    carried = whole.tetrahedral_weights(recorded, whole.SIZE) @ nodes.reshape(-1, 3)
    exact = shown_exactly(picture.working[::2, ::2].reshape(-1, 3), [BRIGHT, values])
    difference = display_difference(carried.astype(np.float32), exact)
    assert difference.mean() <= 0.2
    assert np.percentile(difference, 99) <= 1.2


def test_limits_keep_the_signal_and_leave_what_is_within(demo_frame, table):
    picture = demo_frame("12B-3")
    limits = Limits(6, 92, 4)
    exact = shown_exactly(picture.working, [BRIGHT, limits])
    plain = outputs.to_display(BRIGHT.apply(picture.working))
    assert plain.max() > 0.97
    assert exact.min() >= 0.06
    assert exact.max() <= 0.92
    within = (plain > 0.101) & (plain < 0.879)
    assert np.array_equal(exact[within], plain[within])
    for fast in (
        codes.decode_signal(
            develop(picture.packed, [BRIGHT, limits], table, lattice.locate(picture.packed)).transpose(1, 2, 0)
        ),
        display_of(picture.working, [BRIGHT, limits], table),
    ):
        assert display_difference(fast[::3, ::3], exact[::3, ::3]).mean() <= 0.1
    # What EBU R 103 lets pass is what the step lets pass if nothing else is said.
    signal = np.linspace(-0.12, 1.12, 500)
    kept = Limits().limited(signal)
    assert kept.min() >= -0.01
    assert kept.max() <= 1.03
    assert np.diff(kept).min() > 0


def test_limits_stand_at_the_show_alone():
    finish = Correction((Step("finish", Primary()), Step("limits", Limits())))
    assert checked("show", finish) is finish
    with pytest.raises(ValueError, match="for the whole show"):
        checked("shot", Correction((Step("balance", Primary()), Step("limits", Limits()))))


def test_a_matrix_of_working_values_is_that_of_opencolorio(rng):
    rebuilt = replace(RED, kept=2.0)
    rows = np.eye(4)
    rows[0, :3] = rebuilt.weights
    transform = ocio.MatrixTransform(rows.ravel().tolist(), [rebuilt.offset, 0, 0, 0])
    processor = ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor()
    values = rng.uniform(0.1, 0.8, (500, 3)).astype(np.float32)
    theirs = values.copy()
    processor.apply(ocio.PackedImageDesc(theirs, 500, 1, 3))
    assert np.abs(rebuilt.apply(values) - theirs).max() < 1e-6


def test_a_curve_of_two_points_is_slope_and_offset_of_opencolorio(rng):
    curve = Curve(((0.2, 0.25), (0.6, 0.57)))
    slope = (0.57 - 0.25) / 0.4
    transform = ocio.CDLTransform()
    transform.setStyle(ocio.CDL_NO_CLAMP)
    transform.setSlope([slope] * 3)
    transform.setOffset([0.25 - 0.2 * slope] * 3)
    processor = ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor()
    values = rng.uniform(-0.2, 1.2, (500, 3)).astype(np.float32)
    theirs = values.copy()
    processor.apply(ocio.PackedImageDesc(theirs, 500, 1, 3))
    assert np.abs(Curves(curve).apply(values) - theirs).max() < 1e-6


@given(st.lists(st.tuples(st.floats(-1, 2), st.floats(-1, 2)), max_size=8), st.booleans(), st.booleans())
def test_a_curve_rises_always_or_is_refused_with_a_sentence(points, low, high):
    points = tuple(sorted(points))
    try:
        curve = Curve(points, low, high)
    except ValueError as error:
        assert len(str(error)) > 20
        return
    outs = curve.at(np.linspace(-2, 3, 2001))
    assert np.diff(outs).min() >= -1e-12
    for level, out in points:
        assert curve.at(np.array(level)) == pytest.approx(out, abs=1e-9)


def test_held_ends_let_nothing_pass_and_leave_the_rest():
    curve = Curve(((0.2, 0.22), (0.5, 0.5), (0.7, 0.66)), low_held=True, high_held=True)
    levels = np.linspace(-0.5, 1.5, 300)
    assert curve.at(levels).min() == pytest.approx(0.22)
    assert curve.at(levels).max() == pytest.approx(0.66)
    inner = np.linspace(0.2, 0.7, 50)
    assert curve.at(inner) == pytest.approx(replace(curve, low_held=False, high_held=False).at(inner))


@pytest.mark.parametrize(
    ("made", "said"),
    [
        (lambda: Curve(((0.2, 0.5), (0.4, 0.3))), "above its neighbour"),
        (lambda: Curve(((0.2, 0.2), (0.2, 0.3))), "have one level"),
        (lambda: Curve(((0.4, 0.4), (0.2, 0.5))), "in order"),
        (lambda: Curve(((0.2, 0.3), (0.6, 0.3))), "would become one"),
        (lambda: Curve(((0.2, float("nan")),)), "finite"),
        (lambda: Curve(((0.2, 50.0),)), "lie between"),
        (lambda: Curve(tuple((n / 50, n / 50) for n in range(30))), "at most 24"),
        (lambda: Spoke(20, 0), "reaches 5 to 180"),
        (lambda: Spoke(400), "0 to 360"),
        (lambda: Spoke(20, colour=-1), "between 0 and 4"),
        (lambda: Spoke(20, lightness=9), "3 stops"),
        (lambda: Spoke(20, turn=200), "120 degrees"),
        (lambda: HueTurns((Spoke(20, 20, 60),)), "turned past each other"),
        (lambda: HueTurns(tuple(Spoke(n * 10.0) for n in range(30))), "at most 24"),
        (lambda: Density(5), "3 stops"),
        (lambda: Density(pale=-1), "pale tones"),
        (lambda: ZoneTints(lows=(0.5, 0)), "tint lies between"),
        (lambda: ZoneTints(low=1, high=-1), "begin above"),
        (lambda: ZoneTints(soft=0), "0.5 to 6 stops"),
        (lambda: Rebuild(weights=(0.0, 1.0, 1.0)), "sum to one"),
        (lambda: Rebuild(amount=2), "0 to 1"),
        (lambda: ClippedHighs(neutral=(0.1, 0.1, 0.1)), "sum to zero"),
        (lambda: ClippedHighs(soft=0), "0.1 to 4 stops"),
        (lambda: Limits(soft=40), "0 to 20 %"),
        (lambda: Limits(45, 50), "does not fit"),
    ],
)
def test_what_cannot_be_is_refused_with_a_sentence(made, said):
    with pytest.raises(ValueError, match=said):
        made()


@pytest.mark.parametrize("values", [HUES, DENSITY], ids=["hues", "density"])
def test_greys_stay_exactly_grey(values):
    greys = np.repeat(np.linspace(-0.2, 1.2, 57)[:, None], 3, axis=1)
    assert np.abs(values.apply(greys) - greys).max() < 1e-12


@given(working, st.floats(0, 2), st.sampled_from([HUES, DENSITY]))
def test_a_stop_more_of_light_leaves_the_effect_as_it_was(colour, stops, values):
    """Of light itself, not of working values: the two are one above the working space's toe."""
    linear = np.exp2((colour - MID_GREY) / STOP)
    brighter = from_linear(0.18 * linear * 2.0**stops)
    plain = from_linear(0.18 * linear)
    assert values.apply(brighter) - brighter == pytest.approx(values.apply(plain) - plain, abs=1e-6)


@given(working)
def test_the_opponent_space_gives_back_what_came(colour):
    level, plane = opponent.split(colour)
    assert opponent.joined(level, plane) == pytest.approx(colour, abs=1e-12)
    assert opponent.split(opponent.joined(level, opponent.turned(plane, np.array(40.0))))[0] == pytest.approx(level)


def test_a_spoke_turns_strengthens_and_lightens_its_hue_and_no_other():
    def colour(hue: float, depth: float) -> np.ndarray:
        radians = np.radians(hue)
        return opponent.joined(np.array(0.45), depth * np.array([np.cos(radians), np.sin(radians)]))

    values = HueTurns((Spoke(30, 40, 10, 1.5, -1.0),))
    level, plane = opponent.split(values.apply(colour(30, 0.15)))
    assert opponent.hue_of(plane) == pytest.approx(40)
    assert opponent.depth_of(plane) == pytest.approx(0.225)
    assert level == pytest.approx(0.45 - STOP * opponent.coloured(np.array(0.15)))
    for hue in (80, 200, 345):
        assert values.apply(colour(hue, 0.15)) == pytest.approx(colour(hue, 0.15), abs=1e-12)


def test_density_darkens_deep_colours_and_pale_colour_reaches_pale_tones():
    pale, deep = (opponent.joined(np.array(0.45), np.array([depth, 0.0])) for depth in (0.03, 0.3))
    darkened = [opponent.split(Density(density=1).apply(one))[0] - 0.45 for one in (pale, deep)]
    assert darkened == pytest.approx([-0.15 * STOP, -1.5 * STOP])
    grown = [opponent.depth_of(opponent.split(Density(pale=1).apply(one))[1]) for one in (pale, deep)]
    assert grown[0] > 0.045
    assert grown[1] == pytest.approx(0.3, rel=0.01)


def test_zones_are_tinted_by_themselves_and_the_level_stays():
    values = ZoneTints(lows=(-0.03, 0.0), highs=(0.05, 0.0))
    for stops, warmer in ((-6, -0.03), (-0.75, 0.0), (5, 0.05)):
        grey = np.full(3, MID_GREY + stops * STOP)
        out = values.apply(grey)
        assert out @ opponent.LUMA == pytest.approx(grey[0])
        assert (out[0] - out[2]) / np.sqrt(2) == pytest.approx(warmer, abs=1e-9)
    opposed = replace(values, opposed=True).apply(np.full(3, MID_GREY - 0.75 * STOP))
    assert (opposed[0] - opposed[2]) / np.sqrt(2) == pytest.approx(-0.01)


def test_a_rebuilt_channel_is_kept_where_the_recording_holds_it():
    low, high = np.array([0.1, 0.4, 0.3]), np.array([0.6, 0.4, 0.3])
    assert RED.apply(low)[0] == pytest.approx(low @ RED.weights + RED.offset)
    assert RED.apply(high) == pytest.approx(high)
    assert replace(RED, amount=0.0).is_identity


def test_clipped_highs_are_led_to_a_neutral_and_what_has_a_colour_of_its_own_stays():
    neutral = np.array([0.04, 0.0, -0.04])
    values = ClippedHighs((0.6, 0.6, 0.6), (0.04, 0.0, -0.04), 0.5)
    paper = np.array([0.6, 0.6, 0.55])  # red is at its end: it was 0.64
    assert values.apply(paper) - neutral == pytest.approx(np.full(3, 0.6))
    for own_colour in ([0.5, 0.45, 0.4], [0.62, 0.3, 0.2], [0.2, 0.3, 0.7]):
        assert values.apply(np.array(own_colour)) == pytest.approx(own_colour)


@pytest.mark.parametrize("values", HARD, ids=IDS)
def test_between_two_lies_a_part_of_each(values, rng):
    colours = rng.uniform(0.2, 0.7, (200, 3))
    plain = {
        "curves": Curves(),
        "hues": HueTurns(),
        "density": Density(),
        "zones": replace(ZONES, lows=(0.0, 0.0), mids=(0.0, 0.0), highs=(0.0, 0.0)),
        "rebuild": replace(RED, amount=0.0),
        "highs": replace(HIGHS, ceilings=(2.0, 2.0, 2.0)),
    }[values.kind]
    assert plain.between(values, 0.0).apply(colours) == pytest.approx(plain.apply(colours), abs=1e-9)
    assert plain.between(values, 1.0).apply(colours) == pytest.approx(values.apply(colours), abs=2e-3)
    half = plain.between(values, 0.5).apply(colours)
    ends = np.stack([plain.apply(colours), values.apply(colours)])
    assert (np.abs(half - ends[0]) <= np.abs(ends[1] - ends[0]).max() + 1e-9).all()


@given(part)
def test_turns_between_two_never_fold(share):
    between = HueTurns((Spoke(20, 30, 11),)).between(HueTurns((Spoke(35, 30, -11),)), share)
    hues = np.arange(0, 360, 0.5)
    assert np.diff(hues + between.done_at(hues)[0]).min() > 0
