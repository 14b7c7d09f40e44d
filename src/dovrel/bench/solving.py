"""Random reachable problems on the demo's frames and moves of single readings: what is met, and how long it takes."""

from __future__ import annotations

import itertools
import time
from dataclasses import asdict, dataclass

import numpy as np
from rich.console import Console
from rich.table import Table as RichTable

from dovrel.core.colour import tables
from dovrel.core.correct.search import TOLERANCE
from dovrel.core.correct.solve import Effort, solve
from dovrel.core.measure.readings import ZONES
from dovrel.core.measure.sampled import Sample, take_sample
from dovrel.core.steps.primary import IDENTITY, Primary
from dovrel.demo import cards
from dovrel.media.footage import probe, read_recorded
from dovrel.media.picture import shrink, to_picture

FRAMES = ("12A-1", "12C-2", "12B-3", "14A-1", "21C-1", "22A-1", "23A-1", "12C-4")
FRAME, WIDTH = 12, 480
MOVES = (3.0, -3.0, 8.0, -8.0)
_LEAST_AIM, _WHOLE, _HELD = 0.5, 0.95, 0.3
"""Aims nearer to black or white are left out; so much of a move is all of it, so many percent are held."""


@dataclass(frozen=True)
class Spread:
    """How far corrections are drawn from none: deviations of the logarithm of slope, of offset, of the logarithm of power.

    `common` is a deviation of the logarithm of all three slopes together.
    """

    slope: float
    offset: float
    power: float
    common: float = 0.0


SPREADS = {
    "as the tests hold them": Spread(0.08, 0.016, 0.08),
    "casts about half a stop": Spread(0.11, 0.03, 0.11, 0.04),
    "casts about a stop": Spread(0.15, 0.045, 0.15, 0.06),
}


@dataclass(frozen=True)
class SolveResult:
    """One problem: the largest difference left, percent, and how long it took."""

    spread: str
    shot: str
    left: float
    seconds: float


def a_correction(random: np.random.Generator, spread: Spread) -> Primary:
    """A correction drawn about none, its saturation anywhere from 0.5 to 1.6."""
    common = random.normal(0, spread.common)
    return Primary.from_array(
        np.r_[
            np.exp(random.normal(common, spread.slope, 3)),
            random.normal(0, spread.offset, 3),
            np.exp(random.normal(0, spread.power, 3)),
            random.uniform(0.5, 1.6),
        ]
    )


@dataclass(frozen=True)
class MoveResult:
    """One reading moved by a hand: how much of the move came, what it pulled along, percent, and how long it took."""

    zone: str
    by: float
    effort: Effort
    came: float
    pulled: float
    seconds: float


def pixels_of(name: str) -> np.ndarray:
    """A demo frame's sample, working values float32 (N, 3)."""
    clip = cards.find(name)
    recorded = shrink(read_recorded(clip.path, FRAME, probe(clip.path)), WIDTH)
    return take_sample(to_picture(recorded, clip.encoding).working)


def run(problems: int, seed: int) -> list[SolveResult]:
    """So many problems a frame and spread; aims are readings under a known correction.

    Every other search starts from another correction. A further one, not counted, goes before
    all, so that nothing is compiled while timed.
    """
    table = tables.output_table()
    results = []
    for name, spread in SPREADS.items():
        for shot in FRAMES:
            pixels = pixels_of(shot)
            sample = Sample(pixels, table)
            random = np.random.default_rng([seed, *map(ord, shot)])
            if not results:
                solve(pixels, IDENTITY, sample.readings([a_correction(random, spread)]), table)
            for number in range(problems):
                aims = sample.readings([a_correction(random, spread)])
                start = a_correction(random, spread) if number % 2 else IDENTITY
                started = time.perf_counter()
                solution = solve(pixels, start, aims, table)
                seconds = time.perf_counter() - started
                left = float(np.abs(sample.readings([solution.numbers]) - aims).max())
                results.append(SolveResult(name, shot, left, seconds))
    return results


