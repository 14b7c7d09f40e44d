"""A 24-patch colour chart or a grey card in the picture, found by its rectangles.

A chart is found by its geometry first: rectangles that lie on a grid of six by four under one
perspective. Then by its colours: of the ways to lay the chart on that grid, the one under which
one light explains all patches. Type cases, windows and bricks make grids too, but no light
gives them a chart's colours.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import permutations

import cv2
import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from dovrel.core.balance.whites import White, log_chroma
from dovrel.core.colour.working import STOP, to_linear

PATCHES = np.array(
    [
        [[0.1380, 0.0849, 0.0559], [0.4617, 0.3251, 0.2398], [0.1519, 0.1950, 0.3164],
         [0.1104, 0.1431, 0.0617], [0.2428, 0.2295, 0.4154], [0.2745, 0.4866, 0.4112]],
        [[0.5029, 0.2337, 0.0561], [0.0951, 0.1072, 0.3409], [0.3839, 0.1244, 0.1276],
         [0.0886, 0.0505, 0.1341], [0.3857, 0.4844, 0.1041], [0.6138, 0.3920, 0.0795]],
        [[0.0469, 0.0502, 0.2749], [0.1417, 0.2842, 0.0877], [0.2908, 0.0581, 0.0490],
         [0.7226, 0.5914, 0.0906], [0.3594, 0.1217, 0.2780], [0.0811, 0.2291, 0.3633]],
        [[0.8871, 0.8881, 0.8769], [0.5851, 0.5835, 0.5825], [0.3582, 0.3581, 0.3587],
         [0.2031, 0.2030, 0.2035], [0.0918, 0.0928, 0.0940], [0.0331, 0.0336, 0.0350]],
    ]
)  # fmt: skip
"""Linear AP1 (4, 6, 3) of the 24-patch chart under D60: ISO 17321-1 reflectances, CIE 1931 2° observer."""

ROWS, COLUMNS = PATCHES.shape[:2]
LEAST_FOUND = 9
"""Rectangles that must lie on the grid; the other patches' places follow from it."""

LEAST_SEED = 6
"""Rectangles that two neighbours' steps must meet before their perspective is worked out."""

MOST_OFF = 0.45
"""How many stops (median) patches may differ from the chart's colours under one light."""

_THRESHOLDS = 24
_LEAST_AREA = 40.0
_LEAST_CORNERS = 4
_MOST_PATCH = 0.01
"""Of the picture's area."""

_LEAST_CARD, _MOST_CARD = 0.004, 0.15
_MOST_TINTED = 0.35
"""How many stops a card's chroma may differ from the light as other evidence has it."""

_MOST_UNEVEN = 0.2
"""Stops between neighbours on a card."""

_DARKEST_BELOW = 2.5
"""Stops below the picture's middle under which a card says too little."""

_MOST_SEEDS = 160


@dataclass(frozen=True)
class Rectangle:
    """A patch of one brightness: its centre and area, in pixels."""

    x: float
    y: float
    area: float


def find_white(working: np.ndarray, usable: np.ndarray, near: White) -> White | None:
    """The light on a chart, or else on a grey card or sheet, that stands in the picture.

    Parameters
    ----------
    working : float array (H, W, 3)
    usable : bool array (H, W), pixels neither clipped nor too dark
    near : the light as other evidence has it; a card must be nearly neutral under it

    Returns
    -------
    The light, or None where there is neither.
    """
    return _by_chart(working, usable, _rectangles(working, near)) or _by_card(working, usable, near)


def _rectangles(working: np.ndarray, near: White) -> list[Rectangle]:
    """Bright rectangles on darker ground, under the light `near`, largest first."""
    offset = np.array([near.chroma[0], 0.0, near.chroma[1]], np.float32) * np.float32(STOP)
    brightest = (working - offset).max(axis=-1)
    low, high = np.percentile(brightest, [2, 99.7])
    picture = np.clip((brightest - low) / max(high - low, 1e-3) * 255, 0, 255).astype(np.uint8)
    found: list[Rectangle] = []
    whole = picture.size
    for level in np.linspace(8, 250, _THRESHOLDS):
        above = (picture > level).astype(np.uint8)
        contours, _ = cv2.findContours(above, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_SIMPLE)
        for contour in contours:
            if len(contour) < _LEAST_CORNERS:
                continue  # noise makes thousands of them
            area = cv2.contourArea(contour)
            if not _LEAST_AREA <= area <= _MOST_PATCH * whole:
                continue
            (x, y), (width, height), _ = cv2.minAreaRect(contour)
            if area > 0.75 * width * height and 0.45 < width / max(height, 1e-6) < 2.2:
                found.append(Rectangle(x, y, area))
    found.sort(key=lambda one: -one.area)
    kept: list[Rectangle] = []
    places = np.empty((0, 3))
    for one in found:
        near_it = np.hypot(places[:, 0] - one.x, places[:, 1] - one.y) < 0.3 * np.sqrt(one.area)
        if not (near_it & (places[:, 2] < 3 * one.area)).any():
            kept.append(one)
            places = np.vstack([places, [one.x, one.y, one.area]])
    return kept


