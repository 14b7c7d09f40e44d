"""Looks that tests use: made-up tables as files."""

from collections.abc import Callable
from pathlib import Path

import numpy as np

from dovrel.core.colour import tables
from dovrel.formats import cube

Made = Callable[[np.ndarray], np.ndarray]


def warmer(values: np.ndarray) -> np.ndarray:
    """Of ACEScct: a little more colour and contrast, highs warmer."""
    grey = values @ [0.27, 0.67, 0.06]
    more = grey[..., None] + 1.2 * (values - grey[..., None])
    return 0.42 + 1.1 * (more - 0.42) + np.array([0.03, 0.0, -0.03]) * (values - 0.4)


def faded(values: np.ndarray) -> np.ndarray:
    """Of a display: an S-curve, less colour, lows bluer."""
    bent = 0.6 * values + 0.4 * values * values * (3 - 2 * values)
    grey = bent @ [0.2126, 0.7152, 0.0722]
    return np.clip(grey[..., None] + 0.8 * (bent - grey[..., None]) + np.array([-0.02, 0.0, 0.03]) * (1 - bent), 0, 1)


def cube_file(path: Path, made: Made, about: str = "", size: int = 33) -> Path:
    cube.write(path, made(tables.lattice(size, 0.0, 1.0)).astype(np.float32), path.stem, about)
    return path


def clf_file(path: Path, takes: str, gives: str, made: Made, size: int = 9) -> Path:
    nodes = made(tables.lattice(size, 0.0, 1.0)).reshape(-1, 3)
    rows = "\n".join(" ".join(f"{value:.7f}" for value in row) for row in nodes)
    path.write_text(
        f"""<?xml version="1.0" encoding="UTF-8"?>
<ProcessList id="look" compCLFversion="3">
<InputDescriptor>{takes}</InputDescriptor><OutputDescriptor>{gives}</OutputDescriptor>
<LUT3D inBitDepth="32f" outBitDepth="32f" interpolation="tetrahedral">
<Array dim="{size} {size} {size} 3">
{rows}
</Array></LUT3D></ProcessList>
"""
    )
    return path
