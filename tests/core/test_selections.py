"""Parts of a picture: what a pick takes, where shapes lie, how they follow, and the fast way held to the exact one."""

import json
from collections import OrderedDict
from dataclasses import replace

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dovrel.core.colour import codes
from dovrel.core.colour.working import STOP
from dovrel.core.correct import parts
from dovrel.core.develop import lattice, masks
from dovrel.core.develop.exact import shown_exactly
from dovrel.core.develop.frame import develop, display_of
from dovrel.core.measure.difference import display_difference, lab_of_display
from dovrel.core.measure.familiar import SKIN_LINE
from dovrel.core.measure.readings import DEFAULT_PERCENTILES, chroma_plane, readings_of_display
from dovrel.core.steps import documents, opponent, track
from dovrel.core.steps.carried import left_out
from dovrel.core.steps.copying import with_steps
from dovrel.core.steps.correction import PLAIN, Correction, Step, checked
from dovrel.core.steps.keyframes import Keyframe
from dovrel.core.steps.levels import FourLevels
from dovrel.core.steps.limits import Limits
from dovrel.core.steps.matte import MOST, as_bytes, cleaned
from dovrel.core.steps.pick import MOST_SAMPLES, Pick, Sample
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.selection import Selection
from dovrel.core.steps.shapes import Ellipse, Gradient, Motion, Outline, joined
from dovrel.core.steps.track import Track

STRONG = Primary((1.1, 0.95, 0.9), (0.03, -0.02, 0.02), (1.1, 1.0, 0.9), 1.4)
COOLER = Primary(offset=(-0.03, 0.0, 0.03), saturation=0.7)
BASE = Primary((1.1, 1.0, 0.95), (0.02, 0.0, -0.02), saturation=1.1)
ELLIPSE = Ellipse(0.4, 0.5, 0.5, 0.35, 25, 0.15)
GRADIENT = Gradient(0.5, 0.2, 0.35, 0.7)
OUTLINE = Outline(((0.2, 0.2), (0.6, 0.25), (0.7, 0.7), (0.3, 0.8)), 0.08)
RED, GREY, BLUE = Sample(0.45, 0.12, 0.01), Sample(0.4, 0.0, 0.0), Sample(0.4, -0.05, -0.08)


def deepest(picture) -> Sample:
    """A colour of the picture that is deeper than most others."""
    _, colour = opponent.split(picture.working)
    depth = opponent.depth_of(colour)
    y, x = np.unravel_index(np.argmin(np.abs(depth - np.percentile(depth, 93))), depth.shape)
    return Sample.of(picture.working[y, x])


WAYS = ("pick", "narrowed", "cleaned", "ellipse", "gradient", "outline", "pick in an area", "overlapping")


def selections(picture) -> dict[str, list[Selection]]:
    pick = Pick((deepest(picture),), (GREY,), reach=0.04, soft=0.03)
    clean = replace(pick, specks=0.002, holes=0.003, edge=0.01)
    return {
        "pick": [Selection((STRONG,), pick=pick)],
        "narrowed": [Selection((STRONG,), pick=replace(pick, levels=(0.3, 0.5), hues=(300, 60)))],
        "cleaned": [Selection((STRONG,), pick=clean)],
        "ellipse": [Selection((STRONG,), (COOLER,), shapes=(ELLIPSE,))],
        "gradient": [Selection((COOLER,), shapes=(GRADIENT,))],
        "outline": [Selection((STRONG,), shapes=(OUTLINE,))],
        "pick in an area": [Selection((STRONG,), pick=pick, shapes=(ELLIPSE,))],
        "overlapping": [
            Selection((STRONG,), pick=pick),
            Selection((COOLER,), shapes=(ELLIPSE,)),
            Selection((STRONG,), pick=clean),
            Selection((COOLER,), shapes=(OUTLINE,)),
        ],
    }


