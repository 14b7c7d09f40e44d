"""Points of one subject in two pictures: scale-invariant features, kept where one geometry holds.

Lowe 2004 for the features and the ratio test; Barath et al. 2020 (MAGSAC++) for the consensus.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from scipy.special import betainc

SEARCH_WIDTH = 960
MOST_SEARCHED = 1920
"""Rows in which features are sought: a picture that is taller than wide is not blown up beyond."""
FEATURES = 5000
RATIO = 0.8
MIN_INLIERS = 12
LOOKED_AT, LEAST_SEEN = 1500, 8
"""Of the strongest features of two frames so many must be alike for the frames to be compared whole."""
NEAR, TRIALS = 2.0, 5000
"""Pixels within which a point lies on its line, and how many matrices are tried."""
ALIKE_TURNED = 30.0
"""Degrees within which features of one subject are turned alike."""
SPOTS = 120
"""Spots across the picture: features closer together are one point."""
_BIN = 15
_HARDLY_EVER = 1e-3
PLANE_POINTS, PLANE_PART = 60, 0.95
"""Points of which so large a part on one homography shows that they lie on one plane, or were seen from one place."""
LOCAL_MEAN_SIGMA = 0.0045
"""Narrowest Gaussian of a local mean, in parts of the picture's width."""
MOST_HALF_OCTAVES = 4
"""By which a local mean may be wider than the narrowest."""
COARSE = 6
"""Pixels a side of the fields in which neighbourhoods are compared, which are far wider."""
MOST_AT_ONCE = 30_000
"""Places that are looked up in a picture together."""


@dataclass(frozen=True)
class Features:
    """The strongest first: points float32 (n, 2) in 0..1 of width and height, sizes (n,) in parts of the width, turns (n,) in degrees, descriptors
    (n, 128)."""

    points: np.ndarray
    sizes: np.ndarray
    turns: np.ndarray
    descriptors: np.ndarray
    aspect: float

    def strongest(self, most: int) -> Features:
        """At most so many of them."""
        return Features(self.points[:most], self.sizes[:most], self.turns[:most], self.descriptors[:most], self.aspect)


@dataclass(frozen=True)
class Correspondences:
    """Agreeing points, float32 (n, 2) each, in 0..1 of width and height.

    `larger` (n,) is how many times as large the neighbourhood of each is in the reference as in
    the shot, in parts of the pictures' widths. `one_plane` says that one homography carries nearly all of them:
    both frames were seen from one place, or show a flat thing.
    """

    reference: np.ndarray
    shot: np.ndarray
    larger: np.ndarray
    one_plane: bool = False

    def __len__(self) -> int:
        return len(self.reference)

    @property
    def wider(self) -> tuple[np.ndarray, np.ndarray]:
        """How much wider a mean is to be taken in the reference and in the shot, (n,) each.

        So both hold the same of a thing; 1 in the picture that shows it smaller.
        """
        return np.maximum(self.larger, 1), np.maximum(1 / self.larger, 1)

    def where(self, chosen: np.ndarray) -> Correspondences:
        """Those of a mask (n,)."""
        return Correspondences(self.reference[chosen], self.shot[chosen], self.larger[chosen], self.one_plane)


NONE = Correspondences(np.empty((0, 2), np.float32), np.empty((0, 2), np.float32), np.empty(0, np.float32))


def find_features(display: np.ndarray) -> Features:
    """Features on tone-equalised luma at twice a preview's size.

    Parameters
    ----------
    display : float array (H, W, 3) in 0..1
    """
    height, width = display.shape[:2]
    grey = np.clip(display, 0, 1).astype(np.float32) @ np.array([0.2126, 0.7152, 0.0722], np.float32)
    scale = min(SEARCH_WIDTH / width, MOST_SEARCHED / height)
    size = max(2, round(width * scale)), max(2, round(height * scale))
    grey = cv2.resize(grey, size, interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC)
    grey8 = cv2.createCLAHE(3.0, (8, 8)).apply((np.clip(grey, 0, 1) * 255).astype(np.uint8))
    points, descriptors = cv2.SIFT_create(FEATURES, contrastThreshold=0.02).detectAndCompute(grey8, None)
    strongest = np.argsort([-p.response for p in points], kind="stable")
    points = [points[n] for n in strongest]
    if descriptors is None:
        return Features(NONE.reference, NONE.larger, NONE.larger, np.empty((0, 128), np.float32), width / height)
    turns = np.array([p.angle for p in points], np.float32)
    sizes = np.array([p.size for p in points], np.float32) / size[0]
    located = np.array([p.pt for p in points], np.float32) / np.array(size, np.float32)
    # Square roots of normalised descriptors (Arandjelovic and Zisserman 2012) compare better.
    descriptors = descriptors[strongest]
    rooted = np.sqrt(descriptors / np.maximum(descriptors.sum(axis=1, keepdims=True), 1e-6))
    return Features(located, sizes, turns, rooted.astype(np.float32), width / height)


