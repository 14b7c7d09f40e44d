"""The Common LUT Format (SMPTE ST 2136-1): colour steps from ACEScct to ACEScct, each as exactly as the standard has it.

Ten numbers are an ASC CDL without clamping, curves a table for each channel, and what turns or weighs colours, between two of
those, one table of 65 points a side.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import groupby
from pathlib import Path
from xml.sax.saxutils import quoteattr

import numpy as np

from dovrel.core.develop.whole import table_of
from dovrel.core.steps.chain import Chain, apply_in_order
from dovrel.core.steps.curves import Curves
from dovrel.core.steps.kinds import Values
from dovrel.core.steps.primary import Primary
from dovrel.machine.files import written_aside

SUFFIX = ".clf"
SPACE = "ACEScct (ACES S-2016-001)"
POINTS, SIDE = 4096, 65
LOW, HIGH = -0.1, 1.1
"""Working values that curves span; tables of all three channels span 0 to 1, ten stops above mid grey. Beyond, they end."""


def write(path: Path, chain: Chain, name: str, colours: np.ndarray | None = None) -> None:
    """Write a chain of point-wise steps, whole or not at all.

    `colours` are working values float (N, 3) that it is for, some thousands: tables come nearest there.

    Raises
    ------
    ValueError
        If a look in it has no file any more.
    """
    nodes = list(_nodes(chain, colours))
    text = "\n".join(
        (
            '<?xml version="1.0" encoding="UTF-8"?>',
            f'<ProcessList xmlns="urn:NATAS:AMPAS:LUT:v2.0" id={quoteattr(identifier(name))} name={quoteattr(name)} compCLFversion="3">',
            f"<InputDescriptor>{SPACE}</InputDescriptor>",
            f"<OutputDescriptor>{SPACE}</OutputDescriptor>",
            *(nodes or [_matrix(1.0, 0.0)]),
            "</ProcessList>",
            "",
        )
    )
    with written_aside(path) as aside:
        aside.write_text(text, encoding="utf-8")


def identifier(name: str) -> str:
    """A name as an XML id: letters, digits, dots, dashes; no digit first."""
    plain = "".join(letter if letter.isascii() and (letter.isalnum() or letter in ".-_") else "_" for letter in name)
    return plain if plain[:1].isalpha() else f"_{plain}"


def _nodes(chain: Chain, colours: np.ndarray | None) -> Iterator[str]:
    for kind, group in groupby((values for values in chain if not values.is_identity), _form):
        values = list(group)
        if kind == "cdl":
            yield from (_cdl(one) for one in values if isinstance(one, Primary))
        elif kind == "curves":
            yield from (_curves(one) for one in values if isinstance(one, Curves))
        else:
            yield _table(values, colours)
        if colours is not None:
            colours = apply_in_order(colours, values)


def _form(values: Values) -> str:
    if isinstance(values, Primary):
        return "cdl"
    return "curves" if isinstance(values, Curves) else "table"


def _cdl(numbers: Primary) -> str:
    slope, offset, power = (
        " ".join(f"{n:.10g}" for n in part) for part in (numbers.slope, numbers.offset, numbers.power)
    )
    return (
        '<ASC_CDL inBitDepth="32f" outBitDepth="32f" style="FwdNoClamp">\n'
        f"<SOPNode><Slope>{slope}</Slope><Offset>{offset}</Offset><Power>{power}</Power></SOPNode>\n"
        f"<SatNode><Saturation>{numbers.saturation:.10g}</Saturation></SatNode>\n</ASC_CDL>"
    )


def _curves(curves: Curves) -> str:
    axis = np.linspace(LOW, HIGH, POINTS)
    rows = curves.apply(np.repeat(axis[:, None], 3, axis=1))
    return f'{_spread()}\n<LUT1D inBitDepth="32f" outBitDepth="32f" interpolation="linear">\n{_array(rows, f"{POINTS} 3")}</LUT1D>'


def _table(chain: Chain, colours: np.ndarray | None) -> str:
    nodes = table_of(chain, SIDE, 0.0, 1.0, colours).reshape(-1, 3)
    return (
        '<LUT3D inBitDepth="32f" outBitDepth="32f" interpolation="tetrahedral">\n'
        f"{_array(nodes, f'{SIDE} {SIDE} {SIDE} 3')}</LUT3D>"
    )


def _spread() -> str:
    """The span of curves as 0 to 1."""
    return _matrix(1 / (HIGH - LOW), -LOW / (HIGH - LOW))


def _matrix(scale: float, offset: float) -> str:
    rows = "\n".join(" ".join(f"{scale if i == j else 0:.10g}" for j in range(3)) + f" {offset:.10g}" for i in range(3))
    return f'<Matrix inBitDepth="32f" outBitDepth="32f">\n<Array dim="3 4">\n{rows}\n</Array></Matrix>'


def _array(rows: np.ndarray, dimensions: str) -> str:
    values = "\n".join(" ".join(f"{value:.7g}" for value in row) for row in rows)
    return f"<Array dim={quoteattr(dimensions)}>\n{values}\n</Array>"
