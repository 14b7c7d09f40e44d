"""Kinds of steps that finish the display signal: closed forms, statistics, and the fast way held to the exact one."""

from math import erf

import numpy as np
import pytest

from dovrel.core.colour import codes
from dovrel.core.develop import lattice
from dovrel.core.develop.exact import finished_exactly, shown_exactly
from dovrel.core.develop.finishing import grained
from dovrel.core.develop.frame import develop, picture_of, picture_with_grain
from dovrel.core.measure.difference import display_difference
from dovrel.core.measure.frame import measure
from dovrel.core.steps.chain import finish_of
from dovrel.core.steps.correction import Correction, Step, checked
from dovrel.core.steps.grain import Grain
from dovrel.core.steps.halation import Halation
from dovrel.core.steps.limits import Limits
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.sharpen import Sharpen
from dovrel.core.steps.soften import Soften
from dovrel.core.steps.vignette import Vignette

HARD = (
    Soften(0.002, 0.7),
    Soften(0.02, 0.6),
    Sharpen(0.001, 2.0, 0.2),
    Halation(0.01, 0.8, 60),
    Vignette(-1.5, 0.2, 0.8, 0.5, 0.4, 0.55),
    Grain(0.0012, 1.5, 4.0, 1.0),
    Grain(0.0012, 1.5, 4.0, 1.0, colour=0),
)
FRAME = 7


@pytest.mark.parametrize("chain", [*([one] for one in HARD), [*HARD[2:6], Limits(2, 95, 3)]], ids=str)
@pytest.mark.parametrize("way", ["located", "by themselves"])
def test_the_fast_way_is_the_exact_one(demo_frame, table, chain, way):
    picture = demo_frame("12A-1")
    numbers = Primary(offset=(0.02, 0.0, -0.01), saturation=1.1)
    located = lattice.locate(picture.packed) if way == "located" else None
    fast = grained(develop(picture.packed, [numbers, *chain], table, located), chain, FRAME)
    exact = finished_exactly(picture.working, [numbers, *chain], frame=FRAME)
    difference = display_difference(codes.decode_signal(fast.transpose(1, 2, 0)), exact)
    assert difference.mean() <= 0.1
    assert np.percentile(difference, 99) <= 0.5
    unfinished = shown_exactly(picture.working, [numbers])
    assert display_difference(unfinished, exact).mean() > 0.1


def test_a_softened_edge_is_the_error_function():
    edge = np.zeros((20, 400, 3))
    edge[:, 200:] = 0.8
    soft = Soften(0.01, 1.0).finished(edge)
    wanted = [0.4 * (1 + erf((x - 199.5) / (4 * np.sqrt(2)))) for x in range(400)]
    # A blur of samples is that of the edge between them but for what a pixel is wide.
    assert np.abs(soft[10, :, 0] - wanted).max() < 0.002
    assert Soften(0.01, 0.25).finished(edge)[10, 199, 0] == pytest.approx(0.25 * soft[10, 199, 0])


def test_sharpening_leaves_colours_flat_parts_and_noise_as_they_are(rng):
    edge = np.tile((0.5, 0.4, 0.3), (20, 400, 1))
    edge[:, 200:] += 0.2
    sharp = Sharpen(0.004, 1.0, 0.0).finished(edge)
    added = sharp - edge
    assert np.allclose(added, added[..., :1])
    assert np.abs(added[:, :150]).max() < 1e-9
    assert added[10, 199, 0] < -0.05
    assert added[10, 200, 0] > 0.05
    noise = 0.5 + 0.002 * rng.standard_normal((100, 200, 1)).repeat(3, axis=2)
    assert np.abs(Sharpen(0.004, 4.0, 1.0).finished(noise) - noise).max() < 1e-3
    assert Sharpen(0.004, 4.0, 0.0).finished(noise).std() > 3 * noise.std()


