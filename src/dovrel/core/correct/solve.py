"""Ten aims → ten numbers.

The solver works on stations (:mod:`dovrel.core.correct.stations`), in which the readings are
nearly separate, and mends what saturation and the output's crosstalk leave with a damped
quasi-Newton iteration (Broyden 1965) on a sample of the meter's pixels.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from dovrel.core.colour import outputs
from dovrel.core.colour.tables import Table
from dovrel.core.correct.search import ENOUGH, TOLERANCE, Best, Target, descend, search_everywhere
from dovrel.core.correct.stations import Problem, direct_start
from dovrel.core.measure.readings import CHANNELS, DEFAULT_PERCENTILES, Percentiles
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.primary import Primary
from dovrel.errors import Refused

Effort = Literal["drag", "quick", "thorough"]
"""One search, as fits a moving hand; one in both measures; or searches from everywhere if those fail."""

_USUAL_POWERS, _ALL_POWERS = 2.5, 4.0
"""Powers lie between these and their inverses: the second only where the first do not do, for beyond
them answers hide that meet the nine and look like nothing. A hand that moves a few readings starts
near, and has all of them."""
_NEAR = 60.0
"""A start within this of the aims, squared hundredths of a level, is searched from first."""
_SATURATIONS = (1.0, 1.5, 0.6, 0.4, 2.2)
"""Saturations that searches start from: a wrong one can hold a search in a hollow of its own."""
_STEPS = 24
"""Steps of one descent at most."""
_MOVED_WEIGHT, _GIVING_WAY = 3.0, 0.1
"""A reading that is moved beside one that is held; and the nine where saturation alone is moved."""
_SATURATION_ALONE = frozenset({9})
_SATURATING, _LEAST_CHROMA = 5, 0.1
"""Steps in which a saturation is found that gives a reading, and the least reading counted with, percent."""
_PULLED, _PULLED_ALONG = 1.0, 1 / 3
"""What is held may be pulled along by so many percent, or by so much of the move if that is more."""
_HALVINGS = 6
"""How often the part of a move that can be made is halved to find it."""


@dataclass(frozen=True)
class Missed:
    """A reading that could not be met: its index 0..9, what is left in percent, and why."""

    reading: int
    difference: float
    reason: str


@dataclass(frozen=True)
class Solution:
    """The ten numbers, the readings they give on the sample, and the aims they miss."""

    numbers: Primary
    readings: np.ndarray
    missed: tuple[Missed, ...]


def _limit_reached(power: float, most: float) -> str | None:
    """The limit that a channel's power has come to, as words, or None."""
    if power < 1.001 / most:
        return f"under {1 / most:g}"
    return f"over {most:g}" if power > 0.999 * most else None


def _reason(
    index: int, aim: float, best: Best, problem: Problem, ends: tuple[float, float], *, restrained: bool
) -> str:
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
    if restrained:
        return "farther on it would pull along what is held"
    return "the aims contradict each other within the output's range"


def _weights(moved: frozenset[int] | None) -> np.ndarray:
    """Importance of each reading where not all can be met, (10,)."""
    weight = np.ones(10)
    if moved is not None:
        weight[:9] = _GIVING_WAY if moved == _SATURATION_ALONE else 1.0
        weight[9] = 0.0
        weight[list(moved)] = _MOVED_WEIGHT
    return weight


def _saturated(problem: Problem, start: Primary, best: Best) -> np.ndarray:
    """The start with as much more or less saturation as is aimed at, and nothing else moved."""
    numbers = start
    for _ in range(_SATURATING):
        answer = problem.of(numbers)
        best.offer(answer)
        part = best.aims[9] / max(answer.readings[9], _LEAST_CHROMA)
        numbers = replace(numbers, saturation=numbers.saturation * min(max(part, 0.5), 2.0))
    return problem.unknowns(numbers)


def _descend(problem: Problem, unknowns: np.ndarray, best: Best, *, in_percent: bool = True) -> None:
    """Descend in the even measure, and from the best there is in percent."""
    descend(problem, unknowns, best.target.evenly, best, _STEPS)
    if best.worst > ENOUGH and in_percent:
        descend(problem, problem.unknowns(best.numbers), best.target.in_percent, best, _STEPS)