@pytest.mark.parametrize("which", WAYS)
@pytest.mark.parametrize("name", ["12A-1", "14A-1"])
def test_the_fast_way_is_the_exact_one(demo_frame, table, name, which):
    picture = demo_frame(name)
    chain = [BASE, *selections(picture)[which]]
    exact = shown_exactly(codes.unpack(picture.packed), chain)
    located = lattice.locate(picture.packed)
    # The first time area by area, then by nodes baked at shares; some masks are new every time.
    ways = [codes.decode_signal(develop(picture.packed, chain, table, located)).transpose(1, 2, 0) for _ in range(3)]
    for fast in (*ways, display_of(picture.working, chain, table)):
        difference = display_difference(fast[::3, ::3], exact[::3, ::3])
        assert difference.mean() <= 0.1
        assert np.percentile(difference, 99) <= 0.5
    without = shown_exactly(codes.unpack(picture.packed), chain[:1])
    assert display_difference(without[::3, ::3], exact[::3, ::3]).mean() > 0.1


def test_large_frames_are_developed_as_small_ones(demo_frame, table):
    picture = demo_frame("12A-1", width=960)
    after = [Primary((0.95, 1.0, 1.02), power=(1.05, 1.0, 0.97)), Limits(2.0, 98.0, 2.0)]
    chain = [BASE, *selections(picture)["overlapping"], *after]
    exact = shown_exactly(codes.unpack(picture.packed), chain)
    # From the second time on by a lattice before the areas and a table after them.
    for _ in range(3):
        shown = codes.decode_signal(develop(picture.packed, chain, table).transpose(1, 2, 0))
        difference = display_difference(shown[::5, ::5], exact[::5, ::5])
        assert difference.mean() <= 0.1
        assert np.percentile(difference, 99) <= 0.5


def test_a_matte_after_an_area_is_that_of_colours_as_they_reach_it(demo_frame, table):
    picture = demo_frame("12A-1", width=960)
    ways = selections(picture)
    before, clean = [BASE, *ways["ellipse"], COOLER], ways["cleaned"][0]
    reached = np.asarray(codes.unpack(picture.packed))
    for values in before:
        reached = values.apply(reached)
    assert clean.pick
    wanted = clean.pick.share(reached.astype(np.float32))
    for _ in range(3):
        masks._kept.clear()
        found = masks.share_of(
            picture.packed, before, replace(clean, pick=replace(clean.pick, specks=0, holes=0, edge=0)), table
        )
        assert np.abs(found - wanted).mean() < 0.002


# Picks

colour = st.tuples(st.floats(0.2, 0.7), st.floats(-0.15, 0.15), st.floats(-0.15, 0.15))


def of(level: float, x: float, y: float) -> np.ndarray:
    return opponent.joined(np.array(level), np.array([x, y]))


@given(colour)
def test_a_sample_belongs_to_its_pick_and_a_left_one_does_not(one):
    sample = Sample(*one)
    away = Sample(one[0], one[1] + 0.08, one[2])
    pick = Pick((sample,), (away,), reach=0.05, soft=0.02)
    assert pick.share(of(*one)) == pytest.approx(1, abs=1e-6)
    assert pick.share(of(away.level, away.x, away.y)) < 0.5


@given(colour, st.floats(-1, 1))
def test_a_stop_of_light_hardly_changes_what_belongs(one, stops):
    pick = Pick((RED,), (GREY,), reach=0.05, soft=0.04)
    working = of(*one)
    assert abs(pick.share(working + stops * STOP) - pick.share(working)) <= 0.11


@given(colour)
def test_no_colour_beyond_the_bound_ever_belongs(one):
    pick = Pick((RED,), (BLUE,), reach=0.04, soft=0.03, levels=(0.3, 0.6), depths=(0.05, 0.3), hues=(320, 40))
    assert pick.share(of(*one)) <= pick.bound(of(*one)) + 1e-12


def test_ranges_narrow_a_pick():
    wide = Pick((RED,), reach=0.2, soft=0.05)
    lower, higher = of(0.3, 0.1, 0.0), of(0.6, 0.1, 0.0)
    assert wide.share(lower) > 0.9
    assert replace(wide, levels=(0.5, 0.8)).share(lower) == 0
    assert replace(wide, levels=(0.5, 0.8)).share(higher) == wide.share(higher)
    assert replace(wide, depths=(0.15, 1.0)).share(lower) == 0
    assert replace(wide, hues=(90, 200)).share(lower) == 0
    assert replace(wide, hues=(350, 10)).share(lower) == pytest.approx(wide.share(lower))


