"""The ten readings: lows, mids and highs of red, green and blue, and the saturation."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from dovrel.core.colour import codes
from dovrel.errors import Refused

if TYPE_CHECKING:
    from dovrel.core.measure.counting import Scopes

CHANNELS = ("red", "green", "blue")
ZONES = ("lows", "mids", "highs")


@dataclass(frozen=True)
class Percentiles:
    """Which percentiles lows, mids and highs are, in percent."""

    lows: float = 1.0
    mids: float = 50.0
    highs: float = 99.0

    def __post_init__(self) -> None:
        if not 0 <= self.lows < self.mids < self.highs <= 100:
            raise Refused("percentiles must rise from lows over mids to highs within 0..100")

    def as_tuple(self) -> tuple[float, float, float]:
        return (self.lows, self.mids, self.highs)


DEFAULT_PERCENTILES = Percentiles()


def reading_name(index: int) -> str:
    """``red lows`` … ``blue highs``, ``saturation``."""
    return "saturation" if index == 9 else f"{CHANNELS[index // 3]} {ZONES[index % 3]}"


def percentile_of_counts(counts: np.ndarray, percent: float) -> float:
    """Percentile of a fine histogram, linear within the bin; display units (1 is 100 %).

    Parameters
    ----------
    counts : integer array (FINE_BINS,), not all zero
    percent : 0..100
    """
    cumulative = np.cumsum(counts, dtype=np.int64)
    total = cumulative[-1]
    if total == 0:
        raise Refused("nothing was measured: the meter holds no pixels")
    rank = percent / 100.0 * (total - 1) + 0.5
    index = int(np.searchsorted(cumulative, rank, side="left"))
    index = min(index, len(counts) - 1)
    before = cumulative[index - 1] if index else 0
    within = (rank - before) / max(int(counts[index]), 1)
    code = (index + within) * (65536 / codes.FINE_BINS) - 0.5
    return code / codes.SIGNAL_SCALE + codes.SIGNAL_LOW


def readings_of_scopes(scopes: Scopes, percentiles: Percentiles = DEFAULT_PERCENTILES) -> np.ndarray:
    """The ten readings in percent, float64 (10,).

    Order: red lows, mids, highs; green; blue; saturation (RMS chroma: distance from the centre
    of the BT.709 Cb/Cr plane, in percent).

    Raises
    ------
    Refused
        If nothing was counted.
    """
    readings = [
        100.0 * percentile_of_counts(scopes.fine[channel], percent)
        for channel in range(3)
        for percent in percentiles.as_tuple()
    ]
    return np.array([*readings, 100.0 * np.sqrt(scopes.mean_squared_chroma)])


def readings_of_display(display: np.ndarray, percentiles: Percentiles = DEFAULT_PERCENTILES) -> np.ndarray:
    """The ten readings of display values (..., 3), straight from the sorted samples."""
    flat = np.asarray(display).reshape(-1, 3)
    if not len(flat):
        raise Refused("nothing was measured: the meter holds no pixels")
    # A channel at a time: sorting samples that lie side by side takes half the time.
    zones = [
        np.percentile(flat[:, channel].copy(), percentiles.as_tuple(), overwrite_input=True) for channel in range(3)
    ]
    return 100.0 * np.array([*np.ravel(zones), np.sqrt(mean_squared_chroma(flat))], np.float64)


def luma(display: np.ndarray) -> np.ndarray:
    """BT.709 luma of display values (..., 3)."""
    display = np.asarray(display)
    return 0.2126 * display[..., 0] + 0.7152 * display[..., 1] + 0.0722 * display[..., 2]


def chroma_plane(display: np.ndarray) -> np.ndarray:
    """BT.709 Cb, Cr of display values (..., 3) → (..., 2), -0.5..0.5."""
    y = luma(display)
    return np.stack(
        [
            (display[..., 2] - y) / codes.CB_DIVISOR,
            (display[..., 0] - y) / codes.CR_DIVISOR,
        ],
        axis=-1,
    )


def mean_squared_chroma(display: np.ndarray) -> float:
    """Mean of Cb² + Cr² of display values (..., 3)."""
    y = luma(display)
    cb, cr = (display[..., 2] - y) / codes.CB_DIVISOR, (display[..., 0] - y) / codes.CR_DIVISOR
    return float(np.mean(cb * cb + cr * cr, dtype=np.float64))
