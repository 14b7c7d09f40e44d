"""What a reference and a shot share: correspondences, ties, and the colours of both."""

from __future__ import annotations

from collections.abc import Sequence
from copy import copy
from dataclasses import dataclass, replace

import cv2
import numpy as np

from dovrel.core.balance import exposure
from dovrel.core.colour.codes import CLIPPED_AT
from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import STOP, from_linear, to_linear
from dovrel.core.develop.frame import display_of
from dovrel.core.match import correspond, shared
from dovrel.core.match.fit import Pairs, differences
from dovrel.core.match.residuals import LEAST_SKIN, Residuals, is_skin, of_pairs, of_pictures
from dovrel.core.match.ties import Tie, patch_mean, with_ties
from dovrel.core.measure.readings import DEFAULT_PERCENTILES, Percentiles, readings_of_display
from dovrel.core.measure.sampled import take_sample
from dovrel.core.steps.chain import Chain, apply_in_order
from dovrel.core.steps.kinds import Values
from dovrel.core.steps.primary import IDENTITY, Primary

WORK_WIDTH = 640
"""Pictures are matched at about this width."""

LITTLE_CLIPPED = 0.02
"""Part of a local mean that may be clipped in the recording without a loss."""

CLIPPED_WEIGHT = 0.1
"""What a pair of which more is clipped weighs beside others: enough to say where the clipped parts should lie."""

DENSE = 600
"""From this many pairs on, one view lies over the other."""


@dataclass(frozen=True)
class Side:
    """A picture at work size, before its balance.

    Attributes
    ----------
    light : float32 (H, W, 3), linear AP1. Means are taken of it: light adds up, its logarithms
        do not, so a mean of working values sinks with every sharp dark letter on the paper
    working, recorded : float32 (H, W, 3); a reference's recording is not looked at
    metered : bool (H, W), the pixels that count
    finished : whether the source is display-referred
    """

    light: np.ndarray
    working: np.ndarray
    recorded: np.ndarray
    metered: np.ndarray
    finished: bool = False

    def inside(self, points: np.ndarray) -> np.ndarray:
        """Which points (n, 2), in parts of width and height, lie on metered pixels."""
        height, width = self.metered.shape
        x = np.clip((points[:, 0] * width).astype(int), 0, width - 1)
        y = np.clip((points[:, 1] * height).astype(int), 0, height - 1)
        return self.metered[y, x]


def side_of(working: np.ndarray, recorded: np.ndarray, mask: np.ndarray | None, *, finished: bool = False) -> Side:
    light = to_work_size(to_linear(working.astype(np.float32)))
    height, width = light.shape[:2]
    if mask is None:
        metered = np.ones((height, width), bool)
    else:
        metered = cv2.resize(mask, (width, height), interpolation=cv2.INTER_NEAREST) != 0
    if not metered.any():
        raise ValueError("nothing was measured: the meter holds no pixels")
    return Side(light, from_linear(light), to_work_size(recorded), metered, finished)


def to_work_size(image: np.ndarray, width: int = WORK_WIDTH) -> np.ndarray:
    """An image (H, W, C) at most `width` wide, by area means; float32."""
    if image.shape[1] <= width:
        return np.ascontiguousarray(image, np.float32)
    size = (width, max(2, round(image.shape[0] * width / image.shape[1])))
    return cv2.resize(np.ascontiguousarray(image, np.float32), size, interpolation=cv2.INTER_AREA)


ONE_LIGHT = 0.6
"""Stops by which the colours that points differ by may lie apart under one light: shade and lamps make some of it."""

LEAST_AGREEING = 0.5
"""The part of the points that must agree on one light for any to be believed."""

_DARKEST = 1e-4


