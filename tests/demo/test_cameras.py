"""The demo's made-up cameras: what they record, and that their shipped encodings undo it."""

import numpy as np
import pytest

from dovrel.core.colour import encodings
from dovrel.core.colour.working import to_linear
from dovrel.demo import cameras
from dovrel.demo.cameras import LOG_CAMERAS, SETTINGS, Sensor, ap1_responses
from dovrel.demo.scene.spectra import LIGHTS, REFLECTANCES, SENSITIVITIES, TINTED_GLASS, WAVELENGTHS, blackbody

LETTERS = sorted(SENSITIVITIES)


def responses(light: np.ndarray, surfaces: list[np.ndarray]) -> np.ndarray:
    """What the renderer gives: all nine sensor responses (1, n, 9) to surfaces under a light."""
    sensors = np.concatenate([SENSITIVITIES[letter] for letter in "ABC"])
    return np.array([[sensors @ (surface * light) for surface in surfaces]], np.float32)


@pytest.mark.parametrize("letter", sorted(LOG_CAMERAS))
def test_a_shipped_encoding_undoes_what_its_camera_records(letter):
    """Light recorded by the camera and brought in through its CLF, by OpenColorIO, is the light again."""
    camera = LOG_CAMERAS[letter]
    light = np.random.default_rng(1).uniform(0.0, 1.0, (400, 3)).astype(np.float32) ** 2
    light = 0.01 + 0.6 * light + 0.4 * light.mean(axis=1, keepdims=True)
    light = np.concatenate([light, np.repeat(np.geomspace(0.006, 2.5, 60)[:, None], 3, axis=1)]).astype(np.float32)
    code = cameras.record_log(light[None], camera, None)
    assert code.min() > 0
    assert code.max() < 1
    path = f"file:{cameras.ENCODING_FOLDER / camera.encoding}.clf"
    back = to_linear(encodings.to_working(code, path))[0]
    assert np.abs(back - light).max() < 2e-3
    assert np.median(np.abs(back / np.maximum(light, 1e-4) - 1)) < 1e-3


@pytest.mark.parametrize("letter", sorted(LOG_CAMERAS))
def test_encodings_are_written_as_they_are_shipped(letter, tmp_path):
    cameras.write_encodings(tmp_path)
    name = f"{LOG_CAMERAS[letter].encoding}.clf"
    code = np.linspace(0.1, 0.9, 50, dtype=np.float32).repeat(3).reshape(1, -1, 3)
    shipped = encodings.to_working(code, f"file:{cameras.ENCODING_FOLDER / name}")
    written = encodings.to_working(code, f"file:{tmp_path / name}")
    assert np.abs(shipped - written).max() < 1e-6


@pytest.mark.parametrize("letter", sorted(LOG_CAMERAS))
def test_a_log_curve_is_smooth_and_rising_and_ends_where_the_sensor_is_full(letter):
    curve = LOG_CAMERAS[letter].curve
    light = np.linspace(-0.004, 3.0, 20001)
    code = curve.encode(light)
    steps = np.diff(code)
    assert (steps > 0).all()
    at = np.searchsorted(light, curve.cut)
    assert steps[at - 2] == pytest.approx(steps[at + 1], rel=0.1)
    full = np.full((1, 1, 3), 1e3, np.float32)
    assert 0.8 < cameras.record_log(full, LOG_CAMERAS[letter], None).max() <= 1.0


@pytest.mark.parametrize("letter", LETTERS)
def test_a_white_surface_is_neutral_under_the_light_a_camera_is_set_to(letter):
    for setting in SETTINGS.values():
        light = Sensor(letter).light(responses(setting, [np.ones_like(WAVELENGTHS)]), setting)[0, 0]
        assert np.ptp(light) < 1e-3 * light.mean()


def test_cameras_differ_in_colours_but_agree_on_greys():
    """Which is why ten numbers do not make one camera another."""
    daylight = SETTINGS["daylight"]
    names = ["apron_brick", "door_green", "shirt_blue", "cloth_ochre", "skin_fair", "skin_deep"]
    grey = np.full_like(WAVELENGTHS, 0.18)
    seen = {
        letter: Sensor(letter).light(responses(daylight, [grey, *(REFLECTANCES[name] for name in names)]), daylight)[0]
        for letter in LETTERS
    }
    stops = {letter: np.log2(np.maximum(light / light[0], 1e-3)) for letter, light in seen.items()}
    for other in ("B", "C"):
        assert np.abs(stops[other][0] - stops["A"][0]).max() < 1e-3
        assert np.abs(stops[other][1:] - stops["A"][1:]).max() > 0.1


def test_a_maker_profile_brings_surfaces_near_their_true_colour():
    daylight = SETTINGS["daylight"]
    surfaces = list(REFLECTANCES.values())
    true = ap1_responses(np.stack([surface * daylight for surface in surfaces]))
    true = true / ap1_responses(daylight[None])
    for letter in LETTERS:
        light = Sensor(letter).light(responses(daylight, [np.ones_like(WAVELENGTHS), *surfaces]), daylight)[0]
        off = np.abs(light[1:] / light[0] - true)
        assert off.mean() < 0.02
        assert off.max() < 0.15


def test_the_video_camera_clips_softly_and_stays_in_range():
    light = np.repeat(np.geomspace(1e-3, 20, 300)[:, None], 3, axis=1)[None].astype(np.float32)
    code = cameras.record_video(light, np.ones(3, np.float32), None)[0]
    assert (np.diff(code[:, 1]) >= 0).all()
    assert 0 <= code.min() < 0.05
    assert code.max() <= 1
    # 18 % grey is recorded by the Rec.709 curve or a little above, as that camera is contrasty.
    grey = cameras.record_video(np.full((1, 1, 3), 0.18, np.float32), np.ones(3, np.float32), None)
    assert 0.38 < grey.mean() < 0.50


def test_noise_grows_with_light_and_has_no_bias():
    rng = np.random.default_rng(5)
    dark, bright = (cameras.noisy(np.full((200, 200, 3), v, np.float32), 0.001, 0.003, rng) for v in (0.01, 1.0))
    assert dark.std() < bright.std()
    assert bright.std() == pytest.approx(np.hypot(0.001, 0.003), rel=0.03)
    assert bright.mean() == pytest.approx(1.0, abs=1e-4)
    still = cameras.record_log(np.full((4, 4, 3), 0.2, np.float32), LOG_CAMERAS["A"], None)
    assert np.ptp(still[..., 1]) == 0


def test_reflectances_and_glass_are_physical():
    for curve in [*REFLECTANCES.values(), TINTED_GLASS]:
        assert curve.shape == WAVELENGTHS.shape
        assert curve.min() >= 0
        assert curve.max() <= 1
    red = WAVELENGTHS > 600
    assert TINTED_GLASS[red].mean() < 0.12 < TINTED_GLASS[~red].mean()


def test_lights_have_the_colour_they_are_named_for():
    """Against colour-science: a Planckian's chromaticity by the CIE observer, and lamps warmer than sky."""
    import colour

    curve = colour.SpectralDistribution(dict(zip(WAVELENGTHS, blackbody(3200), strict=True)))
    xy = colour.XYZ_to_xy(colour.sd_to_XYZ(curve.align(colour.SpectralShape(380, 730, 5))))
    assert colour.temperature.xy_to_CCT(xy, method="Hernandez 1999") == pytest.approx(3200, rel=0.02)
    ratios = {name: light[WAVELENGTHS == 650][0] / light[WAVELENGTHS == 450][0] for name, light in LIGHTS.items()}
    assert ratios["lamps"] > ratios["sun"] > ratios["window"] > ratios["sky"]