def test_cleaning_takes_specks_and_fills_holes_within_the_bound():
    share = np.zeros((200, 320))
    share[50:150, 100:220] = 1
    share[20, 20] = 1
    share[100, 150] = 0
    share[110, 180] = 0
    bound = np.ones_like(share)
    bound[110, 180] = 0
    clean = cleaned(Pick((RED,), specks=0.006, holes=0.006), as_bytes(share), as_bytes(bound)) / MOST
    assert clean[20, 20] == 0
    assert clean[100, 150] == 1
    assert clean[110, 180] == 0
    kept = share.copy()
    kept[20, 20], kept[100, 150] = 0, 1
    assert np.abs(clean - kept).mean() < 1e-4
    soft = cleaned(Pick((RED,), edge=0.02), as_bytes(share), as_bytes(bound)) / MOST
    assert 0.3 < soft[100, 101] < 0.8
    assert np.all(soft <= bound + 1e-6)


def test_a_matte_stays_when_the_picture_is_enlarged(demo_frame, table):
    small, large = demo_frame("12A-1", width=480), demo_frame("12A-1", width=960)
    selection = selections(small)["cleaned"][0]
    here = masks.share_of(small.packed, [BASE], selection, table)
    there = masks.share_of(large.packed, [BASE], selection, table)
    there = cv2.resize(there, here.shape[::-1], interpolation=cv2.INTER_AREA)
    assert here.mean() > 0.01
    assert np.abs(here - there).mean() < 0.01


# Shapes


def test_an_ellipse_covers_what_its_formula_says():
    share = joined((Ellipse(0.5, 0.5, 0.4, 0.2, 30, 0.0),), 450, 800)
    assert share.mean() == pytest.approx(np.pi * 0.2 * 0.1 * 800 / 450, rel=0.01)
    down, across = (np.average(np.indices(share.shape)[axis], weights=share) for axis in (0, 1))
    assert down == pytest.approx(224.5, abs=0.5)
    assert across == pytest.approx(399.5, abs=0.5)


def test_the_border_is_as_wide_as_its_softness():
    share = joined((Ellipse(0.5, 0.5, 0.6, 0.6, 0, 0.1),), 800, 800)[400, 400:]
    inner, outer = np.flatnonzero(share < 0.999)[0], np.flatnonzero(share < 0.001)[0]
    assert inner / 800 == pytest.approx(0.25, abs=0.005)
    assert outer / 800 == pytest.approx(0.35, abs=0.005)
    assert share[240] == pytest.approx(0.5, abs=0.01)


def test_an_outline_with_straight_sides_is_the_filled_polygon():
    corners = ((0.2, 0.2), (0.8, 0.3), (0.5, 0.8))
    share = joined((Outline(corners, 0.0, straight=True),), 360, 640)
    filled = np.zeros((360, 640), np.uint8)
    cv2.fillPoly(filled, [np.round(np.array(corners) * (640, 360)).astype(np.int32)], (1,))
    assert np.abs(share - filled).mean() < 0.005
    curved = joined((Outline(corners, 0.0),), 360, 640)
    assert curved.mean() > share.mean()


def test_a_gradient_goes_from_all_to_none():
    share = joined((Gradient(0.25, 0.5, 0.75, 0.5),), 90, 160)
    assert share[:, :39].min() > 0.999
    assert share[:, 121:].max() < 0.001
    assert share[45, 80] == pytest.approx(0.5, abs=0.02)


def test_shapes_are_added_and_taken_away_in_order():
    whole, hole = Ellipse(0.5, 0.5, 0.6, 0.4, soft=0.0), Ellipse(0.5, 0.5, 0.2, 0.2, soft=0.0, away=True)
    ring = joined((whole, hole), 180, 320)
    assert ring[90, 160] == 0
    assert ring[90, 100] == 1
    assert joined((hole,), 180, 320)[0, 0] == 1


@pytest.mark.parametrize("shape", [ELLIPSE, GRADIENT, OUTLINE], ids=["ellipse", "gradient", "outline"])
def test_a_moved_shape_is_the_picture_moved(shape):
    motion = Motion(0.4, 0.5, 0.06, -0.05, 20, 1.2)
    before = joined((shape,), 360, 640)
    matrix = cv2.getRotationMatrix2D((0.4 * 640, 0.5 * 360), -20, 1.2)
    matrix[:, 2] += (0.06 * 640, -0.05 * 360)
    wanted = cv2.warpAffine(before, matrix, (640, 360), borderMode=cv2.BORDER_REPLICATE)
    moved = joined((shape.moved(motion, 640 / 360),), 360, 640)
    inner = (slice(60, 300), slice(110, 530))
    # A shape's border is not made wider by growing.
    assert np.abs(moved - wanted)[inner].mean() < 0.02


