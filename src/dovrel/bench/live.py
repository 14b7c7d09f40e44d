"""One live update, stage by stage, beside the same work in FFmpeg's filters, in one run."""

from __future__ import annotations

import subprocess
import tempfile
import time
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import cv2
import numpy as np
import psutil
import simplejpeg
from rich.console import Console
from rich.table import Table as RichTable

from dovrel.bench import finishing, parts
from dovrel.core.colour import codes, tables
from dovrel.core.correct.solve import solve
from dovrel.core.develop import lattice, whole
from dovrel.core.develop.frame import develop, picture_of, picture_with_grain
from dovrel.core.develop.program import Program
from dovrel.core.measure import limits
from dovrel.core.measure.frame import measure, render, warm_up
from dovrel.core.measure.sampled import take_sample
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.clipped_highs import ClippedHighs
from dovrel.core.steps.curves import Curve, Curves
from dovrel.core.steps.density import Density
from dovrel.core.steps.hue_turns import HueTurns, Spoke
from dovrel.core.steps.kinds import Kinds
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.rebuild import Rebuild
from dovrel.core.steps.zone_tints import ZoneTints
from dovrel.demo import cards
from dovrel.formats import cube
from dovrel.media.footage import probe, read_recorded
from dovrel.media.frames import FrameStore, Source
from dovrel.media.picture import Picture, Seen, shrink, to_picture
from dovrel.service.packing import pack, pack_scopes
from dovrel.service.showing import JPEG_QUALITY

SIZE = (960, 540)
WIDE = (1920, 1080)
"""Where the picture has the whole surface of a large screen."""
SHOT = "12A-1"
FFMPEG_FRAMES = 24
_FILTERS = (
    "lut3d=file={cube}:interp=tetrahedral,format=yuv444p,split=5[p][a][b][c][d];"
    "[a]waveform=mode=column:components=1:filter=lowpass[wa];"
    "[b]format=gbrp,waveform=mode=column:components=7:display=parade:filter=lowpass[wb];"
    "[c]vectorscope=mode=color[vc];"
    "[d]histogram[hd];"
    "[p]format=yuvj444p[po]"
)


def _source(size: tuple[int, int]) -> Picture:
    clip = cards.find(SHOT)
    recorded = read_recorded(clip.path, 24, probe(clip.path))
    if recorded.shape[1] < size[0]:
        recorded = cv2.resize(recorded, size, interpolation=cv2.INTER_CUBIC)
    return to_picture(shrink(recorded, size[0]), clip.encoding)


def _corrections(count: int) -> list[Primary]:
    """A hand dragging: a different correction every time."""
    turns = np.linspace(0, 2 * np.pi, count)
    return [Primary((1.02, 1.0, 0.98), (0.02 * float(np.sin(t)), 0.01, -0.01), (1.0, 1.03, 1.0), 1.05) for t in turns]


STAGES = (
    "correction baked",
    "picture developed",
    "8-bit picture",
    "picture encoded",
    "limits tallied",
    "scopes and readings",
    "message packed",
)
_encoders = ThreadPoolExecutor(1)


def _jpeg(picture: np.ndarray) -> bytes:
    return simplejpeg.encode_jpeg(picture, JPEG_QUALITY, colorsubsampling="444", fastdct=True)


def _update(
    picture: Picture,
    located: lattice.Located,
    chain: Chain,
    table: tables.Table,
    stages: dict[str, list[float]],
) -> None:
    """One update as the desk makes it, its parts timed one after another, then as it is made."""
    marks = [time.perf_counter()]

    def mark() -> None:
        marks.append(time.perf_counter())

    words = lattice.bake(located.nodes, Program.of(chain, table))
    mark()
    display = lattice.develop_located(located, words)
    mark()
    shown = picture_of(display)
    mark()
    jpeg = _jpeg(shown)
    mark()
    limits.tally(display, picture.flags)
    mark()
    scopes, readings = measure(display)
    mark()
    pack({"readings": readings.tolist()}, {**pack_scopes(scopes), "picture": jpeg})
    mark()
    for name, seconds in zip(STAGES, np.diff(marks), strict=True):
        stages[name].append(float(seconds))
    started = time.perf_counter()
    _whole_update(picture, located, chain, table)
    stages["whole update"].append(time.perf_counter() - started)


def _whole_update(
    picture: Picture | Seen,
    located: lattice.Located | None,
    chain: Chain,
    table: tables.Table,
    *,
    changing: bool = False,
    frame: int = 0,
) -> None:
    display = develop(picture.packed, chain, table, located, changing=changing)
    limits.tally(display, picture.flags)
    encoding = _encoders.submit(_jpeg, picture_with_grain(display, chain, frame))
    scopes, readings = measure(display)
    pack({"readings": readings.tolist()}, {**pack_scopes(scopes), "picture": encoding.result()})


