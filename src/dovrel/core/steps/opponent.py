"""Hue, depth of colour and mean level of working values: the space in which steps turn and weigh colours.

Working values are logarithms of light. Their mean, weighted as luminance is, says how much light there is; two differences at
right angles say of which colour (the axes of Ruderman, Cronin and Chiao 1998, "Statistics of cone responses to natural images",
taken in AP1). Twice the light adds the same to all three channels: hue and depth stay as they were, and so does what is
done to them. Below the toe of the working space, which is linear, this holds no longer.
"""

from __future__ import annotations

import numpy as np

from dovrel.core.colour.working import AP1_LUMA

LUMA = AP1_LUMA / AP1_LUMA.sum()

PLANE = np.array([[2.0, -1.0, -1.0], [0.0, 1.0, -1.0]]) / np.sqrt([[6.0], [2.0]])
"""The two differences as rows: red against green and blue, green against blue. Both are at right angles to grey."""

DEEP = 0.2
"""Depth of colour of a strong paint or cloth, working values."""

PALE = 0.03
"""Depth at which half of what is done to lightness by hue is done: there is no hue where there is no colour."""


def split(working: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Working values (..., 3) → mean level (...) and colour (..., 2), float64."""
    values = np.asarray(working, np.float64)
    return values @ LUMA, values @ PLANE.T


def joined(level: np.ndarray, colour: np.ndarray) -> np.ndarray:
    """The inverse of :func:`split`: float64 (..., 3)."""
    about = colour @ PLANE
    return about + (level - about @ LUMA)[..., None]


def depth_of(colour: np.ndarray) -> np.ndarray:
    """How far a colour (..., 2) is from grey, working values."""
    return np.hypot(colour[..., 0], colour[..., 1])


def hue_of(colour: np.ndarray) -> np.ndarray:
    """The hue of a colour (..., 2), degrees 0..360; 0 is red against green and blue alike."""
    return np.degrees(np.arctan2(colour[..., 1], colour[..., 0])) % 360.0


def turned(colour: np.ndarray, degrees: np.ndarray) -> np.ndarray:
    """A colour (..., 2) turned round grey."""
    cosine, sine = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    x, y = colour[..., 0], colour[..., 1]
    return np.stack([cosine * x - sine * y, sine * x + cosine * y], axis=-1)


def coloured(depth: np.ndarray) -> np.ndarray:
    """How far a hue can be told at a depth of colour, 0 for grey to 1."""
    return depth * depth / (depth * depth + PALE * PALE)
