"""Ten aims → ten numbers.

A percentile of a monotone function is the function of the percentile, so slope, offset and
power of a channel are fixed by where its lows, mids and highs go in the working space: three
*stations*. The solver works on these nine stations and the saturation, in which the readings
are nearly separate, and mends what saturation and the output's crosstalk leave with a damped
quasi-Newton iteration (Broyden 1965) on a sample of the meter's pixels.
"""

from __future__ import annotations

import contextlib
import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple, cast

import numpy as np
from numba import njit
from scipy.optimize import least_squares

from dovrel.core.colour import outputs
from dovrel.core.colour.cdl import IDENTITY, REC709_LUMA, TenNumbers
from dovrel.core.colour.chain import Chain
from dovrel.core.colour.tables import Table
from dovrel.core.measure.readings import CHANNELS, DEFAULT_PERCENTILES, ZONES, Percentiles
from dovrel.core.measure.sampled import Sample

Effort = Literal["drag", "quick", "thorough"]
"""One search, as fits a moving hand; one in both measures; or searches from everywhere if those fail."""

TOLERANCE = 0.2
"""A reading within this many percent of its aim counts as met."""

SAMPLE_PIXELS = 6000
_ROUGH_PIXELS, _FINE_PIXELS = 600, 2500
"""Derivatives are taken on so many of the sample's pixels, close searches' on the second: differences
hardly feel which ones."""
_USUAL_POWERS, _ALL_POWERS = 2.5, 4.0
"""Powers lie between these and their inverses: the second only where the first do not do, for beyond
them answers hide that meet the nine and look like nothing."""
_LEAST_GAP = 2e-4
_LEAST_LEVEL = 1e-3
_LARGEST_STEP = 0.15
_STEPS = np.array([0.003] * 9 + [0.02])
"""Differences over which derivatives are taken: stations, then the logarithm of saturation."""
_NEAR = 60.0
"""A start within this of the aims, squared hundredths of a level, is searched from first."""
_ENOUGH = 0.75 * TOLERANCE
"""A further search is made only for an answer worse than this."""
_CLOSE_STEPS, _CLOSE_GAIN, _CLOSE_MOVE = 45, 1e-3, 1e-5
"""A close search's steps at most; it ends where a step gains or moves no more than these parts."""
_SHAKES, _SHAKE = 10, np.array([0.012] * 9 + [0.15])
_WORTH_SHAKING = 2.5
"""An answer that is nearly there is shaken and searched from again; one far off is unreachable."""
_BLACK, _WHITE = 0.1, 99.9
"""Readings beyond these, in percent, have run into the output's ends."""
_AT_WHITE, _LEAK = 99.95, 5.0
"""A reading that stands at white, or at black, feels no step; it is told by so much a level behind it."""
_STEEP = 1.0
"""Nearer than this to black or white, in percent, the output is taken as going on straight."""
_SATURATIONS = (1.0, 1.5, 0.6, 0.4, 2.2)
"""Saturations that searches start from: a wrong one can hold a search in a hollow of its own."""
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


@dataclass(frozen=True)
class Missed:
    """A reading that could not be met: its index 0..9, what is left in percent, and why."""

    reading: int
    difference: float
    reason: str


@dataclass(frozen=True)
class Solution:
    numbers: TenNumbers
    readings: np.ndarray
    missed: tuple[Missed, ...]


def reading_name(index: int) -> str:
    """``red lows`` … ``blue highs``, ``saturation``."""
    return "saturation" if index == 9 else f"{CHANNELS[index // 3]} {ZONES[index % 3]}"


def take_sample(working: np.ndarray, pixels: int = SAMPLE_PIXELS) -> np.ndarray:
    """An evenly spread sample of pixels (H, W, 3) or (N, 3): (≤ pixels, 3), same dtype."""
    flat = working.reshape(-1, 3)
    if len(flat) <= pixels:
        return np.ascontiguousarray(flat)
    golden = (np.arange(pixels) * 0.6180339887498949) % 1.0
    index = ((np.arange(pixels) + golden) * (len(flat) / pixels)).astype(np.int64)
    return np.ascontiguousarray(flat[np.minimum(index, len(flat) - 1)])


