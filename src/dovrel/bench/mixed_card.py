"""A card of forty clips as one may be handed in: many codecs, ranges, matrices and rates, odd ones and broken ones."""

from __future__ import annotations

import hashlib
import subprocess
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from dovrel.demo import cards
from dovrel.media.stills import write_still

SIZE = "640x360"
FRAMES = 12
SHOTS = ("12A-1", "12B-1", "12C-2", "14A-1", "14C-1", "21A-1", "21C-1", "22A-1", "22C-1", "23A-1")
_BT709 = ("-colorspace", "bt709", "-color_primaries", "bt709", "-color_trc", "bt709")
_HLG = ("-colorspace", "bt2020nc", "-color_primaries", "bt2020", "-color_trc", "arib-std-b67")
_PQ = ("-colorspace", "bt2020nc", "-color_primaries", "bt2020", "-color_trc", "smpte2084")
_BT601 = ("-colorspace", "smpte170m", "-color_primaries", "smpte170m", "-color_trc", "smpte170m")
_NARROW, _FULL = ("-color_range", "tv"), ("-color_range", "pc")
_H264, _HEVC, _PRORES = (
    ("-c:v", "libx264"),
    ("-c:v", "libx265", "-x265-params", "log-level=error"),
    ("-c:v", "prores_ks"),
)
_DNX = ("-c:v", "dnxhd", "-profile:v", "dnxhr_hqx")
_SILENT = "setparams=range=unknown:colorspace=unknown:color_primaries=unknown:color_trc=unknown"
_CAMERA = ("-metadata", "make=Corvane", "-metadata", "model=Twelve", "-movflags", "use_metadata_tags")


@dataclass(frozen=True)
class Recipe:
    """One clip: its name, FFmpeg's options, and filters before its picture is encoded."""

    name: str
    options: tuple[str, ...]
    rate: str = "24"
    filters: str = ""
    sound: int = 0
    metadata: tuple[str, ...] = field(default=())


RECIPES = (
    Recipe("C001.mp4", (*_H264, "-pix_fmt", "yuv420p", *_NARROW, *_BT709), "25", metadata=_CAMERA, sound=2),
    Recipe("C002.mp4", (*_H264, "-pix_fmt", "yuvj420p", *_FULL, *_BT709), "25", metadata=_CAMERA, sound=2),
    Recipe("C003.mov", (*_H264, "-pix_fmt", "yuv422p10le", *_NARROW, *_BT709), "24000/1001", metadata=_CAMERA),
    Recipe("C004.mov", (*_H264, "-pix_fmt", "yuv422p10le", *_FULL, *_BT709), "24000/1001", metadata=_CAMERA),
    Recipe("C005.mp4", (*_HEVC, "-pix_fmt", "yuv420p10le", *_NARROW, *_HLG), "50", metadata=_CAMERA, sound=4),
    Recipe("C006.mp4", (*_HEVC, "-pix_fmt", "yuv420p10le", *_NARROW, *_PQ), "50", metadata=_CAMERA),
    Recipe("C007.mp4", (*_HEVC, "-pix_fmt", "yuv422p12le", *_NARROW, *_BT709), "24"),
    Recipe("P001.mov", (*_PRORES, "-profile:v", "3", *_BT709), "24", sound=2),
    Recipe("P002.mov", (*_PRORES, "-profile:v", "4", "-pix_fmt", "yuv444p10le", *_BT709), "30000/1001"),
    Recipe("P003.mov", (*_PRORES, "-profile:v", "1", *_BT601), "25"),
    Recipe("D001.mov", (*_DNX, "-pix_fmt", "yuv422p10le", *_BT709), "24"),
    Recipe("D002.mxf", ("-c:v", "dnxhd", "-profile:v", "dnxhr_sq", "-pix_fmt", "yuv422p", *_BT709), "25"),
    Recipe("D003.mov", ("-c:v", "dnxhd", "-profile:v", "dnxhr_hqx", "-pix_fmt", "yuv422p10le", *_BT709), "60"),
    Recipe("M001.avi", ("-c:v", "mjpeg", "-q:v", "2", "-pix_fmt", "yuvj422p"), "30", sound=1),
    Recipe("M002.mpg", ("-c:v", "mpeg2video", "-q:v", "2", *_BT601), "25"),
    Recipe("M003.m2ts", (*_H264, "-pix_fmt", "yuv420p", *_NARROW, *_BT709), "50"),
    Recipe("M004.ts", (*_H264, "-pix_fmt", "yuv420p", *_NARROW, *_BT709), "25"),
    Recipe("V001.webm", ("-c:v", "libvpx-vp9", "-pix_fmt", "yuv420p", *_NARROW, *_BT709), "30"),
    Recipe("V002.mkv", ("-c:v", "ffv1", "-pix_fmt", "yuv444p16le", *_FULL, *_BT709), "24"),
    Recipe("V003.mkv", ("-c:v", "ffv1", "-pix_fmt", "gbrp12le"), "24"),
    Recipe("V004.mkv", ("-c:v", "ffv1", "-pix_fmt", "gray10le"), "24"),
    Recipe("S001.mp4", (*_H264, "-pix_fmt", "yuv420p"), "25", _SILENT),
    Recipe("S002.mp4", (*_H264, "-pix_fmt", "yuv420p"), "25", _SILENT),
    Recipe("S003.mov", (*_H264, "-pix_fmt", "yuv420p10le", *_NARROW), "24"),
    Recipe("X_anamorphic.mov", (*_PRORES, *_BT709), "24", "setsar=2/1"),
    Recipe("X_boxed.mov", (*_PRORES, *_BT709), "24", "crop=640:268,pad=640:360:0:46:black"),
    Recipe("X_fields.mp4", (*_H264, "-pix_fmt", "yuv420p", "-flags", "+ildct+ilme", "-x264opts", "tff=1", *_NARROW, *_BT709), "25", "interlace"),
    Recipe("X_bright.mov", (*_PRORES, *_BT709), "24", "lutyuv=y='clip(val*1.5,64,1000)'"),
)  # fmt: skip
"""Clips that can be read; :func:`make` adds those that are not plain files, and those that are broken."""
_FFV1 = ("-c:v", "ffv1")
FURTHER = (
    Recipe("T001.mkv", (*_FFV1, "-pix_fmt", "yuv444p10le", *_NARROW, "-colorspace", "smpte240m")),
    Recipe("T002.mkv", (*_FFV1, "-pix_fmt", "yuv444p10le", *_FULL, "-colorspace", "ycgco")),
    Recipe("T003.mkv", (*_FFV1, "-pix_fmt", "yuv444p10le", *_NARROW, "-colorspace", "bt2020c")),
    Recipe("T004.mkv", (*_FFV1, "-pix_fmt", "gray", *_NARROW)),
    Recipe("T005.mkv", (*_FFV1, "-pix_fmt", "gbrp10le", *_NARROW)),
    Recipe("T006.mp4", (*_H264, "-x264-params", "chromaloc=0", "-pix_fmt", "yuv420p", *_NARROW, *_BT709)),
    Recipe("T007.mp4", (*_H264, "-x264-params", "chromaloc=2", "-pix_fmt", "yuv420p", *_NARROW, *_BT709)),
    Recipe("T008.mp4", (*_H264, "-x264-params", "chromaloc=1", "-pix_fmt", "yuv420p", *_NARROW, *_BT709)),
    Recipe("T009.mkv", (*_FFV1, "-chroma_sample_location", "center", "-pix_fmt", "yuv420p", *_NARROW, *_BT709)),
)  # fmt: skip
"""Rarer matrices, narrow grey and RGB, places of chroma: read with the card's clips, but not on the card."""


