"""What a picture tells of its light and exposure, in plain numbers.

Each number is part of a cue: a way of telling that a colourist would know by name. They are taken of a
picture shrunk to :data:`SIDE`, of metered pixels that are neither clipped nor too dark where colour is asked.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np

from dovrel.core.balance import whites
from dovrel.core.balance.exposure import scene_stops
from dovrel.core.balance.whites import White
from dovrel.core.colour.codes import CLIPPED_AT
from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import AP1_LUMA, to_linear
from dovrel.core.develop.frame import display_of
from dovrel.core.measure.readings import luma
from dovrel.core.measure.sampled import take_sample

SIDE = 256
"""Pixels across."""
TOO_DARK_AT = 0.02
LEAST_USABLE = 300
"""Pixels of the shrunk picture; where fewer are usable, all that are metered speak."""

SAMPLE_PIXELS = 8000

_PERCENTILES = (1, 5, 10, 25, 50, 75, 90, 95, 99, 99.7)
_ENDS = (1, 50, 95, 99.5)
_SPREAD = (5, 25, 50, 75, 95)
_AT_TOP, _AT_BOTTOM = 0.985, 0.02
_FLOOR = 1e-5
_HUES = 12
_NO_NUMBER = 0.0


@dataclass(frozen=True)
class Seen:
    """A picture as the cues look at it.

    Attributes
    ----------
    working : float32 (H, W, 3); display : float32 (H, W, 3) in 0..1, as shown without a correction
    metered : bool (H, W), what counts; usable : bool (H, W), of that neither clipped nor too dark
    finished : whether the source is display-referred, so that its levels are meant as they are shown
    """

    working: np.ndarray
    display: np.ndarray
    metered: np.ndarray
    usable: np.ndarray
    finished: bool

    @cached_property
    def sample(self) -> np.ndarray:
        """Working values (n, 3) of usable pixels, evenly spread."""
        return take_sample(self.working[self.usable], SAMPLE_PIXELS)

    @cached_property
    def near(self) -> White | None:
        """The light as near-neutrals show it."""
        return whites.near_neutrals(self.sample)

    @cached_property
    def by_skin(self) -> White | None:
        """The light as skin shows it, sought near that of near-neutrals."""
        return whites.skin(self.sample, self.near) if self.near else None

    @cached_property
    def by_brightest(self) -> White | None:
        """The light as the brightest unclipped surfaces show it."""
        return whites.bright_surfaces(self.sample)


def usable_pixels(recorded: np.ndarray) -> np.ndarray:
    """Mask (H, W) of pixels that are neither clipped (≥ 99 % in any recorded channel) nor too
    dark to tell a colour (< 2 % in all)."""
    most = np.maximum(np.maximum(recorded[..., 0], recorded[..., 1]), recorded[..., 2])  # max(axis=-1), much faster
    return (most < CLIPPED_AT) & (most > TOO_DARK_AT)


def look_at(
    working: np.ndarray, recorded: np.ndarray, table: Table, *, finished: bool, metered: np.ndarray | None = None
) -> Seen:
    """Shrink a picture for the cues.

    Parameters
    ----------
    working, recorded : float array (H, W, 3), see :func:`dovrel.core.balance.propose`
    metered : bool array (H, W); all if None
    """
    height, width = working.shape[:2]
    size = (min(SIDE, width), max(2, round(height * min(SIDE, width) / width)))
    small = cv2.resize(np.ascontiguousarray(working, np.float32), size, interpolation=cv2.INTER_AREA)
    inside = np.ones(small.shape[:2], bool) if metered is None else _shrunk(metered, size)
    usable = inside & _shrunk(usable_pixels(recorded), size)
    if usable.sum() < LEAST_USABLE:
        usable = inside
    return Seen(small, np.clip(display_of(small, [], table), 0, 1), inside, usable, finished)


def _shrunk(mask: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    return cv2.resize(mask.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.5


def describe(seen: Seen) -> np.ndarray:
    """The numbers that :func:`cues` are named for, float32 (n,)."""
    values = np.array([value for _, value in _numbers(seen)], np.float32)
    return np.where(np.isfinite(values), values, np.float32(_NO_NUMBER))


def cues() -> list[str]:
    """Which cue each number is part of."""
    grey = np.full((4, 4, 3), 0.4, np.float32)
    all_of = np.ones((4, 4), bool)
    return [name for name, _ in _numbers(Seen(grey, grey, all_of, all_of, True))]


def _numbers(seen: Seen) -> Iterator[tuple[str, float]]:
    linear = np.maximum(to_linear(seen.working), _FLOOR)
    light = linear[seen.usable]
    stops = np.clip(scene_stops(seen.working[seen.usable]), -10, 8)
    ratios = np.clip(np.log2(light[:, [0, 2]] / light[:, [1]]), -4, 4)
    yield "source", float(seen.finished)
    yield from _of_levels(seen)
    yield from _of_ratios(ratios, stops)
    yield from _of_averages(light, stops)
    yield from _of_edges(linear, seen.usable)
    yield from _of_neutrals_and_skin(seen, ratios)
    yield from _of_colours(seen.display[seen.metered])


def _of_levels(seen: Seen) -> Iterator[tuple[str, float]]:
    shown = seen.display[seen.metered]
    brightness, top = luma(shown), shown.max(axis=-1)
    for value in np.percentile(np.clip(scene_stops(seen.working[seen.metered]), -10, 8), _PERCENTILES):
        yield "levels", value
    for value in np.percentile(brightness, _PERCENTILES):
        yield "levels", value
    yield "levels", float(brightness.mean())
    yield "levels", float(brightness.std())
    yield "levels", float((top > _AT_TOP).mean())
    yield "levels", float((top < _AT_BOTTOM).mean())
    yield "levels", float((~seen.usable[seen.metered] & (brightness > 0.5)).mean())
    for channel in range(3):
        for value in np.percentile(shown[:, channel], _ENDS):
            yield "channels' ends", value
        yield "channels' ends", float((shown[:, channel] > _AT_TOP).mean())


def _of_ratios(ratios: np.ndarray, stops: np.ndarray) -> Iterator[tuple[str, float]]:
    """Of log2(R/G) and log2(B/G): how they spread, and whether they go with the level."""
    for ratio in ratios.T:
        for value in np.percentile(ratio, _SPREAD):
            yield "spread of colours", value
        yield "spread of colours", float(ratio.mean())
        yield "spread of colours", float(ratio.std())
        flat = ratio.std() < 1e-3 or stops.std() < 1e-3
        yield "spread of colours", 0.0 if flat else float(np.corrcoef(ratio, stops)[0, 1])


def _log_ratios(light: np.ndarray) -> np.ndarray:
    return np.log2(np.maximum(light[[0, 2]], 1e-9) / max(float(light[1]), 1e-9))


def _of_averages(light: np.ndarray, stops: np.ndarray) -> Iterator[tuple[str, float]]:
    """Means of the light, of which each weighs bright surfaces more than the one before it."""
    for mean in (light.mean(axis=0), (light**4).mean(axis=0) ** 0.25):
        for value in _log_ratios(mean):
            yield "average colour", value
    for part in (95, 99):
        for value in _log_ratios(np.median(light[stops >= np.percentile(stops, part)], axis=0)):
            yield "brightest surfaces", value
    for value in _log_ratios(np.median(light[stops <= np.percentile(stops, 20)], axis=0)):
        yield "darkest surfaces", value


def _of_edges(linear: np.ndarray, usable: np.ndarray) -> Iterator[tuple[str, float]]:
    """The colour of edges, of first and second order (van de Weijer, Gevers and Gijsenij 2007)."""
    ceiling = 1.5 * np.percentile(linear @ AP1_LUMA, 99.5)
    smooth = cv2.GaussianBlur(np.minimum(linear, ceiling).astype(np.float32), (0, 0), 1.0)
    inside = cv2.erode(usable.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    inside = inside if inside.sum() >= LEAST_USABLE else usable
    slope = np.hypot(cv2.Sobel(smooth, cv2.CV_32F, 1, 0), cv2.Sobel(smooth, cv2.CV_32F, 0, 1))[inside]
    bend = np.abs(cv2.Laplacian(smooth, cv2.CV_32F))[inside]
    for edges in ((slope**5).mean(axis=0) ** 0.2, (bend**5).mean(axis=0) ** 0.2, slope.mean(axis=0)):
        for value in _log_ratios(edges):
            yield "edges", value


def _of_neutrals_and_skin(seen: Seen, ratios: np.ndarray) -> Iterator[tuple[str, float]]:
    from_neutral = (ratios**2).sum(axis=1)
    for width in (0.15, 0.4):
        weight = np.exp(-from_neutral / (2 * width**2))
        yield "near-neutrals", float(weight.mean())
        for ratio in ratios.T:
            yield "near-neutrals", float((weight * ratio).sum() / (weight.sum() + 1e-6))
    for cue, light in (("near-neutrals", seen.near), ("skin", seen.by_skin)):
        light = light or seen.near
        yield cue, light.chroma[0] if light else _NO_NUMBER
        yield cue, light.chroma[1] if light else _NO_NUMBER
    yield "near-neutrals", seen.near.confidence if seen.near else 0.0
    yield "skin", seen.by_skin.confidence if seen.by_skin else 0.0


def _of_colours(shown: np.ndarray) -> Iterator[tuple[str, float]]:
    """How saturated the picture is, and how much of its colour is of each hue."""
    top = shown.max(axis=-1)
    saturation = (top - shown.min(axis=-1)) / np.maximum(top, 1e-3)
    for value in (saturation.mean(), *np.percentile(saturation, (5, 95))):
        yield "memory colours", float(value)
    hue = cv2.cvtColor(np.ascontiguousarray(shown[None], np.float32), cv2.COLOR_RGB2HSV)[0, :, 0]
    weight = saturation * top
    place = np.minimum((hue / 360 * _HUES).astype(int), _HUES - 1)
    for share in np.bincount(place, weights=weight, minlength=_HUES) / (weight.sum() + 1e-6):
        yield "memory colours", float(share)
