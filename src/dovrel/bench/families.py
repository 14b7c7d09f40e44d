"""Families cut from photographs: windows that overlap their neighbours, each under a light, and of a camera, of its own."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from dovrel.bench import photographs
from dovrel.core.colour.working import from_linear, to_linear
from dovrel.media.picture import Picture

ACROSS = 1600
"""Pixels across at which photographs are cut."""
WINDOWS = 5
WIDE = 0.36
"""Parts of the photograph's width that a window takes; the first and third share nothing."""
CAMERAS = 2


@dataclass(frozen=True)
class Window:
    """A window of a photograph as its own camera recorded it, and as the reference's would have.

    Attributes
    ----------
    name, camera : the window's, in words
    recorded, truth : of one size
    far : whether it shares nothing with the reference
    """

    name: str
    camera: str
    recorded: Picture
    truth: Picture
    far: bool


def family_of(light: np.ndarray, as_picture: Callable[[np.ndarray], Picture], seed: int) -> list[Window]:
    """Windows from left to right of linear Rec.709 light (H, W, 3); the first one is the reference, as it should be."""
    random = np.random.default_rng([29, seed])
    cameras = [_camera(random) for _ in range(CAMERAS)]
    height, width = light.shape[:2]
    windows = []
    for number in range(WINDOWS):
        left = (1 - WIDE) * number / (WINDOWS - 1)
        tall = random.uniform(0.75, 1.0)
        top = random.uniform(0, 1 - tall)
        cut = light[int(top * height) : int((top + tall) * height), int(left * width) : int((left + WIDE) * width)]
        cut = cv2.resize(cut, None, fx=(zoom := random.uniform(0.8, 1.2)), fy=zoom, interpolation=cv2.INTER_AREA)
        camera = 0 if number == 0 else int(random.integers(0, CAMERAS))
        truth = as_picture(cut)
        if number == 0:
            recorded = truth
        else:
            gains = np.exp2(random.uniform(-1.2, 1.2) + random.normal(0, 0.3, 3))
            lit = as_picture(cut * gains)
            recorded = lit if camera == 0 else photographs.recorded(cameras[camera](lit.working))
        far = left >= WIDE
        windows.append(Window(f"window {number + 1}", "AB"[camera], recorded, truth, far))
    return windows


def _camera(random: np.random.Generator) -> Callable[[np.ndarray], np.ndarray]:
    """Another camera's primaries, contrast and noise, on working values."""
    mixes = random.normal(0, 0.03, (3, 3))
    primaries = np.eye(3) + mixes - np.diag(mixes.sum(axis=1))
    contrast, noise = random.uniform(0.85, 1.2), random.uniform(0, 0.006)

    def recorded(working: np.ndarray) -> np.ndarray:
        through = from_linear(to_linear(working) @ primaries.T)
        return 0.413 + contrast * (through - 0.413) + random.normal(0, noise, working.shape)

    return recorded
