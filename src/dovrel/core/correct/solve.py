"""Ten aims → ten numbers.

A percentile of a monotone function is the function of the percentile, so slope, offset and
power of a channel are fixed by where its lows, mids and highs go in the working space: three
*stations*. The solver works on these nine stations and the saturation, in which the readings
are nearly separate, and mends what saturation and the output's crosstalk leave with a damped
quasi-Newton iteration (Broyden 1965) on a sample of the meter's pixels.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.optimize import brentq

from dovrel.core.colour import outputs
from dovrel.core.colour.cdl import REC709_LUMA, TenNumbers
from dovrel.core.colour.tables import Table
from dovrel.core.measure.frame import display_of
from dovrel.core.measure.readings import (
    CHANNELS,
    DEFAULT_PERCENTILES,
    ZONES,
    Percentiles,
    readings_of_display,
)

TOLERANCE = 0.2
"""A reading within this many percent of its aim counts as met."""

SAMPLE_PIXELS = 10000
_ROOT_LIMITS = (0.12, 8.0)
_LEAST_GAP = 2e-4
_LEAST_LEVEL = 1e-3
_LARGEST_STEP = 0.12


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


def _channel_numbers(source: np.ndarray, target: np.ndarray) -> tuple[float, float, float]:
    """Slope, offset and power that take three rising source values to three rising targets.

    With q = 1 / power, target^q is linear in the source: one root in q.
    """
    s0, s1, s2 = source
    t0, t1, t2 = target
    share = (s1 - s0) / (s2 - s0)

    def gap(log_q: float) -> float:
        q = np.exp(log_q)
        return (t1**q - t0**q) / (t2**q - t0**q) - share

    low, high = np.log(_ROOT_LIMITS[0]), np.log(_ROOT_LIMITS[1])
    if gap(low) <= 0:
        log_q = low
    elif gap(high) >= 0:
        log_q = high
    else:
        log_q = float(np.asarray(brentq(gap, low, high, xtol=1e-10)))
    q = float(np.exp(log_q))
    slope = (t2**q - t0**q) / (s2 - s0)
    return float(slope), float(t0**q - slope * s0), 1.0 / q


def _rising(stations: np.ndarray) -> np.ndarray:
    """Force each channel's three stations positive and rising by at least a hair."""
    stations = np.maximum(stations, _LEAST_LEVEL)
    stations[:, 1] = np.maximum(stations[:, 1], stations[:, 0] + _LEAST_GAP)
    stations[:, 2] = np.maximum(stations[:, 2], stations[:, 1] + _LEAST_GAP)
    return stations


class _Problem:
    def __init__(
        self,
        sample: np.ndarray,
        after: Sequence[TenNumbers],
        table: Table,
        percentiles: Percentiles,
    ) -> None:
        self.sample = sample
        self.after = after
        self.table = table
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

    def readings(self, numbers: TenNumbers) -> np.ndarray:
        display = display_of(self.sample, [numbers, *self.after], self.table)
        return readings_of_display(display, self.percentiles)


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
        values = problem.sample[:, channel]
        if zone == 2 and np.mean(values >= ends[1]) > (100 - problem.percentiles.highs) / 100:
            return "the highs are clipped in the recording"
        if zone == 0 and np.mean(values <= ends[0]) > problem.percentiles.lows / 100:
            return "the lows are crushed in the recording"
        low, high = np.percentile(values, [problem.percentiles.lows, problem.percentiles.highs])
        if high - low < 0.01:
            return "the recording holds hardly any range in this channel"
        return "the aims contradict each other within the output's range"
    return "the output holds no more colour, or the picture has none to strengthen"


def solve(
    sample: np.ndarray,
    start: TenNumbers,
    aims: np.ndarray,
    table: Table,
    *,
    output_id: str = outputs.DEFAULT_OUTPUT,
    after: Sequence[TenNumbers] = (),
    percentiles: Percentiles = DEFAULT_PERCENTILES,
    weights: np.ndarray | None = None,
    iterations: int = 14,
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
    if not len(sample):
        raise ValueError("nothing was measured: the meter holds no pixels")
    problem = _Problem(sample, after, table, percentiles)
    weight = np.ones(10) if weights is None else np.asarray(weights, np.float64)

    def cost(readings: np.ndarray) -> float:
        return float((((readings - aims) * weight) ** 2).sum())

    best_numbers, best_readings = start, problem.readings(start)
    best_cost = cost(best_readings)
    candidates = [problem.unknowns(start), _direct_start(problem, aims, output_id, start.saturation)]
    tried = [(cost(problem.readings(problem.numbers(c))), i) for i, c in enumerate(candidates)]
    unknowns = candidates[min(tried)[1]]
    numbers = problem.numbers(unknowns)
    readings = problem.readings(numbers)
    jacobian: np.ndarray | None = None
    fresh = False
    damping = 1e-6
    for _ in range(iterations):
        current = cost(readings)
        if current < best_cost:
            best_numbers, best_readings, best_cost = numbers, readings, current
        if np.abs((readings - aims) * (weight > 0)).max() < 0.03:
            break
        if jacobian is None:
            jacobian = np.empty((10, 10))
            for column in range(10):
                step = 0.004 if column < 9 else 0.02
                moved = unknowns.copy()
                moved[column] += step
                jacobian[:, column] = (problem.readings(problem.numbers(moved)) - readings) / step
            fresh = True
        weighted = jacobian * weight[:, None]
        normal = weighted.T @ weighted
        ridge = damping * np.diag(np.maximum(np.diag(normal), 1e-3 * np.diag(normal).max()))
        change = np.linalg.solve(normal + ridge, weighted.T @ ((aims - readings) * weight))
        change *= min(1.0, _LARGEST_STEP / max(np.abs(change[:9]).max(), 1e-12))
        change[9] = np.clip(change[9], -0.5, 0.5)
        trial = unknowns + change
        trial_numbers = problem.numbers(trial)
        trial_readings = problem.readings(trial_numbers)
        if cost(trial_readings) < current:
            gain = trial_readings - readings - jacobian @ change
            jacobian = jacobian + np.outer(gain, change) / max(change @ change, 1e-12)
            fresh = fresh and cost(trial_readings) < 0.25 * current
            unknowns, numbers, readings = trial, trial_numbers, trial_readings
            damping = max(damping * 0.2, 1e-7)
        elif fresh:
            damping = max(damping * 20, 1e-3)
            if damping > 1e4:
                break
        else:
            jacobian = None
    if cost(readings) < best_cost:
        best_numbers, best_readings = numbers, readings
    ends = (float(sample.min()) + 1e-3, float(sample.max()) - 1e-3)
    missed = tuple(
        Missed(i, float(aims[i] - best_readings[i]), _reason(i, aims[i], problem, ends))
        for i in range(10)
        if weight[i] > 0 and abs(aims[i] - best_readings[i]) > TOLERANCE
    )
    return Solution(best_numbers, best_readings, missed)
