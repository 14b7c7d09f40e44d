"""White points along and across the Planckian locus, as working-space offsets.

Warmth is the correlated colour temperature that the scene's light is taken to have: naming a
bluer light (a higher temperature) makes the picture warmer. It moves in mireds, so that equal
steps look equal: a light bluer than any temperature has mireds below zero, and so a temperature below zero. Tint moves across the locus, in thousandths of CIE 1960 uv; positive is
towards magenta.
"""

from __future__ import annotations

import math

import numpy as np
from scipy.optimize import brentq, least_squares

from dovrel.core.colour.working import AP1_LUMA, STOP
from dovrel.errors import Refused

NEUTRAL_CCT = 6000.0
"""Warmth that changes nothing: the correlated colour temperature of the ACES white."""

ACES_WHITE_XY = (0.32168, 0.33767)

XYZ_TO_AP1 = np.array(
    [
        [1.6410233797, -0.3248032942, -0.2364246952],
        [-0.6636628587, 1.6153315917, 0.0167563477],
        [0.0117218943, -0.0082844420, 0.9883948585],
    ]
)
"""CIE XYZ (ACES white) → linear AP1 (ACES S-2014-004)."""
AP1_TO_XYZ = np.linalg.inv(XYZ_TO_AP1)

LOCUS = (40.0, 800.0)
"""Mireds between which the scale follows the locus, 25000 to 1250 K. Beyond, it goes straight on: the
bluest correction that a match finds has a place on it, too."""
MIRED_LIMITS = (-400.0, 1000.0)
TINT_LIMITS = (-300.0, 300.0)


def _uv_from_xy(xy: tuple[float, float]) -> np.ndarray:
    x, y = xy
    return np.array([4 * x, 6 * y]) / (-2 * x + 12 * y + 3)


ACES_WHITE_UV = _uv_from_xy(ACES_WHITE_XY)


def _planckian(cct: float) -> tuple[float, float]:
    t = cct
    u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t * t) / (1 + 8.42420235e-4 * t + 7.08145163e-7 * t * t)
    v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t * t) / (1 - 2.89741816e-5 * t + 1.61456053e-7 * t * t)
    return u, v


def planckian_uv(cct: float) -> np.ndarray:
    """CIE 1960 uv of the Planckian radiator at `cct` kelvin (Krystek 1985), 1000..25000 K."""
    return np.array(_planckian(cct))


_NEUTRAL = _planckian(NEUTRAL_CCT)


def _tangent(mired: float) -> tuple[float, float]:
    """How uv moves along the locus with each mired."""
    (u, v), (behind_u, behind_v) = _planckian(1e6 / (mired + 1.0)), _planckian(1e6 / (mired - 1.0))
    return (u - behind_u) / 2, (v - behind_v) / 2


def _white_on_locus(mired: float) -> tuple[float, float]:
    """uv of the ACES white moved along the locus to a temperature, or straight on from its ends."""
    at = min(max(mired, LOCUS[0]), LOCUS[1])
    (u, v), (along_u, along_v) = _planckian(1e6 / at), _tangent(at)
    on_u, on_v = u + (mired - at) * along_u, v + (mired - at) * along_v
    return float(ACES_WHITE_UV[0]) + on_u - _NEUTRAL[0], float(ACES_WHITE_UV[1]) + on_v - _NEUTRAL[1]


def _direction(mired: float) -> tuple[float, float]:
    """Along the locus, towards lower temperatures, of length one in uv."""
    u, v = _tangent(min(max(mired, LOCUS[0]), LOCUS[1]))
    length = math.hypot(u, v)
    return u / length, v / length


def _across(mired: float) -> tuple[float, float]:
    """Across the locus towards green, where a positive tint takes its light to be."""
    u, v = _direction(mired)
    return (v, -u) if u < 0 else (-v, u)