def _encode(source: Path, recipe: Recipe, target: Path) -> None:
    filters = ",".join(part for part in (f"scale={SIZE.replace('x', ':')}", recipe.filters) if part)
    sound: list[str] = []
    heard: list[str] = []
    if recipe.sound:
        sound = ["-f", "lavfi", "-i", "anoisesrc=r=48000:a=0.1"]
        heard = ["-map", "0:v:0", "-map", "1:a:0", "-ac", str(recipe.sound), "-shortest"]
    command = ["ffmpeg", "-v", "error", "-y", "-r", recipe.rate, "-stream_loop", "-1", "-i", str(source), *sound,
               *(heard or ["-map", "0:v:0"]), "-map_metadata", "-1", "-vf", filters, "-frames:v", str(FRAMES),
               "-r", recipe.rate, *recipe.options, *recipe.metadata, str(target)]  # fmt: skip
    subprocess.run(command, check=True, stdin=subprocess.DEVNULL)


def make_clips(folder: Path, recipes: Sequence[Recipe] = RECIPES) -> list[Path]:
    """Clips of these recipes, of the demo's shots in turn."""
    folder.mkdir(parents=True, exist_ok=True)
    made = []
    for number, recipe in enumerate(recipes):
        made.append(folder / recipe.name)
        _encode(cards.find(SHOTS[number % len(SHOTS)]).path, recipe, made[-1])
    return made


def make(folder: Path) -> None:
    """The whole card: clips, a turned one, sequences, stills, a long take, broken files, sidecars, a checksum list."""
    made = make_clips(folder)
    copy = ["ffmpeg", "-v", "error", "-y", "-i"]
    subprocess.run(
        [*copy, str(made[0]), "-c", "copy", "-metadata:s:v:0", "rotate=90", str(folder / "X_turned.mp4")], check=True
    )
    for number in range(3):
        start = f"01:00:00:{12 * number:02d}"
        recipe = Recipe("", (*_PRORES, *_BT709, "-timecode", start), "24")
        _encode(cards.find("23A-1").path, recipe, folder / f"L001_{number + 1}.mov")
    for number in (1001, 1002, 1003, 1006):
        write_still(folder / f"plate.{number}.png", np.full((90, 160, 3), (number - 1000) / 10))
    write_still(folder / "chart.tif", np.full((90, 160, 3), 0.4))
    whole = made[7].read_bytes()
    (folder / "F001.mov").write_bytes(whole[: len(whole) // 3])
    (folder / "F002.mov").write_bytes(b"")
    (folder / "F003.mp4").write_bytes(np.random.default_rng(1).bytes(20_000))
    cut = made[0].read_bytes()
    (folder / "F004.mp4").write_bytes(cut[: len(cut) * 2 // 3])
    for name in ("C001.xml", "C002.xml", "report.pdf", "C001.thm", ".trash"):
        (folder / name).write_text("beside a clip")
    write_still(folder / "C003_still.jpg", np.full((90, 160, 3), 0.5))
    lines = [f"{hashlib.md5(path.read_bytes()).hexdigest()}  {path.name}" for path in made[:8]]
    lines[3] = f"{'0' * 32}  {made[3].name}"
    (folder / "card.md5").write_text("\n".join([*lines, f"{'1' * 32}  C099.mp4"]) + "\n")
