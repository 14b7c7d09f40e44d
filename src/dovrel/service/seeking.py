"""Ten numbers that are still to be found: a turn of a control, or readings to be met."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from dovrel.core.colour import codes, white
from dovrel.core.correct.solve import Effort, Solution, solve
from dovrel.core.develop.frame import display_of
from dovrel.core.measure.frame import measure
from dovrel.core.measure.readings import readings_of_display
from dovrel.core.measure.sampled import take_sample
from dovrel.core.steps import controls
from dovrel.core.steps.chain import apply_in_order
from dovrel.core.steps.levels import AtFrame
from dovrel.core.steps.primary import Primary
from dovrel.service.live_schemas import Aim, Turn
from dovrel.service.viewing import View, Viewing

_LOOKS, _NEAR_ENOUGH = 2, 0.1
"""How often a solution found on a sample is looked at on the frame, and how near it then is enough, percent."""


_NO_MIRED = 1e-3
"""A temperature without end, as near as a number comes."""


@dataclass(frozen=True)
class Search:
    """How far to search for aims, and what says that they are no longer wanted."""

    effort: Effort
    overtaken: Callable[[], bool] = lambda: False


def turned(numbers: Primary, turn: Turn, pivot: float) -> Primary:
    """The ten numbers with one control at a new value, within its limits."""
    now = controls.read(numbers, pivot)
    if turn.control == "exposure":
        return controls.set_exposure(numbers, _within(turn.value, (-12, 12), now.exposure), pivot)
    if turn.control == "warmth":
        mired = _within(1e6 / (turn.value or 1.0), white.MIRED_LIMITS, 1e6 / now.warmth)
        return controls.set_white(numbers, 1e6 / (mired or _NO_MIRED), now.tint, pivot)
    if turn.control == "tint":
        return controls.set_white(numbers, now.warmth, _within(turn.value, white.TINT_LIMITS, now.tint), pivot)
    if turn.control == "contrast":
        return controls.set_contrast(numbers, _within(turn.value, (0.05, 8), now.contrast), pivot)
    return controls.set_saturation(numbers, _within(turn.value, (0, 4), now.saturation))


def _within(value: float, limits: tuple[float, float], now: float) -> float:
    """A value within its limits, which reach as far as where it stands: turning goes on from there."""
    return float(np.clip(value, min(limits[0], now), max(limits[1], now)))


def met(view: View, aim: Aim, levels: AtFrame, viewing: Viewing, search: Search) -> Solution:
    """Solve for the aims; what is no drag is looked at on the frame itself, and solved on from there."""
    solution = _solve(view, aim, levels, viewing, search)
    if search.effort == "drag":
        return solution
    for _ in range(_LOOKS):
        if solution.missed or search.overtaken():
            break
        levels = view.request.with_numbers(levels, solution.numbers)
        _, readings = measure(view.developed(levels), view.mask, view.percentiles)
        viewing.remember(view, levels, readings)
        if np.abs(readings - aim.values)[: 10 if 9 in aim.moved else 9].max() < _NEAR_ENOUGH:
            break
        solution = _solve(view, aim, levels, viewing, search)
    return solution


def _solve(view: View, aim: Aim, levels: AtFrame, viewing: Viewing, search: Search) -> Solution:
    """Solve on a sample; what the sample reads beside the whole is removed the aims."""
    request, packed, mask = view.request, view.picture.packed, view.mask
    numbers, after = request.numbers_in(levels), request.after_numbers(levels)
    sample = codes.unpack(take_sample(packed if mask is None else packed[mask != 0]))
    sample = apply_in_order(sample, levels.before(request.level, request.step)).astype(np.float32)
    aims = np.array(aim.values)
    whole = viewing.readings_under(view, levels)
    if whole is not None:
        shown = display_of(sample, [numbers, *after], view.table)
        aims = aims - whole + readings_of_display(shown, view.percentiles)
    return solve(
        sample,
        numbers,
        aims,
        view.table,
        output_id=view.source.output,
        after=after,
        percentiles=view.percentiles,
        moved=aim.moved or None,
        effort=search.effort,
        overtaken=search.overtaken,
    )
