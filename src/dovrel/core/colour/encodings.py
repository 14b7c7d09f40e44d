"""Encodings: how a camera's code values relate to light, and the way into the working space.

An encoding is named by a string:

- a display-referred standard: ``rec709``, ``srgb``, ``rec2020``, ``p3``, ``hlg``, ``pq``;
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

from dovrel.core.colour import outputs, table_files, table_trial
from dovrel.errors import Refused

_PACKAGE = Path(__file__).resolve().parents[2]
"""Files below it ship with Dovrel; others are read in a process of their own first."""


@dataclass(frozen=True)
class Encoding:
    id: str
    name: str
    kind: str
    """``display``, ``scene`` or ``file``."""


DISPLAY_ENCODINGS = {
    "rec709": "Rec.709 camera",
    "srgb": "sRGB",
    "rec2020": "Rec.2020 SDR",
    "p3": "P3-D65 SDR",
    "hlg": "Rec.2100 HLG",
    "pq": "Rec.2100 PQ",
}
_OPEN_STANDARD = (
    "ACES2065-1", "ACEScg", "ACEScc", "ACEScct", "Linear Rec.709 (sRGB)", "Linear P3-D65", "Linear Rec.2020",
)  # fmt: skip
_BT1886 = "Rec.1886 Rec.709 - Display"
_SHOWN_ON = {"rec709": _BT1886, "srgb": _BT1886, "hlg": "Rec.2100-HLG - Display", "pq": "Rec.2100-PQ - Display"}
"""The display of the configuration that a standard's pictures are made on."""
_WIDER = {
    "rec2020": ("DISPLAY - CIE-XYZ-D65_to_REC.1886-REC.2020 - MIRROR NEGS", 1.0),
    "p3": ("DISPLAY - CIE-XYZ-D65_to_G2.6-P3-D65 - MIRROR NEGS", 2.4 / 2.6),
}
"""Those of a BT.1886 monitor with wider primaries: the display's own transform, and the power that makes its code of theirs."""


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
    Refused
        If it is unknown, or names a file that is missing, too large or unreadable.
    """
    if encoding_id.startswith("file:"):
        path = Path(encoding_id[5:])
        _file_processor(str(path))
        return Encoding(encoding_id, path.stem, "file")
    for encoding in available():
        if encoding.id == encoding_id:
            return encoding
    raise Refused(f"there is no encoding '{encoding_id}'")


def is_display_referred(encoding_id: str) -> bool:
    return encoding_id in DISPLAY_ENCODINGS


def stamp(encoding_id: str) -> int:
    """Changes when what the encoding rests on changes: a file's time of change, else 0."""
    path = Path(encoding_id.removeprefix("file:"))
    return path.stat().st_mtime_ns if encoding_id.startswith("file:") and path.is_file() else 0


def _file_processor(path: str) -> ocio.CPUProcessor:
    source = Path(path)
    table_files.check_file(source, "encoding file")
    return _compiled_file(path, source.stat().st_mtime_ns)


@lru_cache(maxsize=32)
def _compiled_file(path: str, _stamp: int) -> ocio.CPUProcessor:
    source = Path(path)
    if not source.resolve().is_relative_to(_PACKAGE):
        table_trial.check(source, "encoding file")
    try:
        steps = ocio.GroupTransform(way_into(f"file:{path}", "ACEScct"))
        return outputs.config().getProcessor(steps).getDefaultCPUProcessor()
    except (ocio.Exception, UnicodeDecodeError) as error:
        # What the library says may quote the file, which need not be a table, nor text, at all.
        raise Refused(f"{source.name}: not a readable encoding file") from error


def way_into(encoding_id: str, target: str) -> list[ocio.Transform]:
    """The library's transforms from a scene-referred encoding, or one that a file gives, to a space of the ACES configuration."""
    if not encoding_id.startswith("file:"):
        return [ocio.ColorSpaceTransform(src=describe(encoding_id).name, dst=target)]
    path = encoding_id[5:]
    space = "ACES2065-1" if path.lower().endswith(".clf") else "ACEScct"
    steps = [ocio.FileTransform(src=path, interpolation=ocio.INTERP_BEST)]
    return steps if space == target else [*steps, ocio.ColorSpaceTransform(src=space, dst=target)]


@lru_cache(maxsize=32)
def space_processor(source: str, target: str) -> ocio.CPUProcessor:
    """From one space of the ACES configuration to another."""
    transform = ocio.ColorSpaceTransform(src=source, dst=target)
    return outputs.config().getProcessor(transform).getDefaultCPUProcessor()


def to_output_code(code: np.ndarray, encoding_id: str, output_id: str) -> np.ndarray:
    """Display-referred code values (..., 3) → the production's own display values.

    SDR pictures are taken as made on a BT.1886 monitor of their own primaries; HLG and PQ as BT.2100.
    """
    target = outputs.find(output_id).display or _BT1886
    if _SHOWN_ON.get(encoding_id) == target:
        return code
    return outputs.run(_bridge(encoding_id, target), code)


def shown_uncorrected(code: np.ndarray, encoding_id: str, output_id: str) -> np.ndarray:
    """What an output shows of display-referred code values (..., 3) without a correction: them, as far as it goes."""
    display = to_output_code(np.nan_to_num(code), encoding_id, output_id)
    return display if outputs.find(output_id).display is None else np.clip(display, 0, 1)


@lru_cache(maxsize=32)
def _bridge(encoding_id: str, target: str) -> ocio.CPUProcessor:
    """From display-referred code values to those of another display that show the same light."""
    if encoding_id in _SHOWN_ON:
        return space_processor(_SHOWN_ON[encoding_id], target)
    style, power = _WIDER[encoding_id]
    steps = ocio.GroupTransform()
    steps.appendTransform(ocio.ExponentTransform([power, power, power, 1.0], ocio.NEGATIVE_MIRROR))
    steps.appendTransform(ocio.BuiltinTransform(style, ocio.TRANSFORM_DIR_INVERSE))
    steps.appendTransform(outputs.config().getColorSpace(target).getTransform(ocio.COLORSPACE_DIR_FROM_REFERENCE))
    return outputs.config().getProcessor(steps).getDefaultCPUProcessor()


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
        working = outputs.run(space_processor(describe(encoding_id).id[5:], "ACEScct"), code)
    if output.id == "plain-video":
        return outputs.to_display(working, outputs.DEFAULT_OUTPUT)
    return working
