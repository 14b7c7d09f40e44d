"""The demo's changing shots, held or steadied, against what their own cameras would have recorded had the light stayed."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from itertools import groupby
from pathlib import Path

import cv2
import numpy as np
from rich.console import Console
from rich.table import Table as RichTable
from scipy.optimize import minimize

from dovrel.core.colour import tables
from dovrel.core.develop.frame import display_of
from dovrel.core.measure.difference import display_difference
from dovrel.core.steps.keyframes import Keyframe, values_at
from dovrel.core.steps.primary import IDENTITY, Primary
from dovrel.core.time import hold
from dovrel.core.time.follow import Box, Followed, follow
from dovrel.core.time.light import light_along
from dovrel.demo import cards
from dovrel.media.footage import probe, read_recorded
from dovrel.media.picture import WayIn
from dovrel.media.runs import read_run
from dovrel.media.stills import read_still

FACES = {"23A-1": Box(0.515, 0.20, 0.09, 0.24)}
"""Subjects that are held by themselves, since what lies around them is lit otherwise; drawn on the first frame."""
PLACES = (160, 90)
"""Of a frame, each judged by its mean."""
WANDERING = ("14C-1", "21C-1")
"""Shots whose camera hunts: steadied."""


@dataclass(frozen=True)
class Changed:
    """What was measured of a shot: mean CIEDE2000 to its truth before and after, over frames, and keyframes used.

    `first` is that of its first frame, where nothing has changed yet: what rendering and encoding set apart. `best` is what
    the exposure and white are left with that come nearest to the truth at each frame by themselves: no keyframes leave less.
    """

    shot: str
    what: str
    first: float
    was: float
    left: float
    best: float
    worst: float
    keyframes: int
    frames: int


def run(truth: Path) -> dict:
    """All changing shots of the demo, whose true answers along time lie in a folder."""
    entries = json.loads((truth / "along.json").read_text())
    shots = groupby(entries, key=lambda entry: entry["shot"])
    found = [_one(shot, {entry["frame"]: truth / entry["file"] for entry in of}) for shot, of in shots]
    return {"shots": [asdict(one) for one in found]}


def _one(shot: str, truths: dict[int, Path]) -> Changed:
    clip = cards.find(shot)
    info = probe(clip.path)
    table = tables.output_table()
    under = hold.Under(table)
    way = WayIn(clip.encoding)
    along = read_run(clip.path, info, way, 0, None)
    followed: Followed | None = None
    if shot in FACES:
        followed = follow(along, FACES[shot], 0)
        held = hold.hold(along, followed, 0, under)
    elif shot in WANDERING:
        held = hold.steady(along, light_along(along), float(info.rate), under)
    else:
        held = hold.hold_all(along, light_along(along), 0, under)
    was, left, best = [], [], []
    for frame, path in truths.items():
        if followed and followed.at(frame) is None:
            continue
        # Means of places: a truth has no noise.
        here, meant = (
            way.exactly(cv2.resize(codes, PLACES, interpolation=cv2.INTER_AREA)).working
            for codes in (read_recorded(clip.path, frame, info), read_still(path))
        )
        inside = _inside(followed, frame)
        at, start = (_numbers(held.keyframes, one) for one in (frame, 0))

        def apart(numbers: Primary, of=(here, meant, inside), under: Primary = start) -> float:
            """How far the frame under some numbers is from its truth under those of the first frame."""
            recorded, true, where = of
            shown = [display_of(one, [given], table) for one, given in ((recorded, numbers), (true, under))]
            return float(display_difference(*shown)[where].mean())

        was.append(apart(IDENTITY, under=IDENTITY))
        left.append(apart(at))
        best.append(min(left[-1], _least(apart, at)))
    what = "face held" if followed else "steadied" if shot in WANDERING else "all held"
    return Changed(
        shot, what, was[0], float(np.mean(was)), float(np.mean(left)), float(np.mean(best)), max(left),
        len(held.keyframes), len(was),
    )  # fmt: skip


def _numbers(keyframes: Sequence[Keyframe], frame: int) -> Primary:
    numbers = values_at(tuple(keyframes), frame) if keyframes else IDENTITY
    assert isinstance(numbers, Primary)
    return numbers


def _least(apart: Callable[[Primary], float], start: Primary) -> float:
    """The least that any exposure and white leave, sought from numbers near it by the simplex of Nelder and Mead (1965)."""

    def of(offset: np.ndarray) -> float:
        return apart(Primary(offset=(float(offset[0]), float(offset[1]), float(offset[2]))))

    return float(minimize(of, start.offset, method="Nelder-Mead", options={"xatol": 1e-4, "fatol": 1e-3}).fun)


def _inside(followed: Followed | None, frame: int) -> np.ndarray:
    """Which places are judged: all, or those of a followed box's middle."""
    width, height = PLACES
    inside = np.ones((height, width), bool)
    place = followed.at(frame) if followed else None
    if place:
        inside[:] = False
        x, y = place.box.middle
        half_x, half_y = 0.32 * place.box.width, 0.32 * place.box.height
        rows = slice(int((y - half_y) * height), int((y + half_y) * height))
        inside[rows, int((x - half_x) * width) : int((x + half_x) * width)] = True
    return inside


def print_table(console: Console, result: dict) -> None:
    table = RichTable(title="The demo's changing shots against their true answers along time, mean CIEDE2000")
    for name in (
        "shot",
        "done",
        "first frame",
        "was",
        "left",
        "at best",
        "left at worst",
        "keyframes",
        "frames judged",
    ):
        table.add_column(name, justify="right")
    for one in result["shots"]:
        table.add_row(
            one["shot"], one["what"], f"{one['first']:.1f}", f"{one['was']:.1f}", f"{one['left']:.2f}", f"{one['best']:.2f}",
            f"{one['worst']:.2f}", str(one["keyframes"]), str(one["frames"]),
        )  # fmt: skip
    console.print(table)
