"""A clip rendered, beside what FFmpeg makes of the same file through one table and the same encoder, in one run."""

from __future__ import annotations

import subprocess
import tempfile
import time
from pathlib import Path

from rich.console import Console
from rich.table import Table as RichTable

from dovrel.bench import finishing, parts
from dovrel.core.develop import whole
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.correction import PLAIN, Correction, Step
from dovrel.core.steps.curves import Curve, Curves
from dovrel.core.steps.levels import FourLevels
from dovrel.core.steps.primary import Primary
from dovrel.demo import cards
from dovrel.formats import cube
from dovrel.jobs.rendering import render
from dovrel.media.footage import probe, read_recorded
from dovrel.media.frames import Source
from dovrel.media.picture import to_picture
from dovrel.media.writing import KINDS

SHOT = "12A-1"
SECONDS = 4
KIND = "prores-422"
_NUMBERS = Primary((1.03, 1.0, 0.98), (-0.01, 0.0, 0.01), saturation=1.05)
_CURVES = Curves(Curve(((0.2, 0.18), (0.4, 0.42), (0.6, 0.61))))


def run(runs: int) -> dict:
    """Measure; seconds, and frames a second."""
    with tempfile.TemporaryDirectory() as name, finishing.a_look() as look:
        folder = Path(name)
        clip = _clip(folder)
        first = to_picture(read_recorded(clip.path, 0, clip.info), clip.encoding)
        cases: dict[str, tuple[Chain, Chain]] = {
            "a primary, curves and a look": ((_CURVES,), (look,)),
            "the same, two picks and two areas": ((_CURVES, *parts.cases_of(first.packed)["all"][2:]), (look,)),
        }
        _cube(folder, clip.encoding)
        rows: dict[str, list[float]] = {name: [] for name in ("FFmpeg", *cases)}
        for turn in range(runs):
            rows["FFmpeg"].append(_ffmpeg(clip.path, folder))
            for name, (of_shot, of_show) in cases.items():
                target = folder / f"{turn}.mov"
                started = time.perf_counter()
                render(clip, _levels(of_shot, of_show), target, KINDS[KIND])
                rows[name].append(time.perf_counter() - started)
                target.unlink()
        seconds = {name: min(found) for name, found in rows.items()}
        frames = clip.info.frames
        return {
            "size": list(clip.info.size),
            "frames": frames,
            "seconds_a_frame": {name: found / frames for name, found in seconds.items()},
            "ratio": {name: seconds["FFmpeg"] / seconds[name] for name in cases},
        }


def _levels(of_shot: Chain, of_show: Chain) -> FourLevels:
    def steps(first: Step, chain: Chain) -> Correction:
        return Correction((first, *(Step(f"{n}", values) for n, values in enumerate(chain))))

    return FourLevels(shot=steps(Step("balance", _NUMBERS), of_shot), show=steps(PLAIN["show"].steps[0], of_show))


def _clip(folder: Path) -> Source:
    """The demo's shot made 1920 wide and longer."""
    clip = cards.find(SHOT)
    path = folder / "source.mov"
    subprocess.run(
        ["ffmpeg", "-v", "error", "-stream_loop", "-1", "-i", clip.path, "-t", str(SECONDS), "-vf", "scale=1920:1080", "-c:v", "prores",
         "-profile:v", "3", "-pix_fmt", "yuv422p10le", "-colorspace", "bt709", "-color_range", "tv", path],
        check=True, stdin=subprocess.DEVNULL,
    )  # fmt: skip
    return Source(0, path, probe(path), clip.encoding)


def _cube(folder: Path, encoding: str) -> None:
    cube.write(folder / "whole.cube", whole.bake(encoding, [_NUMBERS, _CURVES]), "bench")


def _ffmpeg(path: Path, folder: Path) -> float:
    target = folder / "theirs.mov"
    kind = KINDS[KIND]
    command = ["ffmpeg", "-v", "error", "-y", "-i", path, "-vf", f"lut3d={folder / 'whole.cube'}:interp=tetrahedral",
               "-c:v", kind.codec, "-profile:v", kind.options["profile"], "-pix_fmt", kind.pixels, target]  # fmt: skip
    started = time.perf_counter()
    subprocess.run(command, check=True, stdin=subprocess.DEVNULL)
    return time.perf_counter() - started


def print_table(console: Console, result: dict) -> None:
    width, height = result["size"]
    table = RichTable(title=f"{result['frames']} frames of {width}×{height} rendered as {KINDS[KIND].name}")
    table.add_column("with")
    table.add_column("ms a frame", justify="right")
    table.add_column("FFmpeg's time / ours", justify="right")
    for name, seconds in result["seconds_a_frame"].items():
        ratio = result["ratio"].get(name)
        table.add_row(name, f"{1000 * seconds:.1f}", "" if ratio is None else f"{ratio:.2f}")
    console.print(table)
