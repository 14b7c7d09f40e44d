"""A shot along time: light against known changes, boxes against known moves, keyframes against both."""

import cv2
import numpy as np
import pytest

from dovrel.core.colour import codes
from dovrel.core.colour.working import STOP
from dovrel.core.measure.difference import ciede2000
from dovrel.core.steps.keyframes import values_at
from dovrel.core.time import hold, pieces
from dovrel.core.time.changes import course_of
from dovrel.core.time.follow import Box, NothingToFollow, follow, follow_again
from dovrel.core.time.light import light_along
from dovrel.core.time.run import MOST_FRAMES, Run, numbers_to_look_at, run_of
from dovrel.core.time.seen import seen_by, shown, size_of

SIZE = (320, 180)
COUNT = 48
RATE = 24.0
PASSED = np.linspace(0, 1, COUNT)
LAMPS = np.array([-0.6, -1.2, -2.0])
"""Stops of red, green and blue less under lamps than under the sky."""


def turned(first: float = 0.4, last: float = 0.7) -> np.ndarray:
    """From one light to another between two parts of the shot, gently."""
    part = np.clip((PASSED - first) / (last - first), 0, 1)
    return (part * part * (3 - 2 * part))[:, None] * LAMPS


def way(place: int, pan: float, zoom: float) -> np.ndarray:
    """From pixels of a frame to those of the whole view."""
    scale = 2.0 / (1 + (zoom - 1) * PASSED[place])
    middle = np.array([480.0, 270.0]) + pan * (PASSED[place] - 0.5) * np.array([960, 540])
    return np.hstack([np.eye(2) * scale, (middle - scale * np.array(SIZE) / 2)[:, None]])


