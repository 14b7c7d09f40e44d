"""Balances: lights and exposures against known changes, and what is refused."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dovrel.core.balance import Others, hear, propose, whites
from dovrel.core.balance.belief import Belief
from dovrel.core.balance.whites import White, balance_numbers
from dovrel.core.colour import white, working
from dovrel.core.colour.working import AP1_LUMA, STOP, from_linear, to_linear
from dovrel.core.develop.frame import display_of
from dovrel.core.measure.difference import display_difference
from dovrel.core.measure.readings import readings_of_display
from dovrel.core.steps.primary import IDENTITY
from dovrel.media.picture import to_picture


def readings_under(pixels, numbers, table):
    return readings_of_display(display_of(pixels.astype(np.float32), [numbers], table))


def test_balance_takes_a_known_cast_and_exposure_away(demo_frame, table):
    """The same frame under a bluer light and two stops down gets nearly the same balanced picture."""
    picture = demo_frame("12A-1")
    start = propose(picture.working, picture.recorded, table)[0].numbers
    spoiled = picture.working - white.offset_for(9000, 6) - 2 * working.STOP
    mended = propose(spoiled, picture.recorded, table)[0].numbers
    a, b = display_of(picture.working, [start], table), display_of(spoiled.astype(np.float32), [mended], table)
    assert display_difference(a, b).mean() < 5.0
    untreated = display_of(spoiled.astype(np.float32), [start], table)
    assert display_difference(a, untreated).mean() > 15


def test_balance_removes_the_wrong_setting(demo_frame, table):
    """Recorded at 3200 K in daylight: blue before, near neutral after, mids where they belong."""
    picture = demo_frame("12A-3")
    best = propose(picture.working, picture.recorded, table)[0]
    before = readings_under(picture.working.reshape(-1, 3), IDENTITY, table)
    after = readings_under(picture.working.reshape(-1, 3), best.numbers, table)
    assert before[7] - before[1] > 20
    assert abs(after[7] - after[1]) < 8
    assert best.reason
    assert 0 < best.confidence <= 1


def test_a_night_stays_dark(demo_frame, table):
    picture = demo_frame("14A-1")
    best = propose(picture.working, picture.recorded, table)[0]
    readings = readings_under(picture.working.reshape(-1, 3), best.numbers, table)
    assert np.mean(readings[[1, 4, 7]]) < 32


@pytest.mark.parametrize("recorded,what", [(np.ones((40, 40, 3)), "clipped"), (np.zeros((40, 40, 3)), "dark")])
def test_balance_refuses_what_says_nothing(table, recorded, what):
    with pytest.raises(ValueError, match=what):
        propose(np.full((40, 40, 3), 0.4), recorded, table)


chroma = st.tuples(st.floats(-1.5, 1.5), st.floats(-2.0, 2.0))


@settings(deadline=None, max_examples=60)
@given(chroma, st.floats(-2, 2))
def test_a_balance_makes_its_light_neutral_and_keeps_the_grey_s_luminance(light, stops):
    """With nothing kept, a grey seen under the light comes out grey; a grey of its own keeps luminance."""
    numbers = balance_numbers(light, 0.0, 0.0)
    lit = from_linear(0.18 * 2.0 ** np.array([[light[0], 0.0, light[1]]]))
    assert np.ptp(to_linear(numbers.apply(lit)) / 0.18) < 0.02
    grey = to_linear(balance_numbers(light, stops, 0.0).apply(from_linear(np.full((1, 3), 0.18))))
    assert grey[0] @ AP1_LUMA == pytest.approx(0.18 * 2.0**stops, rel=1e-3)


@settings(deadline=None, max_examples=60)
@given(st.floats(0, 3), st.floats(0, 1))
def test_a_warm_cast_is_kept_up_to_so_many_stops(warm, kept):
    """What stays of a warm light is the smaller of its cast and what is kept; of a blue one, nothing."""
    offset = np.array(balance_numbers(tuple(whites.WARM * warm), 0.0, kept).offset) / STOP
    taken = np.hypot(offset[0] - offset[1], offset[2] - offset[1])
    assert taken == pytest.approx(max(0.0, warm - kept), abs=1e-6)
    blue = np.array(balance_numbers(tuple(-whites.WARM * warm), 0.0, kept).offset) / STOP
    assert np.hypot(blue[0] - blue[1], blue[2] - blue[1]) == pytest.approx(warm, abs=1e-6)


@pytest.mark.parametrize("light", [(0.5, -1.1), (-0.5, 1.4), (0.1, 0.2), (0.0, 0.0)])
def test_the_light_of_greys_of_many_tones_is_found(rng, light):
    """Greys over five stops among as many strongly coloured surfaces, all under one light."""
    tones = 0.18 * 2.0 ** rng.uniform(-3, 2, (4000, 1))
    greys = tones * 2.0 ** rng.normal(0, 0.03, (4000, 3))
    coloured = tones * 2.0 ** rng.normal([0.9, -0.4, -1.0], 0.1, (4000, 3))
    surfaces = np.concatenate([greys, coloured]) * 2.0 ** np.array([light[0], 0.0, light[1]])
    found = whites.near_neutrals(from_linear(surfaces))
    assert found is not None
    assert np.hypot(*np.subtract(found.chroma, light)) < 0.08


def test_what_is_not_known_to_be_wrong_is_left_alone(demo_frame, table):
    picture = demo_frame("21A-1", 0, 480)
    best = propose(picture.working, picture.recorded, table)[0]
    assert (best.id, best.numbers) == ("as-shot", IDENTITY)
    assert "nothing is known to be wrong" in best.reason


@pytest.mark.parametrize("stops", [-2.0, 2.0])
def test_too_little_and_too_much_light_are_mended(demo_frame, table, stops):
    picture = demo_frame("21A-1", 0, 480)
    moved = (picture.working + stops * STOP).astype(np.float32)
    best = propose(moved, np.clip(moved, 0, 1), table)[0]
    assert abs(stops + best.exposure) < 0.7
    assert "light" in best.reason


def test_others_are_heard_and_who_disagrees_is_named(demo_frame, table):
    picture = demo_frame("12C-2", 0, 480)
    own = hear(picture.working, picture.recorded, table)
    other = replace(own.testimony, belief=Belief(np.array([[-1.0, 0.0, 1.0]]), np.ones(1)))
    others = Others((own.testimony,), (("12C-4", own.testimony), ("12C-9", other)))
    best = propose(picture.working, picture.recorded, table, others=others)[0]
    assert "1 more frame of the shot and 2 more shots of its camera here" in best.reason
    assert "12C-9 asks for other colours" in best.reason


def test_a_shot_of_another_setting_is_not_heard_and_is_named(demo_frame, table):
    """12A-3 was recorded at 3200 K, its camera's other shots at daylight: they say nothing of its colours."""
    lamp, day = (demo_frame(name, 0, 480) for name in ("12A-3", "12A-1"))
    said = hear(day.working, day.recorded, table).testimony
    alone = propose(lamp.working, lamp.recorded, table)[0]
    best = propose(lamp.working, lamp.recorded, table, others=Others(shots=(("12A-1", said),)))[0]
    assert best.numbers == alone.numbers
    assert "12A-1 recorded under another light or setting" in best.reason


