"""What aims are searched for in: nine stations and the saturation, and the readings they give on a sample.

A percentile of a monotone function is the function of the percentile, so slope, offset and
power of a channel are fixed by where its lows, mids and highs go in the working space: three
*stations*.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import cached_property
from typing import NamedTuple

import numpy as np

from dovrel.core.colour import outputs
from dovrel.core.colour.tables import Table
from dovrel.core.measure.readings import Percentiles
from dovrel.core.measure.sampled import Sample, take_sample
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.primary import REC709_LUMA, Primary
from dovrel.machine.kernels import njit

_ROUGH_PIXELS, _FINE_PIXELS = 600, 2500
"""Derivatives are taken on so many of the sample's pixels, close searches' on the second: differences
hardly feel which ones."""
_LEAST_GAP = 2e-4
_LEAST_LEVEL = 1e-3
_STEPS = np.array([0.003] * 9 + [0.02])
"""Differences over which derivatives are taken: stations, then the logarithm of saturation."""


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


def rising(stations: np.ndarray) -> np.ndarray:
    """Force each channel's three stations positive and rising by at least a hair."""
    stations = np.maximum(stations, _LEAST_LEVEL)
    stations[:, 1] = np.maximum(stations[:, 1], stations[:, 0] + _LEAST_GAP)
    stations[:, 2] = np.maximum(stations[:, 2], stations[:, 1] + _LEAST_GAP)
    return stations


class Answer(NamedTuple):
    """Ten numbers, the readings they give, and the corrected working levels behind the nine."""

    numbers: Primary
    readings: np.ndarray
    levels: np.ndarray


Residual = Callable[[Answer], np.ndarray]


class Problem:
    """A sample and what is done to it: before by nothing, at this level by ten numbers, after by `after`.

    Where `saturation` is given, the tenth number is that, whatever the unknowns say.
    """

    def __init__(
        self,
        sample: np.ndarray,
        after: Chain,
        table: Table,
        percentiles: Percentiles,
        most_power: float,
        overtaken: Callable[[], bool],
        saturation: float | None,
    ) -> None:
        self.saturation = saturation
        self.overtaken = overtaken
        self.sample = Sample(sample, table, percentiles)
        self.rough = Sample(take_sample(sample, _ROUGH_PIXELS), table, percentiles)
        self._table = table
        self.after = after
        self.most_power = most_power
        self.percentiles = percentiles
        self.source = rising(self.sample.read(())[1].reshape(3, 3))

    @cached_property
    def fine(self) -> Sample:
        """Pixels for close searches; most problems never come to one."""
        return Sample(take_sample(self.sample.working, _FINE_PIXELS), self._table, self.percentiles)

    def numbers(self, unknowns: np.ndarray) -> Primary:
        stations = rising(unknowns[:9].reshape(3, 3).copy())
        curves = _curves_through(self.source, stations, self.most_power)
        saturation = math.exp(min(max(unknowns[9], -4.6), 1.6)) if self.saturation is None else self.saturation
        return Primary.from_array([*curves.ravel(), saturation])

    def unknowns(self, numbers: Primary) -> np.ndarray:
        value = self.source * np.asarray(numbers.slope)[:, None] + np.asarray(numbers.offset)[:, None]
        stations = np.maximum(value, _LEAST_LEVEL) ** np.asarray(numbers.power)[:, None]
        return np.r_[stations.ravel(), np.log(max(numbers.saturation, 0.01))]

    def of(self, numbers: Primary) -> Answer:
        return Answer(numbers, *self.sample.read([numbers, *self.after]))

    def at(self, unknowns: np.ndarray) -> Answer:
        return self.of(self.numbers(unknowns))

    def derivatives(self, unknowns: np.ndarray, residual: Residual, *, closely: bool = False) -> np.ndarray:
        """How each part of a residual goes with each unknown, (10, 10): forward differences on few pixels.

        Closely: central ones, on more.
        """
        pixels = self.fine if closely else self.rough

        def value(at: np.ndarray) -> np.ndarray:
            numbers = self.numbers(at)
            return residual(Answer(numbers, *pixels.read([numbers, *self.after])))

        steps = np.diag(_STEPS)
        if closely:
            columns = [(value(unknowns + step) - value(unknowns - step)) / 2 for step in steps]
        else:
            here = value(unknowns)
            columns = [value(unknowns + step) - here for step in steps]
        return np.stack(columns, axis=1) / _STEPS


def direct_start(problem: Problem, aims: np.ndarray, output_id: str, saturation: float) -> np.ndarray:
    """Aimed lows, mids and highs brought back through the output; saturation undone."""
    aimed = np.clip(aims[:9].reshape(3, 3).T / 100.0, 0.002, 0.998)
    working = outputs.from_display(aimed, output_id, refine=0).astype(np.float64)
    luma = (working @ REC709_LUMA)[:, None]
    stations = (luma + (working - luma) / max(saturation, 0.1)).T
    return np.r_[rising(stations.copy()).ravel(), np.log(max(saturation, 0.01))]
