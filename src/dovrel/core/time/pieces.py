"""A curve along time in as few pieces as keep within a tolerance: straight ones, or eased.

The fewest knots are found by dynamic programming (Bellman 1961) over the frames at which a knot may stand; the values at
the knots then are those that fit best.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dovrel.core.steps.keyframes import EASES, Ease, part_passed

MOST_KNOTS = 72
"""Places at which a knot is tried, evenly along the run, and wherever the curve bends most."""
LOOSER = 1.25
"""By how much the tolerance grows where it cannot be kept by knots so far apart."""
_MOST_LOOSER = 24


@dataclass(frozen=True)
class Pieces:
    """Knots of a curve: places in the run, values (k, c), and how each goes on to the next.

    `within` is the largest error that is left, as `seen` counts it.
    """

    places: tuple[int, ...]
    values: np.ndarray
    eases: tuple[Ease, ...]
    within: float

    def at(self, places: np.ndarray) -> np.ndarray:
        """Values (n, c) at places of the run."""
        return _weights(places, self.places, self.eases) @ self.values


def fit(
    curve: np.ndarray, seen: np.ndarray, tolerance: float, *, least_gap: float = 1.0, numbers: np.ndarray
) -> Pieces:
    """The fewest pieces of a curve that keep within a tolerance; before the first knot and after the last it stays.

    Parameters
    ----------
    curve : float (n, c), a value for each frame of a run
    seen : float (c, c), which makes an error e count as sqrt(eᵀ · seen · e)
    tolerance : the largest error that may be left
    least_gap : frames that knots stand apart at least
    numbers : int (n,), the frames' numbers in the clip, rising
    """
    for _ in range(_MOST_LOOSER):
        found = _knots(curve, seen, tolerance, least_gap, numbers)
        if found is not None:
            return _fitted(curve, seen, *found)
        tolerance *= LOOSER
    return _fitted(curve, seen, (0,), ())


def _error(left: np.ndarray, seen: np.ndarray) -> np.ndarray:
    return np.sqrt(np.maximum(np.einsum("...i,ij,...j->...", left, seen, left), 0))


def _candidates(curve: np.ndarray) -> np.ndarray:
    count = len(curve)
    even = np.unique(np.linspace(0, count - 1, min(count, MOST_KNOTS // 2)).round().astype(int))
    bend = np.zeros(count)
    if count > 2:
        bend[1:-1] = np.abs(curve[2:] - 2 * curve[1:-1] + curve[:-2]).sum(axis=1)
    sharpest = np.argsort(-bend)[: MOST_KNOTS - len(even)]
    return np.unique([*even, *sharpest])


def _knots(
    curve: np.ndarray, seen: np.ndarray, tolerance: float, least_gap: float, numbers: np.ndarray
) -> tuple[tuple[int, ...], tuple[Ease, ...]] | None:
    """Places and eases of the fewest knots; None if there are none so far apart."""
    places = _candidates(curve)
    best: list[tuple[int, float]] = []
    came: list[tuple[int, Ease] | None] = []
    for at, place in enumerate(places):
        lead = _error(curve[: place + 1] - curve[place], seen)
        cost = (1, float((lead**2).sum())) if lead.max() <= tolerance else (len(curve) + 1, np.inf)
        way: tuple[int, Ease] | None = None
        for before in range(at):
            if best[before][0] > len(curve) or numbers[place] - numbers[places[before]] < least_gap:
                continue
            piece = curve[places[before] : place + 1]
            part = (numbers[places[before] : place + 1] - numbers[places[before]]) / (
                numbers[place] - numbers[places[before]]
            )
            for ease in EASES[: 2 if place - places[before] > 1 else 1]:
                passed = np.array([part_passed(one, ease) for one in part]) if ease == "eased" else part
                left = _error(piece[0] + passed[:, None] * (piece[-1] - piece[0]) - piece, seen)
                if left.max() > tolerance:
                    continue
                whole = (best[before][0] + 1, best[before][1] + float((left**2).sum()))
                if whole < cost:
                    way = (before, ease)
                    cost = whole
        best.append(cost)
        came.append(way)
    ends = [
        (best[at][0], best[at][1] + float((tail**2).sum()), at)
        for at, place in enumerate(places)
        if best[at][0] <= len(curve) and (tail := _error(curve[place:] - curve[place], seen)).max() <= tolerance
    ]
    if not ends:
        return None
    at = min(ends)[2]
    knots, eases_back = [int(places[at])], []
    while (step := came[at]) is not None:
        at, ease = step
        knots.append(int(places[at]))
        eases_back.append(ease)
    return tuple(reversed(knots)), tuple(reversed(eases_back))


def _weights(at: np.ndarray, places: tuple[int, ...], eases: tuple[Ease, ...]) -> np.ndarray:
    """How much of each knot's value is in the curve at places, (n, k)."""
    weights = np.zeros((len(at), len(places)))
    for row, place in enumerate(at):
        after = int(np.searchsorted(places, place, side="right"))
        if after == 0:
            weights[row, 0] = 1
        elif after == len(places):
            weights[row, -1] = 1
        else:
            first, last = places[after - 1], places[after]
            passed = part_passed((place - first) / (last - first), eases[after - 1])
            weights[row, after - 1], weights[row, after] = 1 - passed, passed
    return weights


def _fitted(curve: np.ndarray, seen: np.ndarray, places: tuple[int, ...], eases: tuple[Ease, ...]) -> Pieces:
    """Values at the knots that fit best; those that lie nearest if that leaves less at the worst frame."""
    weights = _weights(np.arange(len(curve)), places, eases)
    values = np.linalg.lstsq(weights, curve, rcond=None)[0]
    worst = [float(_error(weights @ one - curve, seen).max()) for one in (values, curve[list(places)])]
    if worst[1] < worst[0]:
        values = curve[list(places)]
    return Pieces(places, values, (*eases, "straight"), min(worst))
