"""Rendering and measuring one frame: what the live loop, the wall and the command line call."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from dovrel.core.colour.cdl import TenNumbers
from dovrel.core.colour.tables import Table
from dovrel.core.measure import kernels
from dovrel.core.measure.readings import DEFAULT_PERCENTILES, Percentiles, readings_of_counts

WAVE_COLUMNS = 320
THREADS = 2
_pool = ThreadPoolExecutor(THREADS, thread_name_prefix="measure")


@dataclass(frozen=True)
class Meter:
    """A box on the picture in parts of its width and height, 0..1. The whole by default."""

    left: float = 0.0
    top: float = 0.0
    right: float = 1.0
    bottom: float = 1.0

    def __post_init__(self) -> None:
        edges = (self.left, self.top, self.right, self.bottom)
        if not np.isfinite(edges).all() or not (0 <= self.left < self.right <= 1 and 0 <= self.top < self.bottom <= 1):
            raise ValueError("a meter's box must lie on the picture and have an area")

    def pixels(self, width: int, height: int) -> tuple[int, int, int, int]:
        """x0, y0, x1, y1, at least one pixel."""
        x0 = min(int(self.left * width), width - 1)
        y0 = min(int(self.top * height), height - 1)
        return x0, y0, max(round(self.right * width), x0 + 1), max(round(self.bottom * height), y0 + 1)


WHOLE = Meter()


@dataclass(frozen=True)
class Scopes:
    """Exact counts; the sum over each scope (over each channel of the parade) is `pixels`.

    Attributes
    ----------
    parade : uint32 (3, columns, 256), R′G′B′ by column and level, -7 % at 0 to 109 % at 255
    waveform : uint32 (columns, 256), Y′
    vector : uint32 (256, 256), Cr downwards from +0.625, Cb rightwards from -0.625
    fine : uint32 (4, 5120), R′G′B′Y′ at 4096 bins per 100 % from -12.5 %
    pixels : number of pixels measured
    """

    parade: np.ndarray
    waveform: np.ndarray
    vector: np.ndarray
    fine: np.ndarray
    pixels: int

    def histogram(self, bins: int = 320) -> np.ndarray:
        """R′G′B′Y′ counts, uint32 (4, bins); `bins` divides 5120."""
        return self.fine.reshape(4, bins, -1).sum(axis=2, dtype=np.uint32)


@dataclass(frozen=True)
class Measured:
    """A rendered frame: the 8-bit picture, its scopes and its ten readings in percent."""

    picture: np.ndarray
    scopes: Scopes
    readings: np.ndarray


def bake_levels(levels: Sequence[TenNumbers]) -> tuple[np.ndarray, np.ndarray]:
    """Levels in order as tables: curves float32 (n, 3, CURVE_SIZE), saturations float32 (n,).

    Identities are left out.
    """
    active = [numbers for numbers in levels if not numbers.is_identity]
    curves = np.empty((len(active), 3, kernels.CURVE_SIZE), np.float32)
    for level, numbers in enumerate(active):
        for channel in range(3):
            kernels.bake_curve(
                numbers.slope[channel],
                numbers.offset[channel],
                numbers.power[channel],
                curves[level, channel],
            )
    return curves, np.array([numbers.saturation for numbers in active], np.float32)


def table_arguments(table: Table) -> tuple[np.ndarray, int, np.float32, np.float32]:
    """A table as the kernels take it: flat nodes, nodes a side, lowest value, nodes per unit."""
    size = table.nodes.shape[0]
    return table.flat, size, np.float32(table.low), np.float32((size - 1) / (table.high - table.low))


def render(
    source: np.ndarray,
    levels: Sequence[TenNumbers],
    table: Table,
    meter: Meter = WHOLE,
    percentiles: Percentiles = DEFAULT_PERCENTILES,
) -> Measured:
    """Correct, output and measure one frame.

    Parameters
    ----------
    source : uint16 (H, W, 3), packed working values (:func:`kernels.pack`)
    levels : the ten numbers of each level, in order
    table : the output table
    meter : what is measured; the picture is always rendered whole

    Raises
    ------
    ValueError
        If the frame is empty or not (H, W, 3).
    """
    if source.ndim != 3 or source.shape[2] != 3 or 0 in source.shape:
        raise ValueError(f"a frame must be height × width × 3, not {source.shape}")
    height, width = source.shape[:2]
    columns = min(WAVE_COLUMNS, width)
    curves, saturations = bake_levels(levels)
    nodes, size, low, step = table_arguments(table)
    box = np.array(meter.pixels(width, height), np.int64)
    picture = np.empty((height, width, 3), np.uint8)
    parade = np.zeros((3, columns, kernels.WAVE_LEVELS), np.uint32)
    waveform = np.zeros((columns, kernels.WAVE_LEVELS), np.uint32)
    vectors = np.zeros((THREADS, kernels.VECTOR_SIZE, kernels.VECTOR_SIZE), np.uint32)
    fines = np.zeros((THREADS, 4, kernels.FINE_BINS), np.uint32)
    sums = np.zeros((THREADS, 2), np.float64)
    edges = np.linspace(0, columns, THREADS + 1).astype(int)

    def part(thread: int) -> None:
        kernels.render_and_measure(
            source,
            curves,
            saturations,
            nodes,
            size,
            low,
            step,
            edges[thread],
            edges[thread + 1],
            columns,
            box,
            picture,
            parade,
            waveform,
            vectors[thread],
            fines[thread],
            sums[thread],
        )

    others = [_pool.submit(part, thread) for thread in range(1, THREADS)]
    part(0)
    for other in others:
        other.result()
    squared, pixels = sums.sum(axis=0)
    fine = fines.sum(axis=0, dtype=np.uint32)
    scopes = Scopes(parade, waveform, vectors.sum(axis=0, dtype=np.uint32), fine, int(pixels))
    return Measured(picture, scopes, readings_of_counts(fine, squared / pixels, percentiles))


def display_of(working: np.ndarray, levels: Sequence[TenNumbers], table: Table) -> np.ndarray:
    """Display values of working values through the tables, float32 of the same shape (..., 3)."""
    flat = np.ascontiguousarray(working, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    kernels.display_of(flat, *bake_levels(levels), *table_arguments(table), out)
    return out.reshape(np.shape(working))


INVERSE_ROUNDS = 3


def pack_display(display: np.ndarray, inverse: Table, table: Table) -> np.ndarray:
    """Display values → packed working values which `table` shows as those display values again.

    Parameters
    ----------
    display : float array (..., 3), taken as 0..1
    inverse, table : the output's inverse and the output (see :mod:`dovrel.core.colour.tables`)

    Returns
    -------
    uint16 array (..., 3), as of :func:`kernels.pack`
    """
    flat = np.clip(np.nan_to_num(np.ascontiguousarray(display, np.float32)), 0, 1).reshape(-1, 3)
    packed = np.empty(flat.shape, np.uint16)
    inverse_size = inverse.nodes.shape[0]
    kernels.display_to_packed(flat, inverse.flat, inverse_size, *table_arguments(table), INVERSE_ROUNDS, packed)
    return packed.reshape(np.shape(display))


def warm_up(table: Table, inverse: Table | None = None) -> None:
    """Compile or load every kernel, so that the first frame is as fast as the next."""
    tiny = np.zeros((4, 4, 3), np.uint16)
    render(tiny, [TenNumbers(saturation=0.9)], table)
    display_of(kernels.unpack(tiny), [], table)
    if inverse is not None:
        pack_display(np.zeros((1, 3), np.float32), inverse, table)
