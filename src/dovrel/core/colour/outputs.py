"""Outputs: what the monitor shows. One per production; working → display and back."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from dovrel.core.colour.working import STOP
from dovrel.errors import Refused

CONFIG_NAME = "studio-config-v4.0.0_aces-v2.0_ocio-v2.5"
"""Built-in ACES configuration of the colour-management library, pinned."""


@dataclass(frozen=True)
class Output:
    """One output: `display` and `view` of the ACES configuration, or none for plain video."""

    id: str
    name: str
    peak: float
    """Luminance of 100 %, cd/m²."""
    monitor: str
    """What the monitor must be set to."""
    display: str | None = None
    view: str | None = None


OUTPUTS: dict[str, Output] = {
    output.id: output
    for output in (
        Output(
            "rec709",
            "SDR Rec.709, BT.1886, 100 cd/m²",
            100.0,
            "Rec.709 primaries, BT.1886 (gamma 2.4), white at 100 cd/m²",
            "Rec.1886 Rec.709 - Display",
            "ACES 2.0 - SDR 100 nits (Rec.709)",
        ),
        Output(
            "p3-d65",
            "SDR P3-D65, 100 cd/m²",
            100.0,
            "P3 primaries with D65 white, gamma 2.6, white at 100 cd/m²",
            "P3-D65 - Display",
            "ACES 2.0 - SDR 100 nits (P3 D65)",
        ),
        Output(
            "pq-1000",
            "Rec.2100 PQ, 1000 cd/m²",
            10000.0,
            "Rec.2020 primaries, PQ (ST 2084), 1000 cd/m² at its brightest; an SDR monitor shows it flat and grey",
            "Rec.2100-PQ - Display",
            "ACES 2.0 - HDR 1000 nits (Rec.2020)",
        ),
        Output("plain-video", "plain video: Rec.709 code values, no tone mapping", 100.0, "as for SDR Rec.709"),
    )
}
DEFAULT_OUTPUT = "rec709"

REFINE = 6
"""Rounds of :func:`from_display` that bring all but some 0.02 % of colours under 1/1023."""


@lru_cache(maxsize=1)
def config() -> ocio.Config:
    return ocio.Config.CreateFromBuiltinConfig(CONFIG_NAME)


@lru_cache(maxsize=16)
def _processor(output_id: str, inverse: bool) -> ocio.CPUProcessor | None:
    output = find(output_id)
    if output.display is None:
        return None
    transform = ocio.DisplayViewTransform(
        src="ACEScct",
        display=output.display,
        view=output.view,
        direction=ocio.TRANSFORM_DIR_INVERSE if inverse else ocio.TRANSFORM_DIR_FORWARD,
    )
    return config().getProcessor(transform).getDefaultCPUProcessor()


def of_file(source: Path) -> ocio.CPUProcessor:
    """A table's file as the colour library compiles it, tetrahedral between nodes; raises what the library raises."""
    transform = ocio.FileTransform(src=str(source), interpolation=ocio.INTERP_TETRAHEDRAL)
    return config().getProcessor(transform).getDefaultCPUProcessor()


def find(output_id: str) -> Output:
    """The output called `output_id`.

    Raises
    ------
    Refused
        If there is none; the message lists those there are.
    """
    if output_id not in OUTPUTS:
        raise Refused(f"there is no output '{output_id}'; choose from {', '.join(OUTPUTS)}")
    return OUTPUTS[output_id]


def run(processor: ocio.CPUProcessor, image: np.ndarray) -> np.ndarray:
    """Apply a colour-management processor to (..., 3) values; float32, a new array."""
    values = np.array(image, dtype=np.float32, order="C", copy=True)
    flat = values.reshape(-1, 3)
    if len(flat):
        processor.apply(ocio.PackedImageDesc(flat, flat.shape[0], 1, 3))
    return values


def to_display(working: np.ndarray, output_id: str = DEFAULT_OUTPUT) -> np.ndarray:
    """Working → display through the exact transform.

    Parameters
    ----------
    working : float array (..., 3)
    output_id : one of :data:`OUTPUTS`

    Returns
    -------
    float32 array (..., 3), R′G′B′ where 0 is black and 1 is nominal white (code value 1 for PQ).
    """
    processor = _processor(output_id, inverse=False)
    if processor is None:
        return np.array(working, dtype=np.float32)
    return run(processor, working)


def from_display(display: np.ndarray, output_id: str = DEFAULT_OUTPUT, refine: int = REFINE) -> np.ndarray:
    """Display → working; the inverse of :func:`to_display`.

    The library's inverse of the ACES 2 output is off by up to 5/1023 near the gamut's corners;
    `refine` rounds of feeding the error back bring all but the very corners under 1/1023.

    Parameters
    ----------
    display : float array (..., 3); levels outside 0..1 as of :func:`beyond`
    """
    processor = _processor(output_id, inverse=True)
    if processor is None:
        return np.array(display, dtype=np.float32)
    further = beyond(display)
    display = np.clip(np.asarray(display, np.float32), 0.0, 1.0)
    aimed = display
    best = run(processor, aimed)
    best_error = np.abs(to_display(best, output_id) - display).max(axis=-1, keepdims=True)
    for _ in range(refine):
        aimed = np.clip(aimed + (display - to_display(run(processor, aimed), output_id)), 0.0, 1.0)
        working = run(processor, aimed)
        error = np.abs(to_display(working, output_id) - display).max(axis=-1, keepdims=True)
        best = np.where(error < best_error, working, best)
        best_error = np.minimum(error, best_error)
    return best + further


GAMMA = 2.4
BELOW_BLACK = 1.9
"""Working values a display value near black: what the outputs' inverse has there."""


def beyond(display: np.ndarray) -> np.ndarray:
    """What display levels outside 0..1 add to the working values of the nearest level within.

    An output cannot show them, but a correction can bring them back: above white they go on by
    the light that they stand for, below black as they go down to it.

    Parameters
    ----------
    display : float array (..., 3)

    Returns
    -------
    float32 array (..., 3); 0 where the level is within
    """
    display = np.asarray(display, np.float32)
    above = np.log2(np.maximum(display, 1.0)) * (GAMMA * STOP)
    return (above + np.minimum(display, 0.0) * BELOW_BLACK).astype(np.float32)
