"""What a reference and a shot share: correspondences, ties, and the colours of both."""

from __future__ import annotations

from collections.abc import Sequence
from copy import copy
from dataclasses import dataclass, replace

import cv2
import numpy as np

from dovrel.core.balance import exposure
from dovrel.core.balance.propose import CLIPPED_AT
from dovrel.core.colour.cdl import IDENTITY, TenNumbers
from dovrel.core.colour.chain import Correction
from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import STOP
from dovrel.core.correct.solve import take_sample
from dovrel.core.match import correspond, shared
from dovrel.core.match.fit import Pairs, differences
from dovrel.core.match.residuals import LEAST_SKIN, Residuals, is_skin, of_pairs, of_pictures
from dovrel.core.match.ties import Tie, with_ties
from dovrel.core.measure.frame import display_of
from dovrel.core.measure.readings import DEFAULT_PERCENTILES, Percentiles, readings_of_display

WORK_WIDTH = 640
"""Pictures are matched at about this width."""

DENSE = 600
"""From this many pairs on, one view lies over the other."""


@dataclass(frozen=True)
class Side:
    """A picture at work size.

    Attributes
    ----------
    working, recorded : float32 (H, W, 3); a reference's recording is not looked at
    metered : bool (H, W), the pixels that count
    """

    working: np.ndarray
    recorded: np.ndarray
    metered: np.ndarray

    def inside(self, points: np.ndarray) -> np.ndarray:
        """Which points (n, 2), in parts of width and height, lie on metered pixels."""
        height, width = self.metered.shape
        x = np.clip((points[:, 0] * width).astype(int), 0, width - 1)
        y = np.clip((points[:, 1] * height).astype(int), 0, height - 1)
        return self.metered[y, x]


def side_of(working: np.ndarray, recorded: np.ndarray, mask: np.ndarray | None) -> Side:
    small = shrink(working)
    height, width = small.shape[:2]
    if mask is None:
        metered = np.ones((height, width), bool)
    else:
        metered = cv2.resize(mask, (width, height), interpolation=cv2.INTER_NEAREST) != 0
    if not metered.any():
        raise ValueError("nothing was measured: the meter holds no pixels")
    return Side(small, shrink(recorded), metered)


def shrink(image: np.ndarray, width: int = WORK_WIDTH) -> np.ndarray:
    """An image (H, W, C) at most `width` wide, by area means; float32."""
    if image.shape[1] <= width:
        return np.ascontiguousarray(image, np.float32)
    size = (width, max(2, round(image.shape[0] * width / image.shape[1])))
    return cv2.resize(np.ascontiguousarray(image, np.float32), size, interpolation=cv2.INTER_AREA)


