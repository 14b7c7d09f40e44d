"""What Dovrel reads of clips beside an independent probe and decode, by codec, range, matrix and rate."""

from __future__ import annotations

import json
import subprocess
import tempfile
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from rich.console import Console
from rich.table import Table

from dovrel.bench import mixed_card
from dovrel.core.colour.codes import decode_signal
from dovrel.media.footage import probe, read_frame

FRAME = 6
_WEIGHTS = {
    "BT.709": (0.2126, 0.0722),
    "BT.601": (0.299, 0.114),
    "BT.2020": (0.2627, 0.0593),
    "SMPTE 240M": (0.212, 0.087),
}
_MATRICES = {
    "bt709": "BT.709",
    "smpte170m": "BT.601",
    "bt470bg": "BT.601",
    "bt2020nc": "BT.2020",
    "smpte240m": "SMPTE 240M",
    "ycgco": "YCgCo",
    "bt2020c": "BT.2020 CL",
}
_KR, _KB = _WEIGHTS["BT.2020"]


@dataclass(frozen=True)
class Row:
    """One clip: what was read, what the independent probe says where it says another thing, and how far the pictures lie apart."""

    name: str
    codec: str
    pixels: str
    range: str
    matrix: str
    rate: str
    transfer: str
    assumed: str
    differs: str
    mean: float
    most: float


def _ffprobe(path: Path) -> dict:
    command = ["ffprobe", "-v", "error", "-select_streams", "v:0", "-show_streams", "-of", "json", str(path)]
    return json.loads(subprocess.run(command, check=True, capture_output=True).stdout)["streams"][0]


def _decoded(path: Path, frame: int, said: dict, full: bool, matrix: str) -> np.ndarray:
    """FFmpeg's own decode of a frame, as planes that are only widened, by H.273's equations."""
    grey = said["pix_fmt"].startswith("gray")
    rgb = said["pix_fmt"].startswith(("gbr", "rgb"))
    kind = "gray16le" if grey else "gbrp16le" if rgb else "yuv444p16le"
    ranges = "full" if said["pix_fmt"].startswith("yuvj") else "tv"
    spread = (
        f",zscale=chromalin={_siting(said)}:filter=bicubic"
        if "420" in said["pix_fmt"] or "422" in said["pix_fmt"]
        else ""
    )
    filters = f"select=eq(n\\,{frame})" + (
        "" if grey or rgb else spread or f",scale=in_range={ranges}:out_range={ranges}"
    )
    command = ["ffmpeg", "-v", "error", "-noautorotate", "-i", str(path), "-vf", filters, "-vsync", "0",
               "-frames:v", "1", "-f", "rawvideo", "-pix_fmt", kind, "-"]  # fmt: skip
    raw = np.frombuffer(subprocess.run(command, check=True, capture_output=True).stdout, "<u2").astype(float)
    height, width = said["height"], said["width"]
    planes = raw.reshape(-1, height, width)
    if grey or rgb:
        planes = planes[[0, 0, 0]] if grey else planes[[2, 0, 1]]
        bits = 8 * int(said["pix_fmt"] == "gray") or int("".join(c for c in said["pix_fmt"] if c.isdigit()))
        # FFmpeg repeats the top bits of RGB below, and stretches grey: the code values come back by rounding.
        codes = np.rint(planes / 65535 * ((1 << bits) - 1))
        step = 1 << (bits - 8)
        return np.stack(list(codes / ((1 << bits) - 1) if full else (codes / step - 16) / 219), axis=-1)
    bits = 8 if "10" not in said["pix_fmt"] and "12" not in said["pix_fmt"] and "16" not in said["pix_fmt"] else int(
        "".join(c for c in said["pix_fmt"].split("p")[-1] if c.isdigit())
    )  # fmt: skip
    top = ((1 << bits) - 1) << (16 - bits)
    if full:
        # Those that the decoder calls yuvj are stretched to sixteen bits, others shifted.
        top = 65535 if said["pix_fmt"].startswith("yuvj") else top
        y, cb, cr = planes[0] / top, planes[1] / top - 0.5, planes[2] / top - 0.5
    else:
        y, cb, cr = (planes[0] / 256 - 16) / 219, (planes[1] / 256 - 128) / 224, (planes[2] / 256 - 128) / 224
    if matrix == "YCgCo":
        return np.stack([y - cb + cr, y + cb, y - cb - cr], axis=-1)
    if matrix == "BT.2020 CL":
        return _of_constant_luminance(y, cb, cr)
    kr, kb = _WEIGHTS[matrix]
    red, blue = y + 2 * (1 - kr) * cr, y + 2 * (1 - kb) * cb
    return np.stack([red, (y - kr * red - kb * blue) / (1 - kr - kb), blue], axis=-1)


