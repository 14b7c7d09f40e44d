"""Tables, corrections and lists that are too long, too deep or too slow to read, written for the bench of faults."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

ROWS = 1_000_000
"""Of a one-dimensional table: fifteen times what is read."""
SIDE = 200
"""Nodes a side of a cube; 129 are read."""
DEEP = 200_000
"""Elements or brackets within each other."""


def write_all(folder: Path) -> Iterator[tuple[str, Path]]:
    """Each file with its kind: table, correction or list."""
    folder.mkdir(parents=True, exist_ok=True)
    for name, kind, text in _texts():
        path = folder / name
        path.write_text(text)
        yield kind, path


def _texts() -> Iterator[tuple[str, str, str]]:
    yield "million-rows.cube", "table", f"LUT_1D_SIZE {ROWS}\n" + "".join(f"{i / ROWS} 0 1\n" for i in range(ROWS))
    yield "wide.cube", "table", f"LUT_3D_SIZE {SIDE}\n" + "0.5 0.5 0.5\n" * SIDE**2
    yield "spaces.cube", "table", f"LUT_3D_SIZE 2\n{' ' * 2_000_000}x\n" + "0 0 0\n" * 8
    yield "long-array.clf", "table", _clf(f'<Array dim="{ROWS} 1">{"0.5 " * ROWS}</Array>')
    yield "spaces.clf", "table", _clf(f'<Array dim="2 1">{" " * 2_000_000}x</Array>')
    yield "deep.clf", "table", _clf("<a>" * DEEP)
    yield "deep.ccc", "correction", "<ColorCorrectionCollection>" + "<SOPNode>" * DEEP
    yield "long-number.cc", "correction", _cc("9" * 2_000_000)
    yield "not-a-number.cc", "correction", _cc("1e999")
    yield "long-line.edl", "list", "TITLE: X\n001  " + "A" * 3_000_000 + "\n"
    yield (
        "many-events.edl",
        "list",
        "TITLE: X\n"
        + "".join(f"{i % 1000:03d}  R1 V C 01:00:00:00 01:00:01:00 01:00:00:00 01:00:01:00\n" for i in range(200_000)),
    )
    yield "deep.otio", "list", "[" * DEEP


def _clf(within: str) -> str:
    head = '<ProcessList xmlns="urn:AMPAS:CLF:v3.0" id="x" compCLFversion="3">'
    return f'{head}<LUT1D id="a" inBitDepth="32f" outBitDepth="32f">{within}</LUT1D></ProcessList>'


def _cc(slope: str) -> str:
    return f'<ColorCorrection id="x"><SOPNode><Slope>{slope} 1 1</Slope></SOPNode></ColorCorrection>'
