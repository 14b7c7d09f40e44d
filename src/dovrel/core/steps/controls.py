"""Exposure, warmth, tint, contrast and saturation: other ways of moving the ten numbers.

The ten numbers are the only state. Every control is read off them and every move of a
control is a change of them, so an exported CDL carries the correction whole.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dovrel.core.colour import white
from dovrel.core.colour.working import AP1_LUMA, MID_GREY, STOP
from dovrel.core.steps.primary import IDENTITY, Primary

SLOPE_FLOOR = 1e-3


@dataclass(frozen=True)
class Controls:
    """What the ten numbers amount to: stops, kelvin, tint, contrast about `pivot`, saturation."""

    exposure: float
    warmth: float
    tint: float
    contrast: float
    saturation: float
    pivot: float = MID_GREY


def _contrast(numbers: Primary) -> float:
    return float(np.exp(np.mean(np.log(np.maximum(numbers.slope, SLOPE_FLOOR)))))


def _at_pivot(numbers: Primary, pivot: float) -> np.ndarray:
    """How far each channel is moved at the pivot, before the power (3,)."""
    return np.asarray(numbers.slope) * pivot + numbers.offset - pivot


def _exposure(moved: np.ndarray) -> float:
    """Common part of per-channel moves in stops, keeping the luminance of grey."""
    return float(np.log2(AP1_LUMA @ np.exp2(moved / STOP)))


def read(numbers: Primary, pivot: float = MID_GREY) -> Controls:
    """The controls that these ten numbers amount to about `pivot` (working-space value)."""
    moved = _at_pivot(numbers, pivot)
    exposure = _exposure(moved)
    warmth, tint = white.white_of(moved)
    return Controls(exposure, warmth, tint, _contrast(numbers), numbers.saturation, pivot)


def set_exposure(numbers: Primary, stops: float, pivot: float = MID_GREY) -> Primary:
    """Equal offset in all channels so that the exposure about `pivot` is `stops`."""
    step = (stops - _exposure(_at_pivot(numbers, pivot))) * STOP
    return numbers.with_offset_added((step, step, step))


def set_white(numbers: Primary, warmth: float, tint: float, pivot: float = MID_GREY) -> Primary:
    """Move the white to `warmth` kelvin and `tint`, keeping the exposure.

    Raises
    ------
    ValueError
        Outside the limits of :func:`white.offset_for`.
    """
    was = white.white_of(_at_pivot(numbers, pivot))
    change = white.offset_for(warmth, tint) - white.offset_for(*was)
    exposure = _exposure(_at_pivot(numbers, pivot))
    return set_exposure(numbers.with_offset_added(change), exposure, pivot)


def set_contrast(numbers: Primary, contrast: float, pivot: float = MID_GREY) -> Primary:
    """Scale all slopes alike about `pivot`, so that their mean is `contrast`; the pivot stays put."""
    factor = max(contrast, SLOPE_FLOOR) / _contrast(numbers)
    moved = _at_pivot(numbers, pivot)
    slope = np.maximum(numbers.slope, SLOPE_FLOOR) * factor
    offset = pivot + moved - slope * pivot
    return Primary.from_array([*slope, *offset, *numbers.power, numbers.saturation])


def set_saturation(numbers: Primary, saturation: float) -> Primary:
    return replace(numbers, saturation=saturation)


def pushed(stops: float) -> list[Primary]:
    """What makes a picture some stops lighter to look into it: nothing for none."""
    return [set_exposure(IDENTITY, stops)] if stops else []
