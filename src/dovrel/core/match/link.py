"""A link between two frames: points of the same subject, and their colours in both."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from dovrel.core.colour.working import from_linear, to_linear
from dovrel.core.match import correspond
from dovrel.core.match.view import View

Ends = tuple[int, int]
"""Numbers of the two frames that a link joins, the lower first."""

LITTLE_CLIPPED = 0.02
"""Part of a local mean that may be clipped in the recording without a loss."""

CLIPPED_WEIGHT = 0.1
"""What a pair of which more is clipped weighs beside others: enough to say where the clipped parts should lie."""

DENSE = 600
"""From this many pairs on, one view lies over the other."""

ONE_LIGHT = 0.6
"""How many stops the colours that points differ by may lie apart under one light: shade and lamps make some of it."""

LEAST_AGREEING = 0.5
"""The part of the points that must agree on one light for any to be believed."""

FEW, LEAST_TOGETHER = (12, 60), (0.9, 0.6)
"""The part of how the colours of points vary that must go together in both frames where there are so few: false points' colours do
not, and fewer of them do by chance. Where there are more, their geometry is proof enough."""

KEPT_PAIRS = 900
"""Pairs of a link that are kept: more say the same."""

_DARKEST, _BRIGHTEST = 0.12, 0.75
"""Working values beyond which a pair says nothing of the light: black, and far above white."""
_LEAST_LIGHT = 1e-4
_HARDLY = 0.1
"""How many stops colours that say nothing vary."""


@dataclass(frozen=True, eq=False)
class Link:
    """Colours of the same places in two frames, before their balances.

    Attributes
    ----------
    one, other : float32 (n, 3), working values
    weight : (n,), ≥ 0; crowded places and what is clipped weigh less
    places : float32 (n, 2), where they lie in the other frame, in parts of its width and height
    found : how many points agree, of which those kept are a part
    overlies : whether one view lies over the other, so that a surface is lit and seen alike in both
    """

    one: np.ndarray
    other: np.ndarray
    weight: np.ndarray
    places: np.ndarray
    found: int
    overlies: bool

    def __len__(self) -> int:
        return len(self.weight)

    def where(self, chosen: np.ndarray) -> Link:
        """The pairs of a mask (n,)."""
        one, other, weight, places = (side[chosen] for side in (self.one, self.other, self.weight, self.places))
        return replace(self, one=one, other=other, weight=weight, places=places)

    @property
    def agreement(self) -> float:
        """The part of how its colours vary, in stops, that goes together in both frames: 0..1."""
        return _together(np.log2(_some_light(self.one)), np.log2(_some_light(self.other)))

    @property
    def stops(self) -> np.ndarray:
        """By how many stops of red, green and blue the first frame is brighter, the median: (3,)."""
        return np.median(np.log2(_some_light(self.one)) - np.log2(_some_light(self.other)), axis=0)


def _some_light(working: np.ndarray) -> np.ndarray:
    return np.maximum(to_linear(working), _LEAST_LIGHT)


def _together(one: np.ndarray, other: np.ndarray) -> float:
    """The part of how colours vary, in stops (n, 3), that goes together: 0..1; none of colours that hardly vary."""
    one, other = (side - np.median(side, axis=0) for side in (one, other))
    apart, vary = np.abs(one - other), (np.abs(one) + np.abs(other)) / 2
    vary = float(np.median(vary))
    return 0.0 if vary < _HARDLY else float(np.clip(1 - (np.median(apart) / vary) ** 2, 0, 1))


def _by_chance(points: int, together: float) -> bool:
    """Whether so many points whose colours go together so far may be false ones."""
    return points < FEW[1] and together < float(np.interp(points, FEW, LEAST_TOGETHER))


def points_of(one: View, other: View) -> correspond.Correspondences:
    """Points of the same subject that agree on one geometry and on one light: none, or enough to be believed."""
    found = correspond.correspond(one.features, other.features)
    found = correspond.denser(found, one.grey, other.grey)
    inside = found.where(one.inside(found.reference) & other.inside(found.shot))
    return _of_one_light(one, other, inside)


def lights_at(one: View, other: View, points: correspond.Correspondences) -> tuple[np.ndarray, np.ndarray]:
    """Mean light around points in both frames, and how much of it is clipped: float32 (n, 4) each, linear AP1 and 0..1."""
    one_wider, other_wider = points.wider
    return (
        correspond.local_means(one.means, points.reference, one_wider),
        correspond.local_means(other.means, points.shot, other_wider),
    )


def link(one: View, other: View) -> Link | None:
    """What two frames share; None if that is too little to be believed."""
    if not correspond.may_share(one.features, other.features):
        return None
    points = points_of(one, other)
    if not len(points):
        return None
    there, here = lights_at(one, other, points)
    weight = weights_at(points.shot, np.maximum(there[:, 3], here[:, 3]))
    colours = [from_linear(side[:, :3]) for side in (there, here)]
    lit = np.minimum(*(side.max(axis=1) for side in colours)) > _DARKEST
    lit &= np.maximum(*(side.min(axis=1) for side in colours)) < _BRIGHTEST
    if lit.sum() < correspond.MIN_INLIERS:
        return None
    kept = np.flatnonzero(lit)
    kept = kept[np.linspace(0, len(kept) - 1, min(KEPT_PAIRS, len(kept))).astype(int)]
    found = int(lit.sum())
    overlies = found >= DENSE or points.one_plane
    whole = Link(colours[0][kept], colours[1][kept], weight[kept], points.shot[kept], found, overlies)
    return None if _by_chance(found, whole.agreement) else whole


def links_between(views: Sequence[View]) -> dict[Ends, Link]:
    """The links between any two frames that share something."""
    found = {(a, b): link(views[a], views[b]) for a, b in itertools.combinations(range(len(views)), 2)}
    return {ends: one for ends, one in found.items() if one}


def weights_at(places: np.ndarray, clipped: np.ndarray) -> np.ndarray:
    """What pairs weigh by where they lie (n, 2), and by how much of each is clipped (n,)."""
    cells = (places * 12).astype(int) @ np.array([1, 100])
    _, inverse, counts = np.unique(cells, return_inverse=True, return_counts=True)
    return np.where(clipped <= LITTLE_CLIPPED, 1.0, CLIPPED_WEIGHT) / np.sqrt(counts[inverse])


def _of_one_light(one: View, other: View, points: correspond.Correspondences) -> correspond.Correspondences:
    """Points whose colours differ by one light, as those of one subject do; none if too few of them agree on one."""
    if not len(points):
        return points
    sides = lights_at(one, other, points)
    there, here = (np.maximum(side[:, :3], _LEAST_LIGHT) for side in sides)
    clipped = np.maximum(*(side[:, 3] for side in sides)) > LITTLE_CLIPPED
    ratios = np.log2(there) - np.log2(here)
    colours = ratios[:, [0, 2]] - ratios[:, [1]]
    # What is clipped has lost its colour, and says nothing of the light.
    heard = ~clipped if (~clipped).sum() >= correspond.MIN_INLIERS else np.ones(len(points), bool)
    off = np.linalg.norm(colours - np.median(colours[heard], axis=0), axis=1)
    agree = off <= ONE_LIGHT
    if agree[heard].mean() < LEAST_AGREEING or agree.sum() < correspond.MIN_INLIERS:
        return correspond.NONE
    if _by_chance(int(heard.sum()), _together(np.log2(there[heard]), np.log2(here[heard]))):
        return correspond.NONE
    return points.where(agree | clipped)