def _restrained(problem: Problem, start: Primary, moved: frozenset[int], best: Best, table: Table) -> Best:
    """The same answer, or if it pulls along too much of what is held, that of as much of the move as does not."""
    held = np.setdiff1d(np.flatnonzero(best.weight >= 1), list(moved))
    begun = problem.of(start).readings

    def pulls_too_much(one: Best) -> bool:
        went = np.abs(one.readings - begun)[list(moved)].max()
        return np.abs(one.readings - best.aims)[held].max() > max(_PULLED, _PULLED_ALONG * went)

    if held.size == 0 or not pulls_too_much(best):
        return best
    found, low, high = Best(best.target), 0.0, 1.0
    found.offer(problem.of(start))
    for _ in range(_HALVINGS):
        part = (low + high) / 2
        aims = best.aims.copy()
        aims[list(moved)] = (begun + part * (best.aims - begun))[list(moved)]
        nearer = Best(Target(aims, best.weight, table))
        _descend(problem, problem.unknowns(found.numbers), nearer)
        if pulls_too_much(nearer):
            high = part
        else:
            low = part
            found = Best(best.target)
            found.offer(problem.of(nearer.numbers))
    return found


def solve(
    sample: np.ndarray,
    start: Primary,
    aims: np.ndarray,
    table: Table,
    *,
    output_id: str = outputs.DEFAULT_OUTPUT,
    after: Chain = (),
    percentiles: Percentiles = DEFAULT_PERCENTILES,
    moved: Collection[int] | None = None,
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
    moved : the readings that a hand moves, the others being held; None if all are moved together.
        Held of the saturation is not the reading, which follows the picture's cast, but the number;
        where saturation alone is moved, the nine give way. Where not all can be met, what is held may
        be pulled along by a third of the move, and the move goes no farther than that allows
    effort : how far to search
    overtaken : asked at every step; where it says so, the search ends with the nearest found so far

    Returns
    -------
    Solution
        The numbers; the readings they give on the sample; what was missed by more than
        :data:`TOLERANCE`, and why. Unreachable aims give the nearest, never an error.

    Raises
    ------
    Refused
        If the sample is empty or an aim is not finite.
    """
    aims = np.asarray(aims, np.float64)
    if aims.shape != (10,) or not np.isfinite(aims).all():
        raise Refused("targets are ten finite numbers")
    moved = None if moved is None or len(set(moved)) == len(aims) else frozenset(moved)
    # Numbers that are bent further already are gone on from as they are.
    usual = _USUAL_POWERS if moved is None else _ALL_POWERS
    most_power = max(usual, *start.power, *(1 / power for power in start.power))
    fixed = None if moved is None or 9 in moved else start.saturation
    problem = Problem(sample, after, table, percentiles, most_power, overtaken, fixed)
    best = Best(Target(aims, _weights(moved), table))
    best.offer(problem.of(start))
    thorough = effort == "thorough"

    def apart(unknowns: np.ndarray) -> float:
        answer = problem.at(unknowns)
        best.offer(answer)
        return best.target.apart(answer)

    saturations = _SATURATIONS if fixed is None else (fixed,)
    here, direct = problem.unknowns(start), direct_start(problem, aims, output_id, saturations[0])
    starts = [here, direct] if apart(here) < min(apart(direct), _NEAR) else [direct, here]
    if moved == _SATURATION_ALONE:
        starts.insert(0, _saturated(problem, start, best))
    if thorough:
        starts += [direct_start(problem, aims, output_id, saturation) for saturation in saturations[1:]]
    for unknowns in starts[: 3 if thorough else 1]:
        _descend(problem, unknowns, best, in_percent=effort != "drag")
        if best.worst < ENOUGH:
            break
    restrained = False
    if best.worst > ENOUGH and thorough:
        search_everywhere(problem, [problem.unknowns(best.numbers), *starts], best)
        limited = any(_limit_reached(power, problem.most_power) for power in best.numbers.power)
        if best.worst > TOLERANCE and limited and problem.most_power < _ALL_POWERS:
            problem.most_power = _ALL_POWERS
            _descend(problem, problem.unknowns(best.numbers), best)
        if moved is not None:
            found = _restrained(problem, start, moved, best, table)
            best, restrained = found, found is not best
    ends = (float(sample.min()) + 1e-3, float(sample.max()) - 1e-3)
    missed = tuple(
        Missed(i, float(aims[i] - best.readings[i]), _reason(i, aims[i], best, problem, ends, restrained=restrained))
        for i in range(10)
        if best.weight[i] >= 1 and abs(aims[i] - best.readings[i]) > TOLERANCE
    )
    return Solution(best.numbers, best.readings, missed)
