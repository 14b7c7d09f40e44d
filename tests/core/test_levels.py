"""Chains of corrections, copying of controls, and cameras' trims, against closed forms."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dovrel.core.colour.working import STOP
from dovrel.core.match.trim import describe, solve_trim
from dovrel.core.steps import controls
from dovrel.core.steps.carried import combined
from dovrel.core.steps.chain import apply_in_order
from dovrel.core.steps.copying import CONTROLS, copied
from dovrel.core.steps.primary import IDENTITY, Primary

plain = st.floats(0.7, 1.4)
triple = st.tuples(plain, plain, plain)
small = st.floats(-0.1, 0.1)
numbers = st.builds(
    Primary,
    triple,
    st.tuples(small, small, small),
    st.sampled_from([(1.0, 1.0, 1.0), (0.9, 1.0, 1.2)]),
    st.sampled_from([1.0, 0.6, 1.3]),
)
saturations = st.builds(Primary, saturation=plain)


@settings(max_examples=80, deadline=None)
@given(st.lists(st.one_of(numbers, saturations, st.just(IDENTITY)), max_size=4))
def test_a_chain_joined_does_what_the_chain_does(chain):
    working = np.random.default_rng(1).uniform(-0.05, 1.1, (300, 3))
    joined = combined(chain)
    assert len(joined) <= len(chain)
    assert np.abs(apply_in_order(working, joined) - apply_in_order(working, chain)).max() < 1e-12


def test_a_trim_and_a_balance_become_one_cdl():
    trim = Primary((0.9, 1.0, 1.1), (0.02, 0.0, -0.02))
    balance = Primary((1.1, 1.0, 1.0), (0.0, 0.01, 0.0), (1.0, 0.9, 1.0), 0.8)
    assert len(combined([trim, balance])) == 1
    assert len(combined([balance, trim])) == 2
    assert combined([IDENTITY, IDENTITY]) == []


@pytest.mark.parametrize("control", CONTROLS)
def test_one_control_is_copied_and_the_others_stay(control):
    source = controls.set_saturation(
        controls.set_exposure(controls.set_white(controls.set_contrast(IDENTITY, 1.2), 5000, 6), 0.8), 1.3
    )
    onto = controls.set_exposure(controls.set_white(IDENTITY, 7000, -4), -0.5)
    there, was = controls.read(source), controls.read(onto)
    now = controls.read(copied(source, onto, [control]))
    expected = {
        "exposure": {"exposure": there.exposure},
        "white balance": {"warmth": there.warmth, "tint": there.tint},
        "contrast": {"contrast": there.contrast},
        "saturation": {"saturation": there.saturation},
    }[control]
    for name in ("exposure", "warmth", "tint", "contrast", "saturation"):
        assert getattr(now, name) == pytest.approx(expected.get(name, getattr(was, name)), rel=2e-3, abs=5e-3), name


def test_all_controls_carry_the_ten_numbers_as_they_are():
    source = Primary((1.1, 0.9, 1.0), (0.01, 0.02, -0.03), (0.95, 1.0, 1.1), 0.9)
    assert copied(source, Primary(saturation=2.0)) == source
    with pytest.raises(ValueError, match="choose what to copy"):
        copied(source, IDENTITY, [])


def camera_pairs(rng, trim: Primary, exposures, whites, noise=0.0):
    """The other camera's colours, and this one's, which the trim brings to them but for each take's own settings."""
    pairs = []
    for stops, white in zip(exposures, whites, strict=True):
        there = rng.uniform(0.2, 0.6, (150, 3))
        here = (there - np.array(trim.offset) - stops * STOP - np.array(white) * STOP) / trim.slope
        pairs.append((here + rng.normal(0, noise, here.shape), there))
    return pairs


def test_a_camera_s_trim_is_found_again(rng):
    trim = Primary((0.9, 0.95, 1.05), (0.05, 0.02, -0.04))
    same = [(0.0, 0.0, 0.0)] * 4
    found = solve_trim(camera_pairs(rng, trim, [0.0, 0.6, -0.4, 0.0], same, 0.002))
    assert np.allclose(found.numbers.slope, trim.slope, atol=0.02)
    assert found.agreed
    assert found.after < 0.25 * found.before
    # What one exposure does to all channels is part of the takes; how the channels lie to each other does not.
    grey = found.numbers.apply(np.full((1, 3), 0.41)) - trim.apply(np.full((1, 3), 0.41))
    assert np.ptp(grey) < 0.004
    assert "exposure" in describe(found)


def test_takes_of_different_white_leave_the_trim_its_contrast_alone(rng):
    trim = Primary((0.8, 0.8, 0.8))
    whites = [(0.5, 0, -0.9), (-0.6, 0, 0.8), (0.0, 0.2, 0.0), (0.9, 0, -0.7)]
    found = solve_trim(camera_pairs(rng, trim, [0, 0, 0, 0], whites))
    assert not found.agreed
    assert np.allclose(found.numbers.slope, 0.8, atol=0.01)
    grey = found.numbers.apply(np.full((1, 3), 0.41359))
    assert np.abs(grey - 0.41359).max() < 1e-3
    assert "each shot's own" in describe(found)


def test_cameras_that_share_nothing_are_told_so():
    with pytest.raises(ValueError, match="show the same"):
        solve_trim([])
