"""Named primaries and transfer characteristics, found by their numbers."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

TRANSFERS = {1: "BT.709", 6: "BT.709", 8: "linear", 13: "sRGB", 14: "BT.709", 15: "BT.709", 16: "PQ", 18: "HLG"}
PRIMARIES = {1: "BT.709", 5: "BT.601", 6: "BT.601", 9: "BT.2020", 11: "P3", 12: "P3-D65"}
"""By their numbers in ITU-T H.273; what is not here is not known."""

D65 = (0.3127, 0.3290)
CHROMATICITIES: dict[str, tuple[float, ...]] = {
    "BT.709": (0.640, 0.330, 0.300, 0.600, 0.150, 0.060, *D65),
    "BT.2020": (0.708, 0.292, 0.170, 0.797, 0.131, 0.046, *D65),
    "P3-D65": (0.680, 0.320, 0.265, 0.690, 0.150, 0.060, *D65),
    "P3": (0.680, 0.320, 0.265, 0.690, 0.150, 0.060, 0.314, 0.351),
    "AP0": (0.7347, 0.2653, 0.0, 1.0, 0.0001, -0.077, 0.32168, 0.33767),
    "AP1": (0.713, 0.293, 0.165, 0.830, 0.128, 0.044, 0.32168, 0.33767),
}
"""CIE xy of red, green, blue and white: ITU-R BT.709 and BT.2020, SMPTE RP 431-2 and EG 432-1, ST 2065-1, Academy S-2014-004."""
_NEAR = 0.003
_NEAR_XYZ = 0.01
_NEAR_LIGHT = 0.006
D50_XYZ = np.array([0.9642, 1.0, 0.8249])
"""The white of an ICC profile's connection space."""
_BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
_LEVELS = np.array([0.2, 0.4, 0.6, 0.8])


def primaries_of(chromaticities: Sequence[float]) -> str:
    """The name of primaries given as CIE xy of red, green, blue and white; empty if they have none."""
    told = np.asarray(chromaticities, np.float64)
    for name, known in CHROMATICITIES.items():
        if np.abs(told - known).max() <= _NEAR:
            return name
    return ""


def primaries_of_profile(columns: np.ndarray) -> str:
    """The name of primaries given as the CIE XYZ of red, green and blue, adapted to D50, in columns; empty if they have none."""
    for name, known in CHROMATICITIES.items():
        if np.abs(columns - adapted_to_d50(known)).max() <= _NEAR_XYZ:
            return name
    return ""


def adapted_to_d50(chromaticities: tuple[float, ...]) -> np.ndarray:
    """CIE XYZ of red, green and blue in columns, their white adapted to D50 by the Bradford transform, as ICC profiles have it."""
    xyz = _xyz(chromaticities)
    return adaptation(chromaticities) @ (xyz[:, :3] * np.linalg.solve(xyz[:, :3], xyz[:, 3]))


def adaptation(chromaticities: tuple[float, ...]) -> np.ndarray:
    """The Bradford transform of CIE XYZ (3, 3) from the white of primaries to D50."""
    cones = _BRADFORD @ D50_XYZ / (_BRADFORD @ _xyz(chromaticities)[:, 3])
    return np.linalg.inv(_BRADFORD) @ np.diag(cones) @ _BRADFORD


def _xyz(chromaticities: tuple[float, ...]) -> np.ndarray:
    """CIE XYZ of red, green, blue and white in columns, Y of each being 1."""
    x, y = np.reshape(chromaticities, (4, 2)).T
    return np.stack([x / y, np.ones(4), (1 - x - y) / y])


def transfer_of(light: Callable[[np.ndarray], np.ndarray]) -> str:
    """The name of the curve from code values in 0..1 to light; empty if it has none.

    A power of 2.2 counts as sRGB, and one of 2.4 (ITU-R BT.1886) as BT.709: pictures under either are shown alike here.
    """
    told = light(_LEVELS)
    for name, known in _CURVES:
        if np.abs(told - known(_LEVELS)).max() <= _NEAR_LIGHT:
            return name
    return ""


_CURVES: tuple[tuple[str, Callable[[np.ndarray], np.ndarray]], ...] = (
    ("linear", lambda code: code),
    ("sRGB", lambda code: ((code + 0.055) / 1.055) ** 2.4),
    ("sRGB", lambda code: code**2.2),
    ("BT.709", lambda code: ((code + 0.099) / 1.099) ** (1 / 0.45)),
    ("BT.709", lambda code: code**2.4),
)
