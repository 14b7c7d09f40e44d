"""How rendered pictures are made of frames: their size, their cut, the words in them."""

from fractions import Fraction

import numpy as np
import pytest

from dovrel.core.colour import codes
from dovrel.jobs.picturing import Pictures, timecode_at

GREY = 40_000


@pytest.mark.parametrize(
    ("pictures", "size"),
    [
        (Pictures(), (1920, 1080)),
        (Pictures(1280), (1280, 720)),
        (Pictures(4000), (1920, 1080)),
        (Pictures(aspect=2.39), (1920, 802)),
        (Pictures(aspect=1.0), (1080, 1080)),
        (Pictures(960, 2.0), (960, 480)),
    ],
)
def test_sizes_are_even_and_no_larger_than_the_clip(pictures, size):
    assert pictures.size((1920, 1080)) == size


def test_odd_sides_lose_a_pixel():
    assert Pictures().size((801, 601)) == (800, 600)
    assert Pictures().made(np.zeros((3, 601, 801), np.uint16), "").shape == (3, 600, 800)


def test_a_cut_keeps_the_middle():
    display = np.zeros((3, 100, 200), np.uint16)
    display[:, :, 50:150] = GREY
    square = Pictures(aspect=1.0).made(display, "")
    assert square.shape == (3, 100, 100)
    assert np.all(square == GREY)


def test_a_shape_beyond_reason_is_refused():
    with pytest.raises(ValueError, match="times as wide"):
        Pictures(aspect=0.0)


def test_words_stand_in_the_lower_corners_alone_and_the_frame_stays():
    display = np.full((3, 540, 960), GREY, np.uint16)
    written = Pictures(burnt="12A-1").made(display, "09:14:02:00")
    assert np.all(display == GREY)
    changed = np.flatnonzero((written != GREY).any(axis=(0, 2)))
    assert changed.min() > 0.9 * 540
    row = (written != GREY).any(axis=(0, 1))
    assert row[:200].any()
    assert row[760:].any()
    assert not row[250:700].any()
    letters = written[:, changed.min() :].astype(float)
    assert letters.max() > codes.BLACK_CODE + 0.7 * (codes.WHITE_CODE - codes.BLACK_CODE)
    assert letters.min() < GREY - 5000
    other = Pictures(burnt="12A-1").made(display, "09:14:02:01")
    assert np.any(other[:, :, 480:] != written[:, :, 480:])
    assert np.array_equal(other[:, :, :480], written[:, :, :480])


def test_long_words_do_not_run_out_of_the_picture():
    display = np.full((3, 120, 160), GREY, np.uint16)
    assert Pictures(burnt="a very long name of a shot " * 5).made(display, "").shape == (3, 120, 160)


@pytest.mark.parametrize(
    ("begins", "rate", "frame", "said"),
    [
        ("09:14:02:00", Fraction(24), 25, "09:14:03:01"),
        ("09:59:59:23", Fraction(24000, 1001), 1, "10:00:00:00"),
        ("01:00:59;29", Fraction(30000, 1001), 1, "01:01:00;02"),
        ("01:09:59;29", Fraction(30000, 1001), 1, "01:10:00;00"),
        ("", Fraction(25), 4, "5"),
    ],
)
def test_timecodes_go_on_from_the_clips_own(begins, rate, frame, said):
    assert timecode_at(begins, rate, frame) == said
