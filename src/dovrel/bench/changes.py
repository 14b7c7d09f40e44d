"""Known changes of a recorded picture, as cameras, light and recording make them: their answer stays the same."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import simplejpeg

from dovrel.core.colour import codes
from dovrel.core.colour.working import STOP, from_linear, to_linear
from dovrel.media.picture import Picture

HIGHEST = 0.65
"""The working level at which a recording that is clipped ends, some four stops above mid grey."""


def _recorded(working: np.ndarray, highest: float = 1.0) -> Picture:
    """A picture of working values, recorded in the working space's own code up to a highest value."""
    code = codes.encode_signal(np.clip(working / highest, 0, 1))
    return Picture(code, codes.pack(np.minimum(working, highest).astype(np.float32)))


def little_red(picture: Picture) -> Picture:
    """Through glass that lets an eighth of the red pass."""
    linear = to_linear(picture.working) * np.array([0.125, 0.9, 0.8])
    return _recorded(from_linear(linear))


def clipped(picture: Picture) -> Picture:
    """Two and a half stops more light than the recording holds."""
    return _recorded(picture.working + np.float32(2.5 * STOP), HIGHEST)


def noisy(picture: Picture) -> Picture:
    """A stop and a half under, with noise of 1.5 % of the code range, compressed hard in eight bits."""
    random = np.random.default_rng(7)
    dark = picture.working - np.float32(1.5 * STOP)
    eight_bits = np.clip(dark + random.normal(0, 0.015, dark.shape), 0, 1) * 255
    compressed = simplejpeg.encode_jpeg(np.ascontiguousarray(np.round(eight_bits), np.uint8), 60)
    return _recorded(simplejpeg.decode_jpeg(compressed).astype(np.float32) / np.float32(255))


def lamp_lit(picture: Picture) -> Picture:
    """Under lamps with the camera set to daylight, and a camera that bends its tones."""
    linear = to_linear(picture.working) * np.array([1.35, 0.95, 0.45])
    return _recorded(0.413 + 1.15 * (from_linear(linear) - 0.413))


def drawn(seed: int, shot: str) -> Callable[[Picture], Picture]:
    """A change drawn by chance: exposure within a stop and a half, a light's colour, another camera's primaries and tones."""
    random = np.random.default_rng([seed, *map(ord, shot)])
    gains = np.exp2(random.uniform(-1.5, 1.5) + random.normal(0, 0.35, 3))
    mixes = random.normal(0, 0.03, (3, 3))
    primaries = np.eye(3) + mixes - np.diag(mixes.sum(axis=1))
    contrast, noise = random.uniform(0.85, 1.2), random.uniform(0, 0.006)

    def change(picture: Picture) -> Picture:
        working = from_linear(to_linear(picture.working) * gains @ primaries.T)
        return _recorded(0.413 + contrast * (working - 0.413) + random.normal(0, noise, working.shape))

    return change


CHANGES: dict[str, Callable[[Picture], Picture]] = {
    "little red": little_red,
    "clipped": clipped,
    "noise, compression": noisy,
    "lamp-lit": lamp_lit,
}
