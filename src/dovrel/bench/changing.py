"""The demo's changing shots, held or steadied, against what their own cameras would have recorded had the light stayed."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from itertools import groupby
from pathlib import Path

import cv2
import numpy as np
from rich.console import Console
from rich.table import Table as RichTable

from dovrel.core.colour import tables
from dovrel.core.develop.frame import display_of
from dovrel.core.measure.difference import display_difference
from dovrel.core.steps.keyframes import values_at
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

    `first` is that of its first frame, where nothing has changed yet: what rendering and encoding set apart.
    """

    shot: str
    what: str
    first: float
    was: float
    left: float
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
    was, left = [], []
    for frame, path in truths.items():
        if followed and followed.at(frame) is None:
            continue
        truth = read_still(path)
        recorded = read_recorded(clip.path, frame, info)
        # Means of places: a truth has no noise.
        here, meant = (cv2.resize(one, PLACES, interpolation=cv2.INTER_AREA) for one in (recorded, truth))
        inside = _inside(followed, frame)
        for scores, keyframes in ((was, ()), (left, held.keyframes)):
            shown = [
                display_of(way.exactly(codes).working, [values_at(keyframes, at)] if keyframes else [], table)
                for at, codes in ((frame, here), (0, meant))
            ]
            scores.append(float(display_difference(*shown)[inside].mean()))
    what = "face held" if followed else "steadied" if shot in WANDERING else "all held"
    return Changed(
        shot, what, was[0], float(np.mean(was)), float(np.mean(left)), max(left), len(held.keyframes), len(was)
    )


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
    for name in ("shot", "done", "first frame", "was", "left", "left at worst", "keyframes", "frames judged"):
        table.add_column(name, justify="right")
    for one in result["shots"]:
        table.add_row(
            one["shot"], one["what"], f"{one['first']:.1f}", f"{one['was']:.1f}", f"{one['left']:.2f}", f"{one['worst']:.2f}",
            str(one["keyframes"]), str(one["frames"]),
        )  # fmt: skip
    console.print(table)
