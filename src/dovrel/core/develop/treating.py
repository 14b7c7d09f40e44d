"""A recorded picture treated before any colour is touched: noise reduced, then steadied.

Noise. The picture is split into mean level and two differences (:mod:`dovrel.core.steps.opponent`), and in each the noise is
measured by level: from the finest diagonal differences of neighbouring pixels, whose median size is noise's wherever
most of a picture is flat at that size (Donoho and Johnstone 1994). Frames before and after are laid over it by dense optical
flow (DIS, Kroeger and others 2016) and count as far as they differ by noise alone. What is left is reduced within the frame by
non-local means (Buades, Coll and Morel 2005), of all three planes together, so that colours keep luma's edges.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import pairwise
from typing import Any

import cv2
import numpy as np

from dovrel.core.colour import codes
from dovrel.core.steps import opponent
from dovrel.core.steps.denoise import Denoise
from dovrel.core.steps.steady_picture import SteadyPicture
from dovrel.core.steps.treatment import Treatment

_LEVELS = np.linspace(-0.05, 1.1, 37)
_FEWEST = 400
"""Pixels at a level that say what its noise is."""
_LEAST_NOISE = 1e-5
MEDIAN_OF_NOISE = 0.6745
"""The median size of Gaussian noise of deviation 1."""
_AROUND = 5
"""Pixels across which a neighbour's difference is judged."""
_LUMA, _CHROMA = 1.2, 2.0
"""Non-local means' strength in deviations of noise; colour bears more."""
_PATCH, _SEARCH = 3, 9
_BASE = 4.0
"""Deviation in pixels of the part of a plane that no noise is in."""
_SCALE, _HALF = 600.0, 32768.0
_FLOW_FROM, _FLOW_SPAN = 0.05, 0.7
"""Working values that are looked at for motion."""


def clean(before: Sequence[np.ndarray], packed: np.ndarray, after: Sequence[np.ndarray]) -> np.ndarray:
    """A frame without the noise that is found in it, working codes uint16 (H, W, 3).

    `before` and `after` are working codes of frames beside it, as many as there are.
    """
    planes = _split(packed)
    noise = noise_by_level(planes)
    mean = _along_time(planes, [_split(one) for one in (*before, *after)], noise)
    cleaned = _within_frame(mean, noise if mean is planes else noise_by_level(mean))
    return codes.pack(opponent.joined(cleaned[..., 0], cleaned[..., 1:]))


def denoised(values: Denoise, packed: np.ndarray, cleaned: np.ndarray) -> np.ndarray:
    """A frame on its way to what :func:`clean` makes of it: its mean level and its colours each by their part."""
    off = cleaned.astype(np.float32) - packed
    # What is off in the mean level is off in all channels alike; the rest is colour.
    of_all = np.float32(values.luma - values.chroma) * np.broadcast_to(opponent.LUMA, (3, 3))
    matrix = np.float32(values.chroma) * np.eye(3) + of_all
    return np.clip(packed + cv2.transform(off, matrix.astype(np.float32)) + 0.5, 0, 65535).astype(np.uint16)


def steadied(values: SteadyPicture, frame: int, picture: np.ndarray) -> np.ndarray:
    """A frame's working codes uint16 (H, W, 3), or flags uint8 (H, W), where the steadied picture has them."""
    height, width = picture.shape[:2]
    how = cv2.INTER_CUBIC if picture.ndim == 3 else cv2.INTER_NEAREST
    warp = values.warp(frame, height, width)
    return cv2.warpAffine(
        picture, warp, (width, height), flags=how | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
    )


def treated(
    treatment: Sequence[Treatment],
    frame: int,
    packed: np.ndarray,
    flags: np.ndarray,
    cleaned: Callable[[int], np.ndarray],
) -> tuple[np.ndarray, np.ndarray]:
    """A frame's working codes and flags as the treatment makes them.

    `cleaned` gives what :func:`clean` makes of it with as many frames on either side as it is asked for.
    """
    for values in treatment:
        if isinstance(values, Denoise):
            packed = denoised(values, packed, cleaned(values.frames))
        elif isinstance(values, SteadyPicture):
            packed, flags = (steadied(values, frame, one) for one in (packed, flags))
    return packed, flags