def _ffmpeg_milliseconds(recorded: np.ndarray, encoding: str) -> float:
    """FFmpeg's time for a frame: lut3d, two waveforms, vectorscope, histogram, JPEG of the picture.

    The start-up is removed by running one frame and many; all filters may use both cores.
    """
    with tempfile.TemporaryDirectory() as folder:
        table = Path(folder, "correction.cube")
        cube.write(table, whole.bake(encoding, _corrections(1)), "bench")
        raw = Path(folder, "frames.rgb")
        frame = np.ascontiguousarray((np.clip(recorded, 0, 1) * 65535 + 0.5).astype("<u2")).tobytes()

        def run(frames: int) -> float:
            raw.write_bytes(frame * frames)
            command = ["ffmpeg", "-hide_banner", "-loglevel", "error", "-y", "-f", "rawvideo", "-pix_fmt", "rgb48le",
                       "-s", f"{recorded.shape[1]}x{recorded.shape[0]}", "-i", str(raw),
                       "-filter_complex", _FILTERS.format(cube=table)]  # fmt: skip
            command += ["-map", "[po]", "-c:v", "mjpeg", "-q:v", "3", "-f", "null", "-"]
            for label in ("[wa]", "[wb]", "[vc]", "[hd]"):
                command += ["-map", label, "-c:v", "wrapped_avframe", "-f", "null", "-"]
            started = time.perf_counter()
            subprocess.run(command, check=True, stdin=subprocess.DEVNULL)
            return time.perf_counter() - started

        return 1000 * (run(1 + FFMPEG_FRAMES) - run(1)) / FFMPEG_FRAMES