def correspond(reference: Features, shot: Features) -> Correspondences:
    """Pairs that pass the ratio test and agree on one fundamental matrix."""
    there, here = _alike(reference, shot)
    # Several features on one spot are one point: they would agree on any geometry together.
    spots = np.round(np.hstack([reference.points[there], shot.points[here]]) * SPOTS).astype(int)
    distinct = np.sort(np.unique(spots, axis=0, return_index=True)[1])
    there, here = there[distinct], here[distinct]
    if len(here) < MIN_INLIERS:
        return NONE
    in_reference, in_shot = reference.points[there], shot.points[here]
    pixels = np.array([SEARCH_WIDTH, SEARCH_WIDTH / reference.aspect])
    shot_pixels = np.array([SEARCH_WIDTH, SEARCH_WIDTH / shot.aspect])
    _, inliers = cv2.findFundamentalMat(
        in_reference * pixels, in_shot * shot_pixels, cv2.USAC_MAGSAC, NEAR, 0.999, TRIALS
    )
    if inliers is None:
        return NONE
    inlier = inliers.ravel().astype(bool)
    if inlier.sum() < max(MIN_INLIERS, _by_chance(len(inlier), float(shot_pixels[1]))):
        return NONE
    larger = reference.sizes[there] / shot.sizes[here]
    return Correspondences(in_reference[inlier], in_shot[inlier], larger[inlier])


def may_share(one: Features, other: Features) -> bool:
    """Whether two frames may show the same things: a quick look at the strongest features of both, which misses few."""
    return len(_alike(one.strongest(LOOKED_AT), other.strongest(LOOKED_AT))[0]) >= LEAST_SEEN


def _alike(reference: Features, shot: Features) -> tuple[np.ndarray, np.ndarray]:
    """Features of both frames, by number, that pass the ratio test each way and are turned alike."""
    nothing = np.empty(0, int)
    if min(len(reference.points), len(shot.points)) < MIN_INLIERS:
        return nothing, nothing
    similarity = shot.descriptors @ reference.descriptors.T
    rows, first = np.arange(len(similarity)), similarity.argmax(axis=1)
    nearest = similarity[rows, first]
    similarity[rows, first] = -1.0
    second = similarity.max(axis=1)
    similarity[rows, first] = nearest
    here = np.flatnonzero(_distance(nearest) < RATIO * _distance(second))
    # Only few pass, so that the other way is asked of these alone.
    here = here[similarity[:, first[here]].argmax(axis=0) == here]
    there = first[here]
    turned = _agreeing(shot.turns[here] - reference.turns[there], ALIKE_TURNED)
    return there[turned], here[turned]


def _distance(similarity: np.ndarray) -> np.ndarray:
    """Between descriptors of length one."""
    return np.sqrt(np.maximum(2 - 2 * similarity, 0))