def _steps(mireds: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    on, along = ([step(float(mired)) for mired in mireds] for step in (_white_on_locus, _direction))
    return mireds, np.transpose(on), np.transpose(along)


_STEPS = (_steps(np.linspace(40.0, 500.0, 24)), _steps(np.linspace(*MIRED_LIMITS, 57)))
"""Mireds between which a white is looked for, with the locus there and its direction: where most lie, then everywhere."""


def scene_white_uv(cct: float, tint: float) -> np.ndarray:
    """CIE 1960 uv of the scene white: the ACES white moved along and across the locus."""
    mired = 1e6 / cct
    return np.array(_white_on_locus(mired)) + np.array(_across(mired)) * tint * 1e-3


def gains_for_white(uv: np.ndarray) -> np.ndarray:
    """Linear AP1 gains (3,) that bring a light at `uv` to the ACES white, keeping grey's luminance."""
    u, v = uv
    x, y = 3 * u / (2 * u - 8 * v + 4), 2 * v / (2 * u - 8 * v + 4)
    white = XYZ_TO_AP1 @ np.array([x / y, 1.0, (1 - x - y) / y])
    gains = 1.0 / np.maximum(white, 1e-3)
    return gains / (AP1_LUMA @ gains)


def offset_for(cct: float, tint: float) -> np.ndarray:
    """Working-space offsets (3,) of a scene white of `cct` kelvin and `tint`.

    Raises
    ------
    Refused
        If `cct` is outside -400..1000 mireds or `tint` outside -300..300.
    """
    if not MIRED_LIMITS[0] <= 1e6 / cct <= MIRED_LIMITS[1]:
        raise Refused(
            f"warmth must lie between {MIRED_LIMITS[0]:.0f} and {MIRED_LIMITS[1]:.0f} mireds, not {cct:.0f} K"
        )
    if not TINT_LIMITS[0] <= tint <= TINT_LIMITS[1]:
        raise Refused(f"tint must lie between {TINT_LIMITS[0]:.0f} and {TINT_LIMITS[1]:.0f}, not {tint:.1f}")
    return np.log2(gains_for_white(scene_white_uv(cct, tint))) * STOP


def white_of(offset: np.ndarray) -> tuple[float, float]:
    """The (cct, tint) whose :func:`offset_for` has the same colour part as `offset` (3,).

    The level part (a common exposure) is ignored. Offsets beyond the limits give the nearest
    white inside them.
    """
    target = np.asarray(offset, np.float64) / STOP
    target = target - target.mean()
    return _white_at(target) or _nearest_white(target)


def _white_at(target: np.ndarray) -> tuple[float, float] | None:
    """The (cct, tint) of gains in stops (3,); None if it lies beyond the limits.

    Gains say the light's chromaticity; the points of the locus whose normals go through it are
    the roots of the distance along the locus, and that nearest to neutral is meant.
    """
    x, y, z = AP1_TO_XYZ @ np.exp2(-target)
    if not min(x, y, z) > 0:
        return None
    u, v = (float(part / (x + 15 * y + 3 * z)) for part in (4 * x, 6 * y))

    def along(mired: float) -> float:
        (here_u, here_v), (along_u, along_v) = _white_on_locus(mired), _direction(mired)
        return (u - here_u) * along_u + (v - here_v) * along_v

    for mireds, (on_u, on_v), (along_u, along_v) in _STEPS:
        signs = (u - on_u) * along_u + (v - on_v) * along_v > 0
        crossed = np.flatnonzero(signs[1:] != signs[:-1])
        if len(crossed):
            middles = mireds[crossed] + mireds[crossed + 1]
            nearest = crossed[np.abs(middles - 2e6 / NEUTRAL_CCT).argmin()]
            mired = float(brentq(along, mireds[nearest], mireds[nearest + 1], xtol=1e-9))  # type: ignore[arg-type]
            break
    else:
        return None
    here_u, here_v = _white_on_locus(mired)
    across_u, across_v = _across(mired)
    tint = 1e3 * ((u - here_u) * across_u + (v - here_v) * across_v)
    return (1e6 / mired, tint) if TINT_LIMITS[0] <= tint <= TINT_LIMITS[1] else None


def _nearest_white(target: np.ndarray) -> tuple[float, float]:
    """The (cct, tint) inside the limits that comes nearest to gains in stops (3,)."""

    def residual(point: np.ndarray) -> np.ndarray:
        stops = np.log2(gains_for_white(scene_white_uv(1e6 / point[0], point[1])))
        return stops - stops.mean() - target

    neutral_mired = 1e6 / NEUTRAL_CCT
    solved = least_squares(
        residual,
        x0=[neutral_mired, 0.0],
        bounds=([MIRED_LIMITS[0], TINT_LIMITS[0]], [MIRED_LIMITS[1], TINT_LIMITS[1]]),
        x_scale=[50.0, 10.0],
        xtol=1e-12,
        ftol=1e-14,
        gtol=1e-14,
    )
    return 1e6 / float(solved.x[0]), float(solved.x[1])
