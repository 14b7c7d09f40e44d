"""Frames developed through lattices, against the exact transforms and against each other."""

import numpy as np
import pytest

from dovrel.core.colour import codes, outputs, tables
from dovrel.core.develop import lattice
from dovrel.core.develop.frame import develop, display_of, picture_of
from dovrel.core.develop.through import DIRECT_PIXELS, KEPT_LATTICES
from dovrel.core.measure.difference import display_difference
from dovrel.core.steps.primary import IDENTITY, Primary

STRONG = Primary((1.2, 1.15, 1.1), (-0.05, -0.02, 0.01), (1.05, 1.0, 0.95), 1.2)


def shown(display: np.ndarray) -> np.ndarray:
    return codes.decode_signal(display.transpose(1, 2, 0))


@pytest.mark.parametrize("name", ["12A-1", "12C-2", "14A-1", "14B-3", "21C-1", "12C-4"])
def test_a_located_frame_is_the_exact_picture(demo_frame, table, name):
    picture = demo_frame(name)
    located = lattice.locate(picture.packed)
    ours = shown(develop(picture.packed, [STRONG], table, located))
    exact = outputs.to_display(STRONG.apply(picture.working))
    difference = display_difference(ours[::2, ::2], exact[::2, ::2])
    assert difference.mean() <= 0.1
    assert np.percentile(difference, 99) <= 0.5


def test_a_whole_lattice_is_the_exact_picture(demo_frame, table):
    picture = demo_frame("22A-1", width=720)
    assert picture.packed.shape[0] * picture.packed.shape[1] > DIRECT_PIXELS
    ours = shown(develop(picture.packed, [STRONG], table))
    exact = outputs.to_display(STRONG.apply(picture.working))
    difference = display_difference(ours[::3, ::3], exact[::3, ::3])
    assert difference.mean() <= 0.1
    assert np.percentile(difference, 99) <= 0.5


def test_a_correction_that_changes_with_each_frame_is_developed_as_one_that_stays(demo_frame, table):
    picture = demo_frame("12A-1", 12, 960)
    changing = shown(develop(picture.packed, [STRONG], table, changing=True))
    assert np.abs(changing - shown(develop(picture.packed, [STRONG], table))).max() < 0.01
    assert np.abs(changing - display_of(picture.working, [STRONG], table)).max() < 1e-4


def test_levels_are_applied_in_order(demo_frame, table):
    picture = demo_frame("12B-1")
    first, second = Primary(offset=(0.05, 0.0, -0.02)), Primary(slope=(1.2, 1.1, 0.9), saturation=0.7)
    both = shown(develop(picture.packed, [first, second], table, lattice.locate(picture.packed)))
    exact = outputs.to_display(second.apply(first.apply(picture.working)))
    turned = outputs.to_display(first.apply(second.apply(picture.working)))
    assert display_difference(both[::3, ::3], exact[::3, ::3]).mean() <= 0.1
    assert display_difference(both[::3, ::3], turned[::3, ::3]).mean() > 1


def test_weights_add_up_and_colours_come_back(demo_frame, rng):
    """Through nodes that hold their own working values, every pixel's own code comes back."""
    for packed in (demo_frame("12A-1").packed, rng.integers(0, 65536, (40, 50, 3)).astype(np.uint16)):
        located = lattice.locate(packed)
        assert (located.weights.sum(axis=2) == 4096).all()
        words = lattice.table_words(codes.pack(located.nodes))
        back = lattice.develop_located(located, words).transpose(1, 2, 0)
        assert np.abs(back.astype(int) - packed).max() <= 3


def test_more_colours_than_nodes_can_be_numbered_take_a_coarser_lattice(rng):
    packed = rng.integers(0, 65536, (400, 600, 3)).astype(np.uint16)
    located = lattice.locate(packed)
    assert len(located.nodes) <= 65535
    back = lattice.develop_located(located, lattice.table_words(codes.pack(located.nodes))).transpose(1, 2, 0)
    assert np.abs(back.astype(int) - packed).max() <= 5


@pytest.mark.parametrize("value", [0, 20000, 65535])
def test_a_frame_of_one_colour_has_a_lattice(table, value):
    packed = np.full((6, 8, 3), value, np.uint16)
    direct = display_of(codes.unpack(packed), [STRONG], table)
    through = shown(develop(packed, [STRONG], table, lattice.locate(packed)))
    assert np.abs(through - np.clip(direct, -0.125, 1.125)).max() < 2e-3


def test_frames_alike_share_few_whole_lattices(demo_frame):
    """A clip played under one correction must not bake at every frame."""
    grids = {lattice.wide_lattice(demo_frame("12A-1", index).packed) for index in range(10, 22)}
    assert len(grids) <= KEPT_LATTICES


def test_display_codes_round_trip():
    levels = np.linspace(-0.125, 1.125, 5001)
    assert np.abs(codes.decode_signal(codes.encode_signal(levels)) - levels).max() < 1.1e-5
    assert codes.decode_signal(np.array([codes.BLACK_CODE, codes.WHITE_CODE])) == pytest.approx([0, 1], abs=1e-5)


def test_the_8_bit_picture_is_the_nearest_to_the_display():
    display = codes.encode_signal(np.linspace(-0.1, 1.1, 3000)).reshape(1, 30, 100).repeat(3, axis=0)
    picture = picture_of(display)[..., 1].ravel()
    exact = np.clip(codes.decode_signal(display[1].ravel()), 0, 1) * 255
    assert np.abs(picture - exact).max() <= 0.55


def test_frames_of_a_wrong_shape_are_refused(table):
    for shape in ((10, 10), (10, 10, 4), (0, 10, 3)):
        with pytest.raises(ValueError, match="height"):
            develop(np.zeros(shape, np.uint16), [IDENTITY], table)


def test_encodings_through_a_table_are_within_a_ten_thousandth(demo_frame):
    from dovrel.demo.cards import CAMERA_ENCODINGS
    from dovrel.media.picture import WayIn

    for name, camera in (("12A-1", "A"), ("12B-1", "B")):
        recorded = demo_frame(name).recorded
        way = WayIn(CAMERA_ENCODINGS[camera])
        exact = way.exactly(recorded)
        quick = way.quickly(exact.code)
        assert np.abs(quick.working - exact.working).max() < 2e-4
        assert np.abs(quick.working - exact.working).mean() < 3e-5


def test_corrections_are_the_same_on_one_thread(demo_frame, table, monkeypatch):
    from dovrel.core.develop import threads

    packed = demo_frame("12A-1").packed
    two = develop(packed, [STRONG], table, lattice.locate(packed))
    monkeypatch.setattr(threads, "THREADS", 1)
    assert np.array_equal(two, develop(packed, [STRONG], table, lattice.locate(packed)))


def test_wide_ranges_of_the_table_are_reached(table):
    """Beyond what the output spans there is its edge, not a wrap."""
    ends = codes.pack(np.array([[[-0.1] * 3, [1.5] * 3]], np.float32))
    out = shown(develop(ends, [IDENTITY], table, lattice.locate(ends)))
    assert np.abs(out[0, 0]).max() < 2e-3
    assert out[0, 1].min() > 0.95
    assert tables.output_table().nodes.shape == (97, 97, 97, 3)