def test_a_frame_under_another_light_is_not_heard_and_told(demo_frame, table):
    picture = demo_frame("22B-1", 0, 480)
    said = hear(picture.working, picture.recorded, table).testimony
    darker = replace(said, stops=said.stops - 2)
    alone = propose(picture.working, picture.recorded, table)[0]
    best = propose(picture.working, picture.recorded, table, others=Others(frames=(darker,)))[0]
    assert best.numbers == alone.numbers
    assert "the light changes within the shot" in best.reason


def test_a_chart_in_another_shot_says_the_white_of_one_that_shows_none(demo_frame, table):
    picture = demo_frame("12C-2", 0, 480)
    alone = hear(picture.working, picture.recorded, table)
    white = np.add(alone.seen.near.chroma, (0.05, -0.05))
    light = White("chart", "chart", (float(white[0]), float(white[1])), 0.97, "six greys")
    chart = replace(alone.testimony, grey=light)
    best = propose(picture.working, picture.recorded, table, others=Others(shots=(("12C-4", chart),)))[0]
    assert (best.id, best.name) == ("chart", "the chart in 12C-4")
    gains = np.asarray(best.numbers.offset) / STOP
    assert -(gains[[0, 2]] - gains[1]) == pytest.approx(white, abs=0.03)
    far = replace(chart, near=replace(light, chroma=(1.5, -1.5)))
    best = propose(picture.working, picture.recorded, table, others=Others(shots=(("12C-4", far),)))[0]
    assert best.id == "weighed", "a chart under another light says nothing of this one"


