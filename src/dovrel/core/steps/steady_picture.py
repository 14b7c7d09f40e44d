"""The picture steadied, a kind of step: the camera's shake removed, its slow motion left."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache
from typing import ClassVar, Literal

import numpy as np

from dovrel.core.steps.track import KeptTrack, Track
from dovrel.core.steps.treatment import Treatment
from dovrel.errors import Refused

HALF_STAYS = 12.0
"""Frames of a Gaussian's deviation over which the camera's way is smoothed where half of its motion stays."""
_STILL = 0.01
"""Where less stays, the camera stands still."""
MOST_ZOOM = 2.0


@dataclass(frozen=True)
class SteadyPicture(Treatment):
    """Each frame is moved, turned and sized from where the camera was to where its smoothed way would have it.

    The picture is then enlarged by as much as hides its edges on all frames.

    Attributes
    ----------
    path : where what the camera saw in the middle of the frame it was found from is on each frame; None for not found yet
    stays : how much of the camera's motion stays, 0 for none, 1 for all: its way is smoothed by a Gaussian of
        12 · (1 - stays) / stays frames

    Raises
    ------
    Refused
        If `stays` is beyond its range.
    """

    path: KeptTrack | None = None
    stays: float = 0.5
    kind: Literal["steady"] = field(default="steady", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if not 0 <= self.stays <= 1:
            raise Refused(f"motion kept lies between 0 and 1, not at {self.stays:g}")

    @property
    def is_identity(self) -> bool:
        return self.path is None or self.stays == 1

    def as_array(self) -> np.ndarray:
        """How much stays: float64 (1,)."""
        return np.array([self.stays])

    def between(self, other: SteadyPicture, part: float) -> SteadyPicture:
        """The nearer one: half a way of the camera is none."""
        return other if part >= 0.5 else self

    @property
    def crop(self) -> float:
        """How much of the picture's width is lost at its edges, 0..0.5."""
        return 0.0 if self.path is None or self.is_identity else 1 - 1 / _moves(self.path, self.stays)[1]

    def warp(self, frame: int, height: int, width: int) -> np.ndarray:
        """Where a pixel of the steadied picture is in the recorded one: an affine motion float64 (2, 3), in pixels."""
        assert self.path
        moves, zoom = _moves(self.path, self.stays)
        at = min(max(frame - self.path.first, 0), len(moves) - 1)
        return _in_pixels(_inverse(moves[at], zoom), height, width)


@lru_cache(maxsize=32)
def _moves(path: Track, stays: float) -> tuple[np.ndarray, float]:
    """Each frame's motion onto the smoothed way, float64 (n, 2, 3), and how far the picture is enlarged then.

    In parts of the picture's width about its middle, so that turns are turns.
    """
    from scipy.ndimage import gaussian_filter1d  # here, since it takes long to load

    places = np.array(path.places)
    x, y = places[:, 0] - 0.5, (places[:, 1] - 0.5) / path.aspect
    way = np.stack([x, y, np.radians(places[:, 2]), np.log(places[:, 3])], axis=1)
    if stays < _STILL:
        smooth = np.broadcast_to(way.mean(axis=0), way.shape)
    else:
        smooth = gaussian_filter1d(way, HALF_STAYS * (1 - stays) / stays, axis=0, mode="nearest")
    by = smooth - way
    cosine, sine = np.exp(by[:, 3]) * np.cos(by[:, 2]), np.exp(by[:, 3]) * np.sin(by[:, 2])
    turn = np.stack([np.stack([cosine, -sine], axis=1), np.stack([sine, cosine], axis=1)], axis=1)
    shift = smooth[:, :2] - np.einsum("nij,nj->ni", turn, way[:, :2])
    moves = np.concatenate([turn, shift[:, :, None]], axis=2)
    return moves, _zoom(moves, path.aspect)


def _zoom(moves: np.ndarray, aspect: float) -> float:
    """The least enlargement that shows nothing from beyond the recorded picture's edges."""
    half = np.array([0.5, 0.5 / aspect])
    corners = half * [[1, 1], [1, -1], [-1, 1], [-1, -1]]
    low, high = 1.0, MOST_ZOOM
    for _ in range(24):
        zoom = (low + high) / 2
        at = np.stack([corners @ back[:, :2].T + back[:, 2] for back in (_inverse(one, zoom) for one in moves)])
        if (np.abs(at) <= half + 1e-9).all():
            high = zoom
        else:
            low = zoom
    return high


def _inverse(move: np.ndarray, zoom: float) -> np.ndarray:
    """From the steadied and enlarged picture back to the recorded one."""
    back = np.linalg.inv(move[:, :2])
    return np.concatenate([back / zoom, (-back @ move[:, 2])[:, None]], axis=1)


def _in_pixels(back: np.ndarray, height: int, width: int) -> np.ndarray:
    """The same between places of pixels, whose first is half a pixel from the edge."""
    middle = np.array([(width - 1) / 2, (height - 1) / 2])
    return np.concatenate([back[:, :2], (middle + back[:, 2] * width - back[:, :2] @ middle)[:, None]], axis=1)