def _split(packed: np.ndarray) -> np.ndarray:
    level, colour = opponent.split(codes.unpack(packed))
    return np.dstack([level, colour]).astype(np.float32)


def finest(planes: np.ndarray) -> np.ndarray:
    """The finest diagonal differences of neighbouring pixels (H - 1, W - 1, ...), which have noise's own deviation."""
    return (planes[:-1, :-1] - planes[1:, :-1] - planes[:-1, 1:] + planes[1:, 1:]) / 2


def noise_by_level(planes: np.ndarray) -> np.ndarray:
    """The deviation of noise at each pixel of each plane, float32 (H, W, 3), by its level alone."""
    level = np.asarray(cv2.blur(np.ascontiguousarray(planes[..., 0]), (7, 7)), np.float32)
    fine = finest(planes)
    place = np.digitize(level[:-1, :-1].ravel(), _LEVELS)
    order = np.argsort(place, kind="stable")
    edges = np.searchsorted(place[order], np.arange(len(_LEVELS) + 2))
    sizes = np.abs(fine).reshape(-1, 3)[order]
    known, found = [], []
    for at, (first, last) in enumerate(pairwise(edges)):
        if last - first >= _FEWEST:
            known.append(_LEVELS[min(max(at, 1), len(_LEVELS) - 1)] - (_LEVELS[1] - _LEVELS[0]) / 2)
            found.append(np.median(sizes[first:last], axis=0) / MEDIAN_OF_NOISE)
    if not known:
        known, found = [0.0], [np.median(sizes, axis=0) / MEDIAN_OF_NOISE]
    by_level = np.array(found)
    noise = [np.interp(level, known, by_level[:, plane]) for plane in range(3)]
    return np.maximum(np.dstack(noise), _LEAST_NOISE).astype(np.float32)


def _along_time(planes: np.ndarray, others: Sequence[np.ndarray], noise: np.ndarray) -> np.ndarray:
    """The mean of a frame and those beside it, each pixel of these as far as it differs by noise alone."""
    if not others:
        return planes
    height, width = planes.shape[:2]
    flow = cv2.DISOpticalFlow_create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
    here = _for_flow(planes)
    columns, rows = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    total, weights = planes.copy(), np.ones((height, width), np.float32)
    for other in others:
        moved: Any = flow.calc(here, _for_flow(other), None)
        there = cv2.remap(
            other, columns + moved[..., 0], rows + moved[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        )
        apart = np.square((there - planes) / noise).mean(axis=-1)
        # Of two frames of one scene, twice the noise's variance.
        beyond = np.maximum(cv2.blur(apart, (_AROUND, _AROUND)) / 2 - 1, 0)
        weight = np.exp(-2 * beyond)
        total += weight[..., None] * there
        weights += weight
    return total / weights[..., None]


def _for_flow(planes: np.ndarray) -> np.ndarray:
    level = cv2.GaussianBlur(np.ascontiguousarray(planes[..., 0]), (0, 0), 1.0)
    return np.clip((level - _FLOW_FROM) / _FLOW_SPAN * 255, 0, 255).astype(np.uint8)


def _within_frame(planes: np.ndarray, noise: np.ndarray) -> np.ndarray:
    """Non-local means of planes brought to noise of one deviation."""
    base = cv2.GaussianBlur(planes, (0, 0), _BASE)
    even = (planes - base) / noise
    scale = np.float32(min(_SCALE, (_HALF - 1) / max(float(np.abs(even).max()), 1e-6)))
    shifted = (even * scale + _HALF).astype(np.uint16)
    cleaned: Any = cv2.fastNlMeansDenoising(
        shifted, [float(strength * scale) for strength in (_LUMA, _CHROMA, _CHROMA)], None, _PATCH, _SEARCH, cv2.NORM_L1
    )
    return (cleaned.astype(np.float32) - _HALF) / scale * noise + base
