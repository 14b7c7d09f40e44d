"""Reflectances, lights and camera sensitivities of the demo, as curves over wavelength.

All curves are sampled on :data:`WAVELENGTHS` (nm). Reflectances are in 0..1, lights are
relative spectral power normalised to 1 at 560 nm, sensitivities are relative.
"""

from __future__ import annotations

import numpy as np

WAVELENGTHS = np.arange(380.0, 731.0, 5.0)
Curve = np.ndarray


def _step(centre: float, width: float) -> Curve:
    return 1.0 / (1.0 + np.exp(-(WAVELENGTHS - centre) / width))


def _bump(centre: float, width: float) -> Curve:
    return np.exp(-0.5 * ((WAVELENGTHS - centre) / width) ** 2)


def _skin(melanin: float, blood: float) -> Curve:
    """Skin after the shape of published reflectances: melanin slope, haemoglobin dips."""
    base = 0.74 * np.exp(-melanin * (WAVELENGTHS / 500.0) ** -3.3)
    dips = 1.0 - blood * (0.75 * _bump(418, 24) + 0.52 * _bump(542, 15) + 0.55 * _bump(577, 11) + 0.25 * _bump(500, 40))
    return base * dips


REFLECTANCES: dict[str, Curve] = {
    "paper": 0.84 * _step(395, 9),
    "paper_aged": 0.70 * _step(400, 14) - 0.10 * _bump(440, 40),
    "ink": np.full_like(WAVELENGTHS, 0.025),
    "ink_blue": 0.03 + 0.26 * _bump(455, 30) + 0.04 * _step(690, 10),
    "ink_red": 0.03 + 0.62 * _step(605, 9) + 0.02 * _bump(440, 20),
    "type_metal": 0.27 + 0.03 * _step(520, 60),
    "iron": 0.055 + 0.01 * _step(560, 60),
    "plaster": 0.56 + 0.09 * _step(500, 45),
    "plaster_worn": 0.47 + 0.10 * _step(510, 40),
    "wood_light": 0.12 + 0.36 * _step(570, 42),
    "wood_dark": 0.05 + 0.15 * _step(590, 36),
    "floor_light": 0.11 + 0.19 * _step(570, 48),
    "floor_dark": 0.05 + 0.085 * _step(580, 45),
    "door_green": 0.035 + 0.15 * _bump(523, 32) + 0.06 * _step(700, 14),
    "door_green_worn": 0.06 + 0.20 * _bump(528, 42) + 0.09 * _step(690, 20),
    "apron_brick": 0.045 + 0.38 * _step(600, 14),
    "apron_loud": 0.02 + 0.66 * _step(604, 9),
    "brick": 0.07 + 0.27 * _step(588, 20),
    "brick_dark": 0.05 + 0.15 * _step(592, 24),
    "mortar": 0.33 + 0.08 * _step(520, 50),
    "cobble": 0.16 + 0.02 * _step(560, 60),
    "cobble_dark": 0.07 + 0.01 * _step(560, 60),
    "shirt_blue": 0.14 + 0.26 * _bump(452, 42) + 0.05 * _step(660, 20),
    "shirt_white": 0.74 * _step(398, 10),
    "cloth_ochre": 0.07 + 0.45 * _step(545, 19),
    "cloth_slate": 0.10 + 0.03 * _bump(480, 50),
    "hair_dark": 0.030 + 0.035 * _step(620, 40),
    "hair_grey": 0.30 + 0.05 * _step(540, 60),
    "skin_fair": _skin(0.22, 0.34),
    "skin_flushed": _skin(0.20, 0.95),
    "skin_chalky": 0.55 * _skin(0.20, 0.20) + 0.45 * 0.58,
    "skin_olive": _skin(0.55, 0.26),
    "skin_deep": _skin(1.55, 0.14),
    "lips": 0.10 + 0.28 * _step(598, 16),
    "leaf": 0.035 + 0.12 * _bump(552, 26) + 0.40 * _step(700, 9),
    "chalk": np.full_like(WAVELENGTHS, 0.48),
}


def blackbody(kelvin: float) -> Curve:
    """Planckian radiator at `kelvin`, 1 at 560 nm (CIE 015)."""

    def planck(nanometres: Curve | float) -> Curve:
        metres = np.asarray(nanometres) * 1e-9
        return metres**-5.0 / np.expm1(0.014387769 / (metres * kelvin))

    return planck(WAVELENGTHS) / planck(560.0)


def daylight(kelvin: float) -> Curve:
    """A smooth daylight: a Planckian a little hotter, with the blue and red of skylight eased."""
    return blackbody(kelvin * 1.03) * (1.0 - 0.10 * _bump(395, 22) + 0.04 * _bump(470, 30))


LIGHTS: dict[str, Curve] = {
    "window": daylight(6300),
    "lamps": blackbody(2750),
    "sky": daylight(7200),
    "sun": daylight(4100),
    "zenith": daylight(16000),
}

TINTED_GLASS: Curve = 0.86 - 0.80 * _step(572, 17) + 0.012 * _step(650, 10)
"""Transmittance of the shop's old glass door: it lets hardly any red through."""

SENSITIVITIES: dict[str, np.ndarray] = {
    # rows: red, green, blue
    "A": np.stack(
        [
            _bump(602, 36) + 0.10 * _bump(450, 24),
            _bump(537, 40) + 0.05 * _bump(610, 30),
            0.92 * _bump(456, 29) + 0.06 * _bump(530, 34),
        ]
    ),
    "B": np.stack(
        [
            0.95 * _bump(615, 33) + 0.16 * _bump(545, 30),
            _bump(528, 46) + 0.10 * _bump(460, 22),
            _bump(449, 25) + 0.13 * _bump(515, 34),
        ]
    ),
    "C": np.stack(
        [
            0.88 * _bump(610, 24) + 0.24 * _bump(560, 24),
            0.94 * _bump(540, 33) + 0.16 * _bump(590, 25),
            _bump(466, 24) + 0.07 * _bump(545, 40),
        ]
    ),
}
CAMERA_LETTERS = tuple(SENSITIVITIES)