def test_a_track_carries_shapes_from_frame_to_frame_and_stops_where_it_ends():
    where = Track(4, 2, tuple((0.3 + 0.02 * n, 0.5, 0.0, 1.0) for n in range(6)), 16 / 9)
    step = Step("face", Selection((STRONG,), shapes=(replace(ELLIPSE, x=0.34),), track=where))
    xs = [step.at(frame).values.shapes[0].x for frame in (0, 2, 4, 7, 50)]
    assert xs == pytest.approx([0.30, 0.30, 0.34, 0.40, 0.40])
    levels = FourLevels(shot=Correction((*PLAIN["shot"].steps, step)))
    assert levels.at(7).shot.step("face").values.track is None
    with pytest.raises(ValueError, match="a track"):
        _ = levels.shot.chain


def test_a_track_goes_on_where_its_subject_was_lost():
    older = Track(2, 0, ((0.3, 0.5, 0, 1), (0.32, 0.5, 5, 1.1), (0.34, 0.52, 10, 1.2), (0.5, 0.4, 30, 1.5)), 16 / 9)
    newer = Track(6, 2, [(0.6 + 0.01 * n, 0.4, 2.0 * n, 1.0) for n in range(7)], 16 / 9)
    joined = older.going_on(newer)
    assert (joined.drawn, joined.first, joined.last) == (6, 0, 8)
    assert (np.array(joined.places)[:4] == older.places).all()
    # It is as large and turned there as it was where it was lost.
    assert joined.places[6] == pytest.approx([0.64, 0.4, 30, 1.5])
    assert (joined.holds(8), older.holds(4)) == (True, False)


def test_a_document_names_a_track_however_long_it_is(monkeypatch):
    """An hour at 24 frames a second with ten areas: a page of text. The places come from where they are kept."""
    tracks = [Track(0, 0, [(0.5 + 1e-6 * n, 0.5 + 0.01 * i, 0, 1) for n in range(86_400)], 16 / 9) for i in range(10)]
    areas = [Step(f"area {i}", Selection(shapes=(ELLIPSE,), track=one)) for i, one in enumerate(tracks)]
    correction = Correction((*PLAIN["shot"].steps, *areas))
    document = documents.written(correction)
    assert len(json.dumps(document)) < 20_000
    assert documents.read(document) == correction
    assert list(track.tracks_in(correction)) == tracks
    # Where nothing is held, they are asked for by their digest.
    monkeypatch.setattr(track, "_kept", OrderedDict())
    monkeypatch.setattr(track, "_load", None)
    documents._parsed.cache_clear()
    with pytest.raises(ValueError, match="its track is not kept here; follow the subject again"):
        documents.read(document)
    asked = []
    monkeypatch.setattr(
        track, "_load", lambda digest: asked.append(digest) or next(one for one in tracks if one.digest == digest)
    )
    assert documents.read(document) == correction
    assert asked == [one.digest for one in tracks]


def test_a_whole_document_holds_the_places(monkeypatch):
    where = Track(1, 0, ((0.5, 0.5, 0.0, 1.0), (0.51, 0.5, 1.5, 1.1)), 16 / 9)
    correction = Correction((*PLAIN["shot"].steps, Step("face", Selection(shapes=(ELLIPSE,), track=where))))
    document = documents.written(correction, whole=True)
    monkeypatch.setattr(track, "_kept", OrderedDict())
    monkeypatch.setattr(track, "_load", None)
    documents._parsed.cache_clear()
    assert documents.read(document) == correction
    # As documents were before tracks had names.
    of_old = {"drawn": 1, "first": 0, "places": [[0.5, 0.5, 0, 1], [0.51, 0.5, 1.5, 1.1]], "aspect": 16 / 9}
    document["steps"][-1]["values"]["track"] = of_old
    assert documents.read(document) == correction


