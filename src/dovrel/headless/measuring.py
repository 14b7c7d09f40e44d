"""Measuring a file."""

from __future__ import annotations

import numpy as np
from rich.console import Console
from rich.table import Table as RichTable

from dovrel.core.colour import tables
from dovrel.core.measure.frame import render
from dovrel.core.measure.limits import RECORDED_HIGH
from dovrel.core.measure.readings import reading_name
from dovrel.headless.files import Input


def readings_record(readings: np.ndarray) -> dict[str, float]:
    return {reading_name(i): round(float(r), 3) for i, r in enumerate(readings)}


def measure(source: Input, output: str) -> dict:
    """The ten readings, clipping, and what was measured."""
    picture = source.read(output)
    measured = render(picture.packed, [], tables.output_table(output))
    height, width = picture.packed.shape[:2]
    return {
        "file": source.file.name,
        "width": width,
        "height": height,
        "encoding": source.encoding_id,
        "output": output,
        "pixels": measured.scopes.pixels,
        "readings": readings_record(measured.readings),
        "clipped_in_recording": float(np.mean(picture.flags & RECORDED_HIGH != 0)),
    }


def print_measure(console: Console, result: dict) -> None:
    table = RichTable(title=f"{result['file']}  {result['width']}×{result['height']}, percent")
    for heading in ("", "lows", "mids", "highs"):
        table.add_column(heading, justify="right")
    readings = list(result["readings"].values())
    for channel, name in enumerate(("red", "green", "blue")):
        table.add_row(name, *[f"{r:.1f}" for r in readings[channel * 3 : channel * 3 + 3]])
    console.print(table)
    console.print(f"saturation {readings[9]:.1f}, clipped in the recording {result['clipped_in_recording']:.2%}")
