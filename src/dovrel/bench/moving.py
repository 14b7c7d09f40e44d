"""Clips of photographs under known moves of the camera and known changes of light, and what is left of those."""

from __future__ import annotations

import io
import time
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path

import av
import cv2
import numpy as np
from rich.console import Console
from rich.table import Table as RichTable

from dovrel.bench import photographs
from dovrel.core.colour import codes, tables
from dovrel.core.colour.encodings import to_working
from dovrel.core.colour.working import STOP
from dovrel.core.steps.keyframes import Keyframe, values_at
from dovrel.core.steps.primary import Primary
from dovrel.core.time import hold
from dovrel.core.time.follow import Box, NothingToFollow, follow
from dovrel.core.time.light import light_along
from dovrel.core.time.run import RUN_WIDTH, Run, run_of
from dovrel.core.time.seen import seen_by, size_of
from dovrel.errors import Refused
from dovrel.media.stills import read_still

FRAMES, RATE = 96, 24
SIZE = (960, 540)
VIEW = (1600, 900)
KINDS = ("turn", "step", "wander", "still")
NOISE = 0.004
"""Of the recording, in its code."""
_QUALITY = "18"
"""Constant rate factor of the H.264 that clips are put through, ten bits."""
_BOX = (0.16, 0.24)


@dataclass(frozen=True)
class Moving:
    """A clip: its run, the true stops (n, 3), and where each frame lies in the whole view, (n, 2, 3)."""

    name: str
    kind: str
    run: Run
    stops: np.ndarray
    ways: np.ndarray


@dataclass(frozen=True)
class Score:
    """What was measured of a clip; CIEDE2000 over the picture, parts of the picture's width, seconds.

    `centre` and `worst` are how far the middle of a followed box is off, None where nothing was to be followed.
    """

    name: str
    kind: str
    was: float
    left: float
    keyframes: int
    closest: float
    followed: int
    centre: float | None
    worst: float | None
    track_seconds: float
    hold_seconds: float
    steady_seconds: float


def light_of(kind: str, random: np.random.Generator) -> np.ndarray:
    """Stops (n, 3) of red, green and blue along a clip."""
    passed = np.linspace(0, 1, FRAMES)
    if kind == "turn":
        first = random.uniform(0.2, 0.5)
        part = np.clip((passed - first) * (FRAMES / RATE) / random.uniform(0.7, 1.4), 0, 1)
        return (part * part * (3 - 2 * part))[:, None] * (random.uniform(-1.6, -0.6) + random.normal(0, 0.4, 3))
    if kind == "step":
        return (passed > random.uniform(0.2, 0.8))[:, None] * (random.uniform(0.6, 1.4) + random.normal(0, 0.3, 3))
    if kind == "wander":
        rounds, begin = random.uniform(0.5, 1.4), random.uniform(0, 6.28)
        white = 0.28 * np.sin(6.2832 * rounds * passed + begin)
        level = 0.16 * np.sin(6.2832 * random.uniform(0.4, 1.0) * passed + random.uniform(0, 6.28))
        return np.stack([level + white, level, level - white], axis=1)
    return np.zeros((FRAMES, 3))