@njit(nogil=True, cache=True)
def _curves_through(source, target, most):
    """Slopes, offsets and powers, float64 (3, 3), that take each channel's three rising source values to its targets.

    `source` and `target` are (3, 3), channel by station. A power lies between `most` and its
    inverse. With q = 1 / power, target^q is linear in the source: one root in q.
    """
    found = np.empty((3, 3))
    for channel in range(3):
        s0, s1, s2 = source[channel]
        t0, t1, t2 = np.log(target[channel, 0]), np.log(target[channel, 1]), np.log(target[channel, 2])
        share = (s1 - s0) / (s2 - s0)
        low, high = -math.log(most), math.log(most)
        # The middle's place between the ends falls as q rises; halving the interval cannot fail.
        for _ in range(34):
            q = math.exp((low + high) / 2)
            first, last = math.exp(q * t0), math.exp(q * t2)
            if math.exp(q * t1) - first > share * (last - first):
                low = (low + high) / 2
            else:
                high = (low + high) / 2
        q = math.exp((low + high) / 2)
        slope = (math.exp(q * t2) - math.exp(q * t0)) / (s2 - s0)
        found[0, channel], found[1, channel], found[2, channel] = slope, math.exp(q * t0) - slope * s0, 1.0 / q
    return found


def _rising(stations: np.ndarray) -> np.ndarray:
    """Force each channel's three stations positive and rising by at least a hair."""
    stations = np.maximum(stations, _LEAST_LEVEL)
    stations[:, 1] = np.maximum(stations[:, 1], stations[:, 0] + _LEAST_GAP)
    stations[:, 2] = np.maximum(stations[:, 2], stations[:, 1] + _LEAST_GAP)
    return stations


class _Answer(NamedTuple):
    """Ten numbers, the readings they give, and the corrected working levels behind the nine."""

    numbers: TenNumbers
    readings: np.ndarray
    levels: np.ndarray


Residual = Callable[[_Answer], np.ndarray]


class _Problem:
    def __init__(
        self,
        sample: np.ndarray,
        after: Chain,
        table: Table,
        percentiles: Percentiles,
        most_power: float,
        overtaken: Callable[[], bool],
    ) -> None:
        self.overtaken = overtaken
        self.sample = Sample(sample, table, percentiles)
        self.rough = Sample(take_sample(sample, _ROUGH_PIXELS), table, percentiles)
        self.fine = Sample(take_sample(sample, _FINE_PIXELS), table, percentiles)
        self.after = after
        self.most_power = most_power
        self.percentiles = percentiles
        self.source = _rising(self.sample.read(())[1].reshape(3, 3))

    def numbers(self, unknowns: np.ndarray) -> TenNumbers:
        stations = _rising(unknowns[:9].reshape(3, 3).copy())
        curves = _curves_through(self.source, stations, self.most_power)
        return TenNumbers.from_array([*curves.ravel(), math.exp(min(max(unknowns[9], -4.6), 1.6))])

    def unknowns(self, numbers: TenNumbers) -> np.ndarray:
        value = self.source * np.asarray(numbers.slope)[:, None] + np.asarray(numbers.offset)[:, None]
        stations = np.maximum(value, _LEAST_LEVEL) ** np.asarray(numbers.power)[:, None]
        return np.r_[stations.ravel(), np.log(max(numbers.saturation, 0.01))]

    def of(self, numbers: TenNumbers) -> _Answer:
        return _Answer(numbers, *self.sample.read([numbers, *self.after]))

    def at(self, unknowns: np.ndarray) -> _Answer:
        return self.of(self.numbers(unknowns))

    def derivatives(self, unknowns: np.ndarray, residual: Residual, *, closely: bool = False) -> np.ndarray:
        """How each part of a residual goes with each unknown, (10, 10): forward differences on few pixels.

        Closely: central ones, on more.
        """
        pixels = self.fine if closely else self.rough

        def value(at: np.ndarray) -> np.ndarray:
            numbers = self.numbers(at)
            return residual(_Answer(numbers, *pixels.read([numbers, *self.after])))

        steps = np.diag(_STEPS)
        if closely:
            columns = [(value(unknowns + step) - value(unknowns - step)) / 2 for step in steps]
        else:
            here = value(unknowns)
            columns = [value(unknowns + step) - here for step in steps]
        return np.stack(columns, axis=1) / _STEPS


def _direct_start(problem: _Problem, aims: np.ndarray, output_id: str, saturation: float) -> np.ndarray:
    """Aimed lows, mids and highs brought back through the output; saturation undone."""
    aimed = np.clip(aims[:9].reshape(3, 3).T / 100.0, 0.002, 0.998)
    working = outputs.from_display(aimed, output_id, refine=0).astype(np.float64)
    luma = (working @ REC709_LUMA)[:, None]
    stations = (luma + (working - luma) / max(saturation, 0.1)).T
    return np.r_[_rising(stations.copy()).ravel(), np.log(max(saturation, 0.01))]


