"""Files of tables that users give, .cube and .clf: what is refused before the colour library reads them."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np

SUFFIXES = (".clf", ".cube")
MAX_FILE_BYTES = 64 * 1024 * 1024
LARGEST_VALUE = 1e6
"""In a table: far beyond what any light comes to."""


def check_file(source: Path, what: str) -> None:
    """Refuse what is no table's file, or too large; `what` it is called.

    Raises
    ------
    ValueError
    """
    if source.suffix.lower() not in SUFFIXES:
        article = "an" if what[0] in "aeiou" else "a"
        raise ValueError(f"{source.name}: {article} {what} must be a .clf or a .cube")
    if not source.is_file():
        raise ValueError(f"{source.name}: the {what} is not there")
    if source.stat().st_size > MAX_FILE_BYTES:
        raise ValueError(f"{source.name}: the {what} is larger than 64 MB")


def check_values(source: Path, what: str) -> None:
    """Refuse a table that holds what is no number, or none that light could have.

    Raises
    ------
    ValueError
    """
    text = source.read_text(errors="replace")
    if source.suffix.lower() == ".clf":
        parts = re.findall(r"<Array\b[^>]*>([^<]*)</", text)
    else:
        parts = [line for line in text.splitlines() if re.match(r"\s*[-+.\dni]", line, re.IGNORECASE)]
    for part in parts:
        try:
            values = np.array(part.split(), np.float64)
        except ValueError:
            continue  # The library says that it is no table.
        if not np.isfinite(values).all():
            raise ValueError(f"{source.name}: the {what} holds values that are not numbers")
        if values.size and np.abs(values).max() > LARGEST_VALUE:
            raise ValueError(f"{source.name}: the {what} holds values beyond {LARGEST_VALUE:.0f}")
