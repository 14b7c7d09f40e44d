"""Measuring a file."""

from __future__ import annotations

import numpy as np
from rich.console import Console
from rich.table import Table as RichTable

from dovrel.core.colour.codes import CLIPPED_AT
from dovrel.core.measure.readings import reading_name, readings_of_display
from dovrel.core.steps.correction import Correction
from dovrel.headless.files import Input


def readings_record(readings: np.ndarray) -> dict[str, float]:
    return {reading_name(i): round(float(r), 3) for i, r in enumerate(readings)}


def measure(source: Input, output: str, correction: Correction | None = None) -> dict:
    """The ten readings, under a correction if one is given, clipping, and what was measured."""
    recorded = source.recorded()
    height, width = recorded.shape[:2]
    return {
        "file": source.file.name,
        "width": width,
        "height": height,
        "encoding": source.encoding_id,
        "encoding_reason": source.likely.reason,
        "output": output,
        "pixels": width * height,
        "readings": readings_record(readings_of_display(_shown(source, recorded, output, correction))),
        "clipped_in_recording": float((recorded.max(axis=-1) >= CLIPPED_AT).mean()),
    }


def _shown(source: Input, recorded: np.ndarray, output: str, correction: Correction | None) -> np.ndarray:
    if correction is None:
        return source.shown(recorded, output)
    # Loaded where it is asked for: without a correction, nothing of it is needed.
    from dovrel.core.colour import tables
    from dovrel.core.develop.frame import display_of

    return display_of(source.read(output).working, correction.at(source.frame).chain, tables.output_table(output))


def print_measure(console: Console, result: dict) -> None:
    table = RichTable(title=f"{result['file']}  {result['width']}×{result['height']}, percent")
    for heading in ("", "lows", "mids", "highs"):
        table.add_column(heading, justify="right")
    readings = list(result["readings"].values())
    for channel, name in enumerate(("red", "green", "blue")):
        table.add_row(name, *[f"{r:.1f}" for r in readings[channel * 3 : channel * 3 + 3]])
    console.print(table)
    console.print(f"encoding {result['encoding']} ({result['encoding_reason']})")
    console.print(f"saturation {readings[9]:.1f}, clipped in the recording {result['clipped_in_recording']:.2%}")
