"""What near-neutrals add to what is believed, alone and borne out by the brightest surfaces."""

import numpy as np
import pytest

from dovrel.core.balance.belief import Belief, exposure_of
from dovrel.core.balance.forest import learned
from dovrel.core.balance.hearing import Heard
from dovrel.core.balance.statistics import Seen
from dovrel.core.balance.whites import White

BELIEVED = np.array([0.1, 0.0, -0.3])
"""A correction of a blue picture that goes by a quarter of what it needs."""
NEAR = (-0.3, 1.0)
"""The light's log ratios of red and blue to green, as near-neutrals show it."""


def heard(near: White | None, bright: White | None) -> Heard:
    nothing = np.zeros((2, 2, 3), np.float32)
    seen = Seen(nothing, nothing, np.ones((2, 2), bool), np.ones((2, 2), bool), True)
    seen.__dict__.update(near=near, by_brightest=bright)
    return Heard(learned(), seen, np.zeros(0), Belief(BELIEVED[None], np.ones(1)))


def white(chroma: tuple[float, float], confidence: float = 0.6) -> White:
    return White("", "", chroma, confidence, "")


def blue_of(gains: np.ndarray) -> float:
    return float(gains[2] - gains[1])


def test_near_neutrals_that_ask_for_much_more_are_heard_where_the_brightest_surfaces_bear_them_out():
    alone = heard(white(NEAR), white((0.4, 0.2))).decided()
    assert alone == pytest.approx(BELIEVED)
    borne_out = heard(white(NEAR), white((-0.2, 0.9))).decided()
    assert blue_of(borne_out) == pytest.approx((-0.3 - 1.0) / 2, abs=0.02)
    assert exposure_of(borne_out) == pytest.approx(float(exposure_of(BELIEVED)), abs=1e-6)


@pytest.mark.parametrize(
    ("near", "bright"),
    [(None, white(NEAR)), (white(NEAR, 0.4), white(NEAR)), (white(NEAR), None), (white((-1.0, 2.4)), white((-1.0, 2.4)))],
    ids=["none", "hardly sure", "not borne out", "too far"],
)  # fmt: skip
def test_what_is_believed_stays_where_they_say_too_little_or_too_much(near, bright):
    assert heard(near, bright).decided() == pytest.approx(BELIEVED)


def test_near_neutrals_close_by_make_it_exact_by_themselves():
    close = heard(white((-0.15, 0.5)), None).decided()
    assert blue_of(close) == pytest.approx((-0.3 - 0.5) / 2, abs=0.02)