class Evidence:
    """What a reference and a shot share, gathered once; distances by it cost milliseconds.

    Attributes
    ----------
    points : agreeing points; pairs : their colours and those of the ties, or None where too few
        were found
    ties : how many of the pairs, the first ones, are ties
    tones : (n, 2), mean working values of the points' pairs, the shot's and the reference's
    """

    def __init__(
        self,
        reference_working: np.ndarray,
        shot_working: np.ndarray,
        shot_recorded: np.ndarray,
        table: Table,
        *,
        reference_numbers: TenNumbers = IDENTITY,
        reference_features: correspond.Features | None = None,
        percentiles: Percentiles = DEFAULT_PERCENTILES,
        reference_mask: np.ndarray | None = None,
        shot_mask: np.ndarray | None = None,
        ties: Sequence[Tie] = (),
        ties_alone: bool = False,
    ) -> None:
        """Parameters as of :func:`match`.

        Parameters
        ----------
        reference_numbers : the balance that `reference_working` was given; its contrast and
            saturation are tried on the shot
        reference_features : of the same reference, if found before (`reference_features` of
            another evidence)
        reference_mask, shot_mask : uint8 (H, W) of the metered pixels, all if None
        ties : patches that should measure the same; `ties_alone` to match by nothing else

        Raises
        ------
        ValueError
            If a mask leaves nothing, or ties alone are asked for where there are none.
        """
        if ties_alone and not ties:
            raise ValueError("there are no ties to match by; draw a patch in the reference and its partner in the shot")
        self.table = table
        self.percentiles = percentiles
        self.reference_numbers = reference_numbers
        self.reference = side_of(reference_working, reference_working, reference_mask)
        self.shot = side_of(shot_working, shot_recorded, shot_mask)
        self.reference_display = display_of(self.reference.working, [], table)
        self.reference_features = reference_features
        self.points = correspond.NONE
        if not ties_alone:
            if self.reference_features is None:
                self.reference_features = correspond.find_features(self.reference_display)
            found = _points(self.reference_features, self.reference, self.reference_display, self.shot, table)
            self.points = found.where(self.reference.inside(found.reference) & self.shot.inside(found.shot))
        self.ties = len(ties)
        found_pairs, self.tones = _pairs(self.points, self.reference, self.reference_display, self.shot)
        self.pairs = with_ties(found_pairs, ties, self.reference_display, self.shot.working, alone=ties_alone)
        metered = self.reference_display[self.reference.metered]
        self._palette = None if self.pairs else shared.palette(metered)

    def with_skin_first(self, notes: list[str]) -> Evidence:
        """The same with its pairs of skin weighing as much as all others together."""
        skin = is_skin(self.pairs.reference) if self.pairs else np.zeros(0, bool)
        if self.pairs is None or skin.sum() < LEAST_SKIN or skin.all():
            notes.append("hardly any skin was found in both pictures, so it could not come first")
            return self
        notes.append(f"skin comes first: {int(skin.sum())} points of it weigh as much as all others")
        weight = self.pairs.weight.copy()
        weight[skin] *= weight[~skin].sum() / weight[skin].sum()
        first = copy(self)
        first.pairs = replace(self.pairs, weight=weight)
        return first

    @property
    def overlies(self) -> bool:
        """Whether one view lies over the other, so that a surface is lit and seen alike in both."""
        return len(self.tones) >= DENSE

    def distance(self, *chain: Correction) -> float:
        """Mean CIEDE2000 over what the two share, with the shot under its balance, or a chain in its place."""
        if self.pairs is not None:
            return float(np.average(differences(self.pairs, chain, self.table), weights=self.pairs.weight))
        assert self._palette is not None
        shown = display_of(self.shot.working[self.shot.metered], chain, self.table)
        return shared.shared_distance(self._palette, shared.palette(shown))

    def residuals(self, *chain: Correction) -> Residuals:
        """What stays different zone by zone and on skin, with the shot under a chain."""
        if self.pairs is not None:
            return of_pairs(self.pairs, display_of(self.pairs.shot, chain, self.table))
        shown = display_of(take_sample(self.shot.working[self.shot.metered], 12000), chain, self.table)
        return of_pictures(shown, take_sample(self.reference_display[self.reference.metered], 12000))

    def reference_readings(self) -> np.ndarray:
        return readings_of_display(self.reference_display[self.reference.metered], self.percentiles)

    def readings(self, *chain: Correction) -> np.ndarray:
        metered = self.shot.working[self.shot.metered]
        return readings_of_display(display_of(metered, chain, self.table), self.percentiles)


def _points(
    features: correspond.Features, reference: Side, reference_display: np.ndarray, shot: Side, table: Table
) -> correspond.Correspondences:
    shown = np.clip(display_of(_brightened(reference, shot), [], table), 0, 1)
    found = correspond.correspond(features, correspond.find_features(shown))
    return correspond.denser(found, np.clip(reference_display, 0, 1), shown)


def _pairs(
    points: correspond.Correspondences, reference: Side, reference_display: np.ndarray, shot: Side
) -> tuple[Pairs | None, np.ndarray]:
    """Local means at the points, without clipped or black ones; crowded places weigh less.

    Beside the pairs their tones, (n, 2): mean working value of the shot's and the reference's.
    """
    none = np.empty((0, 2))
    if not len(points):
        return None, none
    there = correspond.local_means(reference_display, points.reference)
    here = correspond.local_means(shot.working, points.shot)
    recorded = correspond.local_means(shot.recorded, points.shot)
    keep = (recorded.max(axis=1) < CLIPPED_AT - 0.01) & (there.max(axis=1) < 0.985) & (there.max(axis=1) > 0.015)
    if keep.sum() < correspond.MIN_INLIERS:
        return None, none
    cells = (points.shot[keep] * 12).astype(int) @ np.array([1, 100])
    _, inverse, counts = np.unique(cells, return_inverse=True, return_counts=True)
    pairs = Pairs(here[keep], there[keep], 1.0 / np.sqrt(counts[inverse]), points.shot[keep])
    working = correspond.local_means(reference.working, points.reference)[keep]
    return pairs, np.stack([pairs.shot.mean(axis=1), working.mean(axis=1)], axis=1)


def _brightened(reference: Side, shot: Side) -> np.ndarray:
    """The shot's working values as bright as the reference's: only so that features are seen."""
    ends = [20, 50, 80]
    there = np.percentile(exposure.scene_stops(take_sample(reference.working[reference.metered], 6000)), ends)
    here = np.percentile(exposure.scene_stops(take_sample(shot.working[shot.metered], 6000)), ends)
    return shot.working + np.float32((there - here).mean() * STOP)
