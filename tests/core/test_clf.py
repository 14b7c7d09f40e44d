"""CLF files, read by OpenColorIO: what a chain does to colours comes out as it does here."""

import numpy as np
import PyOpenColorIO as ocio
import pytest

from dovrel.core.colour import look_files, outputs, spaces
from dovrel.core.develop.exact import shown_exactly
from dovrel.core.measure.difference import display_difference
from dovrel.core.steps.carried import left_out, point_wise
from dovrel.core.steps.chain import apply_in_order
from dovrel.core.steps.correction import PLAIN, Correction, Step
from dovrel.core.steps.curves import Curve, Curves
from dovrel.core.steps.density import Density
from dovrel.core.steps.hue_turns import HueTurns, Spoke
from dovrel.core.steps.kinds import Kinds
from dovrel.core.steps.levels import FourLevels
from dovrel.core.steps.limits import Limits
from dovrel.core.steps.pick import Pick, Sample
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.selection import Selection
from dovrel.core.steps.shapes import Ellipse
from dovrel.core.steps.vignette import Vignette
from dovrel.core.steps.zone_tints import ZoneTints
from dovrel.formats import clf

NUMBERS = Primary((1.1, 1.0, 0.95), (-0.03, 0.0, 0.02), (1.0, 1.1, 0.95), 0.8)
CURVES = Curves(Curve(((0.15, 0.12), (0.35, 0.37), (0.6, 0.62)), low_held=True), red=Curve(((0.3, 0.28), (0.5, 0.53))))
HUES = HueTurns((Spoke(10, 40, 12, 0.7, -0.5), Spoke(210, 50, -6, 1.3)))
COLOUR = (HUES, Density(0.6, 0.3), ZoneTints((0.02, 0.0), highs=(-0.01, 0.01)))
RED = Selection((Primary(saturation=0.5),), pick=Pick((Sample(0.2, 0.02, 0.4),), reach=0.05, soft=0.1))


def _read(path, working: np.ndarray) -> np.ndarray:
    transform = ocio.FileTransform(src=str(path), interpolation=ocio.INTERP_BEST)
    return outputs.run(outputs.config().getProcessor(transform).getDefaultCPUProcessor(), working)


def test_ten_numbers_are_carried_as_they_are(tmp_path, rng):
    path = tmp_path / "numbers.clf"
    clf.write(path, [NUMBERS, Primary((0.9, 1.0, 1.1), saturation=1.3)], "12A-1")
    working = rng.uniform(-0.1, 1.3, (2000, 3)).astype(np.float32)
    wanted = apply_in_order(working, [NUMBERS, Primary((0.9, 1.0, 1.1), saturation=1.3)])
    # The library raises to powers by an approximation.
    assert np.abs(_read(path, working) - wanted).max() < 3e-5


@pytest.mark.parametrize(
    ("chain", "mean"),
    [([CURVES], 0.01), ([NUMBERS, CURVES, NUMBERS], 0.02), ([*COLOUR], 0.1), ([RED], 0.05), ([NUMBERS, *COLOUR, CURVES, RED], 0.08)],
    ids=["curves", "between numbers", "colour", "a pick", "all"],
)  # fmt: skip
def test_everything_that_acts_on_colours_shows_as_it_does_here(demo_frame, tmp_path, chain: list[Kinds], mean):
    path = tmp_path / "all.clf"
    working = np.ascontiguousarray(demo_frame("12A-1").working[::2, ::2].reshape(-1, 3), np.float32)
    clf.write(path, chain, "all", working[::8])
    shown = outputs.to_display(_read(path, working))
    wanted = shown_exactly(working, chain)
    difference = display_difference(shown, wanted)
    assert difference.mean() <= mean
    assert np.percentile(difference, 99) <= 0.65
    assert display_difference(shown_exactly(working, []), wanted).mean() > 0.2


def test_nothing_is_carried_as_nothing(tmp_path, rng):
    path = tmp_path / "none.clf"
    clf.write(path, [Primary()], "4 & <5>")
    working = rng.uniform(-0.1, 1.3, (100, 3)).astype(np.float32)
    assert np.abs(_read(path, working) - working).max() < 1e-7
    assert 'id="_4____5_"' in path.read_text()
    assert "4 &amp; &lt;5&gt;" in path.read_text()


def test_it_comes_back_as_a_look_in_the_right_space(tmp_path):
    path = tmp_path / "look.clf"
    clf.write(path, [NUMBERS], "look")
    look_files.keep_in(tmp_path / "looks")
    try:
        expected = look_files.keep(path, "look.clf").expected
        assert (expected.takes, expected.gives, expected.assumed) == (spaces.WORKING, spaces.WORKING, False)
    finally:
        look_files.keep_in(None)


def test_what_needs_a_place_or_the_display_is_left_out_and_named():
    area = Selection((NUMBERS,), shapes=(Ellipse(0.5, 0.5, 0.2, 0.2),))
    levels = FourLevels(
        shot=Correction((*PLAIN["shot"].steps, Step("red", RED), Step("wall", area))),
        show=Correction((*PLAIN["show"].steps, Step("limits", Limits()), Step("edges", Vignette()))),
    )
    assert left_out(levels, "clf") == ["wall", "limits", "edges"]
    assert left_out(levels, "cube") == ["wall", "edges"]
    assert [values for values in point_wise(levels.at(0).in_order) if not values.is_identity] == [RED]