def test_a_finished_picture_is_judged_as_it_is_shown(table):
    """A grey ramp that fills the display is right for a finished picture, whatever its scene would be."""
    ramp = np.repeat(np.linspace(0.02, 0.97, 256, dtype=np.float32)[None, :, None], 160, axis=0) * np.ones(
        3, np.float32
    )
    picture = to_picture(ramp, "srgb")
    finished = propose(picture.working, picture.reach, table, finished=True)[0]
    assert abs(finished.exposure) < 0.5
    assert np.ptp(finished.numbers.offset) < 0.35 * STOP


def test_only_what_is_metered_is_looked_at(demo_frame, table):
    picture = demo_frame("12A-1", 0, 480)
    half = np.zeros(picture.packed.shape[:2], bool)
    half[:, :200] = True
    working = picture.working.copy()
    working[:, 200:] += np.float32(0.1)
    left = propose(working, picture.recorded, table, metered=half)[0]
    other = propose(picture.working, picture.recorded, table, metered=half)[0]
    assert left.numbers == other.numbers


def test_a_picked_patch_says_the_white(demo_frame, table):
    """The poster's paper in a shot recorded far too blue; the rest of the picture says the exposure."""
    picture = demo_frame("12C-2", 0, 960)
    patch = np.zeros(picture.packed.shape[:2], bool)
    patch[150:185, 575:590] = True
    found = propose(picture.working, picture.recorded, table, patch=patch)
    assert [found[0].id, *(c.id for c in found[1:])].count("patch") == 1
    assert found[0].id == "patch"
    balanced = found[0].numbers.apply(picture.working[patch])
    assert np.abs(np.median(whites.log_chroma(balanced), axis=0)).max() < 0.02
    assert "skin then lies" in found[0].reason
    whole = propose(picture.working, picture.recorded, table)
    assert abs(found[0].exposure - whole[0].exposure) < 1.0


def test_a_blown_out_patch_is_refused_with_the_reason(demo_frame, table):
    picture = demo_frame("12A-1", 0, 480)
    recorded = picture.recorded.copy()
    patch = np.zeros(recorded.shape[:2], bool)
    patch[20:60, 30:80] = True
    recorded[patch, 1] = 1.0
    with pytest.raises(ValueError, match="100 % of the pixels are clipped in the recording; choose another"):
        propose(picture.working, recorded, table, patch=patch)


def test_a_patch_of_two_colours_is_trusted_less(demo_frame, table):
    picture = demo_frame("12A-1", 0, 480)
    whole = np.ones(picture.packed.shape[:2], bool)
    assert "uneven" in propose(picture.working, picture.recorded, table, patch=whole)[0].reason


def test_neutral_throughout_is_offered_beside_a_kept_warmth(demo_frame, table):
    picture = demo_frame("14B-3", 0, 480)
    found = {c.id: c for c in propose(picture.working, picture.recorded, table)}
    # What near-neutrals alone propose stands only once, if all cues propose as good as the same.
    warm, plain = found.get("neutrals", found["weighed"]).numbers.offset, found["plain"].numbers.offset
    assert (plain[2] - plain[0]) - (warm[2] - warm[0]) == pytest.approx(0.5 * np.ptp(whites.WARM) * STOP, rel=0.25)


def test_a_wrong_exposure_and_white_come_near_the_right_ones(demo_frame, table):
    """12A-2 was recorded a stop under its neighbour, 12C-2 at a lamp's white in daylight."""
    reference = demo_frame("12A-1", 0, 480)
    right = readings_under(reference.working.reshape(-1, 3), IDENTITY, table)
    blue = demo_frame("12C-2", 0, 480)
    best = propose(blue.working, blue.recorded, table)[0]
    before, after = (readings_under(blue.working.reshape(-1, 3), n, table) for n in (IDENTITY, best.numbers))
    cast = [float(r[7] - r[1] - (right[7] - right[1])) for r in (before, after)]
    assert abs(cast[1]) < 0.3 * abs(cast[0])