def test_tracks_that_can_be_loaded_again_are_not_all_held(monkeypatch):
    monkeypatch.setattr(track, "_kept", OrderedDict())
    monkeypatch.setattr(track, "_load", None)
    monkeypatch.setattr(track, "MOST_KEPT", 32 * 250)
    many = [Track(0, 0, [(0.5, 0.1 * n, 0, 1)] * 100, 1.5) for n in range(5)]
    for one in many:
        track.keep(one)
    assert len(track._kept) == 5
    monkeypatch.setattr(track, "_load", lambda digest: None)
    assert track.keep(Track(0, 0, many[0].places, 1.5)) is many[0]
    newer = track.keep(Track(0, 0, [(0.5, 0.9, 0, 1)] * 100, 1.5))
    assert list(track._kept.values()) == [many[0], newer]


# Values


def test_inside_and_outside_each_have_their_own_numbers():
    picture = np.full((20, 40, 3), 0.4)
    selection = Selection((Primary(offset=(0.1, 0, 0)),), (Primary(offset=(0, 0, 0.1)),), shapes=(Ellipse(0.5, 0.5, 0.4, 0.3, soft=0.0),))  # fmt: skip
    shown = selection.apply(picture)
    assert shown[10, 20] == pytest.approx([0.5, 0.4, 0.4])
    assert shown[0, 0] == pytest.approx([0.4, 0.4, 0.5])
    assert selection.apply(picture.reshape(-1, 3))[500] == pytest.approx([0.4, 0.4, 0.5])


def test_a_document_holds_all_of_a_selection(demo_frame):
    where = Track(0, 0, ((0.5, 0.5, 0.0, 1.0), (0.51, 0.5, 1.5, 1.1)), 16 / 9)
    every = [one for many in selections(demo_frame("12A-1")).values() for one in many]
    steps = (*PLAIN["shot"].steps, *(Step(f"part {n}", one) for n, one in enumerate(every)))
    steps = (*steps, Step("face", Selection(shapes=(ELLIPSE, OUTLINE, GRADIENT), track=where)))
    correction = checked("shot", Correction(steps))
    assert documents.read(documents.written(correction)) == correction


def test_between_two_keyframes_shapes_and_numbers_go_on():
    first = Selection((Primary(offset=(0.0, 0, 0)),), shapes=(Ellipse(0.2, 0.5, 0.2, 0.2),))
    last = Selection((Primary(offset=(0.1, 0, 0)),), shapes=(Ellipse(0.6, 0.5, 0.4, 0.2),))
    step = Step("area", first, keyframes=(Keyframe(0, first), Keyframe(10, last)))
    half = step.at(5).values
    assert half.inside[0].offset[0] == pytest.approx(0.05)
    assert half.shapes[0].as_array()[:3] == pytest.approx([0.4, 0.5, 0.3])


def test_formats_say_what_they_leave_out():
    pick, area = Selection((STRONG,), pick=Pick((RED,))), Selection((STRONG,), shapes=(ELLIPSE,))
    levels = FourLevels(shot=Correction((*PLAIN["shot"].steps, Step("red", pick), Step("wall", area))))
    assert left_out(levels, "cdl") == ["red", "wall"]
    assert left_out(levels, "cube") == ["wall"]


def test_an_area_is_copied_without_its_track():
    where = Track(0, 0, ((0.5, 0.5, 0.0, 1.0),), 16 / 9)
    source = Correction((*PLAIN["shot"].steps, Step("face", Selection(shapes=(ELLIPSE,), track=where))))
    copied = with_steps(source, PLAIN["shot"], ["face"])
    assert copied.step("face").values == Selection(shapes=(ELLIPSE,))


