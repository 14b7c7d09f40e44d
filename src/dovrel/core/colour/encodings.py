"""Encodings: how a camera's code values relate to light, and the way into the working space.

An encoding is named by a string:

- a display-referred standard: ``rec709``, ``srgb``, ``hlg``, ``pq``;
- a scene-referred space of the ACES configuration: ``aces:NAME`` (camera acquisition
  encodings and the open-standard ones);
- a file the user gives: ``file:PATH``. A CLF (SMPTE ST 2136-1) maps code values to
  ACES2065-1; a .cube maps them to ACEScct.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from dovrel.core.colour import outputs

MAX_FILE_BYTES = 64 * 1024 * 1024
LARGEST_VALUE = 1e6
"""In a table: far beyond what any light comes to."""


@dataclass(frozen=True)
class Encoding:
    id: str
    name: str
    kind: str
    """``display``, ``scene`` or ``file``."""


DISPLAY_ENCODINGS = {
    "rec709": "Rec.709 camera",
    "srgb": "sRGB",
    "hlg": "Rec.2100 HLG",
    "pq": "Rec.2100 PQ",
}
_OPEN_STANDARD = ("ACES2065-1", "ACEScg", "ACEScc", "ACEScct", "Linear Rec.709 (sRGB)", "Linear Rec.2020")
_BRIDGES = {"hlg": "Rec.2100-HLG - Display", "pq": "Rec.2100-PQ - Display"}


@lru_cache(maxsize=1)
def available() -> tuple[Encoding, ...]:
    """Every encoding that needs no file."""
    found = [Encoding(key, name, "display") for key, name in DISPLAY_ENCODINGS.items()]
    for space in outputs.config().getColorSpaces():
        name = space.getName()
        acquisition = space.getFamily().startswith("Input/") and re.search(r"Log", name)
        if acquisition or name in _OPEN_STANDARD:
            found.append(Encoding(f"aces:{name}", name, "scene"))
    return tuple(found)


def describe(encoding_id: str) -> Encoding:
    """The encoding called `encoding_id`.

    Raises
    ------
    ValueError
        If it is unknown, or names a file that is missing, too large or unreadable.
    """
    if encoding_id.startswith("file:"):
        path = Path(encoding_id[5:])
        _file_processor(str(path))
        return Encoding(encoding_id, path.stem, "file")
    for encoding in available():
        if encoding.id == encoding_id:
            return encoding
    raise ValueError(f"there is no encoding '{encoding_id}'")


def is_display_referred(encoding_id: str) -> bool:
    return encoding_id in DISPLAY_ENCODINGS


def stamp(encoding_id: str) -> int:
    """Changes when what the encoding rests on changes: a file's time of change, else 0."""
    path = Path(encoding_id.removeprefix("file:"))
    return path.stat().st_mtime_ns if encoding_id.startswith("file:") and path.is_file() else 0


def _file_processor(path: str) -> ocio.CPUProcessor:
    source = Path(path)
    if source.suffix.lower() not in (".clf", ".cube"):
        raise ValueError(f"{source.name}: an encoding file must be a .clf or a .cube")
    if not source.is_file():
        raise ValueError(f"{source.name}: the encoding file is not there")
    stamp = source.stat()
    if stamp.st_size > MAX_FILE_BYTES:
        raise ValueError(f"{source.name}: the encoding file is larger than 64 MB")
    return _compiled_file(path, stamp.st_mtime_ns)


@lru_cache(maxsize=32)
def _compiled_file(path: str, _stamp: int) -> ocio.CPUProcessor:
    source = Path(path)
    _check_values(source)
    steps = ocio.GroupTransform()
    steps.appendTransform(ocio.FileTransform(src=path, interpolation=ocio.INTERP_BEST))
    if source.suffix.lower() == ".clf":
        steps.appendTransform(ocio.ColorSpaceTransform(src="ACES2065-1", dst="ACEScct"))
    try:
        return outputs.config().getProcessor(steps).getDefaultCPUProcessor()
    except (ocio.Exception, UnicodeDecodeError) as error:
        # What the library says may quote the file, which need not be a table, nor text, at all.
        raise ValueError(f"{source.name}: not a readable encoding file") from error


def _check_values(source: Path) -> None:
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
            raise ValueError(f"{source.name}: the encoding file holds values that are not numbers")
        if values.size and np.abs(values).max() > LARGEST_VALUE:
            raise ValueError(f"{source.name}: the encoding file holds values beyond {LARGEST_VALUE:.0f}")


@lru_cache(maxsize=32)
def _space_processor(source: str, target: str) -> ocio.CPUProcessor:
    transform = ocio.ColorSpaceTransform(src=source, dst=target)
    return outputs.config().getProcessor(transform).getDefaultCPUProcessor()


def to_output_code(code: np.ndarray, encoding_id: str, output_id: str) -> np.ndarray:
    """Display-referred code values (..., 3) → the production's own display values.

    BT.709 and sRGB pictures are taken as made on a BT.1886 monitor; HLG and PQ as BT.2100.
    """
    output = outputs.find(output_id)
    if output.id == "pq-1000" and encoding_id != "pq":
        source = _BRIDGES.get(encoding_id, "Rec.1886 Rec.709 - Display")
        return outputs.run(_space_processor(source, "Rec.2100-PQ - Display"), code)
    if encoding_id in _BRIDGES and output.id != "pq-1000":
        target = output.display or "Rec.1886 Rec.709 - Display"
        return outputs.run(_space_processor(_BRIDGES[encoding_id], target), code)
    if output.id == "p3-d65":
        return outputs.run(_space_processor("Rec.1886 Rec.709 - Display", "P3-D65 - Display"), code)
    return code


def to_working(
    code: np.ndarray, encoding_id: str, output_id: str = outputs.DEFAULT_OUTPUT, refine: int = outputs.REFINE
) -> np.ndarray:
    """Full-range code values → working.

    Parameters
    ----------
    code : float array (..., 3) in 0..1 of the code range
    encoding_id : see the module's description
    output_id : the production's output; display-referred sources go in through its inverse, so
        that uncorrected they come out as recorded
    refine : rounds of :func:`outputs.from_display`, for display-referred sources

    Returns
    -------
    float32 array (..., 3)

    Raises
    ------
    ValueError
        Unknown encoding or output, or a bad encoding file.
    """
    output = outputs.find(output_id)
    if is_display_referred(encoding_id):
        return outputs.from_display(to_output_code(code, encoding_id, output_id), output_id, refine)
    if encoding_id.startswith("file:"):
        working = outputs.run(_file_processor(encoding_id[5:]), code)
    else:
        working = outputs.run(_space_processor(describe(encoding_id).id[5:], "ACEScct"), code)
    if output.id == "plain-video":
        return outputs.to_display(working, outputs.DEFAULT_OUTPUT)
    return working
