"""Quality of balances: exposure and white against the true answers, beside doing nothing."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np
from rich.console import Console
from rich.table import Table as RichTable

from dovrel.bench.matching import fitted, recorded, true_answer
from dovrel.core.balance import propose
from dovrel.core.balance.exposure import scene_stops
from dovrel.core.colour import encodings, tables
from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import STOP
from dovrel.core.develop.frame import display_of
from dovrel.core.measure.difference import ciede2000, lab_of_display
from dovrel.demo import cards

NEUTRAL_CHROMA = 8.0
NEUTRAL_LIGHTNESS = (25.0, 92.0)
"""CIELAB of what counts as neutral in a true answer."""
LEAST_NEUTRAL = 0.001
"""The part of the picture that must be neutral for its white to be measured there; else all of it."""


@dataclass(frozen=True)
class BalanceResult:
    """One shot: stops too bright, and CIEDE2000 of the neutrals at equal exposure, as is and balanced."""

    shot: str
    frame: int
    chosen: str
    confidence: float
    exposure_before: float
    exposure_after: float
    white_before: float
    white_after: float


def errors(working: np.ndarray, truth: np.ndarray, table: Table) -> tuple[float, float]:
    """Stops of exposure, and CIEDE2000 of white, by which working values (H, W, 3) miss the true ones."""
    shown = display_of(truth, [], table)
    lab = lab_of_display(shown)
    low, high = NEUTRAL_LIGHTNESS
    neutral = (np.hypot(lab[..., 1], lab[..., 2]) < NEUTRAL_CHROMA) & (lab[..., 0] > low) & (lab[..., 0] < high)
    if neutral.mean() < LEAST_NEUTRAL:
        neutral = (lab[..., 0] > low) & (lab[..., 0] < high)
    stops = float(np.median(scene_stops(working.reshape(-1, 3)) - scene_stops(truth.reshape(-1, 3))))
    level = display_of(working[neutral] - np.float32(stops * STOP), [], table).mean(axis=0)
    white = ciede2000(lab_of_display(level[None]), lab_of_display(shown[neutral].mean(axis=0)[None]))
    return stops, float(white[0])


def run(truth_folder: Path) -> list[BalanceResult]:
    """Every frame of the demo with a true answer, balanced by the best candidate."""
    table = tables.output_table()
    results = []
    for entry in json.loads((truth_folder / "truth.json").read_text()):
        clip = cards.find(entry["shot"])
        shot, truth = recorded(clip, entry["frame"]), true_answer(entry, truth_folder).working
        best = propose(shot.working, shot.reach, table, finished=encodings.is_display_referred(clip.encoding))[0]
        balanced = best.numbers.apply(shot.working).astype(np.float32)
        before, after = (errors(fitted(working, truth), truth, table) for working in (shot.working, balanced))
        results.append(
            BalanceResult(
                entry["shot"], entry["frame"], best.name, best.confidence, before[0], after[0], before[1], after[1]
            )
        )
    return results


def summary(results: list[BalanceResult]) -> dict:
    """The table as data, with mean errors."""

    def mean(name: str) -> float:
        return float(np.mean([abs(getattr(r, name)) for r in results]))

    names = ("exposure_before", "exposure_after", "white_before", "white_after")
    return {"frames": [asdict(r) for r in results], **{f"mean_{name}": mean(name) for name in names}}


def print_table(console: Console, results: list[BalanceResult]) -> None:
    table = RichTable(title="Errors of exposure (stops) and white (CIEDE2000 of neutrals), as recorded and balanced")
    for heading in ("shot", "frame", "white from", "sure", "stops as is", "balanced", "white as is", "balanced"):
        table.add_column(heading, justify="right")
    for r in results:
        table.add_row(
            r.shot, str(r.frame), r.chosen, f"{r.confidence:.2f}", f"{r.exposure_before:+.2f}",
            f"{r.exposure_after:+.2f}", f"{r.white_before:.1f}", f"{r.white_after:.1f}",
        )  # fmt: skip
    console.print(table)
    means = summary(results)
    console.print(
        f"mean error of exposure {means['mean_exposure_before']:.2f} -> {means['mean_exposure_after']:.2f} stops, "
        f"of white {means['mean_white_before']:.1f} -> {means['mean_white_after']:.1f}"
    )
