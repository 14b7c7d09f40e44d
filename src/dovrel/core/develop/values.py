"""Colours put through a program one by one."""

from __future__ import annotations

import numpy as np

from dovrel.core.develop import kernels
from dovrel.core.develop.program import Program
from dovrel.core.develop.threads import in_parts

_WORTH_TWO_THREADS = 20_000


def values_through(working: np.ndarray, program: Program, shares: np.ndarray = kernels.NO_MASKS) -> np.ndarray:
    """Display values float32 (..., 3) of working values (..., 3), pixel by pixel; `shares` float32 (k, N) are theirs in areas."""
    flat = np.ascontiguousarray(working, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)

    def part(first: int, last: int) -> None:
        here = np.ascontiguousarray(shares[:, first:last])
        kernels.display_of(flat[first:last], program.baked, here, *program.table, out[first:last])

    if len(flat) < _WORTH_TWO_THREADS:
        part(0, len(flat))
    else:
        in_parts(len(flat), part)
    return out.reshape(np.shape(working))