@pytest.mark.parametrize(
    ("make", "said"),
    [
        (lambda: Pick(()), "includes at least one colour"),
        (lambda: Pick((RED,), (RED,)), "both included and excluded"),
        (lambda: Pick((RED,) * (MOST_SAMPLES + 1)), "at most 24 included"),
        (lambda: Pick((RED,), reach=-0.1), "reach lies between"),
        (lambda: Pick((RED,), soft=0.0), "softness lies between"),
        (lambda: Pick((RED,), levels=(0.5, 0.4)), "from low to high"),
        (lambda: Sample(np.nan, 0, 0), "a sample of a pick"),
        (lambda: Selection(), "this selects nothing"),
        (lambda: Selection(inside=(), pick=Pick((RED,))), "CDL values"),
        (lambda: Selection(shapes=(ELLIPSE,) * 13), "at most 12 shapes"),
        (lambda: Ellipse(0.5, 0.5, 0.0, 0.2), "needs a size"),
        (lambda: Ellipse(8, 0.5, 0.1, 0.2), "too far outside"),
        (lambda: Gradient(0.5, 0.5, 0.5, 0.5), "lie apart"),
        (lambda: Outline(((0.1, 0.1), (0.2, 0.2))), "3 to 64 corners"),
        (lambda: Outline(((0.1, 0.1),) * 3), "needs a size"),
        (lambda: Outline(OUTLINE.corners, soft=2), "softness"),
        (lambda: Track(5, 0, ((0.5, 0.5, 0, 1),), 1.8), "drawn on"),
        (lambda: Track(0, 0, ((0.5, 0.5, 0, 0),), 1.8), "of some size"),
    ],
)
def test_what_is_refused_is_said(make, said):
    with pytest.raises(ValueError, match=said):
        make()


@pytest.mark.parametrize("level", ["camera", "family", "show"])
def test_areas_are_a_shots_own_and_picks_a_shots_or_a_familys(level):
    area = Correction((*PLAIN[level].steps, Step("wall", Selection(shapes=(ELLIPSE,)))))
    pick = Correction((*PLAIN[level].steps, Step("red", Selection(pick=Pick((RED,))))))
    with pytest.raises(ValueError, match="part of a picture"):
        checked(level, area)
    if level == "family":
        assert checked(level, pick) == pick
    else:
        with pytest.raises(ValueError, match="part of a picture"):
            checked(level, pick)


# What is done to a part


def skin(count: int = 400, cast=(0.0, 0.0, 0.0)) -> np.ndarray:
    """Working values of one skin in soft light, under a cast in stops."""
    rng = np.random.default_rng(4)
    level = rng.uniform(0.36, 0.48, count)
    colours = opponent.joined(level, np.array([0.035, 0.026]) + rng.normal(0, 0.002, (count, 2)))
    return colours + np.array(cast) * STOP


@pytest.mark.parametrize("cast", [(0.5, 0, 0), (-0.25, 0.25, 0), (0, 0, 0.5), (0, -0.5, 0)])
def test_skin_is_led_to_its_line_and_stays_as_light(table, cast):
    reaching = skin(cast=cast)
    numbers = parts.on_skin_line(reaching, Primary(), (), table)

    def seen(primary: Primary) -> tuple[float, float]:
        shown = display_of(primary.apply(reaching), [], table).astype(float)
        cb, cr = chroma_plane(shown).mean(axis=0)
        return np.degrees(np.arctan2(cr, cb)) % 360, lab_of_display(shown)[:, 0].mean()

    (before, light), (after, still) = seen(Primary()), seen(numbers)
    assert abs(before - SKIN_LINE) > 1
    assert abs(after - SKIN_LINE) <= 1
    assert abs(still - light) <= 0.5
    assert numbers.saturation == 1


def test_greys_and_foliage_are_not_led_to_the_skins_line(table):
    grey = np.repeat(np.linspace(0.3, 0.6, 50)[:, None], 3, axis=1)
    foliage = opponent.joined(np.linspace(0.3, 0.5, 50), np.array([-0.06, 0.05]))
    for reaching in (grey, foliage):
        with pytest.raises(ValueError, match="hardly any skin colour"):
            parts.on_skin_line(reaching, Primary(), (), table)


def test_a_wall_in_the_sun_is_held_down_as_under_less_light(table, rng):
    wall = np.array([0.60, 0.585, 0.55]) + rng.normal(0, 0.004, (500, 1))
    numbers = parts.held_down(wall, Primary(), (), table, 0.6, DEFAULT_PERCENTILES)
    before, after = (
        readings_of_display(display_of(one.apply(wall), [], table)).reshape(-1)[2:9:3] for one in (Primary(), numbers)
    )
    assert before.max() > 75
    assert after.max() == pytest.approx(60, abs=0.3)
    # Its colour goes along: the channels keep their order, and most of what lies between them.
    assert after[0] > after[1] > after[2]
    assert after[0] - after[2] > 0.5 * (before[0] - before[2])
    assert len(set(numbers.slope)) == 1
    assert 0.5 < numbers.slope[0] < 1