def moves() -> list[MoveResult]:
    """Every reading of every frame moved up and down, from as recorded, the others held.

    Saturation moves by a thirtieth of itself for each percent that another reading would.
    """
    table = tables.output_table()
    results = []
    for shot in FRAMES:
        pixels = pixels_of(shot)
        begun = Sample(pixels, table).readings([IDENTITY])
        for reading, by in itertools.product(range(10), MOVES):
            aims = begun.copy()
            step = by if reading < 9 else by / 30 * begun[9]
            aims[reading] += step
            if not _LEAST_AIM < aims[reading] < 100 - _LEAST_AIM:
                continue
            for effort in ("drag", "thorough"):
                started = time.perf_counter()
                moved = solve(pixels, IDENTITY, aims, table, moved=[reading], effort=effort).readings
                seconds = time.perf_counter() - started
                pulled = float(np.abs(np.delete(moved[:9] - begun[:9], reading if reading < 9 else [])).max())
                came = float((moved - begun)[reading] / step)
                zone = "saturation" if reading == 9 else ZONES[reading % 3]
                results.append(MoveResult(zone, abs(by), effort, came, pulled, seconds))
    return results


def summary(results: list[SolveResult], moved: list[MoveResult]) -> dict:
    """The tables as data."""
    sets = []
    for name in dict.fromkeys(r.spread for r in results):
        those = [r for r in results if r.spread == name]
        middle, most = np.percentile([1000 * r.seconds for r in those], (50, 95))
        sets.append(
            {
                "spread": name,
                "problems": len(those),
                "met": sum(r.left <= TOLERANCE for r in those),
                "median_ms": float(middle),
                "p95_ms": float(most),
                "longest_ms": 1000 * max(r.seconds for r in those),
                "missed": [asdict(r) for r in those if r.left > TOLERANCE],
            }
        )
    return {"sets": sets, "moves": [_moves_summary(moved, *key) for key in _kinds(moved)]}


def _kinds(moved: list[MoveResult]) -> list[tuple[str, float, str]]:
    return list(dict.fromkeys((one.zone, one.by, one.effort) for one in moved))


def _moves_summary(moved: list[MoveResult], zone: str, by: float, effort: str) -> dict:
    those = [one for one in moved if (one.zone, one.by, one.effort) == (zone, by, effort)]
    middle, most = np.percentile([1000 * one.seconds for one in those], (50, 95))
    return {
        "zone": zone,
        "by": by,
        "effort": effort,
        "moves": len(those),
        "whole": sum(one.came > _WHOLE for one in those) / len(those),
        "holding": sum(one.pulled <= _HELD for one in those) / len(those),
        "pulled_p90": float(np.percentile([one.pulled for one in those], 90)),
        "median_ms": float(middle),
        "p95_ms": float(most),
    }


def print_table(console: Console, results: list[SolveResult], moved: list[MoveResult]) -> None:
    totals = summary(results, moved)
    table = RichTable(title=f"Reachable problems met within {TOLERANCE} %")
    for heading in ("corrections", "met", "median ms", "95 % within", "longest"):
        table.add_column(heading, justify="right")
    for one in totals["sets"]:
        times = [f"{one[key]:.0f}" for key in ("median_ms", "p95_ms", "longest_ms")]
        table.add_row(one["spread"], f"{one['met']} of {one['problems']}", *times)
    console.print(table)
    hands = RichTable(title="One reading moved, the others held")
    for heading in (
        "reading",
        "by",
        "effort",
        "came whole",
        "held the rest",
        "pulled, 90 %",
        "median ms",
        "95 % within",
    ):
        hands.add_column(heading, justify="right")
    for one in totals["moves"]:
        parts = [f"{100 * one[key]:.0f} %" for key in ("whole", "holding")]
        figures = [f"{one['pulled_p90']:.1f}", f"{one['median_ms']:.0f}", f"{one['p95_ms']:.0f}"]
        hands.add_row(one["zone"], f"{one['by']:g}", one["effort"], *parts, *figures)
    console.print(hands)
