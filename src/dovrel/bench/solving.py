"""Random reachable problems on the demo's frames: how many are met, and how long each takes."""

from __future__ import annotations

import time
from dataclasses import asdict, dataclass

import numpy as np
from rich.console import Console
from rich.table import Table as RichTable

from dovrel.core.colour import tables
from dovrel.core.colour.cdl import IDENTITY, TenNumbers
from dovrel.core.correct.search import TOLERANCE
from dovrel.core.correct.solve import solve
from dovrel.core.measure.sampled import Sample, take_sample
from dovrel.demo import cards
from dovrel.media.picture import read_recorded, shrink, to_picture
from dovrel.media.video import probe

FRAMES = ("12A-1", "12C-2", "12B-3", "14A-1", "21C-1", "22A-1", "23A-1", "12C-4")
FRAME, WIDTH = 12, 480


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


def a_correction(random: np.random.Generator, spread: Spread) -> TenNumbers:
    """A correction drawn about none, its saturation anywhere from 0.5 to 1.6."""
    common = random.normal(0, spread.common)
    return TenNumbers.from_array(
        np.r_[
            np.exp(random.normal(common, spread.slope, 3)),
            random.normal(0, spread.offset, 3),
            np.exp(random.normal(0, spread.power, 3)),
            random.uniform(0.5, 1.6),
        ]
    )


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


def summary(results: list[SolveResult]) -> dict:
    """The table as data."""
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
    return {"sets": sets}


def print_table(console: Console, results: list[SolveResult]) -> None:
    table = RichTable(title=f"Reachable problems met within {TOLERANCE} %")
    for heading in ("corrections", "met", "median ms", "95 % within", "longest"):
        table.add_column(heading, justify="right")
    for one in summary(results)["sets"]:
        times = [f"{one[key]:.0f}" for key in ("median_ms", "p95_ms", "longest_ms")]
        table.add_row(one["spread"], f"{one['met']} of {one['problems']}", *times)
    console.print(table)