def _by_chart(working: np.ndarray, usable: np.ndarray, patches: list[Rectangle]) -> White | None:
    height, width = working.shape[:2]
    best: tuple[float, np.ndarray] | None = None
    for cells, centres in _grids(patches):
        for placed in _turned(cells):
            places = _places(placed, centres)
            if places is None or not (places >= 0).all() or not (places < [width - 1, height - 1]).all():
                continue
            off = _off(_means(working, places))
            if best is None or off < best[0]:
                best = off, places
        if best is not None and best[0] < MOST_OFF:
            return _greys(working, usable, best[1], best[0])
    return None


def _grids(patches: list[Rectangle]) -> Iterator[tuple[np.ndarray, np.ndarray]]:
    """Sets of rectangles that lie on a grid no larger than the chart: cells (n, 2) and centres (n, 2)."""
    if len(patches) < LEAST_FOUND:
        return
    centres = np.array([[one.x, one.y] for one in patches])
    areas = np.array([one.area for one in patches])
    tried: set[frozenset[int]] = set()
    for seed in range(min(len(patches), _MOST_SEEDS)):
        alike = (areas > 0.4 * areas[seed]) & (areas < 2.5 * areas[seed])
        offsets = centres - centres[seed]
        far = np.hypot(*offsets.T) / np.sqrt(areas[seed])
        beside = np.flatnonzero(alike & (far > 0.9) & (far < 2.2))
        beside = beside[np.argsort(far[beside])][:6]
        for first, second in permutations(beside, 2):
            basis = np.stack([offsets[first], offsets[second]], axis=1)
            turn = np.linalg.det(basis) / np.prod(np.linalg.norm(basis, axis=0))
            if turn < 0.7:  # right-handed and nearly upright, so that the chart is only ever turned
                continue
            cells = offsets @ np.linalg.inv(basis).T
            chosen = _on_grid(cells, alike, 0.22)
            for _ in range(2):
                if len(chosen) < LEAST_SEED:
                    break
                straight, _ = cv2.findHomography(centres[chosen], np.round(cells[chosen]))
                if straight is None:
                    break
                cells = cv2.perspectiveTransform(centres[:, None].astype(np.float64), straight)[:, 0]
                chosen = _on_grid(cells, alike, 0.22)
            key = frozenset(chosen.tolist())
            if len(chosen) >= LEAST_FOUND and key not in tried:
                tried.add(key)
                yield np.round(cells[chosen]).astype(int), centres[chosen]


def _on_grid(cells: np.ndarray, alike: np.ndarray, tolerance: float) -> np.ndarray:
    """Which places lie near whole cells, one a cell, within the chart's size where most of them are."""
    whole = np.round(cells).astype(int)
    near = alike & (np.abs(cells - whole).max(axis=1) < tolerance) & (np.abs(whole).max(axis=1) < COLUMNS)
    chosen = np.flatnonzero(near)
    if len(chosen) < LEAST_SEED:
        return chosen[:0]
    holder = np.full((2 * COLUMNS - 1, 2 * COLUMNS - 1), -1)
    across, down = whole[chosen].T + COLUMNS - 1
    holder[down, across] = chosen
    windows = [sliding_window_view(holder, shape) for shape in ((ROWS, COLUMNS), (COLUMNS, ROWS))]
    counts = [(window >= 0).sum(axis=(2, 3)) for window in windows]
    most = int(counts[1].max() > counts[0].max())
    fullest = windows[most][np.unravel_index(counts[most].argmax(), counts[most].shape)]
    return fullest[fullest >= 0]


def _turned(cells: np.ndarray) -> Iterator[np.ndarray]:
    """All ways to lay the chart on cells (n, 2) of column and row, by quarter turns and shifts."""
    for quarter in range(4):
        turned = cells
        for _ in range(quarter):
            turned = np.stack([-turned[:, 1], turned[:, 0]], axis=1)
        turned = turned - turned.min(axis=0)
        wide, tall = turned.max(axis=0) + 1
        for right in range(COLUMNS - wide + 1):
            for down in range(ROWS - tall + 1):
                yield turned + np.array([right, down])


