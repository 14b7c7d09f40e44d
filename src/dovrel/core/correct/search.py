"""Searches for aims among stations: damped steps in two measures, close ones, and from everywhere."""

from __future__ import annotations

import contextlib
import math
from typing import Any, cast

import numpy as np
from scipy.optimize import least_squares

from dovrel.core.colour.tables import Table
from dovrel.core.correct.stations import Answer, Problem, Residual
from dovrel.core.steps.primary import IDENTITY
from dovrel.machine.kernels import njit

TOLERANCE = 0.2
"""A reading within this many percent of its aim counts as met."""
_LARGEST_STEP = 0.15
ENOUGH = 0.75 * TOLERANCE
"""A further search is made only for an answer worse than this."""
_CLOSE_STEPS, _CLOSE_GAIN, _CLOSE_MOVE = 45, 1e-3, 1e-5
"""A close search's steps at most; it ends where a step gains or moves no more than these parts."""
_SHAKES, _SHAKE = 10, np.array([0.012] * 9 + [0.15])
_WORTH_SHAKING = 2.5
"""An answer that is nearly there is shaken and searched from again; one far off is unreachable."""
_BLACK, _WHITE = 0.1, 99.9
"""Readings beyond these, in percent, have run into the output's ends."""
_AT_WHITE, _LEAK = 99.95, 5.0
"""A reading that stands at white, or at black, feels no step; it is reported by so much a level behind it."""
_STEEP = 1.0
"""Nearer than this to black or white, in percent, the output is taken as going on straight."""
_SETTLED = 0.995
"""A search that gains less than this has come to the nearest there is from where it started."""
_STALLED, _STALL = 0.8, 7
"""So has one whose sum of squares is not below this part of what it was so many steps ago."""
_AGREED, _FAR = 6, 0.5
"""So many searches that end alike, so many percent off, say that there is nothing nearer."""
_ALIKE = 1.03
"""Costs that differ by no more than this are one."""
_MET = 0.03
"""A search ends when every reading is within this many percent."""


class Target:
    """Ten aims with their weights, and the two measures of how far an answer is from them.

    Parameters
    ----------
    aims : (10,), percent
    weight : (10,), importance; what weighs less than one gives way
    table : the output
    """

    def __init__(self, aims: np.ndarray, weight: np.ndarray, table: Table) -> None:
        self.aims, self.weight = aims, weight
        diagonal = np.arange(table.nodes.shape[0])
        shown = 100 * table.nodes[diagonal, diagonal, diagonal].mean(axis=1).astype(np.float64)
        self._shown = np.maximum.accumulate(shown + np.arange(len(shown)) * 1e-6)
        self._working = np.linspace(table.low, table.high, len(shown))
        self._black, self._white = np.interp([_BLACK, _WHITE], self._shown, self._working)
        edges = np.interp([_STEEP, 100 - _STEEP], self._shown, self._working)
        inner = np.interp([2 * _STEEP, 100 - 2 * _STEEP], self._shown, self._working)
        self._slopes = np.abs(inner - edges) / _STEEP
        self._inside = (aims[:9] > _BLACK) & (aims[:9] < _WHITE)
        self._aimed = np.zeros(10)
        self._aimed = self.evenly(Answer(IDENTITY, aims, np.full(9, (self._black + self._white) / 2)))

    def evenly(self, answer: Answer) -> np.ndarray:
        """How far readings are from their aims, as working levels of the greys that give them.

        Towards black and white the output flattens out; in this measure a step of a station moves
        its reading about equally everywhere, and a search from far off goes nearly straight. A
        reading that has run into black or white is reported by how far the level behind it went on.
        """
        return _evenly(
            answer.readings,
            answer.levels,
            self._aimed,
            self._inside,
            self._shown,
            self._working,
            self._slopes,
            (self._black, self._white),
        )

    def in_percent(self, answer: Answer) -> np.ndarray:
        """How far readings are from their aims, percent."""
        value = answer.readings - self.aims
        nine, levels = answer.readings[:9], answer.levels
        value[:9] += np.where(self._inside & (nine > _AT_WHITE), _LEAK * levels, 0)
        value[:9] -= np.where(self._inside & (nine < 100 - _AT_WHITE), _LEAK * (1 - levels), 0)
        return value

    def apart(self, answer: Answer) -> float:
        """How far an answer is from the aims: the weighted sum of squares of :meth:`evenly`."""
        return float(((self.evenly(answer) * self.weight) ** 2).sum())


@njit(nogil=True, cache=True)
def _evenly(readings, levels, aimed, inside, shown, working, slopes, ends):
    value = np.empty(10)
    for index in range(9):
        reading = readings[index]
        level = np.interp(min(max(reading, _STEEP), 100 - _STEEP), shown, working)
        level += slopes[0] * min(reading - _STEEP, 0.0) + slopes[1] * max(reading - 100 + _STEEP, 0.0)
        if inside[index]:
            level += min(levels[index] - ends[0], 0.0) + max(levels[index] - ends[1], 0.0)
        value[index] = 100 * level - aimed[index]
    value[9] = 10 * math.log(max(readings[9], 0.1)) - aimed[9]
    return value