def make(path: Path, kind: str, seed: int) -> Moving:
    """A clip of a photograph: panned over, zoomed into, lit anew, noisy, and put through H.264."""
    random = np.random.default_rng(seed)
    view = _framed(photographs.light_of(read_still(path)))
    stops = light_of(kind, random)
    zoom = random.uniform(1.2, 1.4) * np.exp(np.linspace(0, random.uniform(-0.15, 0.45), FRAMES))
    pan = random.uniform(-0.35, 0.35, 2) * (1.0, 0.6)
    ways = np.stack([_way(zoom[n], 0.5 + pan * (n / (FRAMES - 1) - 0.5)) for n in range(FRAMES)])
    buffer = io.BytesIO()
    with av.open(buffer, "w", format="mov") as container:
        stream = container.add_stream("libx264", rate=RATE, options={"crf": _QUALITY, "preset": "veryfast"})
        stream.width, stream.height = SIZE
        stream.pix_fmt = "yuv422p10le"
        for number in range(FRAMES):
            seen = cv2.warpAffine(view, ways[number], SIZE, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
            working = to_working((seen * 2.0**-0.5).astype(np.float32), "aces:Linear Rec.709 (sRGB)")
            lit = working + (stops[number] * STOP).astype(np.float32) + random.normal(0, NOISE, working.shape)
            code = np.round(np.clip(lit, 0, 1) * 65535).astype(np.uint16)
            container.mux(stream.encode(av.VideoFrame.from_ndarray(code, format="rgb48le")))
        container.mux(stream.encode(None))
    buffer.seek(0)
    return Moving(photographs.name_of(path), kind, _read(buffer), stops, ways)


def _framed(light: np.ndarray) -> np.ndarray:
    """The middle of a photograph as wide as :data:`VIEW`, float32."""
    height, width = light.shape[:2]
    scale = max(VIEW[0] / width, VIEW[1] / height)
    grown = cv2.resize(
        light.astype(np.float32), (round(width * scale), round(height * scale)), interpolation=cv2.INTER_AREA
    )
    top, left = (grown.shape[0] - VIEW[1]) // 2, (grown.shape[1] - VIEW[0]) // 2
    return np.ascontiguousarray(grown[top : top + VIEW[1], left : left + VIEW[0]])


def _way(zoom: float, middle: np.ndarray) -> np.ndarray:
    """From pixels of a frame to those of the view."""
    scale = VIEW[0] / zoom / SIZE[0]
    corner = middle * (np.array(VIEW) - np.array(SIZE) * scale)
    return np.hstack([np.eye(2) * scale, corner[:, None]])


def _read(clip: io.BytesIO) -> Run:
    def pictures():
        with av.open(clip, "r") as container:
            for number, frame in enumerate(container.decode(video=0)):
                code = frame.to_ndarray(format="rgb48le").astype(np.float32) / 65535
                small = cv2.resize(code, (RUN_WIDTH, RUN_WIDTH * SIZE[1] // SIZE[0]), interpolation=cv2.INTER_AREA)
                flags = (small.max(axis=-1) >= 0.999).astype(np.uint8)
                yield number, codes.pack(small), flags

    return run_of(pictures())


def score(clip: Moving, seed: int) -> Score:
    """Follow, hold or steady a clip, against what is known of it."""
    random = np.random.default_rng(seed)
    under = hold.Under(tables.output_table())
    at = FRAMES // 5
    seen = seen_by(clip.run.frames[at], (), under.table)
    width, height = _BOX
    box = Box(random.uniform(0.25, 0.6), random.uniform(0.25, 0.5), width, height)
    started = time.perf_counter()
    try:
        found = follow(clip.run, box, at)
    except NothingToFollow:
        found = None
    track = time.perf_counter() - started
    apart = [_off(clip, box, at, place.frame, place.box.middle) for place in found.places] if found else []
    started = time.perf_counter()
    light = light_along(clip.run)
    lit = time.perf_counter() - started
    if clip.kind == "wander":
        held = hold.steady(clip.run, light, RATE, under)
    else:
        held = hold.hold_all(clip.run, light, at, under)
    done = time.perf_counter() - started
    was, left = _left(clip, held.keyframes, at, seen)
    frames = [one.frame for one in held.keyframes]
    return Score(
        clip.name, clip.kind, was, left, len(frames), float(np.diff(frames).min()) if len(frames) > 1 else 0.0,
        len(apart), float(np.mean(apart)) if apart else None, max(apart) if apart else None,
        track, done if clip.kind != "wander" else lit, done,
    )  # fmt: skip


def _left(clip: Moving, keyframes: Sequence[Keyframe], at: int, seen: np.ndarray) -> tuple[float, float]:
    """Mean CIEDE2000 along a clip of its light against that where it is right, before and after."""
    if clip.kind == "wander":
        middle = np.median(clip.stops, axis=0)
        at = int(np.argmin(np.abs(clip.stops - middle).sum(axis=1)))
    true = clip.stops - clip.stops[at]
    found = np.zeros_like(true)
    if keyframes:
        for number in range(FRAMES):
            values = values_at(tuple(keyframes), number)
            assert isinstance(values, Primary)
            found[number] = np.array(values.offset) / -STOP
    left = true - found
    if clip.kind == "wander":
        left = left - np.median(left, axis=0)
        true = true - np.median(true, axis=0)
    return float(size_of(true, seen).mean()), float(size_of(left, seen).mean())


def _off(clip: Moving, box: Box, at: int, frame: int, middle: tuple[float, float]) -> float:
    there, here = clip.ways[at], clip.ways[frame]
    whole = there[:, :2] @ (np.array(box.middle) * SIZE) + there[:, 2]
    true = np.linalg.solve(here[:, :2], whole - here[:, 2])
    return float(np.linalg.norm(np.array(middle) * SIZE - true) / SIZE[0])


def run(folder: Path, every: int) -> dict:
    """All kinds of clips of every so many photographs."""
    found = photographs.find(folder)[::every]
    if not found:
        raise Refused(f"{folder}: holds none of the photographs; see docs/benchmarks.md for the packages")
    scores = [score(make(path, kind, seed), seed) for seed, path in enumerate(found) for kind in KINDS]
    return {"clips": [asdict(one) for one in scores], "kinds": {kind: _summary(scores, kind) for kind in KINDS}}


def _summary(scores: Sequence[Score], kind: str) -> dict:
    of = [one for one in scores if one.kind == kind]
    centres = [one.centre for one in of if one.centre is not None]
    worst = [one.worst for one in of if one.worst is not None]
    met = [one.left <= max(0.15 * one.was, 1.5) for one in of]
    return {
        "clips": len(of),
        "followed": sum(one.centre is not None for one in of),
        "was": float(np.mean([one.was for one in of])),
        "left": float(np.mean([one.left for one in of])),
        "ratio": float(np.mean([one.left for one in of]) / max(np.mean([one.was for one in of]), 1e-6)),
        "met": float(np.mean(met)),
        "keyframes": float(np.mean([one.keyframes for one in of])),
        "most_keyframes": max(one.keyframes for one in of),
        "centre_percent": 100 * float(np.mean(centres)),
        "worst_percent": 100 * float(np.max(worst)),
        "track_seconds": float(np.median([one.track_seconds for one in of])),
        "hold_seconds": float(np.median([one.track_seconds + one.hold_seconds for one in of])),
        "steady_seconds": float(np.median([one.steady_seconds for one in of])),
    }


def print_table(console: Console, result: dict) -> None:
    table = RichTable(title=f"Light held along clips of {FRAMES} frames, mean CIEDE2000 over the picture")
    for name in (
        "kind",
        "clips",
        "was",
        "left",
        "left / was",
        "met",
        "keyframes, most",
        "followed",
        "box off, %",
        "at worst",
        "seconds",
    ):
        table.add_column(name, justify="right")
    for kind, one in result["kinds"].items():
        seconds = one["steady_seconds"] if kind == "wander" else one["hold_seconds"]
        table.add_row(
            kind, str(one["clips"]), f"{one['was']:.1f}", f"{one['left']:.2f}", f"{one['ratio']:.2f}", f"{one['met']:.0%}",
            f"{one['keyframes']:.1f}, {one['most_keyframes']}", str(one["followed"]), f"{one['centre_percent']:.2f}",
            f"{one['worst_percent']:.2f}", f"{seconds:.1f}",
        )  # fmt: skip
    console.print(table)
