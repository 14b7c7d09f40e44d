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
from typing import Any, NamedTuple, cast

import numpy as np
from numba import njit
from scipy.optimize import least_squares

from dovrel.core.colour import outputs
from dovrel.core.colour.cdl import IDENTITY, REC709_LUMA, TenNumbers
from dovrel.core.colour.chain import Chain
from dovrel.core.colour.tables import Table
from dovrel.core.measure.readings import CHANNELS, DEFAULT_PERCENTILES, ZONES, Percentiles
from dovrel.core.measure.sampled import Sample

TOLERANCE = 0.2
"""A reading within this many percent of its aim counts as met."""

SAMPLE_PIXELS = 6000
_ROOT_LIMITS = (0.4, 2.5)
"""Between these lies 1 / power; beyond them answers hide that meet the nine and look like nothing."""
_LEAST_GAP = 2e-4
_LEAST_LEVEL = 1e-3
_LARGEST_STEP = 0.15
_STEPS = np.array([0.003] * 9 + [0.02])
"""Differences over which derivatives are taken: stations, then the logarithm of saturation."""
_NEAR = 60.0
"""A start within this of the aims, squared hundredths of a level, is searched from first."""
_ENOUGH = TOLERANCE / 2
"""A further search is made only for an answer worse than this."""
_CLOSE_STEPS = 45
_SHAKES, _SHAKE = 10, np.array([0.012] * 9 + [0.15])
_WORTH_SHAKING = 1.0
"""An answer that is nearly there is shaken and searched from again; one far off is unreachable."""
_BLACK, _WHITE = 0.1, 99.9
"""Readings beyond these, in percent, have run into the output's ends."""
_SATURATIONS = (1.0, 1.5, 0.6, 0.4, 2.2)
"""Saturations that searches start from: a wrong one can hold a search in a hollow of its own."""
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
def _channel_numbers(source, target):
    """Slope, offset and power that take three rising source values to three rising targets.

    With q = 1 / power, target^q is linear in the source: one root in q.
    """
    share = (source[1] - source[0]) / (source[2] - source[0])
    low, high = math.log(_ROOT_LIMITS[0]), math.log(_ROOT_LIMITS[1])
    # The middle's place between the ends falls as q rises; halving the interval cannot fail.
    for _ in range(44):
        q = math.exp((low + high) / 2)
        t0, t1, t2 = target[0] ** q, target[1] ** q, target[2] ** q
        if t1 - t0 > share * (t2 - t0):
            low = (low + high) / 2
        else:
            high = (low + high) / 2
    q = math.exp((low + high) / 2)
    first = target[0] ** q
    slope = (target[2] ** q - first) / (source[2] - source[0])
    return slope, first - slope * source[0], 1.0 / q


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


class _Problem:
    def __init__(
        self,
        sample: np.ndarray,
        after: Chain,
        table: Table,
        percentiles: Percentiles,
    ) -> None:
        self.sample = Sample(sample, table, percentiles)
        self.after = after
        self.percentiles = percentiles
        source = np.percentile(sample.astype(np.float64), percentiles.as_tuple(), axis=0).T
        self.source = _rising(source)

    def numbers(self, unknowns: np.ndarray) -> TenNumbers:
        stations = _rising(unknowns[:9].reshape(3, 3).copy())
        channels = [_channel_numbers(self.source[c], stations[c]) for c in range(3)]
        slope, offset, power = zip(*channels, strict=True)
        return TenNumbers(slope, offset, power, float(np.exp(np.clip(unknowns[9], -4.6, 1.6))))

    def unknowns(self, numbers: TenNumbers) -> np.ndarray:
        value = self.source * np.asarray(numbers.slope)[:, None] + np.asarray(numbers.offset)[:, None]
        stations = np.maximum(value, _LEAST_LEVEL) ** np.asarray(numbers.power)[:, None]
        return np.r_[stations.ravel(), np.log(max(numbers.saturation, 0.01))]

    def of(self, numbers: TenNumbers) -> _Answer:
        return _Answer(numbers, *self.sample.read([numbers, *self.after]))

    def at(self, unknowns: np.ndarray) -> _Answer:
        return self.of(self.numbers(unknowns))


def _direct_start(problem: _Problem, aims: np.ndarray, output_id: str, saturation: float) -> np.ndarray:
    """Aimed lows, mids and highs brought back through the output; saturation undone."""
    aimed = np.clip(aims[:9].reshape(3, 3).T / 100.0, 0.002, 0.998)
    working = outputs.from_display(aimed, output_id, refine=0).astype(np.float64)
    luma = (working @ REC709_LUMA)[:, None]
    stations = (luma + (working - luma) / max(saturation, 0.1)).T
    return np.r_[_rising(stations.copy()).ravel(), np.log(max(saturation, 0.01))]


