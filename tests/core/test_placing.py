"""Which shot an event means, and which frames it shows."""

from fractions import Fraction

import pytest

from dovrel.core.placing import Event, Placed, Placing, Recorded, Unplaced

DAY = 86400
SHOTS = [
    Recorded(1, "12A-1", "A003C001.mov", "QUIRE1", Fraction(24), 72, DAY),
    Recorded(2, "12A-2", "A003C002.mov", "QUIRE1", Fraction(24), 60, DAY + 500),
    Recorded(3, "12B-1", "cv 12b (one).mov", "CV12-12B", Fraction(24), 48, DAY + 5),
    Recorded(4, "pick up", "PICKUP.mov", "", Fraction(25), 50, None),
    Recorded(5, "fast", "fast.mov", "HS", Fraction(48), 480, 2 * DAY),
    Recorded(6, "take", "one/take.mov", "", Fraction(24), 40, 0),
    Recorded(7, "take", "two/take.mov", "", Fraction(24), 40, 1000),
]
PLACING = Placing(SHOTS)


def event(name="", first=DAY + 10, frames=20, *, reel="", file="", rate=24.0, **more):
    return Event(1, name, reel, file, first, frames, rate, **more)


@pytest.mark.parametrize(
    ("said", "shot"),
    [
        (event("12A-1"), 1),
        (event("whatever", file="a003c001.MOV"), 1),
        (event("A003C001"), 1),
        (event(reel="QUIRE1"), 1),
        (event(reel="QUIRE1", first=DAY + 510), 2),
        (event(reel="CV1212B"), 3),
        (event(reel="A003C001"), 1),
        (event("  12a_1.new.01"), 1),
        (event("CV_12B_one copy 2"), 3),
        (event("12A-1 sync"), 1),
        (event("A003C001_synced_long"), 1),
        (event("take", first=1010), 7),
    ],
)
def test_a_shot_is_found_by_what_is_surest(said, shot):
    found = PLACING.place(said)
    assert isinstance(found, Placed), found
    assert found.shot == shot


@pytest.mark.parametrize(
    ("said", "why", "candidates"),
    [
        (event("nothing like it"), "no shot is called nothing like it", ()),
        (event(reel="QUIRE1", first=7), "no shot of reel QUIRE1 has this timecode", ()),
        (event(reel="ELSEWHERE"), "no shot is of reel ELSEWHERE", ()),
        (event("take", first=99_000), "2 shots may be meant", (6, 7)),
        (event(), "it names no clip", ()),
    ],
)
def test_what_cannot_be_placed_says_why(said, why, candidates):
    found = PLACING.place(said)
    assert isinstance(found, Unplaced)
    assert why in found.reason
    assert found.candidates == candidates


def test_an_answer_settles_it():
    found = PLACING.place(event("take", first=99_000), 6)
    assert isinstance(found, Placed)
    assert (found.shot, found.span) == (6, None)
    assert "outside" in found.told


@pytest.mark.parametrize(
    ("more", "span", "backwards", "told"),
    [
        ({}, (10, 29), False, ""),
        ({"speed": 0.5}, (10, 19), False, "at 50% speed"),
        ({"speed": 2.0}, (10, 49), False, "at 200% speed"),
        ({"speed": 0.0}, (10, 10), False, "a held frame"),
        ({"speed": -1.0}, (10, 29), True, "backwards"),
        ({"dissolve_in": 6, "dissolve_out": 4}, (16, 25), False, "dissolve of 6 into it, dissolve of 4 out of it"),
        ({"frames": 500}, (10, 71), False, ""),
    ],
)
def test_the_frames_seen_whole_follow_speed_and_dissolves(more, span, backwards, told):
    found = PLACING.place(event("12A-1", **more))
    assert isinstance(found, Placed)
    assert (found.span, found.backwards, found.told) == (span, backwards, told)


def test_rates_that_differ_meet_by_the_time():
    """An edit at 24 of a clip at 48: one second in, half a second long."""
    found = PLACING.place(event("fast", first=DAY + 24, frames=12))
    assert isinstance(found, Placed)
    assert found.span == (48, 71)