def moving(view: np.ndarray, stops: np.ndarray, pan: float = 0.2, zoom: float = 1.2, noise: float = 0.004) -> Run:
    """A view (540, 960, 3), panned over and zoomed into, under a light that changes, with a recording's noise."""
    rng = np.random.default_rng(5)

    def frames():
        for place in range(len(stops)):
            seen = cv2.warpAffine(view, way(place, pan, zoom), SIZE, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
            lit = seen + stops[place].astype(np.float32) * STOP + rng.normal(0, noise, seen.shape)
            code = np.round(np.clip(lit, 0, 1) * 1023) / 1023
            yield place, codes.pack(code.astype(np.float32)), np.zeros(SIZE[::-1], np.uint8)

    return run_of(frames())


@pytest.fixture(scope="module")
def view(demo_frame) -> np.ndarray:
    return np.ascontiguousarray(demo_frame("12A-1", 12, 960).working, np.float32)


@pytest.fixture(scope="module")
def walk(view) -> Run:
    return moving(view, turned())


@pytest.fixture(scope="module")
def light(walk):
    return light_along(walk)


@pytest.fixture(scope="module")
def seen(walk, table) -> np.ndarray:
    return seen_by(walk.frames[0], (), table)


def test_what_the_camera_frames_anew_is_no_change_of_light(view, table):
    run = moving(view, np.zeros((COUNT, 3)))
    light = light_along(run)
    assert np.abs(light.stops).max() < 0.03
    assert course_of(run, light, seen_by(run.frames[0], (), table), RATE).steadiness == "steady"


def test_light_on_the_same_things_is_known_while_the_camera_moves(light):
    assert light.stops == pytest.approx(turned(), abs=0.05)
    assert light.seen.all()


def test_a_change_is_told_where_it_is_with_its_stops_and_its_cast(walk, light, seen):
    course = course_of(walk, light, seen, RATE)
    (change,) = course.changes
    assert course.steadiness == "changing"
    assert change.first == pytest.approx(0.4 * COUNT, abs=3)
    assert change.last == pytest.approx(0.7 * COUNT, abs=3)
    assert change.stops == pytest.approx(-1.08, abs=0.1)
    assert change.warm == pytest.approx(1.4, abs=0.1)
    assert change.said == "−1.1 stops, warmer, greener"


def test_flicker_is_told_and_is_no_change(view, seen):
    stops = np.zeros((COUNT, 3))
    stops[::2] -= 0.25
    run = moving(view, stops, pan=0)
    course = course_of(run, light_along(run), seen, RATE)
    assert course.flickers
    assert course.changes == ()


def test_the_size_of_a_change_is_what_is_seen_of_it(walk, table, seen):
    pixels = codes.unpack(walk.frames[0].packed).reshape(-1, 3)[::40]
    before = shown(pixels, (), table)
    for change in np.array([[0.1, 0.1, 0.1], [0.12, 0, -0.1], [-0.05, 0.1, 0.0]]):
        told = ciede2000(before, shown(pixels + change * STOP, (), table))
        assert size_of(change, seen) == pytest.approx(np.sqrt(np.mean(told**2)), rel=0.25)


# Boxes


def true_middle(box: Box, at: int, place: int, pan: float, zoom: float) -> np.ndarray:
    there, here = way(at, pan, zoom), way(place, pan, zoom)
    whole = there[:, :2] @ (np.array(box.middle) * SIZE) + there[:, 2]
    return np.linalg.solve(here[:, :2], whole - here[:, 2]) / SIZE


def test_a_box_is_followed_through_a_change_of_light_forward_and_backward(walk):
    box = Box(0.42, 0.4, 0.16, 0.24)
    found = follow(walk, box, 20)
    assert [place.frame for place in found.places] == list(range(COUNT))
    apart = [
        np.linalg.norm(np.array(place.box.middle) - true_middle(box, 20, place.frame, 0.2, 1.2))
        for place in found.places
    ]
    assert np.mean(apart) < 0.004
    assert max(apart) < 0.012
    grown = found.places[-1].box.width / found.places[0].box.width
    assert grown == pytest.approx(1.2, rel=0.04)
    assert min(place.sure for place in found.places) > 0.5
    assert found.notes == ()


def test_a_subject_that_leaves_the_picture_is_lost_there_and_said_to_be(view):
    run = moving(view, np.zeros((COUNT, 3)), pan=0.5, zoom=1.0)
    found = follow(run, Box(0.05, 0.4, 0.16, 0.24), 10)
    last = found.places[-1].frame
    assert last < COUNT - 1
    assert f"lost after frame {last + 1}" in found.notes[-1]
    assert all(place.box.x + place.box.width > 0 for place in found.places)


def test_a_lost_subject_is_set_again_by_hand_and_goes_on(view):
    """It goes out of the picture half way; drawn again at the end, it is followed from there, backward too."""
    run = moving(view, np.zeros((COUNT, 3)), pan=0.5, zoom=1.0)
    first = Box(0.05, 0.4, 0.16, 0.24)
    once = follow(run, first, 10)
    late = Box(0.5, 0.4, 0.16, 0.24)
    twice = follow_again(run, [(10, first), (COUNT - 1, late)])
    assert len(twice.places) > len(once.places)
    assert twice.places[-1].box == late
    assert twice.at(10).box == first
    alone = follow(run, late, COUNT - 1)
    assert twice.at(COUNT - 2).box == alone.at(COUNT - 2).box
    missing = COUNT - len(twice.places)
    assert (f"lost on {missing} frames" in twice.notes[0]) if missing else twice.notes == ()
    assert follow_again(run, [(10, first)]).places == once.places
    with pytest.raises(ValueError, match="no box is drawn"):
        follow_again(run, [])


def test_nothing_is_followed_on_a_blank_wall_or_outside_the_picture():
    flat = np.full((540, 960, 3), 0.4, np.float32)
    run = moving(flat, np.zeros((4, 3)))
    with pytest.raises(NothingToFollow, match="too little to see in the box"):
        follow(run, Box(0.3, 0.3, 0.2, 0.2), 0)
    with pytest.raises(ValueError, match="lies outside the picture"):
        Box(1.2, 0.3, 0.2, 0.2)
    with pytest.raises(ValueError, match="too small to follow"):
        follow(run, Box(0.3, 0.3, 0.001, 0.2), 0)


def test_a_box_without_fine_structure_is_not_followed_by_what_compression_leaves_there(view):
    """Water out of focus: it shades from one side to the other, and nothing in it is sharp."""
    bland = cv2.GaussianBlur(view, (0, 0), 120)
    box = Box(0.4, 0.3, 0.3, 0.4)
    with pytest.raises(NothingToFollow, match="too little to see in the box"):
        follow(moving(bland, np.zeros((4, 3)), noise=0.001), box, 0)
    sharper = bland + 0.05 * (view - bland)
    assert len(follow(moving(sharper, np.zeros((4, 3)), noise=0.001), box, 0).places) == 4


# Keyframes


def what_is_left(held: hold.Held, stops: np.ndarray, at: int, seen: np.ndarray) -> np.ndarray:
    """How far, in CIEDE2000, keyframes miss the true change of light, along the shot."""
    found = np.array([values_at(held.keyframes, frame).offset for frame in range(COUNT)]) / -STOP
    return size_of(found - (stops - stops[at]), seen)


def test_a_subject_is_held_through_a_change_by_few_keyframes(walk, table):
    held = hold.hold(walk, follow(walk, Box(0.42, 0.4, 0.16, 0.24), 5), 5, hold.Under(table))
    seen = seen_by(walk.frames[5], (), table)
    left = what_is_left(held, turned(), 5, seen)
    assert len(held.keyframes) <= 5
    assert left.mean() < 0.05 * size_of(LAMPS, seen)
    assert held.largest < 0.15 * held.was
    assert held.largest < 2.2


def test_all_of_the_picture_is_held_in_the_same_way(walk, light, table, seen):
    held = hold.hold_all(walk, light, 0, hold.Under(table))
    assert len(held.keyframes) <= 5
    assert what_is_left(held, turned(), 0, seen).max() < 1.8


def test_nothing_is_done_to_a_shot_whose_light_stays(view, table):
    run = moving(view, np.zeros((12, 3)))
    held = hold.hold_all(run, light_along(run), 0, hold.Under(table))
    assert held.keyframes == ()
    assert "its light does not change" in held.notes[-1]
    one = run_of([(0, run.frames[0].packed, np.zeros(SIZE[::-1], np.uint8))])
    assert "the clip is one frame" in hold.hold_all(one, light_along(one), 0, hold.Under(table)).notes[-1]
    alone = hold.hold(one, follow(one, Box(0.42, 0.4, 0.16, 0.24), 0), 0, hold.Under(table))
    assert "the clip is one frame" in alone.notes[-1]


def test_what_is_too_dark_to_be_compared_is_not_held(view, table):
    dark = moving(view - 0.35, np.zeros((12, 3)), pan=0)
    with pytest.raises(ValueError, match="too dark, or clipped"):
        hold.hold(dark, follow(dark, Box(0.42, 0.4, 0.16, 0.24), 0), 0, hold.Under(table))


def test_a_wander_is_taken_off_and_the_scenes_own_light_left(view, table):
    part = np.sin(2 * np.pi * PASSED)
    stops = np.stack([0.3 * part, 0 * part, -0.3 * part], axis=1)
    run = moving(view, stops)
    found = hold.steady(run, light_along(run), RATE, hold.Under(table))
    frames = np.array([one.frame for one in found.keyframes])
    assert found.largest < 0.2 * found.was
    assert len(frames) >= 3
    assert np.diff(frames).min() >= RATE / 2
    quick = hold.steady(run, light_along(run), 10 * RATE, hold.Under(table))
    assert quick.keyframes == ()
    assert "too fast for a camera's drift" in quick.notes[0]


def test_what_is_lit_anew_each_in_its_own_way_is_the_scenes(view, table):
    """The left of the view loses its sun, the right does not."""
    part = 0.7 * PASSED
    sunny = np.linspace(1.5, 0.0, view.shape[1])[None, :, None] * STOP

    def frames():
        for place in range(COUNT):
            lit = (view - part[place] * sunny).astype(np.float32)
            small = cv2.resize(lit, SIZE, interpolation=cv2.INTER_AREA)
            yield place, codes.pack(small), np.zeros(SIZE[::-1], np.uint8)

    run = run_of(frames())
    found = hold.steady(run, light_along(run), 12.0, hold.Under(table))
    assert found.keyframes == ()
    assert "scene's own light" in found.notes[0]


# Pieces


ALIKE = np.eye(1)


def test_a_step_is_two_keyframes_side_by_side():
    curve = (np.arange(40) >= 17)[:, None] * 2.0
    found = pieces.fit(curve, ALIKE, 0.1, numbers=np.arange(40))
    assert found.places == (16, 17)
    assert found.within < 1e-9


def test_a_gentle_turn_is_one_eased_piece():
    part = np.clip((np.arange(60) - 20) / 20, 0, 1)
    curve = (part * part * (3 - 2 * part))[:, None]
    found = pieces.fit(curve, ALIKE, 0.01, numbers=np.arange(60))
    assert (found.places, found.eases[0]) == ((20, 40), "eased")
    assert found.at(np.arange(60)) == pytest.approx(curve, abs=0.01)


def test_knots_stand_as_far_apart_as_they_must_and_what_that_leaves_is_told():
    curve = np.sin(np.arange(60) / 4)[:, None]
    found = pieces.fit(curve, ALIKE, 0.02, least_gap=12, numbers=np.arange(60))
    assert np.diff(found.places).min() >= 12
    assert found.within == pytest.approx(np.abs(found.at(np.arange(60)) - curve).max())
    assert found.within > 0.02


def test_long_clips_are_looked_at_evenly():
    assert numbers_to_look_at(5) == [0, 1, 2, 3, 4]
    assert numbers_to_look_at(100, 90, 200) == list(range(90, 100))
    long = numbers_to_look_at(10_000)
    assert len(long) <= MOST_FRAMES + 1
    assert (long[0], long[-1]) == (0, 9999)