def _limit_reached(power: float, most: float) -> str | None:
    """The limit that a channel's power has come to, as words, or None."""
    if power < 1.001 / most:
        return f"under {1 / most:g}"
    return f"over {most:g}" if power > 0.999 * most else None


def _reason(index: int, aim: float, best: _Best, problem: _Problem, ends: tuple[float, float]) -> str:
    if index < 9:
        channel, zone = divmod(index, 3)
        if aim < 0.3 or aim > 99.7:
            return "the output ends there"
        values = problem.sample.working[:, channel]
        if zone == 2 and np.mean(values >= ends[1]) > (100 - problem.percentiles.highs) / 100:
            return "the highs are clipped in the recording"
        if zone == 0 and np.mean(values <= ends[0]) > problem.percentiles.lows / 100:
            return "the lows are crushed in the recording"
        low, high = np.percentile(values, [problem.percentiles.lows, problem.percentiles.highs])
        if high - low < 0.01:
            return "the recording holds hardly any range in this channel"
        if limit := _limit_reached(best.numbers.power[channel], problem.most_power):
            return f"{CHANNELS[channel]}'s middle would have to be bent by a power {limit}"
    elif aim > best.readings[9]:
        return "the output holds no more colour, or the picture has none to strengthen"
    return "the aims contradict each other within the output's range"


class _Best:
    """The best answer so far, by the weighted sum of squared differences in percent."""

    def __init__(self, aims: np.ndarray, weight: np.ndarray) -> None:
        self.aims, self.weight = aims, weight
        self.numbers, self.readings = IDENTITY, np.full(10, np.inf)
        self.cost = np.inf

    def offer(self, answer: _Answer) -> None:
        """Take an answer if it is better."""
        cost = float((((answer.readings - self.aims) * self.weight) ** 2).sum())
        if cost < self.cost:
            self.numbers, self.readings, self.cost = answer.numbers, answer.readings, cost

    def take(self, other: _Best) -> None:
        """Take another search's best if it is better."""
        if other.cost < self.cost:
            self.numbers, self.readings, self.cost = other.numbers, other.readings, other.cost

    @property
    def worst(self) -> float:
        """The largest difference of a reading that counts, percent."""
        return float(np.abs((self.readings - self.aims) * (self.weight > 0)).max())


class _Evenly:
    """How far readings are from their aims, as working levels of the greys that give them.

    Towards black and white the output flattens out; in this measure a step of a station moves
    its reading about equally everywhere, and a search from far off goes nearly straight. A
    reading that has run into black or white is told by how far the level behind it went on.
    """

    def __init__(self, table: Table, aims: np.ndarray) -> None:
        diagonal = np.arange(table.nodes.shape[0])
        shown = 100 * table.nodes[diagonal, diagonal, diagonal].mean(axis=1).astype(np.float64)
        self._shown = np.maximum.accumulate(shown + np.arange(len(shown)) * 1e-6)
        self._working = np.linspace(table.low, table.high, len(shown))
        self._black, self._white = np.interp([_BLACK, _WHITE], self._shown, self._working)
        edges = np.interp([_STEEP, 100 - _STEEP], self._shown, self._working)
        inner = np.interp([2 * _STEEP, 100 - 2 * _STEEP], self._shown, self._working)
        self._slopes = np.abs(inner - edges) / _STEEP
        self.inside = (aims[:9] > _BLACK) & (aims[:9] < _WHITE)
        self._aimed = np.zeros(10)
        self._aimed = self(_Answer(IDENTITY, aims, np.full(9, (self._black + self._white) / 2)))

    def __call__(self, answer: _Answer) -> np.ndarray:
        return _evenly(
            answer.readings,
            answer.levels,
            self._aimed,
            self.inside,
            self._shown,
            self._working,
            self._slopes,
            (self._black, self._white),
        )


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


def _descend(problem: _Problem, unknowns: np.ndarray, residual: Residual, best: _Best, iterations: int) -> None:
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
        if best.worst < _MET or problem.overtaken():
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


def _search_closely(problem: _Problem, unknowns: np.ndarray, residual: Residual, best: _Best) -> None:
    """Trust-region least squares with central differences: slow, for the hard cases.

    Branch, Coleman and Li 1999, as in SciPy.
    """

    def value(at: np.ndarray) -> np.ndarray:
        answer = problem.at(at)
        best.offer(answer)
        if best.worst < _ENOUGH or problem.overtaken():
            raise StopIteration
        return residual(answer) * best.weight

    def derivatives(at: np.ndarray) -> np.ndarray:
        return problem.derivatives(at, residual, closely=True) * best.weight[:, None]

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