def test_what_is_bright_glows_into_what_lies_around_it_most_in_red():
    lamp = np.full((120, 160, 3), 0.2)
    rows, columns = np.mgrid[:120, :160]
    lamp[np.hypot(rows - 60, columns - 80) < 10] = 1.0
    glow = Halation(0.03, 0.5, 75, 0.4, 0.1).finished(lamp) - lamp
    near = glow[60, 93]
    assert near[0] > 0.05
    assert near[1] == pytest.approx(0.4 * near[0])
    assert near[2] == pytest.approx(0.1 * near[0])
    assert glow[60, 80].max() == pytest.approx(0, abs=1e-9)
    assert glow[5, 5].max() < 1e-3
    assert np.array_equal(Halation(begins=75).finished(np.full((9, 9, 3), 0.7)), np.full((9, 9, 3), 0.7))


def test_a_vignette_takes_so_many_stops_of_the_monitors_light():
    grey = np.full((90, 160, 3), 0.5)
    dark = Vignette(-2.0, 0.3, 0.6, 0.0).finished(grey)
    light = (dark / grey) ** 2.4
    assert light[44, 79, 0] == 1.0
    assert np.log2(light[0, 0, 0]) == pytest.approx(-2, abs=1e-9)
    # Halfway in, half of the stops; the shape of the picture, so that it lies as far across as down.
    away = 0.3 + 0.6 / 2
    along = Vignette(-2.0, 0.3, 0.6, 0.0).gain(1800, 3200)[900]
    column = round(3200 * (0.5 + away / np.sqrt(2)))
    assert 2.4 * np.log2(along[column]) == pytest.approx(-1, abs=2e-3)
    circle = Vignette(-2.0, 0.3, 0.6, 1.0).gain(90, 160)
    assert circle[45, 80 + 40] == pytest.approx(circle[45 + 40, 80], rel=0.02)
    lit = Vignette(1.0, 0.3, 0.6, x=0.2, y=0.8).gain(90, 160)
    assert lit[72, 32] == 1.0
    assert lit[0, 159] == pytest.approx(2 ** (1 / 2.4))


def _noise(grain: Grain, frame: int = 0, level: float = 0.5, size: tuple[int, int] = (540, 960)) -> np.ndarray:
    flat = np.full((*size, 3), level)
    return grain.finished(flat, frame) - flat


def test_grain_has_the_strength_asked_for_at_each_tone_and_moves_no_mean():
    grain = Grain(0.0015, 1.0, 3.0, 0.5)
    for level, asked in ((0.0, 1.0), (0.25, 2.0), (0.5, 3.0), (0.75, 1.75), (1.0, 0.5)):
        noise = _noise(grain, level=level, size=(1080, 1920))
        assert 100 * noise.std() == pytest.approx(asked, rel=0.02)
        assert abs(100 * noise.mean()) < 0.02 * asked


@pytest.mark.parametrize("size", [0.001, 0.003])
def test_a_grain_is_as_wide_as_asked_for(size):
    noise = _noise(Grain(size, 2, 2, 2, colour=0), size=(1080, 1920))[..., 0]
    spectrum = np.abs(np.fft.fft2(noise)) ** 2
    around = np.fft.ifft2(spectrum).real
    around /= around[0, 0]
    # Noise blurred by a Gaussian goes with itself as a Gaussian that is the square root of two as wide.
    sigma = size * 1920 / (2 * np.sqrt(2 * np.log(2)))
    for apart in (1, 2, 3):
        wanted = np.exp(-(apart**2) / (4 * sigma**2))
        assert around[apart, 0] == pytest.approx(wanted, abs=0.03)
        assert around[0, apart] == pytest.approx(wanted, abs=0.03)


def test_no_two_frames_have_the_same_grain_and_one_frame_has_it_always():
    grain = Grain()
    one, other = _noise(grain, 10), _noise(grain, 11)
    assert np.array_equal(one, _noise(Grain(), 10))
    assert abs(np.corrcoef(one.ravel(), other.ravel())[0, 1]) < 0.01
    seen = {_noise(Grain(colour=0), frame, size=(54, 96)).tobytes() for frame in range(1000)}
    assert len(seen) == 1000


