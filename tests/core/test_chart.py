"""Charts and grey cards put into real frames under a known light, and frames that hold none."""

import warnings

import cv2
import numpy as np
import pytest

from dovrel.core.balance import chart, propose, whites
from dovrel.core.balance.propose import usable_pixels
from dovrel.core.colour.working import from_linear, to_linear

UPRIGHT = [[400, 200], [520, 205], [515, 285], [398, 280]]
LARGE = [[300, 150], [560, 180], [540, 350], [290, 320]]
SMALL = [[600, 300], [680, 300], [680, 353], [600, 353]]
ON_ITS_SIDE = [[400, 300], [390, 190], [465, 185], [470, 296]]
UPSIDE_DOWN = [[700, 280], [640, 290], [644, 250], [702, 244]]
SHIFT = np.array([0.1, -0.08])
"""How many stops the light on the chart differs from what near-neutrals say of the scene."""


@pytest.fixture(scope="module")
def reflectances() -> np.ndarray:
    """Linear AP1 of the chart's patches under D60, from its reflectances: (4, 6, 3)."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        import colour

        shape = colour.SpectralShape(380, 780, 5)
        observer = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"].copy().align(shape)
        light = colour.sd_CIE_illuminant_D_series(colour.temperature.CCT_to_xy_CIE_D(6000)).align(shape)
        to_ap1 = np.linalg.inv(colour.models.RGB_COLOURSPACE_ACESCG.matrix_RGB_to_XYZ)
        patches = [
            to_ap1 @ (colour.sd_to_XYZ(one.copy().align(shape), observer, light) / 100)
            for one in colour.characterisation.SDS_COLOURCHECKERS["ISO 17321-1"].values()
        ]
    return np.array(patches).reshape(4, 6, 3)


def drawn(patches: np.ndarray, cell: int = 60, gap: int = 10) -> np.ndarray:
    """Patches on black card, linear."""
    rows, columns = patches.shape[:2]
    picture = np.full((rows * (cell + gap) + gap, columns * (cell + gap) + gap, 3), 0.02, np.float32)
    for row in range(rows):
        for column in range(columns):
            top, left = gap + row * (cell + gap), gap + column * (cell + gap)
            picture[top : top + cell, left : left + cell] = patches[row, column]
    return picture


def held_up(working: np.ndarray, picture: np.ndarray, corners: list, light: np.ndarray) -> np.ndarray:
    """A frame with a lit flat thing standing in it, a little soft and noisy: working values."""
    scene = to_linear(working).astype(np.float32)
    lit = cv2.GaussianBlur(picture, (0, 0), 3) * light.astype(np.float32)
    height, width = picture.shape[:2]
    into = cv2.getPerspectiveTransform(
        np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float32), np.array(corners, np.float32)
    )
    size = (scene.shape[1], scene.shape[0])
    cover = cv2.warpPerspective(np.ones((height, width), np.float32), into, size)[..., None]
    mixed = scene * (1 - cover) + cv2.warpPerspective(lit, into, size) * cover
    noise = np.random.default_rng(1).normal(0, 0.002, mixed.shape)
    return from_linear(mixed + noise).astype(np.float32)


def lit_as(working: np.ndarray, chroma: np.ndarray) -> np.ndarray:
    """Gains of a light of this chroma, about as bright as the scene's."""
    middle = float(np.median(np.maximum(to_linear(working)[..., 1], 1e-4)))
    return np.exp2([chroma[0], 0.0, chroma[1]]) * 1.2 * middle / 0.18


def near(working: np.ndarray) -> whites.White:
    found = whites.near_neutrals(working.reshape(-1, 3)[::20])
    assert found is not None
    return found


def test_the_table_is_the_charts(reflectances):
    assert np.abs(chart.PATCHES - reflectances).max() < 2e-4