def _search_everywhere(problem: _Problem, starts: list[np.ndarray], residual: Residual, best: _Best) -> None:
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
        own = _Best(best.aims, best.weight)
        _search_closely(problem, unknowns, residual, own)
        best.take(own)
        ends.append(own.cost)
        alike = sum(end < _ALIKE * best.cost for end in ends)
        if best.worst < _ENOUGH or (best.worst > _FAR and alike >= _AGREED) or problem.overtaken():
            return


def solve(
    sample: np.ndarray,
    start: TenNumbers,
    aims: np.ndarray,
    table: Table,
    *,
    output_id: str = outputs.DEFAULT_OUTPUT,
    after: Chain = (),
    percentiles: Percentiles = DEFAULT_PERCENTILES,
    weights: np.ndarray | None = None,
    iterations: int = 24,
    effort: Effort = "thorough",
    overtaken: Callable[[], bool] = lambda: False,
) -> Solution:
    """Find the ten numbers that put the ten readings on their aims.

    Parameters
    ----------
    sample : float32 (N, 3), working values of the meter, earlier levels applied
    start : the correction in force, from which small moves start
    aims : (10,), percent; order of :func:`readings.readings_of_counts`
    table, output_id : the output
    after : corrections of later levels
    weights : (10,), importance of each reading when not all can be met; 1 by default
    iterations : steps of one search at most
    effort : how far to search
    overtaken : asked at every step; where it says so, the search ends with the nearest found so far

    Returns
    -------
    Solution
        The numbers; the readings they give on the sample; what was missed by more than
        :data:`TOLERANCE`, and why. Unreachable aims give the nearest, never an error.

    Raises
    ------
    ValueError
        If the sample is empty or an aim is not finite.
    """
    aims = np.asarray(aims, np.float64)
    if aims.shape != (10,) or not np.isfinite(aims).all():
        raise ValueError("ten finite aims are needed")
    # Numbers that are bent further already are gone on from as they are.
    most_power = max(_USUAL_POWERS, *start.power, *(1 / power for power in start.power))
    problem = _Problem(sample, after, table, percentiles, most_power, overtaken)
    weight = np.ones(10) if weights is None else np.asarray(weights, np.float64)
    best = _Best(aims, weight)
    best.offer(problem.of(start))
    thorough = effort == "thorough"
    evenly = _Evenly(table, aims)

    def in_percent(answer: _Answer) -> np.ndarray:
        value = answer.readings - aims
        value[:9] += np.where(evenly.inside & (answer.readings[:9] > _AT_WHITE), _LEAK * answer.levels, 0)
        value[:9] -= np.where(evenly.inside & (answer.readings[:9] < 100 - _AT_WHITE), _LEAK * (1 - answer.levels), 0)
        return value

    def apart(unknowns: np.ndarray) -> float:
        answer = problem.at(unknowns)
        best.offer(answer)
        return float(((evenly(answer) * weight) ** 2).sum())

    here, direct = problem.unknowns(start), _direct_start(problem, aims, output_id, _SATURATIONS[0])
    starts = [here, direct] if apart(here) < min(apart(direct), _NEAR) else [direct, here]
    if thorough:
        starts += [_direct_start(problem, aims, output_id, saturation) for saturation in _SATURATIONS[1:]]
    for unknowns in starts[: 3 if thorough else 1]:
        _descend(problem, unknowns, evenly, best, iterations)
        if best.worst > _ENOUGH and effort != "drag":
            _descend(problem, problem.unknowns(best.numbers), in_percent, best, iterations)
        if best.worst < _ENOUGH:
            break
    if best.worst > _ENOUGH and thorough:
        _search_everywhere(problem, [problem.unknowns(best.numbers), *starts], in_percent, best)
    limited = any(_limit_reached(power, problem.most_power) for power in best.numbers.power)
    if best.worst > TOLERANCE and thorough and limited and problem.most_power < _ALL_POWERS:
        problem.most_power = _ALL_POWERS
        for residual in (evenly, in_percent):
            _descend(problem, problem.unknowns(best.numbers), residual, best, iterations)
    ends = (float(sample.min()) + 1e-3, float(sample.max()) - 1e-3)
    missed = tuple(
        Missed(i, float(aims[i] - best.readings[i]), _reason(i, aims[i], best, problem, ends))
        for i in range(10)
        if weight[i] > 0 and abs(aims[i] - best.readings[i]) > TOLERANCE
    )
    return Solution(best.numbers, best.readings, missed)
