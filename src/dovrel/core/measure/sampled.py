"""The ten readings of a sample of pixels, quickly enough to be asked for dozens of times a solve."""

from __future__ import annotations

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.colour.tables import Table
from dovrel.core.develop.kernels import NO_MASKS, correct, limit, put_out
from dovrel.core.develop.program import bake_chain, table_arguments
from dovrel.core.measure.readings import DEFAULT_PERCENTILES, Percentiles
from dovrel.core.steps.chain import Chain
from dovrel.errors import Refused
from dovrel.machine.kernels import njit

_STATION_LOW = -1.0
_STATION_SCALE = 65535 / 4.0
"""Corrected working values are ranked over -1..3."""
SAMPLE_PIXELS = 6000


def take_sample(working: np.ndarray, pixels: int = SAMPLE_PIXELS) -> np.ndarray:
    """An evenly spread sample of pixels (H, W, 3) or (N, 3): (≤ pixels, 3), same dtype."""
    flat = working.reshape(-1, 3)
    if len(flat) <= pixels:
        return np.ascontiguousarray(flat)
    golden = (np.arange(pixels) * 0.6180339887498949) % 1.0
    index = ((np.arange(pixels) + golden) * (len(flat) / pixels)).astype(np.int64)
    return np.ascontiguousarray(flat[np.minimum(index, len(flat) - 1)])


class Sample:
    """Pixels whose readings are asked for under one correction after another.

    Parameters
    ----------
    working : float array (N, 3), not empty
    table : the output

    Raises
    ------
    Refused
        If there are no pixels.
    """

    def __init__(self, working: np.ndarray, table: Table, percentiles: Percentiles = DEFAULT_PERCENTILES) -> None:
        if not len(working):
            raise Refused("nothing was measured: the meter holds no pixels")
        self.working = np.ascontiguousarray(working, np.float32)
        self._table = table_arguments(table)
        self._ranks = np.array(percentiles.as_tuple()) / 100 * (len(working) - 1)
        self._codes = np.empty((6, len(working)), np.uint16)

    def readings(self, chain: Chain) -> np.ndarray:
        """The ten readings under corrections applied in order, percent, float64 (10,).

        Percentiles are those of sorting, linear between neighbours, of values rounded to
        0.002 %.
        """
        return self.read(chain)[0]

    def read(self, chain: Chain) -> tuple[np.ndarray, np.ndarray]:
        """The ten readings, and the same nine percentiles of the corrected working values (9,).

        The second go on beyond black and white, where the output, and so a reading, stops.
        """
        readings, stations = np.empty(10), np.empty(9)
        nodes, size, low, step = self._table
        baked = bake_chain(chain)
        _read(self.working, baked, nodes, size, low, step, self._ranks, self._codes, readings, stations)
        return readings, stations


@njit(nogil=True, cache=True, fastmath=True)
def _read(working, baked, nodes, size, low, step, ranks, held, readings, stations):
    scale, start = np.float32(codes.SIGNAL_SCALE), np.float32(codes.SIGNAL_LOW)
    pack_scale, pack_low = np.float32(_STATION_SCALE), np.float32(_STATION_LOW)
    zero, most, half = np.float32(0), np.float32(65535), np.float32(0.5)
    squared = 0.0
    pixels = working.copy()
    correct(pixels, baked, NO_MASKS, 0)
    for n in range(pixels.shape[0]):
        r, g, b = pixels[n, 0], pixels[n, 1], pixels[n, 2]
        held[3, n] = np.uint16(min(max((r - pack_low) * pack_scale + half, zero), most))
        held[4, n] = np.uint16(min(max((g - pack_low) * pack_scale + half, zero), most))
        held[5, n] = np.uint16(min(max((b - pack_low) * pack_scale + half, zero), most))
    put_out(pixels, nodes, size, low, step)
    if baked.limited:
        limit(pixels, baked.limits)
    for n in range(pixels.shape[0]):
        r, g, b = pixels[n, 0], pixels[n, 1], pixels[n, 2]
        luma = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
        cb = (b - luma) * np.float32(1 / codes.CB_DIVISOR)
        cr = (r - luma) * np.float32(1 / codes.CR_DIVISOR)
        squared += cb * cb + cr * cr
        held[0, n] = np.uint16(min(max((r - start) * scale + half, zero), most))
        held[1, n] = np.uint16(min(max((g - start) * scale + half, zero), most))
        held[2, n] = np.uint16(min(max((b - start) * scale + half, zero), most))
    readings[9] = 100 * np.sqrt(squared / working.shape[0])
    values = np.empty(ranks.size)
    for row in range(6):
        _ranked(held[row], ranks, values)
        for zone in range(3):
            if row < 3:
                readings[3 * row + zone] = 100 * (values[zone] / codes.SIGNAL_SCALE + codes.SIGNAL_LOW)
            else:
                stations[3 * (row - 3) + zone] = values[zone] / _STATION_SCALE + _STATION_LOW


@njit(nogil=True, cache=True)
def _ranked(packed, ranks, values):
    """The values at some ranks, linear between neighbours, by their upper and then their lower eight bits.

    Only the upper bytes that hold a rank are counted further, all in one pass.
    """
    coarse = np.zeros(256, np.int64)
    for n in range(packed.size):
        coarse[packed[n] >> np.uint16(8)] += 1
    # Each rank and the one above it.
    upper = np.zeros((ranks.size, 2), np.int64)
    before = np.zeros((ranks.size, 2), np.int64)
    place = np.full(256, -1, np.int64)
    places = 0
    for index in range(ranks.size):
        for above in range(2):
            rank = min(int(ranks[index]) + above, packed.size - 1)
            byte, passed = 0, 0
            while passed + coarse[byte] <= rank:
                passed += coarse[byte]
                byte += 1
            upper[index, above], before[index, above] = byte, passed
            if place[byte] < 0:
                place[byte] = places
                places += 1
    fine = np.zeros((places, 256), np.int64)
    for n in range(packed.size):
        at = place[packed[n] >> np.uint16(8)]
        if at >= 0:
            fine[at, packed[n] & np.uint16(255)] += 1
    for index in range(ranks.size):
        part = ranks[index] - int(ranks[index])
        value = 0.0
        for above in range(2):
            rank = min(int(ranks[index]) + above, packed.size - 1)
            counts, passed, byte = fine[place[upper[index, above]]], before[index, above], 0
            while passed + counts[byte] <= rank:
                passed += counts[byte]
                byte += 1
            value += (part if above else 1 - part) * (256 * upper[index, above] + byte)
        values[index] = value
