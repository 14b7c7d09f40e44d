"""ICC profiles (ICC.1:2022) in and out: primaries and a curve, or code points of H.273."""

from __future__ import annotations

import struct
from dataclasses import dataclass

import numpy as np

from dovrel.media import colorimetry

_MOST_TAGS = 100
_MOST_POINTS = 65536
_PARAMETRIC = (1, 3, 4, 5, 7)
"""How many numbers each kind of parametric curve has."""


_VERSION = 0x04400000


@dataclass(frozen=True)
class Profile:
    """Transfer and primaries by the names of :mod:`dovrel.media.colorimetry`; empty where it has none of these."""

    transfer: str
    primaries: str


def read_profile(data: bytes) -> Profile:
    """What a profile of RGB or grey pictures says; nothing, if it is damaged or of another kind."""
    try:
        return _read(data)
    except (struct.error, ValueError, IndexError):
        return Profile("", "")


def _read(data: bytes) -> Profile:
    (count,) = struct.unpack_from(">I", data, 128)
    if data[36:40] != b"acsp" or count > _MOST_TAGS:
        return Profile("", "")
    tags = {}
    for number in range(count):
        name, start, length = struct.unpack_from(">4sII", data, 132 + 12 * number)
        tags[name] = data[start : start + length]
    if b"cicp" in tags:
        primaries, transfer = struct.unpack_from("BB", tags[b"cicp"], 8)
        return Profile(colorimetry.TRANSFERS.get(transfer, ""), colorimetry.PRIMARIES.get(primaries, ""))
    if b"kTRC" in tags:
        return Profile(_transfer(tags[b"kTRC"]), "BT.709")
    if any(name not in tags for name in (b"rXYZ", b"gXYZ", b"bXYZ", b"rTRC")):
        return Profile("", "")
    columns = np.stack([_numbers(tags[name], 8, 3) for name in (b"rXYZ", b"gXYZ", b"bXYZ")], axis=1)
    return Profile(_transfer(tags[b"rTRC"]), colorimetry.primaries_of_profile(columns))


def _numbers(data: bytes, at: int, count: int) -> np.ndarray:
    """Numbers of 16 bits before the point and 16 after it."""
    return np.array(struct.unpack_from(f">{count}i", data, at)) / 65536


def _transfer(data: bytes) -> str:
    """The name of a curve's tag."""
    if data[:4] == b"para":
        (kind,) = struct.unpack_from(">H", data, 8)
        return colorimetry.transfer_of(lambda code: _parametric(code, kind, _numbers(data, 12, _PARAMETRIC[kind])))
    (points,) = struct.unpack_from(">I", data, 8)
    if data[:4] != b"curv" or points > _MOST_POINTS:
        return ""
    if points == 0:
        return "linear"
    table = np.array(struct.unpack_from(f">{points}H", data, 12), np.float64)
    if points == 1:
        return colorimetry.transfer_of(lambda code: code ** (table[0] / 256))
    return colorimetry.transfer_of(lambda code: np.interp(code, np.linspace(0, 1, points), table / 65535))


def _parametric(code: np.ndarray, kind: int, numbers: np.ndarray) -> np.ndarray:
    """A parametric curve above its linear part, where all the levels that curves are distinguished by lie."""
    g, a, b, c, d, e, f = np.pad(numbers, (0, 7 - len(numbers)))
    if kind == 0:
        return code**g
    raised = np.maximum(a * code + b, 0) ** g
    if kind in (1, 2):
        return np.where(code >= -b / a, raised + (c if kind == 2 else 0), c if kind == 2 else 0)
    return np.where(code >= d, raised + (e if kind == 4 else 0), c * code + (f if kind == 4 else 0))


def written(name: str, chromaticities: tuple[float, ...], curve: bytes, code_points: tuple[int, ...] = ()) -> bytes:
    """A display profile of three primaries.

    Parameters
    ----------
    name : what it is called; chromaticities : CIE xy of red, green, blue and white
    curve : the element of a curve, for all three; code_points : primaries and transfer of H.273, if they are to stand in it
    """
    columns = colorimetry.adapted_to_d50(chromaticities).T
    tags = {
        b"desc": _text(name),
        b"cprt": _text("no rights reserved"),
        b"wtpt": _triple(colorimetry.D50_XYZ),
        b"chad": struct.pack(">4sI9i", b"sf32", 0, *_fixed(colorimetry.adaptation(chromaticities).ravel())),
        **{tag: _triple(column) for tag, column in zip((b"rXYZ", b"gXYZ", b"bXYZ"), columns, strict=True)},
        **dict.fromkeys((b"rTRC", b"gTRC", b"bTRC"), curve),
    }
    if code_points:
        tags[b"cicp"] = struct.pack(">4sI4B", b"cicp", 0, *code_points, 0, 1)
    table, data = struct.pack(">I", len(tags)), b""
    begins = 132 + 12 * len(tags)
    for tag, element in tags.items():
        table += struct.pack(">4sII", tag, begins + len(data), len(element))
        data += element + b"\0" * (-len(element) % 4)
    head = struct.pack(
        ">I4xI4s4s4s6H4s4s4x4x4x8xI3i",
        begins + len(data),
        _VERSION,
        b"mntr",
        b"RGB ",
        b"XYZ ",
        *(2026, 1, 1, 0, 0, 0),
        b"acsp",
        b"\0\0\0\0",
        0,
        *_fixed(colorimetry.D50_XYZ),
    )
    return head.ljust(128, b"\0") + table + data


def _fixed(numbers: np.ndarray) -> list[int]:
    return [round(float(number) * 65536) for number in numbers]


def _triple(xyz: np.ndarray) -> bytes:
    return struct.pack(">4sI3i", b"XYZ ", 0, *_fixed(xyz))


def _text(text: str) -> bytes:
    told = text.encode("utf-16-be")
    return struct.pack(">4sIII2s2sII", b"mluc", 0, 1, 12, b"en", b"US", len(told), 28) + told