class Best:
    """The best answer so far, by the weighted sum of squared differences in percent."""

    def __init__(self, target: Target) -> None:
        self.target = target
        self.aims, self.weight = target.aims, target.weight
        self.numbers, self.readings = IDENTITY, np.full(10, np.inf)
        self.cost = np.inf

    def offer(self, answer: Answer) -> None:
        """Take an answer if it is better."""
        cost = float((((answer.readings - self.aims) * self.weight) ** 2).sum())
        if cost < self.cost:
            self.numbers, self.readings, self.cost = answer.numbers, answer.readings, cost

    def take(self, other: Best) -> None:
        """Take another search's best if it is better."""
        if other.cost < self.cost:
            self.numbers, self.readings, self.cost = other.numbers, other.readings, other.cost

    @property
    def farthest(self) -> float:
        """The largest difference of any reading that counts, percent."""
        return float(np.abs((self.readings - self.aims) * (self.weight > 0)).max())

    @property
    def worst(self) -> float:
        """The largest difference of a reading that does not give way, percent."""
        return float(np.abs((self.readings - self.aims) * (self.weight >= 1)).max())


def descend(problem: Problem, unknowns: np.ndarray, residual: Residual, best: Best, iterations: int) -> None:
    """Damped quasi-Newton from `unknowns` towards the aims, offering every answer to `best`."""
    answer = problem.at(unknowns)
    best.offer(answer)
    weight = best.weight
    value = residual(answer)
    jacobian: np.ndarray | None = None
    fresh = False
    damping = 1e-4
    passed: list[float] = []
    for step in range(iterations):
        if best.farthest < _MET or problem.overtaken():
            return
        current = float(((value * weight) ** 2).sum())
        passed.append(current)
        if step >= _STALL and current > _STALLED * passed[-_STALL]:
            return
        if jacobian is None:
            jacobian = problem.derivatives(unknowns, residual)
            fresh = True
        weighted = jacobian * weight[:, None]
        normal = weighted.T @ weighted
        ridge = damping * np.diag(np.maximum(np.diag(normal), 1e-3 * np.diag(normal).max() + 1e-9))
        change = np.linalg.solve(normal + ridge, weighted.T @ (-value * weight))
        change *= min(1.0, _LARGEST_STEP / max(np.abs(change[:9]).max(), 1e-12))
        change[9] = np.clip(change[9], -0.5, 0.5)
        answer = problem.at(unknowns + change)
        best.offer(answer)
        trial = residual(answer)
        reached = float(((trial * weight) ** 2).sum())
        if reached < current:
            if fresh and reached > _SETTLED * current:
                return
            gain = trial - value - jacobian @ change
            unknowns, value = unknowns + change, trial
            if reached > 0.5 * current:
                jacobian = None
            else:
                jacobian = jacobian + np.outer(gain, change) / max(change @ change, 1e-12)
                fresh = False
            damping = max(damping * 0.2, 1e-6)
        elif fresh:
            damping = max(damping * (10 if reached < 4 * current else 100), 1e-3)
            if damping > 1e5:
                return
        else:
            jacobian = None


def search_closely(problem: Problem, unknowns: np.ndarray, best: Best) -> None:
    """Trust-region least squares with central differences: slow, for the hard cases.

    Branch, Coleman and Li 1999, as in SciPy.
    """

    def value(at: np.ndarray) -> np.ndarray:
        answer = problem.at(at)
        best.offer(answer)
        if best.worst < ENOUGH or problem.overtaken():
            raise StopIteration
        return best.target.in_percent(answer) * best.weight

    def derivatives(at: np.ndarray) -> np.ndarray:
        return problem.derivatives(at, best.target.in_percent, closely=True) * best.weight[:, None]

    with contextlib.suppress(StopIteration):
        least_squares(
            value,
            unknowns,
            cast(Any, derivatives),
            method="trf",
            x_scale="jac",
            max_nfev=_CLOSE_STEPS,
            ftol=_CLOSE_GAIN,
            xtol=_CLOSE_MOVE,
        )


def search_everywhere(problem: Problem, starts: list[np.ndarray], best: Best) -> None:
    """Search closely from one start after another, until aims are met or searches end alike, nothing being nearer."""
    shaken = np.random.default_rng(1)
    ends: list[float] = []
    for number in range(len(starts) + _SHAKES):
        unknowns = starts[number % len(starts)]
        if number >= len(starts):
            if not TOLERANCE < best.worst < _WORTH_SHAKING:
                return
            # By turns about the best, and about where searches started: the best may lie in a hollow.
            about = problem.unknowns(best.numbers) if number % 2 else unknowns
            unknowns = about + shaken.normal(0, _SHAKE)
        own = Best(best.target)
        search_closely(problem, unknowns, own)
        best.take(own)
        ends.append(own.cost)
        alike = sum(end < _ALIKE * best.cost for end in ends)
        if best.worst < ENOUGH or (best.worst > _FAR and alike >= _AGREED) or problem.overtaken():
            return
