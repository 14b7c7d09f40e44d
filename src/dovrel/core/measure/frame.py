"""Developing and measuring one frame: what the live loop, the wall and the command line call."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dovrel.core.colour.tables import Table
from dovrel.core.develop import frame as developed
from dovrel.core.develop.frame import develop, picture_of
from dovrel.core.develop.lattice import Located
from dovrel.core.measure.counting import WAVE_COLUMNS, Scopes, count
from dovrel.core.measure.readings import DEFAULT_PERCENTILES, Percentiles, readings_of_scopes
from dovrel.core.steps.chain import Chain


@dataclass(frozen=True)
class Measured:
    """A developed frame.

    Attributes
    ----------
    display : uint16 (3, H, W), display codes
    picture : uint8 (H, W, 3)
    scopes : counts over the meter
    readings : float64 (10,), percent
    """

    display: np.ndarray
    picture: np.ndarray
    scopes: Scopes
    readings: np.ndarray


def measure(
    display: np.ndarray,
    mask: np.ndarray | None = None,
    percentiles: Percentiles = DEFAULT_PERCENTILES,
    columns: int = WAVE_COLUMNS,
) -> tuple[Scopes, np.ndarray]:
    """Scopes and the ten readings of display codes (3, H, W), where `mask` (H, W) is not zero.

    `columns` are those of waveform and parade.

    Raises
    ------
    Refused
        If the mask leaves nothing to measure.
    """
    scopes = count(display, mask, columns)
    return scopes, readings_of_scopes(scopes, percentiles)


def render(
    packed: np.ndarray,
    chain: Chain,
    table: Table,
    mask: np.ndarray | None = None,
    percentiles: Percentiles = DEFAULT_PERCENTILES,
    located: Located | None = None,
) -> Measured:
    """Develop, picture and measure one frame; parameters as of :func:`develop` and :func:`measure`."""
    display = develop(packed, chain, table, located)
    scopes, readings = measure(display, mask, percentiles)
    return Measured(display, picture_of(display), scopes, readings)


def warm_up(table: Table, inverse: Table | None = None) -> None:
    """Compile or load every kernel, so that the first frame is as fast as the next."""
    measure(developed.warm_up(table, inverse), np.ones((4, 4), np.uint8))
