"""How the light on the same things changes along a shot, from its own frames.

Frames are laid over each other by the camera's motion, and colours of the same places compared: what the camera frames
anew is no change of light, what lights the same things anew is. Neighbours are compared, and frames some way apart, so that
small errors do not add up; what all comparisons say together is found by least squares.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from dovrel.core.colour import codes
from dovrel.core.colour.working import STOP
from dovrel.core.time import motion
from dovrel.core.time.run import Frame, Run

APART = (1, 4, 12, 36)
"""Frames that are compared lie so many places apart in the run."""
FAR = APART[2:]
GRID = (40, 22)
LEAST_SHARED = 60
"""Places at which two frames must be comparable."""
STRUCTURE_APART = 40.0
"""How far the structure may differ, of 255, where two frames show the same."""
LEAST_SPREAD = 0.01
"""How many stops places differ at least, for weighing."""

Progress = Callable[[float], None]
"""Told how much of the work is done, 0..1; may raise to end it."""


def untold(_: float) -> None:
    """Progress that nobody asks for."""


@dataclass(frozen=True)
class Comparison:
    """What two frames say of the light on what both show.

    Attributes
    ----------
    stops : (3,), how much more light of red, green and blue there is in the second
    spread : how much places differ in that, stops
    places : how many were compared
    """

    stops: np.ndarray
    spread: float
    places: int


@dataclass(frozen=True)
class Light:
    """Light along a run.

    Attributes
    ----------
    stops : float64 (n, 3), of red, green and blue against the first frame
    far : what frames some way apart say of each other
    seen : bool (n,), whether the frame was compared with its neighbour; else it is taken to be lit as that was
    """

    stops: np.ndarray
    far: tuple[Comparison, ...]
    seen: np.ndarray

    @property
    def unevenness(self) -> tuple[float, float]:
        """How differently things are lit anew where the light changes most: in stops, and in parts of that change.

        Near 0 where a camera's setting moves, since that moves all things alike.
        """
        if not self.far:
            return 0.0, 0.0
        sizes = np.array([np.abs(one.stops).max() for one in self.far])
        most = sizes >= 0.6 * sizes.max()
        spread = float(np.median([one.spread for one, much in zip(self.far, most, strict=True) if much]))
        return spread, spread / max(float(sizes[most].mean()), 1e-6)


def compared(there: Frame, here: Frame, way: np.ndarray) -> Comparison | None:
    """Two frames, laid over each other by the motion (2, 3) from one to the other; None where they share too little."""
    height, width = there.packed.shape[:2]
    across, down = (np.linspace(0.02, 0.98, count) * size for count, size in zip(GRID, (width, height), strict=True))
    points = np.stack(np.meshgrid(across, down), axis=-1).reshape(-1, 2)
    return compared_at(there, here, points, motion.moved(points, way))


def compared_at(there: Frame, here: Frame, points: np.ndarray, at: np.ndarray) -> Comparison | None:
    """Two frames at points (n, 2) of the first and where those are in the second, pixels."""
    height, width = here.packed.shape[:2]
    inside = (at >= 1).all(axis=1) & (at[:, 0] < width - 2) & (at[:, 1] < height - 2)
    first, second = points[inside], at[inside]
    if len(first) < LEAST_SHARED:
        return None
    usable = (sampled(there.comparable, first) > 0.99) & (sampled(here.comparable, second) > 0.99)
    alike = np.abs(sampled(there.structure, first) - sampled(here.structure, second)) < STRUCTURE_APART
    chosen = usable & alike
    if chosen.sum() < LEAST_SHARED:
        return None
    here_is, there_is = (
        codes.unpack(sampled(frame.colours, at[chosen])) for frame, at in ((here, second), (there, first))
    )
    apart = (here_is - there_is) / STOP
    stops = np.median(apart, axis=0)
    spread = float(1.4826 * np.median(np.abs(apart - stops)))
    return Comparison(stops.astype(np.float64), spread, int(chosen.sum()))


def sampled(picture: np.ndarray, at: np.ndarray) -> np.ndarray:
    """A picture's values at points (n, 2) between its pixels, float32 (n,) or (n, c)."""
    x, y = (np.ascontiguousarray(at[:, axis : axis + 1], np.float32) for axis in (0, 1))
    source = picture if picture.dtype != bool else picture.astype(np.uint8)
    found = cv2.remap(source.astype(np.float32), x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return found[:, 0]


def ways_along(run: Run, told: Progress = untold) -> list[np.ndarray | None]:
    """The camera's motion from each frame to the next, (2, 3) in pixels; None where there is too little to see."""
    found = []
    for place in range(len(run) - 1):
        found.append(motion.camera_motion(run.frames[place].structure, run.frames[place + 1].structure))
        told((place + 1) / max(len(run) - 1, 1))
    return found


def light_along(run: Run, told: Progress = untold) -> Light:
    """The light of a run's frames on what they share."""
    count = len(run)
    ways = ways_along(run, lambda part: told(0.7 * part))
    rows, columns, said, weights = [], [], [], []
    seen = np.ones(count, bool)
    far = []
    for gap in APART:
        for place in range(0, count - gap, max(1, gap // 4)):
            way = motion.STILL
            for one in ways[place : place + gap]:
                way = motion.after(way, motion.STILL if one is None else one)
            found = compared(run.frames[place], run.frames[place + gap], way)
            if found is None:
                seen[place + 1] &= gap > 1
                continue
            if gap in FAR:
                far.append(found)
            rows.append(place)
            columns.append(place + gap)
            said.append(found.stops)
            weights.append(np.sqrt(found.places) / max(found.spread, LEAST_SPREAD))
        told(0.7 + 0.3 * (APART.index(gap) + 1) / len(APART))
    return Light(_together(count, rows, columns, said, weights), tuple(far), seen)


def _together(count: int, rows: list[int], columns: list[int], said: list[np.ndarray], weights: list) -> np.ndarray:
    """Stops (n, 3) against the first frame that agree best with all differences; frames never compared go on as before."""
    normal, right = np.zeros((count, count)), np.zeros((count, 3))
    faint = 1e-3
    pairs = [(i, i + 1, np.zeros(3), faint) for i in range(count - 1)]
    for i, j, stops, weight in (*zip(rows, columns, said, weights, strict=True), *pairs):
        w = weight * weight
        normal[i, i] += w
        normal[j, j] += w
        normal[i, j] -= w
        normal[j, i] -= w
        right[j] += w * stops
        right[i] -= w * stops
    normal[0, 0] += 1e6
    stops = np.linalg.solve(normal, right)
    return stops - stops[0]