def run(runs: int) -> dict:
    """Measure; milliseconds."""
    clip = cards.find(SHOT)
    table = tables.output_table()
    warm_up(table)
    picture = _source(SIZE)
    return {
        "width": SIZE[0],
        "height": SIZE[1],
        "runs": runs,
        **_updates(picture, clip, table, runs),
        "kinds": _kinds(picture, table, max(runs // 4, 5)),
        "parts_ms": _with_parts(picture, parts.cases_of(picture.packed), table, runs),
        **_finished(picture, table, runs),
        "wide": _updates(_source(WIDE), clip, table, max(runs // 4, 3)),
        "locate_ms": _locate_milliseconds(picture),
        "solve_ms": _solve_milliseconds(picture, table),
        **_playback(clip, table),
        "full_4k_ms": _full_milliseconds(picture, table),
        "resident_mb": psutil.Process().memory_info().rss / 1e6,
    }


def _with_parts(picture: Picture, cases: Mapping[str, Chain], table: tables.Table, runs: int) -> dict[str, float]:
    return parts.updates(
        picture.packed,
        cases,
        _corrections(max(runs // 4, 5)),
        lambda located, chain: _whole_update(picture, located, chain, table),
    )


def _finished(picture: Picture, table: tables.Table, runs: int) -> dict:
    """What a look and a finish take at each update, and treating the recorded picture once a frame."""
    noisy = finishing.noisy(picture.packed)
    with finishing.a_look() as look:
        return {
            "finish_ms": _with_parts(picture, finishing.cases_of(look), table, runs),
            "treating_ms": finishing.once(noisy),
        }


def _updates(picture: Picture, clip: cards.DemoClip, table: tables.Table, runs: int) -> dict:
    """Live updates of a picture; FFmpeg's runs stand before, between and after ours."""
    located = lattice.locate(picture.packed)
    stages: dict[str, list[float]] = {name: [] for name in ("whole update", *STAGES)}
    for numbers in _corrections(10):
        _update(picture, located, [numbers], table, {name: [] for name in stages})
    others = []
    for part in np.array_split(np.arange(runs), 3):
        others.append(_ffmpeg_milliseconds(picture.recorded, clip.encoding))
        for numbers in _corrections(len(part)):
            _update(picture, located, [numbers], table, stages)
    whole = 1000 * np.array(stages["whole update"])
    return {
        "median_ms": float(np.median(whole)),
        "p95_ms": float(np.percentile(whole, 95)),
        "ffmpeg_ms": float(np.median(others)),
        "ffmpeg_ratio": float(np.median(whole) / np.median(others)),
        "stages_ms": {name: float(1000 * np.median(values)) for name, values in stages.items()},
    }


KINDS: dict[str, tuple[Kinds, ...]] = {
    "curves": (Curves(Curve(((0.2, 0.18), (0.4, 0.42), (0.6, 0.61)))),),
    "hue turns": (HueTurns((Spoke(10, 40, 8, 0.7, -0.3), Spoke(210, 50, -6, 1.3))),),
    "density": (Density(0.5, 0.4),),
    "zone tints": (ZoneTints(lows=(-0.02, 0.0), highs=(0.02, 0.0)),),
    "rebuilt channel": (Rebuild("red", (0.1, 1.2, -0.3), kept=0.3),),
    "clipped highs": (ClippedHighs((0.58, 0.58, 0.55), (0.02, 0.0, -0.02)),),
}
"""A step of each kind, as it is put after the ten numbers."""


def _kinds(picture: Picture, table: tables.Table, runs: int) -> dict[str, float]:
    """How long an update takes with a step of each kind, and with all, beside one of ten numbers alone; in turn, in one run."""
    located = lattice.locate(picture.packed)
    cases = {"": (), **KINDS, "all of them": tuple(values for case in KINDS.values() for values in case)}
    times: dict[str, list[float]] = {name: [] for name in cases}
    for numbers in _corrections(runs + 2):
        for name, more in cases.items():
            stages: dict[str, list[float]] = {stage: [] for stage in ("whole update", *STAGES)}
            _update(picture, located, [numbers, *more], table, stages)
            times[name] += stages["whole update"]
    medians = {name: float(np.median(found[2:])) for name, found in times.items()}
    return {name: medians[name] / medians[""] for name in cases if name}


def _locate_milliseconds(picture: Picture) -> float:
    """What a frame costs once, before the first drag on it."""
    times = []
    for _ in range(5):
        started = time.perf_counter()
        lattice.locate(picture.packed)
        times.append(time.perf_counter() - started)
    return float(1000 * np.median(times))


def _solve_milliseconds(picture: Picture, table: tables.Table) -> float:
    """One step of a dragged grip: red highs a little higher, the rest held."""
    sample = codes.unpack(take_sample(picture.packed))
    aims = render(picture.packed, [], table).readings
    times = []
    for step in np.linspace(0.2, 6, 25):
        moved = aims.copy()
        moved[2] += step
        started = time.perf_counter()
        solve(sample, Primary(), moved, table)
        times.append(time.perf_counter() - started)
    return float(1000 * np.median(times))


def _playback(clip: cards.DemoClip, table: tables.Table) -> dict[str, float]:
    """Frames a second with all scopes, from the file, again from memory, and under what changes or costs more at each frame."""
    store = FrameStore()
    source = Source(0, clip.path, probe(clip.path), clip.encoding)
    frames = source.info.frames
    plain, along = _corrections(1), [[numbers] for numbers in _corrections(frames)]
    with_parts = [*plain, *parts.cases_of(store.playing(source, 0).packed)["all"]]
    with finishing.a_look() as look:
        finished = [*plain, *finishing.cases_of(look)[finishing.TOGETHER]]
        cases: dict[str, list[Chain]] = {
            "playback_fps": [plain] * frames,
            "playback_again_fps": [plain] * frames,
            "playback_keyframed_fps": [*along],
            "playback_parts_fps": [with_parts] * frames,
            "playback_finished_fps": [finished] * frames,
        }
        rates = {}
        for name, chains in cases.items():
            started = time.perf_counter()
            for frame, chain in enumerate(chains):
                picture = store.playing(source, frame)
                _whole_update(picture, None, [*chain], table, changing=name == "playback_keyframed_fps", frame=frame)
            rates[name] = frames / (time.perf_counter() - started)
    return rates


def _full_milliseconds(picture: Picture, table: tables.Table) -> float:
    large = np.ascontiguousarray(np.tile(picture.packed, (4, 4, 1))[:2160, :3840])
    times = []
    for numbers in _corrections(5):
        started = time.perf_counter()
        render(large, [numbers], table)
        times.append(time.perf_counter() - started)
    return float(1000 * np.median(times))


def print_table(console: Console, result: dict) -> None:
    table = RichTable(title=f"One live update at {result['width']}×{result['height']}, {result['runs']} runs")
    table.add_column("stage")
    table.add_column("median ms", justify="right")
    for name, milliseconds in result["stages_ms"].items():
        table.add_row(name, f"{milliseconds:.1f}")
    table.add_row("95th percentile of the whole", f"{result['p95_ms']:.1f}")
    table.add_row("FFmpeg's filters, same work", f"{result['ffmpeg_ms']:.1f}")
    table.add_row("ours / FFmpeg's", f"{result['ffmpeg_ratio']:.2f}")
    wide = result["wide"]
    table.add_row(f"the same {WIDE[0]} wide", f"{wide['median_ms']:.1f}")
    table.add_row(f"ours / FFmpeg's, {WIDE[0]} wide", f"{wide['ffmpeg_ratio']:.2f}")
    for name, ratio in result["kinds"].items():
        table.add_row(f"with {name} / without", f"{ratio:.2f}")
    for name, milliseconds in {**result["parts_ms"], **result["finish_ms"]}.items():
        table.add_row(f"with {name} after the numbers", f"{milliseconds:.1f}")
    for name, milliseconds in result["treating_ms"].items():
        table.add_row(name, f"{milliseconds:.1f}")
    table.add_row("a frame located, once", f"{result['locate_ms']:.1f}")
    table.add_row("one solve of ten aims", f"{result['solve_ms']:.1f}")
    table.add_row("played from the file, frames/s", f"{result['playback_fps']:.1f}")
    table.add_row("played from memory, frames/s", f"{result['playback_again_fps']:.1f}")
    table.add_row("played under keyframes, frames/s", f"{result['playback_keyframed_fps']:.1f}")
    table.add_row("played with picks and areas, frames/s", f"{result['playback_parts_fps']:.1f}")
    table.add_row("played with a look and a finish, frames/s", f"{result['playback_finished_fps']:.1f}")
    table.add_row("one 3840×2160 measure", f"{result['full_4k_ms']:.0f}")
    table.add_row("resident memory, MB", f"{result['resident_mb']:.0f}")
    console.print(table)
