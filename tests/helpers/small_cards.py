"""The demo's cards at half size: the same scenes, names and codecs for a quarter of the work."""

from __future__ import annotations

import os
import shutil
import subprocess
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction
from pathlib import Path

from dovrel.demo.cards import SHIPPED
from dovrel.media.clip import ClipInfo
from dovrel.media.footage import probe
from tests.helpers.kept import digest_of, kept

SIZE = (640, 360)
_CODECS = {
    "hevc": ["libx265", "-preset", "ultrafast", "-crf", "9", "-g", "12", "-pix_fmt", "yuv422p10le", "-tag:v", "hvc1",
             "-x265-params", "log-level=error:colorprim=bt709:transfer=bt709:colormatrix=bt709:range=limited"],
    "prores": ["prores_ks", "-profile:v", "0", "-bits_per_mb", "400", "-vendor", "cv12", "-pix_fmt", "yuv422p10le"],
    "h264": ["libx264", "-preset", "ultrafast", "-crf", "14", "-g", "12", "-pix_fmt", "yuv420p"],
}  # fmt: skip
_TAGGED = ["-color_primaries", "bt709", "-color_trc", "bt709", "-colorspace", "bt709", "-color_range", "tv"]
_AS_SHIPPED = ("12C-4",)
"""Its red was lost in coding; at half size it is back."""
_GUESSED = ":in_color_matrix=bt709:out_color_matrix=bt601"
"""Of clips without a tag: pictures of this height are read as BT.601, those that ship as BT.709."""


def small_cards() -> Path:
    """The folder of the cards, made once and kept."""
    return kept("cards", digest_of([Path(__file__), SHIPPED]), _make)


def _make(folder: Path) -> None:
    clips = [path for path in SHIPPED.rglob("*") if path.is_file()]
    with ThreadPoolExecutor(os.cpu_count()) as pool:
        for _ in pool.map(lambda path: _shrink(path, folder / path.relative_to(SHIPPED)), clips):
            pass


def _shrink(path: Path, target: Path) -> None:
    info = probe(path)
    target.parent.mkdir(parents=True, exist_ok=True)
    if info.tags.get("slate") in _AS_SHIPPED:
        shutil.copy2(path, target)
        return
    guessed = "matrix" in info.assumed
    scaled = f"scale={SIZE[0]}:{SIZE[1]}:flags=area+accurate_rnd{_GUESSED if guessed else ''}"
    command = ["ffmpeg", "-v", "error", "-i", str(path), "-map", "0:v", "-map_metadata", "0", "-vf", scaled,
               *([] if guessed else _TAGGED), "-c:v", *_CODECS[info.codec], "-threads", "1",
               "-timecode", info.timecode, "-movflags", "use_metadata_tags+faststart",
               "-fflags", "+bitexact", "-flags:v", "+bitexact", str(target)]  # fmt: skip
    subprocess.run(command, check=True, stdin=subprocess.DEVNULL)
    _check(info, probe(target), target)


def _check(info: ClipInfo, small: ClipInfo, target: Path) -> None:
    """Nothing but the size may differ: what is measured by these clips stands for the others."""
    said = [
        (one.codec, one.frames, Fraction(one.rate), one.timecode, one.assumed, one.transfer) for one in (info, small)
    ]
    if said[0] != said[1] or small.size != SIZE:
        raise RuntimeError(f"{target.name}: {said[1]} at {small.size}, from {said[0]}")
