"""Stills of many kinds, and what Dovrel reads of each: its encoding, range, size, and one pixel."""

from __future__ import annotations

import struct
import tempfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from rich.console import Console
from rich.table import Table

from dovrel.core.colour.encodings import available
from dovrel.core.colour.likely import Said, likely_encoding
from dovrel.media.footage import probe
from dovrel.media.stills import read_still

CODE = 126
"""The code value of the PNGs, of 8 bits."""
LEVEL = 0.5
"""The value of all other stills."""
FULL = CODE / 255
NARROW = (CODE - 16) / 219
AP0 = (0.7347, 0.2653, 0.0, 1.0, 0.0001, -0.077, 0.32168, 0.33767)
AP1 = (0.713, 0.293, 0.165, 0.83, 0.128, 0.044, 0.32168, 0.33767)
"""Chromaticities of ACES2065-1 and ACEScg (SMPTE ST 2065-1, AMPAS S-2014-004)."""
_P3_PRIMARIES = (0.3127, 0.329, 0.68, 0.32, 0.265, 0.69, 0.15, 0.06)


@dataclass(frozen=True)
class Kind:
    """A kind of still: what writes one, and what must be read of it.

    `encoding` is its name; `assumed` whether it is proposed without a tag; `size` is the shown width and height in pixels; `value` is
    the shown code value at the middle, 0..1 for full range.
    """

    name: str
    write: Callable[[Path], None]
    encoding: str
    assumed: bool = False
    size: tuple[int, int] = (24, 16)
    value: float = LEVEL


@dataclass(frozen=True)
class StillRow:
    """What was read of a still, and in what it differs from what must be read."""

    name: str
    encoding: str
    assumed: bool
    full_range: bool
    size: tuple[int, int]
    value: float
    warnings: str
    differs: str


def _png(*chunks: tuple[bytes, bytes]) -> Callable[[Path], None]:
    """A PNG of one code value with these chunks, and none that a library would add."""

    def write(path: Path) -> None:
        def chunk(name: bytes, data: bytes) -> bytes:
            return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

        rows = b"".join(b"\0" + bytes([CODE] * 3) * 24 for _ in range(16))
        head = struct.pack(">2I5B", 24, 16, 8, 2, 0, 0, 0)
        parts = [(b"IHDR", head), *chunks, (b"IDAT", zlib.compress(rows)), (b"IEND", b"")]
        path.write_bytes(b"\x89PNG\r\n\x1a\n" + b"".join(chunk(*part) for part in parts))

    return write


def _image(
    kind: str = "uint16",
    channels: tuple[str, ...] = ("R", "G", "B"),
    window: tuple[int, ...] = (),
    value: float = LEVEL,
    **attributes: object,
) -> Callable[[Path], None]:
    """A picture of one value; `attributes` with two underscores for a colon."""

    def write(path: Path) -> None:
        spec = oiio.ImageSpec(24, 16, len(channels), kind)
        spec.channelnames = channels
        if window:
            spec.x, spec.y, spec.full_x, spec.full_y, spec.full_width, spec.full_height = window
        for name, one in attributes.items():
            if isinstance(one, tuple):
                spec.attribute(name, f"float[{len(one)}]", one)
            else:
                spec[name.replace("__", ":")] = one
        image = oiio.ImageOutput.create(str(path))
        assert image, path.name
        picture = np.full((16, 24, len(channels)), value, np.float32)
        picture[..., 3:] = 0
        if not (image.open(str(path), spec) and image.write_image(picture) and image.close()):
            raise OSError(f"{path.name}: {image.geterror()}")

    return write


def _cicp(primaries: int, transfer: int, full: int = 1) -> tuple[bytes, bytes]:
    return b"cICP", bytes((primaries, transfer, 0, full))


def _gama(gamma: float) -> tuple[bytes, bytes]:
    return b"gAMA", struct.pack(">I", round(100_000 / gamma))