def test_what_is_dark_in_it_hardly_moves(table, rng):
    window = np.repeat(np.r_[rng.uniform(0.2, 0.25, 200), rng.uniform(0.58, 0.64, 300)][:, None], 3, axis=1)
    numbers = parts.held_down(window, Primary(), (), table, 0.7, DEFAULT_PERCENTILES)
    before, after = (readings_of_display(display_of(one.apply(window), [], table)) for one in (Primary(), numbers))
    assert after[2] == pytest.approx(70, abs=0.3)
    assert abs(after[0] - before[0]) < 1


def test_a_soft_edge_comes_down_by_less_and_is_read_as_it_is(table, rng):
    wall = np.array([0.60, 0.585, 0.55]) + rng.normal(0, 0.004, (500, 1))
    share = np.linspace(0.5, 1, 500)[:, None]
    numbers = parts.held_down(wall, Primary(), (), table, 0.7, DEFAULT_PERCENTILES, share)
    shown = display_of((wall + share * (numbers.apply(wall) - wall)).astype(np.float32), [], table)
    assert readings_of_display(shown)[2] == pytest.approx(70, abs=0.3)


def test_what_reads_less_is_not_held_down_and_what_comes_after_can_forbid_it(table):
    wall = np.full((50, 3), 0.5)
    with pytest.raises(ValueError, match="there is nothing above 90 %"):
        parts.held_down(wall, Primary(), (), table, 0.9, DEFAULT_PERCENTILES)
    lifted = (Primary(slope=(0.01, 0.01, 0.01), offset=(0.6, 0.6, 0.6)),)
    with pytest.raises(ValueError, match="later steps lift it"):
        parts.held_down(wall, Primary(), lifted, table, 0.4, DEFAULT_PERCENTILES)


def test_samples_stand_for_the_colours_of_a_box(rng):
    one = opponent.joined(rng.uniform(0.3, 0.5, 300), np.array([0.1, 0.02]) + rng.normal(0, 0.001, (300, 2)))
    other = opponent.joined(rng.uniform(0.3, 0.5, 200), np.array([-0.05, 0.03]) + rng.normal(0, 0.001, (200, 2)))
    assert len(parts.samples_of(one)) == 1
    first, second, *_ = parts.samples_of(np.concatenate([one, other]))
    assert (first.x, first.y) == pytest.approx((0.1, 0.02), abs=0.003)
    assert (second.x, second.y) == pytest.approx((-0.05, 0.03), abs=0.003)
    assert parts.samples_of(np.concatenate([one, other])) == parts.samples_of(np.concatenate([one, other]))


def test_a_pick_reaches_as_far_as_its_samples_lie_apart():
    close, apart = (parts.fitted((RED, Sample(0.45, 0.12 + by, 0.01)), RED.working()[None])[0] for by in (0.005, 0.08))
    assert close < apart
    assert Pick((RED, Sample(0.45, 0.2, 0.01)), reach=apart).share(of(0.45, 0.16, 0.01)) > 0.9


def test_the_nearest_colours_are_found_in_another_picture(rng):
    """A red that is paler there is found before the brown beside it."""
    there = np.empty((40, 60, 3))
    there[:] = opponent.joined(np.array(0.4), np.array([0.03, 0.03]))
    there[10:20, 10:30] = opponent.joined(np.array(0.4), np.array([0.08, 0.008]))
    selection = Selection(pick=Pick((RED,), reach=0.01, soft=0.015))
    share = selection.share(there)
    assert share.max() < 0.5
    found = parts.nearest_in(selection, there + rng.normal(0, 0.0005, there.shape), share, 0.1)
    assert found[10:20, 10:30].sum() == found.sum() > 100
    # A grey that is left out here lies nearer to the paler red than its own deep one does.
    assert selection.pick
    grey = replace(selection, pick=replace(selection.pick, left=(Sample(0.4, 0.06, 0.006),)))
    assert np.array_equal(parts.nearest_in(grey, there, share, 0.1), parts.nearest_in(selection, there, share, 0.1))
    with pytest.raises(ValueError, match="hardly any colour"):
        parts.nearest_in(Selection(pick=Pick((Sample(0.4, -0.3, 0.4),), reach=0.01)), there, share, 0.1)
    with pytest.raises(ValueError, match="hardly anything of that place"):
        parts.nearest_in(Selection(shapes=(ELLIPSE,)), there, np.zeros((40, 60)), 0.1)
