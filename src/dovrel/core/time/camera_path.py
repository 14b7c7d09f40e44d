"""Where a camera looked, frame by frame: the motion that most of a picture shares from each frame to the next."""

from __future__ import annotations

from collections.abc import Iterable

import cv2
import numpy as np

from dovrel.core.steps.track import Track
from dovrel.core.time.motion import LEAST_POINTS, SHARED_WITHIN, corners, followed
from dovrel.core.time.run import Frame
from dovrel.errors import Refused

_POINTS = 240
_LEAST_SEEN = 0.5
"""Of all frames, so many must show how the camera moved."""


class NothingMoved(Refused):
    """A shot whose camera's motion cannot be told, or is no shake."""


def camera_path(frames: Iterable[Frame]) -> Track:
    """Where the middle of the first frame is on each one, turned and sized as the camera saw it.

    Frames come one after another, none left out; a way that is not seen from one to the next is taken for none.

    Raises
    ------
    NothingMoved
        If too few frames show enough, or the camera turns away by more than three pictures.
    """
    before: Frame | None = None
    first, way, seen, count, aspect = 0, np.eye(3), 0, 0, 1.0
    places = []
    for frame in frames:
        height, width = frame.packed.shape[:2]
        if before is None:
            first, aspect = frame.number, width / height
        else:
            motion = _similarity(before.structure, frame.structure)
            seen += motion is not None
            if motion is not None:
                way = np.vstack([motion, [0, 0, 1]]) @ way
        before = frame
        count += 1
        x, y, _ = way @ [(width - 1) / 2, (height - 1) / 2, 1]
        size, turn = np.hypot(way[0, 0], way[1, 0]), np.degrees(np.arctan2(way[1, 0], way[0, 0]))
        places.append((_part(x, width), _part(y, height), round(float(turn), 5), round(float(size), 6)))
    if count and np.abs(np.array(places)[:, :2]).max() > 3:
        raise NothingMoved("the camera turns away too far for its picture to be steadied as one")
    if count == 0 or seen < _LEAST_SEEN * (count - 1):
        raise NothingMoved("the shot shows too little to tell how its camera moved: it is dark, blank or out of focus")
    return Track(first, first, tuple(places), aspect)


def _part(pixels: float, length: int) -> float:
    return round(float((pixels + 0.5) / length), 6)


def _similarity(there: np.ndarray, here: np.ndarray) -> np.ndarray | None:
    points = corners(there, _POINTS)
    at, ok = followed(there, here, points)
    if ok.sum() < LEAST_POINTS:
        return None
    motion, inliers = cv2.estimateAffinePartial2D(
        points[ok], at[ok], method=cv2.RANSAC, ransacReprojThreshold=SHARED_WITHIN, confidence=0.995
    )
    return None if motion is None or inliers.sum() < LEAST_POINTS else motion