@pytest.mark.parametrize("corners", [UPRIGHT, LARGE, SMALL, ON_ITS_SIDE, UPSIDE_DOWN])
@pytest.mark.parametrize("shot", ["12A-3", "14A-1", "21A-1"])
def test_a_chart_tells_the_light_on_it(demo_frame, reflectances, shot, corners):
    """Over a wrong setting, at night, and before brick walls that make grids of their own."""
    picture = demo_frame(shot, width=960)
    scene = near(picture.working)
    light = np.array(scene.chroma) + SHIFT
    held = held_up(picture.working, drawn(reflectances), corners, lit_as(picture.working, light))
    found = chart.find_white(held, usable_pixels(picture.recorded), scene)
    assert found is not None
    assert found.id == "chart"
    assert np.abs(np.subtract(found.chroma, light)).max() < 0.02
    assert "greys of a 24-patch chart" in found.reason


@pytest.mark.parametrize("shot", ["12A-1", "12B-1", "12C-2", "14A-1", "14C-1", "21A-1", "22A-1", "22B-1"])
def test_no_chart_is_seen_where_there_is_none(demo_frame, shot):
    picture = demo_frame(shot, width=960)
    found = chart.find_white(picture.working, usable_pixels(picture.recorded), near(picture.working))
    assert found is None or found.id != "chart"


def test_a_grid_of_other_colours_is_no_chart(demo_frame, reflectances):
    """A case of drawers, or a chart with its patches in another order."""
    picture = demo_frame("12A-1", width=960)
    mixed = np.random.default_rng(3).permutation(reflectances.reshape(24, 3)).reshape(4, 6, 3)
    drawers = np.tile([0.24, 0.16, 0.1], (4, 6, 1)) * np.random.default_rng(4).uniform(0.9, 1.1, (4, 6, 1))
    for patches in (mixed, drawers):
        held = held_up(picture.working, drawn(patches), LARGE, lit_as(picture.working, np.zeros(2)))
        found = chart.find_white(held, usable_pixels(picture.recorded), near(picture.working))
        assert found is None or found.id != "chart"


def test_clipped_greys_are_left_out(demo_frame, reflectances):
    picture = demo_frame("21A-1", width=960)
    light = np.array(near(picture.working).chroma)
    held = held_up(picture.working, drawn(reflectances), LARGE, lit_as(picture.working, light))
    bright = np.median(to_linear(held), axis=(0, 1)).max()
    usable = to_linear(held).max(axis=-1) < 2.2 * bright
    found = chart.find_white(held, usable, near(picture.working))
    assert found is not None
    greys = int(found.reason.split()[0])
    assert 2 <= greys < 6
    assert np.abs(np.subtract(found.chroma, light)).max() < 0.03


def test_a_grey_card_tells_the_light_but_a_coloured_one_does_not(demo_frame):
    picture = demo_frame("12A-1", width=960)
    scene = near(picture.working)
    light = np.array(scene.chroma) + SHIFT
    gains, usable = lit_as(picture.working, light), usable_pixels(picture.recorded)
    grey = np.full((200, 260, 3), 0.18, np.float32)
    corners = [[420, 180], [520, 184], [516, 262], [417, 258]]
    found = chart.find_white(held_up(picture.working, grey, corners, gains), usable, scene)
    assert found is not None
    assert found.id == "card"
    assert np.abs(np.subtract(found.chroma, light)).max() < 0.02
    green = grey * np.array([0.6, 1.0, 0.7], np.float32)
    found = chart.find_white(held_up(picture.working, green, corners, gains), usable, scene)
    assert found is None or np.abs(np.subtract(found.chroma, scene.chroma)).max() < 0.35


def test_a_balance_takes_its_white_from_a_chart(demo_frame, reflectances, table):
    """In front of all other candidates, and with its warmth gone in one of them."""
    picture = demo_frame("12A-3", width=960)
    light = np.array(near(picture.working).chroma) + SHIFT
    held = held_up(picture.working, drawn(reflectances), UPRIGHT, lit_as(picture.working, light))
    candidates = propose(held, picture.recorded, table)
    assert candidates[0].id == "chart"
    assert candidates[0].confidence > candidates[1].confidence
    offset = np.array(candidates[0].numbers.offset)
    # A blue setting goes whole, so the chart's greys are neutral after it.
    assert offset[0] - offset[1] == pytest.approx(-light[0] / 17.52, abs=0.002)
    assert offset[2] - offset[1] == pytest.approx(-light[1] / 17.52, abs=0.002)