class Evidence:
    """What a reference and a shot share, gathered once; distances by it cost milliseconds.

    Attributes
    ----------
    reference_working, reference_display : float32 (H, W, 3), the reference under its balance
    reference_numbers : the ten numbers of that balance
    points : agreeing points; pairs : their colours and those of the ties, or None where too few
        were found
    ties, found : how many of the pairs, the first ones, are ties, and how many are of points
    """

    def __init__(
        self,
        reference_working: np.ndarray,
        shot_working: np.ndarray,
        shot_recorded: np.ndarray,
        table: Table,
        *,
        reference_balance: Chain = (),
        reference_features: correspond.Features | None = None,
        percentiles: Percentiles = DEFAULT_PERCENTILES,
        reference_mask: np.ndarray | None = None,
        shot_mask: np.ndarray | None = None,
        ties: Sequence[Tie] = (),
        ties_alone: bool = False,
        finished: tuple[bool, bool] = (False, False),
    ) -> None:
        """Parameters as of :func:`match`.

        Parameters
        ----------
        reference_balance : the balance of the reference, ten numbers and what follows them; the
            contrast and saturation of its ten numbers are tried on the shot
        reference_features : of the same reference, if found before (`reference_features` of
            another evidence)
        reference_mask, shot_mask : uint8 (H, W) of the metered pixels, all if None
        finished : whether reference and shot are display-referred
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
        self.reference_balance = tuple(reference_balance)
        ten = [one for one in self.reference_balance if isinstance(one, Primary)]
        self.reference_numbers = ten[0] if ten else IDENTITY
        self.reference = side_of(reference_working, reference_working, reference_mask, finished=finished[0])
        self.shot = side_of(shot_working, shot_recorded, shot_mask, finished=finished[1])
        self.reference_working = apply_in_order(self.reference.working, self.reference_balance).astype(np.float32)
        self.reference_display = display_of(self.reference_working, [], table)
        self.reference_features = reference_features
        self.points = correspond.NONE
        if not ties_alone:
            if self.reference_features is None:
                self.reference_features = correspond.find_features(self.reference_display)
            found = self._find_points(self.reference_features)
            inside = found.where(self.reference.inside(found.reference) & self.shot.inside(found.shot))
            self.points = self._of_one_light(inside)
        self.ties = len(ties)
        at_points = self._pairs_at(self.points)
        self.found = len(at_points) if at_points else 0
        self.pairs = with_ties(at_points, self._tied(ties), alone=ties_alone)
        metered = self.reference_display[self.reference.metered]
        self._palette = None if self.pairs else shared.palette(metered)

    def _find_points(self, features: correspond.Features) -> correspond.Correspondences:
        """Points of the same subject, the shot shown as bright as the reference so that they are seen."""
        ends = [20, 50, 80]
        there, here = (
            np.percentile(exposure.scene_stops(take_sample(working, 6000)), ends)
            for working in (self.reference_working, self.shot.working)
        )
        brightened = self.shot.working + np.float32((there - here).mean() * STOP)
        shown = np.clip(display_of(brightened, [], self.table), 0, 1)
        found = correspond.correspond(features, correspond.find_features(shown))
        return correspond.denser(found, np.clip(self.reference_display, 0, 1), shown)

    def _of_one_light(self, points: correspond.Correspondences) -> correspond.Correspondences:
        """Points whose colours differ by one light, as those of one subject do; none if too few of them agree on one."""
        if not len(points):
            return points
        there, here, _ = self.light_at(points)
        ratios = np.log2(np.maximum(there, _DARKEST)) - np.log2(np.maximum(here, _DARKEST))
        colours = ratios[:, [0, 2]] - ratios[:, [1]]
        off = np.linalg.norm(colours - np.median(colours, axis=0), axis=1)
        agree = off <= ONE_LIGHT
        if agree.mean() < LEAST_AGREEING or agree.sum() < correspond.MIN_INLIERS:
            return correspond.NONE
        return points.where(agree)

    def light_at(self, points: correspond.Correspondences) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Mean light around points, in the reference and in the shot, and how much of the shot's is clipped.

        Returns
        -------
        float32 (n, 3) and (n, 3), linear AP1 before the balances; float32 (n,), 0..1
        """
        there_wider, here_wider = points.wider
        clipped = (self.shot.recorded.max(axis=2, keepdims=True) >= CLIPPED_AT - 0.01).astype(np.float32)
        here = correspond.local_means(np.dstack([self.shot.light, clipped]), points.shot, here_wider)
        there = correspond.local_means(self.reference.light, points.reference, there_wider)
        return there, here[:, :3], here[:, 3]

    def _pairs_at(self, points: correspond.Correspondences) -> Pairs | None:
        """Local means at the points, without black and white ones; crowded places and what is clipped weigh less."""
        if not len(points):
            return None
        there, here, clipped = self.light_at(points)
        shown = display_of(self._balanced(there), [], self.table)
        keep = (shown.max(axis=1) < 0.985) & (shown.max(axis=1) > 0.015)
        if keep.sum() < correspond.MIN_INLIERS:
            return None
        cells = (points.shot[keep] * 12).astype(int) @ np.array([1, 100])
        _, inverse, counts = np.unique(cells, return_inverse=True, return_counts=True)
        weight = np.where(clipped[keep] <= LITTLE_CLIPPED, 1.0, CLIPPED_WEIGHT) / np.sqrt(counts[inverse])
        return Pairs(from_linear(here[keep]), shown[keep], weight, points.shot[keep])

    def _tied(self, ties: Sequence[Tie]) -> Pairs:
        """The mean colours of the ties' patches."""
        there = np.array([patch_mean(self.reference.light, tie.reference) for tie in ties], np.float32).reshape(-1, 3)
        here = np.array([patch_mean(self.shot.light, tie.shot) for tie in ties], np.float32).reshape(-1, 3)
        place = np.array([np.mean(tie.shot, axis=0) for tie in ties]).reshape(-1, 2)
        shown = display_of(self._balanced(there), [], self.table)
        return Pairs(from_linear(here), shown, np.ones(len(ties)), place)

    def _balanced(self, light: np.ndarray) -> np.ndarray:
        """Working values float32 (n, 3) of the reference's light (n, 3) under its balance."""
        return apply_in_order(from_linear(light), self.reference_balance).astype(np.float32)

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
        return self.found >= DENSE

    def distance(self, *chain: Values) -> float:
        """Mean CIEDE2000 over what the two share, with the shot under its balance, or a chain in its place."""
        if self.pairs is not None:
            return float(np.average(differences(self.pairs, chain, self.table), weights=self.pairs.weight))
        assert self._palette is not None
        shown = display_of(self.shot.working[self.shot.metered], chain, self.table)
        return shared.shared_distance(self._palette, shared.palette(shown))

    def residuals(self, *chain: Values) -> Residuals:
        """What stays different zone by zone and on skin, with the shot under a chain."""
        if self.pairs is not None:
            return of_pairs(self.pairs, display_of(self.pairs.shot, chain, self.table))
        shown = display_of(take_sample(self.shot.working[self.shot.metered], 12000), chain, self.table)
        return of_pictures(shown, take_sample(self.reference_display[self.reference.metered], 12000))

    def reference_readings(self) -> np.ndarray:
        return readings_of_display(self.reference_display[self.reference.metered], self.percentiles)

    def readings(self, *chain: Values) -> np.ndarray:
        metered = self.shot.working[self.shot.metered]
        return readings_of_display(display_of(metered, chain, self.table), self.percentiles)