def _agreeing(turns: np.ndarray, within: float) -> np.ndarray:
    """Which turns in degrees lie within so much of where most do: bool (n,). Points of one subject are turned as the camera is."""
    if not len(turns):
        return np.zeros(0, bool)
    counts = np.bincount((turns % 360 // _BIN).astype(int) % (360 // _BIN), minlength=360 // _BIN)
    around = counts + np.roll(counts, 1) + np.roll(counts, -1)
    middle = (np.argmax(around) + 0.5) * _BIN
    return np.abs((turns - middle + 180) % 360 - 180) <= within


def _by_chance(points: int, rows: float) -> int:
    """More points than hardly ever lie near the lines of the best matrix that was tried, where two frames share nothing.

    Moisan and Stival 2004: seven points fix a matrix; each other one lies near its line by chance as often as the line's
    neighbourhood is part of the picture, which is `rows` high.
    """
    more = np.arange(1, max(points - 7, 1) + 1)
    likely = betainc(more, len(more) - more + 1, min(2 * NEAR / rows, 1.0))
    return 7 + int(np.count_nonzero(likely * TRIALS > _HARDLY_EVER)) + 1


def denser(found: Correspondences, reference: np.ndarray, shot: np.ndarray) -> Correspondences:
    """Add a grid of points where the two views are one plane or one angle apart.

    If a homography carries most of the correspondences, points between them are found too:
    those where the equalised neighbourhoods agree.

    Parameters
    ----------
    reference, shot : float arrays (H, W), display values of about the same tones
    """
    if len(found) < 40:
        return found
    height, width = shot.shape[:2]
    size = np.array([width, height], np.float32)
    reference_size = np.array([reference.shape[1], reference.shape[0]], np.float32)
    homography, inliers = cv2.findHomography(found.reference * reference_size, found.shot * size, cv2.USAC_MAGSAC, 2.5)
    if homography is None or inliers.mean() < 0.6:
        return found
    found = replace(found, one_plane=len(found) >= PLANE_POINTS and bool(inliers.mean() >= PLANE_PART))
    warped = cv2.warpPerspective(
        np.ascontiguousarray(reference, np.float32), homography, (width, height),
        flags=cv2.INTER_AREA, borderValue=-1,
    )  # fmt: skip
    xs, ys = np.meshgrid(np.linspace(0.02, 0.98, 56), np.linspace(0.03, 0.97, 32))
    grid = np.stack([xs.ravel(), ys.ravel()], axis=1).astype(np.float32)
    pixel = (grid * size).astype(int)
    agreement = _local_correlation(warped, np.asarray(shot, np.float32), width / 40)
    rows, columns = (np.minimum(pixel[:, at] // COARSE, agreement.shape[1 - at] - 1) for at in (1, 0))
    covered = warped[pixel[:, 1], pixel[:, 0]] >= 0
    keep = covered & (agreement[rows, columns] > 0.85)
    if not keep.any():
        return found
    back = (
        cv2.perspectiveTransform((grid[keep] * size)[None], np.linalg.inv(np.asarray(homography, np.float64)))[0]
        / reference_size
    )
    inside = ((back > 0.01) & (back < 0.99)).all(axis=1)
    return Correspondences(
        np.concatenate([found.reference, back[inside].astype(np.float32)]),
        np.concatenate([found.shot, grid[keep][inside]]),
        np.concatenate([found.larger, np.full(inside.sum(), np.median(found.larger))]),
        found.one_plane,
    )


def _local_correlation(a: np.ndarray, b: np.ndarray, sigma: float) -> np.ndarray:
    """Normalised correlation of two grey pictures (H, W) in Gaussian neighbourhoods, one for each field of `COARSE` pixels a side."""

    def mean(image: np.ndarray) -> np.ndarray:
        size = max(1, round(image.shape[1] / COARSE)), max(1, round(image.shape[0] / COARSE))
        return cv2.GaussianBlur(cv2.resize(image, size, interpolation=cv2.INTER_AREA), (0, 0), sigma / COARSE)

    mean_a, mean_b = mean(a), mean(b)
    variance_a = mean(a * a) - mean_a**2
    variance_b = mean(b * b) - mean_b**2
    covariance = mean(a * b) - mean_a * mean_b
    return covariance / np.sqrt(np.maximum(variance_a, 1e-5) * np.maximum(variance_b, 1e-5))


def narrowest_means(light: np.ndarray) -> np.ndarray:
    """The narrowest Gaussian means of an image (H, W, C), around every second of its pixels: float32 (H/2, W/2, C).

    More of them would say nothing else: each lies over several pixels.
    """
    smooth = cv2.GaussianBlur(light, (0, 0), LOCAL_MEAN_SIGMA * light.shape[1])
    size = max(1, light.shape[1] // 2), max(1, light.shape[0] // 2)
    return cv2.resize(smooth, size, interpolation=cv2.INTER_AREA)


def local_means(narrowest: np.ndarray, points: np.ndarray, wider: np.ndarray) -> np.ndarray:
    """Small Gaussian means at `points` (n, 2) in 0..1, of an image whose narrowest ones (H, W, C) are given: float32 (n, C).

    `wider` (n,), 1 or more, is how many times as wide as the narrowest a mean is, to half an octave.
    """
    height, width = narrowest.shape[:2]
    at = (points * np.array([width, height]) - 0.5).astype(np.float32)
    half_octaves = np.clip(np.round(2 * np.log2(wider)), 0, MOST_HALF_OCTAVES)
    means = np.empty((len(points), narrowest.shape[2]), np.float32)
    for step in np.unique(half_octaves):
        # A blur of a blur: their squares add up.
        sigma = LOCAL_MEAN_SIGMA * width * np.sqrt(2.0**step - 1)
        smooth = cv2.GaussianBlur(narrowest, (0, 0), sigma) if step else narrowest
        chosen = np.flatnonzero(half_octaves == step)
        for part in np.array_split(chosen, len(chosen) // MOST_AT_ONCE + 1):
            found = cv2.remap(
                smooth, at[part, None, 0], at[part, None, 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
            )
            means[part] = found.reshape(len(part), -1)
    return means
