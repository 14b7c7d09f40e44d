"""Where points of one frame are found in another: pyramidal Lucas–Kanade, there and back, and the motion that most share.

Bouguet 2000 for the pyramids; Kalal, Mikolajczyk and Matas 2010 for the way back as a check; random sample consensus
(Fischler and Bolles 1981) for what is shared.
"""

from __future__ import annotations

import cv2
import numpy as np

WINDOW = 17
LEVELS = 4
BACK_WITHIN = 0.7
"""Pixels from where it began to which a point must come back."""
SHARED_WITHIN = 1.5
"""Pixels from where the shared motion puts a point."""
LEAST_POINTS = 8
STILL = np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])
"""The motion of a camera that does not move."""

_CRITERIA = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 25, 0.01)


def corners(structure: np.ndarray, most: int, mask: np.ndarray | None = None) -> np.ndarray:
    """Points worth following, float32 (n, 2) in pixels; none on a blank wall."""
    found = cv2.goodFeaturesToTrack(structure, most, 0.02, 5, mask=mask, blockSize=5)
    return np.zeros((0, 2), np.float32) if found is None else found.reshape(-1, 2)


def followed(
    there: np.ndarray, here: np.ndarray, points: np.ndarray, guess: np.ndarray | None = None
) -> tuple[np.ndarray, np.ndarray]:
    """Points of one picture in another, float32 (n, 2), and which of them came back to where they began, bool (n,).

    Both pictures are uint8 (H, W); `guess` is where they are likely to be.
    """
    if len(points) == 0:
        return points, np.zeros(0, bool)
    start = points.reshape(-1, 1, 2).astype(np.float32)
    first = start if guess is None else guess.reshape(-1, 1, 2).astype(np.float32)
    options = {
        "winSize": (WINDOW, WINDOW),
        "maxLevel": LEVELS,
        "criteria": _CRITERIA,
        "flags": cv2.OPTFLOW_USE_INITIAL_FLOW,
    }
    found, ok, _ = cv2.calcOpticalFlowPyrLK(there, here, start, first.copy(), **options)
    back, returned, _ = cv2.calcOpticalFlowPyrLK(here, there, found, start.copy(), **options)
    apart = np.linalg.norm((back - start).reshape(-1, 2), axis=1)
    height, width = here.shape
    at = found.reshape(-1, 2)
    inside = (at >= 0).all(axis=1) & (at[:, 0] < width) & (at[:, 1] < height)
    return at, (ok.ravel() == 1) & (returned.ravel() == 1) & (apart < BACK_WITHIN) & inside


def moved(points: np.ndarray, motion: np.ndarray) -> np.ndarray:
    """Points (n, 2) under a motion (2, 3)."""
    return points @ motion[:, :2].T + motion[:, 2]


def after(first: np.ndarray, second: np.ndarray) -> np.ndarray:
    """One motion after another, as one (2, 3)."""
    return np.hstack([second[:, :2] @ first[:, :2], (second[:, :2] @ first[:, 2] + second[:, 2])[:, None]])


def inverse(motion: np.ndarray) -> np.ndarray:
    return cv2.invertAffineTransform(motion)


def camera_motion(there: np.ndarray, here: np.ndarray) -> np.ndarray | None:
    """The motion (2, 3) that most points of a picture share with another; None where there is too little to see."""
    points = corners(there, 240)
    if len(points) < LEAST_POINTS:
        return None
    at, ok = followed(there, here, points)
    if ok.sum() < LEAST_POINTS:
        return None
    motion, inliers = cv2.estimateAffine2D(
        points[ok], at[ok], method=cv2.RANSAC, ransacReprojThreshold=SHARED_WITHIN, confidence=0.995
    )
    if motion is None or inliers.sum() < LEAST_POINTS:
        return None
    return motion
