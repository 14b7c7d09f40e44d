"""Files of tables that users give, .cube and .clf: what is refused before the colour library reads them."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

import numpy as np

from dovrel.errors import Refused

SUFFIXES = (".clf", ".cube")
MAX_FILE_BYTES = 64 * 1024 * 1024
LARGEST_VALUE = 1e6
"""In a table: far beyond what any light comes to."""
MOST_ROWS = 65536
"""Of a table of one dimension: one for each 16-bit code."""
MOST_SIDE = 129
"""Nodes a side of a table of three dimensions."""


def check_file(source: Path, what: str) -> None:
    """Refuse what is no table's file, or too large; `what` it is called.

    Raises
    ------
    ValueError
    """
    if source.suffix.lower() not in SUFFIXES:
        article = "an" if what[0] in "aeiou" else "a"
        raise Refused(f"{source.name}: {article} {what} must be a .clf or a .cube")
    if not source.is_file():
        raise Refused(f"{source.name}: the {what} is not there")
    if source.stat().st_size > MAX_FILE_BYTES:
        raise Refused(f"{source.name}: the {what} is larger than 64 MB")


def check_values(source: Path, what: str) -> None:
    """Refuse a table that is larger than one can reasonably be, holds what is no number, or none that light could have.

    The time that this takes grows with the file's length, whatever is in it.

    Raises
    ------
    ValueError
    """
    text = source.read_text(errors="replace")
    for form, part in _clf_arrays(text) if source.suffix.lower() == ".clf" else _cube_rows(text):
        if form.rows > MOST_ROWS or form.side > MOST_SIDE:
            raise Refused(
                f"{source.name}: the {what} is too large; a curve has {MOST_ROWS} rows at most, a cube {MOST_SIDE} nodes a side"
            )
        try:
            values = np.array(part.split(), np.float64)
        except ValueError:
            continue  # The library says that it is no table.
        if not np.isfinite(values).all():
            raise Refused(f"{source.name}: the {what} holds values that are not numbers")
        if values.size and np.abs(values).max() > LARGEST_VALUE:
            raise Refused(f"{source.name}: the {what} holds values beyond {LARGEST_VALUE:.0f}")


class _Form(NamedTuple):
    """How many rows a table of one dimension has, or nodes a side one of three; 0 for the other."""

    rows: int = 0
    side: int = 0


def _clf_arrays(text: str) -> Iterator[tuple[_Form, str]]:
    """Every array of a CLF, with its dimensions."""
    at = text.find("<Array")
    while at >= 0:
        begins = text.find(">", at)
        ends = text.find("<", begins)
        if begins < 0 or ends < 0:
            return
        said = _DIMENSIONS.search(text, at, min(begins, at + _LONGEST_TAG))
        sides = [int(one) for one in said[1].split()] if said else []
        yield (
            _Form(side=max(sides[:3])) if len(sides) > 2 else _Form(rows=max(sides[:1], default=0)),
            text[begins + 1 : ends],
        )
        at = text.find("<Array", ends)


_DIMENSIONS = re.compile(r"""dim\s*=\s*["']([\d ]{1,60})["']""")
_LONGEST_TAG = 1000
_SIZE = re.compile(r"LUT_([13])D_SIZE[ \t]+(\d{1,12})")
_NUMBERS = frozenset("+-.0123456789nNiI")
"""What a row of numbers begins with."""


def _cube_rows(text: str) -> Iterator[tuple[_Form, str]]:
    """All rows of numbers of a .cube as one, with its size."""
    lines = [line.strip() for line in text.splitlines()]
    sizes = {found[1]: int(found[2]) for found in map(_SIZE.match, lines) if found}
    yield _Form(sizes.get("1", 0), sizes.get("3", 0)), " ".join(line for line in lines if line[:1] in _NUMBERS)