def _siting(said: dict) -> str:
    """Where chroma lies, as the probe has it; MJPEG's lies between luma samples, other kinds' left."""
    usual = "center" if said["codec_name"] == "mjpeg" else "left"
    tagged = said.get("chroma_location", "unspecified")
    return usual if tagged == "unspecified" else tagged


def _of_constant_luminance(y: np.ndarray, cb: np.ndarray, cr: np.ndarray) -> np.ndarray:
    """R′G′B′ of Y′cC′bcC′rc, as colour-science has it: by BT.2020's own table, with rounded divisors."""
    blue = y + np.where(cb <= 0, 1.9404, 1.5816) * cb
    red = y + np.where(cr <= 0, 1.7184, 0.9936) * cr
    linear = [_linear(one) for one in (red, y, blue)]
    green = (linear[1] - _KR * linear[0] - _KB * linear[2]) / (1 - _KR - _KB)
    return np.stack([red, _curved(green), blue], axis=-1)


def _linear(code: np.ndarray) -> np.ndarray:
    return np.where(code < 0.0812, code / 4.5, ((np.maximum(code, 0) + 0.0993) / 1.0993) ** (1 / 0.45))


def _curved(light: np.ndarray) -> np.ndarray:
    return np.where(light < 0.0181, light * 4.5, 1.0993 * np.maximum(light, 0) ** 0.45 - 0.0993)


def read(path: Path) -> Row:
    """Read a clip both ways."""
    info, said = probe(path), _ffprobe(path)
    differs = []
    for ours, theirs, what in (
        (list(info.geometry.coded), [said["width"], said["height"]], "size"),
        (info.pixel_format, said["pix_fmt"], "pixels"),
        (f"{info.rate.numerator}/{info.rate.denominator}", said["avg_frame_rate"], "rate"),
        ("full" if info.full_range else "narrow", {"pc": "full", "tv": "narrow"}.get(said.get("color_range", "")), "range"),
        (info.matrix, _MATRICES.get(said.get("color_space", "")), "matrix"),
    ):  # fmt: skip
        if theirs and ours != theirs:
            differs.append(f"{what} {theirs}")
    mean = most = float("nan")
    if not info.interlaced and info.geometry.is_plain:
        ours = decode_signal(read_frame(path, FRAME, info))
        theirs = np.clip(_decoded(path, FRAME, said, info.full_range, info.matrix), -0.125, 1.125)
        apart = np.abs(ours - theirs).max(axis=2)
        mean, most = float(apart.mean()), float(np.quantile(apart, 0.99))
    return Row(
        path.name, info.codec, info.pixel_format, "full" if info.full_range else "narrow", info.matrix,
        f"{float(info.rate):.3f}".rstrip("0").rstrip("."), info.transfer or "not tagged", ", ".join(info.assumed),
        "; ".join(differs), mean, most,
    )  # fmt: skip


def run(keep: Path | None = None) -> list[Row]:
    """Read every clip of a mixed card, and rarer kinds; the whole card is left in `keep` if given."""
    with tempfile.TemporaryDirectory() as made:
        if keep:
            mixed_card.make(keep)
        folder = keep or Path(made)
        paths = [folder / recipe.name for recipe in mixed_card.RECIPES] if keep else mixed_card.make_clips(folder)
        further = mixed_card.make_clips(Path(made) / "further", mixed_card.FURTHER)
        return [read(path) for path in [*paths, *further]]


def show(console: Console, rows: list[Row]) -> None:
    table = Table(title="What is read, beside FFmpeg's probe and decode; differences in percent of white")
    for heading in (
        "clip",
        "codec",
        "pixels",
        "range",
        "matrix",
        "fps",
        "transfer",
        "assumed",
        "probe says",
        "mean",
        "99 %",
    ):
        table.add_column(heading, justify="right" if heading in ("fps", "mean", "99 %") else "left")
    for row in rows:
        figures = ["" if np.isnan(value) else f"{100 * value:.3f}" for value in (row.mean, row.most)]
        table.add_row(row.name, row.codec, row.pixels, row.range, row.matrix, row.rate, row.transfer, row.assumed,
                      row.differs, *figures)  # fmt: skip
    console.print(table)