_CHRM = b"cHRM", struct.pack(">8I", *(round(one * 100_000) for one in _P3_PRIMARIES))
_VIDEO = {"dpx__Transfer": "ITU-R 709-4", "dpx__Colorimetric": "ITU-R 709-4", "oiio__BitsPerSample": 10}
_SCENE = "aces:Linear Rec.709 (sRGB)"

KINDS = (
    Kind("untagged.png", _png(), "rec709", True, value=FULL),
    Kind("srgb.png", _png((b"sRGB", b"\0")), "srgb", value=FULL),
    Kind("pq.png", _png(_cicp(9, 16)), "pq", value=FULL),
    Kind("hlg.png", _png(_cicp(9, 18)), "hlg", value=FULL),
    Kind("display-p3.png", _png(_cicp(12, 13), (b"sRGB", b"\0")), "p3", value=FULL),
    Kind("narrow.png", _png(_cicp(1, 1, 0)), "rec709", value=NARROW),
    Kind("gamma-and-chromaticities.png", _png(_gama(2.2), _CHRM), "p3", value=FULL),
    Kind("linear.png", _png(_gama(1.0)), _SCENE, value=FULL),
    Kind("untagged.tif", _image(), "rec709", True),
    Kind("turned.tif", _image(Orientation=6), "rec709", True, (16, 24)),
    Kind("turned.jpg", _image("uint8", Orientation=8), "rec709", True, (16, 24)),
    Kind("untagged.exr", _image("half"), _SCENE, True),
    Kind("ap0.exr", _image("half", chromaticities=AP0), "aces:ACES2065-1"),
    Kind("ap1.exr", _image("half", chromaticities=AP1), "aces:ACEScg"),
    Kind("interop.exr", _image("half", colorInteropID="lin_p3d65_scene"), "aces:Linear P3-D65"),
    Kind("window.exr", _image("half", window=(4, 2, 0, 0, 40, 30)), _SCENE, True, (40, 30)),
    Kind("layers.exr", _image("half", ("beauty.R", "beauty.G", "beauty.B", "A.R", "A.G", "A.B")), _SCENE, True),
    Kind("infinite.exr", _image("half", value=float("inf")), _SCENE, True, value=65504.0),
    Kind("video.dpx", _image(**_VIDEO), "rec709"),
    Kind("narrow.dpx", _image(dpx__LowData=64, dpx__HighData=940, **_VIDEO), "rec709", value=(LEVEL * 1023 - 64) / 876),
)  # fmt: skip


def read(kind: Kind, path: Path) -> StillRow:
    """Read one still as Intake does."""
    info = probe(path)
    tags = Said(info.make, info.model, info.transfer, info.primaries, info.tags)
    found = likely_encoding(tags, (), "rec709", available())
    picture = read_still(path)
    value = float(picture[picture.shape[0] // 2, picture.shape[1] // 2].mean())
    differs = [
        f"{what} should be {wanted}"
        for what, was, wanted in (
            ("encoding", found.encoding, kind.encoding),
            ("assumed", found.assumed, kind.assumed),
            ("size", info.size, kind.size),
            ("value", round(value, 2), round(kind.value, 2)),
        )
        if was != wanted
    ]
    return StillRow(
        kind.name, found.encoding, found.assumed, info.full_range, info.size, value, "; ".join(info.warnings), ", ".join(differs)
    )  # fmt: skip


def run() -> list[StillRow]:
    """Write and read a still of every kind."""
    with tempfile.TemporaryDirectory() as made:
        rows = []
        for kind in KINDS:
            path = Path(made) / kind.name
            kind.write(path)
            rows.append(read(kind, path))
    return rows


def show(console: Console, rows: list[StillRow]) -> None:
    table = Table(title="What is read of stills, beside what their tags say by the standards")
    for heading in ("still", "encoding", "tagged", "range", "size", "value", "warning", "differs"):
        table.add_column(heading, justify="right" if heading == "value" else "left")
    for row in rows:
        table.add_row(
            row.name, row.encoding, "no" if row.assumed else "yes", "full" if row.full_range else "narrow",
            "×".join(map(str, row.size)), f"{row.value:.3f}", row.warnings, row.differs,
        )  # fmt: skip
    console.print(table)