def _places(cells: np.ndarray, centres: np.ndarray) -> np.ndarray | None:
    """Where all 24 patches lie (4, 6, 2), from those found."""
    into, _ = cv2.findHomography(cells.astype(np.float64), centres)
    if into is None:
        return None
    rows, columns = np.mgrid[:ROWS, :COLUMNS]
    grid = np.stack([columns, rows], axis=-1).reshape(-1, 1, 2).astype(np.float64)
    return cv2.perspectiveTransform(grid, into).reshape(ROWS, COLUMNS, 2)


def _windows(places: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Pixels about the patches' centres: rows and columns, integer (4, 6, k)."""
    cell = np.linalg.norm(places[:, 1:] - places[:, :-1], axis=-1).mean()
    reach = max(int(0.2 * cell), 1)
    dy, dx = np.mgrid[-reach : reach + 1, -reach : reach + 1].reshape(2, -1)
    return np.round(places[..., 1, None]).astype(int) + dy, np.round(places[..., 0, None]).astype(int) + dx


def _means(working: np.ndarray, places: np.ndarray) -> np.ndarray:
    """Linear AP1 (4, 6, 3) of the patches: medians about their centres."""
    rows, columns = (np.clip(at, 0, most - 1) for at, most in zip(_windows(places), working.shape[:2], strict=True))
    return np.median(to_linear(working[rows, columns]), axis=2)


def _off(linear: np.ndarray) -> float:
    """Median difference of the patches from the chart's under the one light that fits best, stops."""
    ratio = np.log2(np.maximum(linear, 1e-4) / PATCHES).reshape(-1, 3)
    return float(np.median(np.abs(ratio - np.median(ratio, axis=0)).max(axis=1)))


def _greys(working: np.ndarray, usable: np.ndarray, places: np.ndarray, off: float) -> White | None:
    """The light as the chart's six greys show it, those that are clipped or too dark left out."""
    rows, columns = _windows(places[-1:])
    height, width = usable.shape
    rows, columns = np.clip(rows[0], 0, height - 1), np.clip(columns[0], 0, width - 1)
    good = usable[rows, columns].mean(axis=1) > 0.9
    if not good.any():
        return None
    expected = np.log2(PATCHES[-1][:, [0, 2]] / PATCHES[-1][:, [1]])
    chromas = np.array([np.median(log_chroma(working[r, c]), axis=0) for r, c in zip(rows, columns, strict=True)])
    chroma = np.median((chromas - expected)[good], axis=0)
    spread = float(np.abs((chromas - expected)[good] - chroma).max())
    return White(
        "chart",
        "chart",
        (float(chroma[0]), float(chroma[1])),
        float(np.clip(1.05 - off, 0.6, 0.97)),
        f"{good.sum()} greys of a 24-patch chart in the picture, {spread:.2f} stops apart",
    )


def _by_card(working: np.ndarray, usable: np.ndarray, near: White) -> White | None:
    """The largest even, nearly neutral rectangle: a grey card, or a sheet that serves as one."""
    stops = cv2.blur(np.ascontiguousarray(working, np.float32), (3, 3)) / np.float32(STOP)
    chroma = stops[..., ::2] - stops[..., 1:2]
    off = np.hypot(*np.moveaxis(chroma - np.asarray(near.chroma, np.float32), -1, 0))
    kernel = np.ones((3, 3), np.uint8)
    edges = cv2.morphologyEx(np.ascontiguousarray(stops[..., 1]), cv2.MORPH_GRADIENT, kernel)
    even = usable & (off < _MOST_TINTED) & (edges < _MOST_UNEVEN)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(even.astype(np.uint8), connectivity=4)
    dark = np.median(stops[..., 1]) - _DARKEST_BELOW
    areas = stats[1:count, cv2.CC_STAT_AREA]
    for label in 1 + np.argsort(-areas):
        share = stats[label, cv2.CC_STAT_AREA] / even.size
        if share < _LEAST_CARD:
            break
        member = labels == label
        contours, _ = cv2.findContours(member.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
        _, (width, height), _ = cv2.minAreaRect(contours[0])
        rectangular = cv2.contourArea(contours[0]) > 0.85 * width * height and 0.4 < width / max(height, 1.0) < 2.5
        low, high = np.percentile(stops[..., 1][member], [5, 95])
        if share > _MOST_CARD or not rectangular or high - low > 2 * _MOST_UNEVEN or high < dark:
            continue
        light = np.median(chroma[member], axis=0)
        return White(
            "card",
            "grey card or sheet",
            (float(light[0]), float(light[1])),
            0.6,
            f"an even, nearly neutral rectangle, {100 * share:.1f} % of the picture",
        )
    return None
