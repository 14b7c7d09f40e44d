"""The Common LUT Format (SMPTE ST 2136-1): colour steps from ACEScct to ACEScct, written by the colour-management library.

Ten numbers are an ASC CDL without clamping, curves a table for each channel, and what turns or weighs colours, between two of
those, one table of 65 points a side.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import groupby
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from dovrel.core.colour import outputs
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
    Refused
        If a look in it has no file any more.
    """
    group = ocio.GroupTransform(list(_transforms(chain, colours)) or [ocio.MatrixTransform()])
    for descriptor in ("InputDescriptor", "OutputDescriptor"):
        group.getFormatMetadata().addChildElement(descriptor, SPACE)
    write_group(path, group, name)


def write_group(path: Path, group: ocio.GroupTransform, name: str) -> None:
    """Write the library's own transforms, as it writes them, whole or not at all."""
    group.getFormatMetadata().setID(identifier(name))
    group.getFormatMetadata().setName(name)
    with written_aside(path) as aside:
        group.write("Academy/ASC Common LUT Format", str(aside), outputs.config())


def identifier(name: str) -> str:
    """A name as an XML id: letters, digits, dots, dashes; no digit first."""
    plain = "".join(letter if letter.isascii() and (letter.isalnum() or letter in ".-_") else "_" for letter in name)
    return plain if plain[:1].isalpha() else f"_{plain}"


def _transforms(chain: Chain, colours: np.ndarray | None) -> Iterator[ocio.Transform]:
    for kind, group in groupby((values for values in chain if not values.is_identity), _form):
        values = list(group)
        if kind == "cdl":
            yield from (_cdl(one) for one in values if isinstance(one, Primary))
        elif kind == "curves":
            for one in values:
                if isinstance(one, Curves):
                    yield from _curves(one)
        else:
            yield table(table_of(values, SIDE, 0.0, 1.0, colours))
        if colours is not None:
            colours = apply_in_order(colours, values)


def _form(values: Values) -> str:
    if isinstance(values, Primary):
        return "cdl"
    return "curves" if isinstance(values, Curves) else "table"


def _cdl(numbers: Primary) -> ocio.CDLTransform:
    found = ocio.CDLTransform()
    found.setStyle(ocio.CDL_NO_CLAMP)
    found.setSlope(numbers.slope)
    found.setOffset(numbers.offset)
    found.setPower(numbers.power)
    found.setSat(numbers.saturation)
    return found


def _curves(curves: Curves) -> tuple[ocio.Transform, ocio.Transform]:
    """The span of curves brought to 0 to 1, and a table of them."""
    axis = np.linspace(LOW, HIGH, POINTS)
    rows = curves.apply(np.repeat(axis[:, None], 3, axis=1))
    spread = ocio.MatrixTransform()
    spread.setMatrix(np.diag([*[1 / (HIGH - LOW)] * 3, 1.0]).ravel())
    spread.setOffset([*[-LOW / (HIGH - LOW)] * 3, 0.0])
    found = ocio.Lut1DTransform(POINTS, False)
    found.setInterpolation(ocio.INTERP_LINEAR)
    found.setData(np.ascontiguousarray(rows, np.float32).ravel())
    return spread, found


def table(nodes: np.ndarray) -> ocio.Lut3DTransform:
    """Nodes float (N, N, N, 3), blue fastest, as the library's table."""
    found = ocio.Lut3DTransform(gridSize=len(nodes))
    found.setInterpolation(ocio.INTERP_TETRAHEDRAL)
    found.setData(np.ascontiguousarray(nodes, np.float32).ravel())
    return found
