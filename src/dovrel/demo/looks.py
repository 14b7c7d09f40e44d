"""Two looks that the demo's production has been given, made of formulas."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np

from dovrel.core.colour import look_files, tables
from dovrel.core.colour.working import AP1_LUMA, MID_GREY
from dovrel.core.steps.primary import REC709_LUMA
from dovrel.formats import cube

_SIDE = 33


def _paper(values: np.ndarray) -> np.ndarray:
    """Of ACEScct: a little more contrast about mid grey, highs towards the colour of paper, lows a little cooler."""
    level = (values @ AP1_LUMA)[..., None]
    contrast = MID_GREY + 1.08 * (values - MID_GREY)
    above = np.clip((level - MID_GREY) / 0.3, -1, 1)
    return contrast + above * np.array([0.012, 0.0, -0.016])


def _faded_print(values: np.ndarray) -> np.ndarray:
    """Of the display: blacks lifted, a soft shoulder, less colour, the more the deeper it is."""
    level = (values @ REC709_LUMA)[..., None]
    depth = np.ptp(values, axis=-1)[..., None]
    pale = level + (0.92 - 0.25 * depth) * (values - level)
    return np.clip(0.035 + 0.94 * pale - 0.06 * pale * (1 - pale) * (1 - 2 * pale), 0, 1)


LOOKS: dict[str, tuple[Callable[[np.ndarray], np.ndarray], str]] = {
    "Quire Lane paper": (_paper, "takes ACEScct, gives ACEScct"),
    "Quire Lane faded print": (_faded_print, "takes Rec.709 display, gives Rec.709 display"),
}


def keep_looks(folder: Path) -> None:
    """Keep them where looks are kept."""
    look_files.keep_in(folder)
    lattice = tables.lattice(_SIDE, 0.0, 1.0).astype(np.float64)
    with tempfile.TemporaryDirectory() as aside:
        for name, (made, about) in LOOKS.items():
            file = Path(aside, f"{name}.cube")
            cube.write(file, made(lattice), name, about)
            look_files.keep(file, file.name)