def test_channels_have_grains_of_their_own_as_far_as_asked_for():
    for colour, together in ((0.0, 1.0), (0.5, 0.5), (1.0, 0.0)):
        red, green, _ = np.moveaxis(_noise(Grain(colour=colour)), -1, 0)
        assert np.corrcoef(red.ravel(), green.ravel())[0, 1] == pytest.approx(together, abs=0.02)


@pytest.mark.parametrize("width", [960, 640, 500])
def test_a_previews_grain_is_the_full_frames_made_smaller(width):
    grain = Grain(0.002, 3, 3, 3)
    height = width * 9 // 16
    full = _noise(grain, 5, size=(1080, 1920))
    small = _noise(grain, 5, size=(height, width))
    if 1920 % width == 0:
        times = 1920 // width
        means = full.reshape(height, times, width, times, 3).mean(axis=(1, 3))
        assert np.abs(means - small).max() < 1e-6
    else:
        assert small.std() < full.std()
        rows, columns = (np.arange(n) * 1920 // width for n in (height, width))
        assert np.corrcoef(full[np.ix_(rows, columns)].ravel(), small.ravel())[0, 1] > 0.5


@pytest.mark.parametrize("values", HARD[:5], ids=lambda values: values.kind)
def test_a_preview_agrees_with_the_full_frame(demo_frame, values):
    full = shown_exactly(demo_frame("12A-1", width=960).working, []).astype(np.float64)
    height, width = (n // 2 for n in full.shape[:2])

    def halved(picture: np.ndarray) -> np.ndarray:
        return picture[: 2 * height, : 2 * width].reshape(height, 2, width, 2, 3).mean(axis=(1, 3))

    # A blur finer than a preview's pixels is none there.
    left = np.abs(values.finished(halved(full)) - halved(values.finished(full))).mean()
    done = np.abs(halved(values.finished(full)) - halved(full)).mean()
    assert left < 0.5 * done


def test_scopes_leave_grain_out_and_measure_the_rest(demo_frame, table):
    picture = demo_frame("12A-1")
    plain = measure(develop(picture.packed, [], table))[1]
    grain, vignette = [Grain(mids=10)], [Vignette(-2)]
    display = develop(picture.packed, grain, table)
    assert np.array_equal(measure(display)[1], plain)
    assert not np.array_equal(picture_with_grain(display, grain, 1), picture_of(display))
    assert np.abs(measure(develop(picture.packed, vignette, table))[1] - plain).max() > 2


def test_limits_hold_with_all_of_them_on(demo_frame, table):
    picture = demo_frame("12A-1")
    chain = [Sharpen(amount=4), Halation(amount=2), Grain(mids=10, highs=10), Limits(5, 90, 2)]
    shown = codes.decode_signal(grained(develop(picture.packed, chain, table), chain, 0))
    assert shown.min() >= 0.05 - 2e-5
    assert shown.max() <= 0.90 + 2e-5


def test_finishing_has_an_order_of_its_own_whatever_it_stands_in():
    chain = [Grain(), Vignette(), Primary(), Soften(), Sharpen(amount=0), Vignette(1.0)]
    assert [values.kind for values in finish_of(chain)] == ["soften", "vignette", "vignette", "grain"]
    assert finish_of(chain)[1] == Vignette()


def test_it_stands_at_the_family_and_the_show_alone():
    for values in HARD:
        of_family = Correction((Step("look", Primary()), Step("it", values)))
        assert checked("family", of_family) is of_family
        with pytest.raises(ValueError, match="“it” finishes the display signal"):
            checked("shot", Correction((Step("balance", Primary()), Step("it", values))))


@pytest.mark.parametrize(
    ("make", "said"),
    [
        (lambda: Soften(size=0.2), "“size” lies between 0.0002 and 0.05, not at 0.2"),
        (lambda: Sharpen(amount=float("nan")), "“amount” lies between 0 and 4, not at nan"),
        (lambda: Vignette(stops=-9), "“stops” lies between -4 and 2"),
        (lambda: Grain(size=0), "“size” lies between"),
    ],
)
def test_numbers_beyond_their_range_are_refused_with_a_sentence(make, said):
    with pytest.raises(ValueError, match=said):
        make()
