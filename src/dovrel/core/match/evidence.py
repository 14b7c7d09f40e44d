"""What a reference and a shot share: correspondences, ties, and the colours of both."""

from __future__ import annotations

from collections.abc import Sequence
from copy import copy
from dataclasses import replace

import numpy as np

from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import from_linear
from dovrel.core.develop.frame import display_of
from dovrel.core.match import correspond, shared
from dovrel.core.match.fit import Pairs, differences
from dovrel.core.match.link import DENSE, lights_at, points_of, weights_at
from dovrel.core.match.residuals import LEAST_SKIN, Residuals, is_skin, of_pairs, of_pictures
from dovrel.core.match.side import side_of
from dovrel.core.match.ties import Tie, patch_mean, with_ties
from dovrel.core.match.view import View, view_of
from dovrel.core.measure.readings import DEFAULT_PERCENTILES, Percentiles, readings_of_display
from dovrel.core.measure.sampled import take_sample
from dovrel.core.steps.chain import Chain, apply_in_order
from dovrel.core.steps.kinds import Values
from dovrel.core.steps.primary import IDENTITY, Primary
from dovrel.errors import Refused


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
        reference_view: View | None = None,
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
        reference_view : of the same reference, if made before (`reference_view` of another evidence)
        reference_mask, shot_mask : uint8 (H, W) of the metered pixels, all if None
        finished : whether reference and shot are display-referred
        ties : patches that should measure the same; `ties_alone` to match by nothing else

        Raises
        ------
        Refused
            If a mask leaves nothing, or ties alone are asked for where there are none.
        """
        if ties_alone and not ties:
            raise Refused("there are no ties to match by; draw a patch in the reference and its partner in the shot")
        self.table = table
        self.percentiles = percentiles
        self.reference_balance = tuple(reference_balance)
        ten = [one for one in self.reference_balance if isinstance(one, Primary)]
        self.reference_numbers = ten[0] if ten else IDENTITY
        self.reference = side_of(reference_working, reference_working, reference_mask, finished=finished[0])
        self.shot = side_of(shot_working, shot_recorded, shot_mask, finished=finished[1])
        self.reference_working = apply_in_order(self.reference.working, self.reference_balance).astype(np.float32)
        self.reference_display = display_of(self.reference_working, [], table)
        self.points = correspond.NONE
        self.reference_view, self._shot_view = reference_view, None
        if not ties_alone:
            self.reference_view = reference_view or view_of(self.reference, table)
            self._shot_view = view_of(self.shot, table)
            self.points = points_of(self.reference_view, self._shot_view)
        self.ties = len(ties)
        at_points = self._pairs_at(self.points)
        self.found = len(at_points) if at_points else 0
        self.pairs = with_ties(at_points, self._tied(ties), alone=ties_alone)
        metered = self.reference_display[self.reference.metered]
        self._palette = None if self.pairs else shared.palette(metered)

    def light_at(self, points: correspond.Correspondences) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Mean light around points, in the reference and in the shot, and how much of the shot's is clipped.

        Returns
        -------
        float32 (n, 3) and (n, 3), linear AP1 before the balances; float32 (n,), 0..1
        """
        assert self.reference_view
        assert self._shot_view
        there, here = lights_at(self.reference_view, self._shot_view, points)
        return there[:, :3], here[:, :3], here[:, 3]

    def _pairs_at(self, points: correspond.Correspondences) -> Pairs | None:
        """Local means at the points, without black and white ones; crowded places and what is clipped weigh less."""
        if not len(points):
            return None
        there, here, clipped = self.light_at(points)
        shown = display_of(self._balanced(there), [], self.table)
        keep = (shown.max(axis=1) < 0.985) & (shown.max(axis=1) > 0.015)
        if keep.sum() < correspond.MIN_INLIERS:
            return None
        weight = weights_at(points.shot[keep], clipped[keep])
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
        return self.found >= DENSE or (self.found > 0 and self.points.one_plane)

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
