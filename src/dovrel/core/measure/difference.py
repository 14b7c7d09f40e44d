"""Colour differences between display pictures: CIE 1976 L*a*b* and CIEDE2000."""

from __future__ import annotations

import numpy as np

REC709_TO_XYZ = np.array(
    [
        [0.4123908, 0.3575843, 0.1804808],
        [0.2126390, 0.7151687, 0.0721923],
        [0.0193308, 0.1191948, 0.9505322],
    ]
)
D65_WHITE = REC709_TO_XYZ.sum(axis=1)


def lab_of_display(display: np.ndarray) -> np.ndarray:
    """CIE L*a*b* (D65) of Rec.709 display values by BT.1886 with a zero black, gamma 2.4.

    Parameters
    ----------
    display : float array (..., 3), R′G′B′ in 0..1; values outside are clipped

    Returns
    -------
    float64 array (..., 3)
    """
    linear = np.clip(np.asarray(display, np.float64), 0.0, 1.0) ** 2.4
    relative = (linear @ REC709_TO_XYZ.T) / D65_WHITE
    cut = (6 / 29) ** 3
    f = np.where(relative > cut, np.cbrt(relative), relative / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1)


def ciede2000(lab_a: np.ndarray, lab_b: np.ndarray) -> np.ndarray:
    """CIEDE2000 colour difference (CIE 142; Sharma, Wu and Dalal 2005), parametric factors 1.

    Parameters
    ----------
    lab_a, lab_b : float arrays (..., 3), L*a*b*

    Returns
    -------
    float64 array (...)
    """
    lab_a, lab_b = np.asarray(lab_a, np.float64), np.asarray(lab_b, np.float64)
    l1, a1, b1 = np.moveaxis(lab_a, -1, 0)
    l2, a2, b2 = np.moveaxis(lab_b, -1, 0)
    c_mean7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2) ** 7
    stretch = 1.5 - 0.5 * np.sqrt(c_mean7 / (c_mean7 + 25.0**7))
    a1, a2 = a1 * stretch, a2 * stretch
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.arctan2(b1, a1) % (2 * np.pi), np.arctan2(b2, a2) % (2 * np.pi)

    grey = (c1 * c2) == 0
    turn = (h2 - h1 + np.pi) % (2 * np.pi) - np.pi
    turn = np.where(grey, 0.0, turn)
    delta_l, delta_c = l2 - l1, c2 - c1
    delta_h = 2 * np.sqrt(c1 * c2) * np.sin(turn / 2)

    l_mean, c_mean = (l1 + l2) / 2, (c1 + c2) / 2
    far = np.abs(h1 - h2) > np.pi
    h_mean = np.where(far, (h1 + h2 + np.where(h1 + h2 < 2 * np.pi, 2, -2) * np.pi) / 2, (h1 + h2) / 2)
    h_mean = np.where(grey, h1 + h2, h_mean)
    t = (
        1
        - 0.17 * np.cos(h_mean - np.radians(30))
        + 0.24 * np.cos(2 * h_mean)
        + 0.32 * np.cos(3 * h_mean + np.radians(6))
        - 0.20 * np.cos(4 * h_mean - np.radians(63))
    )
    rotation = np.radians(30) * np.exp(-(((np.degrees(h_mean) - 275) / 25) ** 2))
    weight_c = 2 * np.sqrt(c_mean**7 / (c_mean**7 + 25.0**7))
    s_l = 1 + 0.015 * (l_mean - 50) ** 2 / np.sqrt(20 + (l_mean - 50) ** 2)
    s_c = 1 + 0.045 * c_mean
    s_h = 1 + 0.015 * c_mean * t
    term_l, term_c, term_h = delta_l / s_l, delta_c / s_c, delta_h / s_h
    return np.sqrt(np.maximum(term_l**2 + term_c**2 + term_h**2 - np.sin(2 * rotation) * weight_c * term_c * term_h, 0))


def display_difference(display_a: np.ndarray, display_b: np.ndarray) -> np.ndarray:
    """CIEDE2000 per pixel between two display pictures (..., 3) of one shape."""
    return ciede2000(lab_of_display(display_a), lab_of_display(display_b))