def _reason(index: int, aim: float, problem: _Problem, ends: tuple[float, float]) -> str:
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
        return "the aims contradict each other within the output's range"
    return "the output holds no more colour, or the picture has none to strengthen"


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

    @property
    def worst(self) -> float:
        """The largest difference of a reading that counts, percent."""
        return float(np.abs((self.readings - self.aims) * (self.weight > 0)).max())


Residual = Callable[[_Answer], np.ndarray]


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
        self._inside = (aims[:9] > _BLACK) & (aims[:9] < _WHITE)
        self._aimed = self._even(aims)

    def _even(self, readings: np.ndarray) -> np.ndarray:
        levels = np.interp(np.clip(readings[:9], _BLACK, _WHITE), self._shown, self._working)
        return 100 * np.r_[levels, 0.1 * np.log(max(readings[9], 0.1))]

    def __call__(self, answer: _Answer) -> np.ndarray:
        beyond = np.minimum(answer.levels - self._black, 0) + np.maximum(answer.levels - self._white, 0)
        value = self._even(answer.readings) - self._aimed
        value[:9] += 100 * np.where(self._inside, beyond, 0)
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
    for _ in range(iterations):
        if best.worst < _MET:
            return
        current = float(((value * weight) ** 2).sum())
        if jacobian is None:
            jacobian = np.empty((10, 10))
            for column in range(10):
                moved = unknowns.copy()
                moved[column] += _STEPS[column]
                jacobian[:, column] = (residual(problem.at(moved)) - value) / _STEPS[column]
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
            gain = trial - value - jacobian @ change
            unknowns, value = unknowns + change, trial
            if reached > 0.5 * current:
                jacobian = None
            else:
                jacobian = jacobian + np.outer(gain, change) / max(change @ change, 1e-12)
                fresh = False
            damping = max(damping * 0.2, 1e-6)
        elif fresh:
            damping = max(damping * 10, 1e-3)
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
        if best.worst < _ENOUGH:
            raise StopIteration
        return residual(answer) * best.weight

    def derivatives(at: np.ndarray) -> np.ndarray:
        columns = []
        for column in range(10):
            step = np.zeros(10)
            step[column] = _STEPS[column]
            columns.append((value(at + step) - value(at - step)) / (2 * _STEPS[column]))
        return np.stack(columns, axis=1)

    with contextlib.suppress(StopIteration):
        least_squares(value, unknowns, cast(Any, derivatives), method="trf", x_scale="jac", max_nfev=_CLOSE_STEPS)


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
    thorough: bool = True,
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
    thorough : search again from elsewhere, and in another measure, if the first search fails

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
    problem = _Problem(sample, after, table, percentiles)
    weight = np.ones(10) if weights is None else np.asarray(weights, np.float64)
    best = _Best(aims, weight)
    best.offer(problem.of(start))
    evenly = _Evenly(table, aims)

    def in_percent(answer: _Answer) -> np.ndarray:
        return answer.readings - aims

    def apart(unknowns: np.ndarray) -> float:
        answer = problem.at(unknowns)
        best.offer(answer)
        return float(((evenly(answer) * weight) ** 2).sum())

    saturations = _SATURATIONS if thorough else _SATURATIONS[:1]
    direct = [_direct_start(problem, aims, output_id, saturation) for saturation in saturations]
    here = problem.unknowns(start)
    starts = [here, *direct] if apart(here) < min(apart(direct[0]), _NEAR) else [*direct, here]
    for unknowns in starts[: 3 if thorough else 1]:
        _descend(problem, unknowns, evenly, best, iterations)
        if best.worst > _ENOUGH and thorough:
            _descend(problem, problem.unknowns(best.numbers), in_percent, best, iterations)
        if best.worst < _ENOUGH:
            break
    if best.worst > _ENOUGH and thorough:
        for unknowns in (problem.unknowns(best.numbers), *starts):
            _search_closely(problem, unknowns, in_percent, best)
            if best.worst < _ENOUGH:
                break
    if TOLERANCE < best.worst < _WORTH_SHAKING and thorough:
        shaken = np.random.default_rng(1)
        for _ in range(_SHAKES):
            unknowns = problem.unknowns(best.numbers) + shaken.normal(0, _SHAKE)
            _search_closely(problem, unknowns, in_percent, best)
            if best.worst <= TOLERANCE:
                break
    best_numbers, best_readings = best.numbers, best.readings
    ends = (float(sample.min()) + 1e-3, float(sample.max()) - 1e-3)
    missed = tuple(
        Missed(i, float(aims[i] - best_readings[i]), _reason(i, aims[i], problem, ends))
        for i in range(10)
        if weight[i] > 0 and abs(aims[i] - best_readings[i]) > TOLERANCE
    )
    return Solution(best_numbers, best_readings, missed)
