"""Families solved as one beside pair by pair: the demo's, and families cut from photographs, windows that overlap their neighbours,
each under a light, and of a camera, of its own."""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path

import cv2
import numpy as np
from rich.console import Console
from rich.table import Table as RichTable

from dovrel.bench import matching, photographs
from dovrel.bench.balancing_photographs import KINDS, as_picture
from dovrel.core.colour import tables
from dovrel.core.colour.working import from_linear, to_linear
from dovrel.core.develop.frame import display_of
from dovrel.core.match import Evidence, match
from dovrel.core.match.cameras import extend_cameras
from dovrel.core.match.family import COLOURS, Member, solve_family
from dovrel.core.match.fit import Pairs, fit
from dovrel.core.match.link import links_between
from dovrel.core.match.side import side_of
from dovrel.core.match.view import view_of
from dovrel.core.measure.difference import display_difference
from dovrel.core.measure.sampled import take_sample
from dovrel.core.steps.extended import Extended
from dovrel.core.steps.primary import IDENTITY, Primary
from dovrel.demo import cards
from dovrel.media.picture import Picture, shrink
from dovrel.media.stills import read_still

DEVELOPED_ON = 4
"""Every so many of the photographs was looked at while the solving was made; the others are reported on."""
ACROSS = 1600
"""Pixels across at which photographs are cut."""
WINDOWS = 5
FITTED_ONE_OF = 37
"""Of the pixels of a true answer, to which numbers are fitted to see how near any can come."""
WIDE = 0.36
"""Parts of the photograph's width that a window takes; the first and third share nothing."""
CAMERAS = 2


@dataclass(frozen=True)
class Window:
    """A shot of a family as its own camera recorded it, and as it should be seen beside the reference.

    Attributes
    ----------
    name, camera : its own, in words
    finished : whether it is display-referred
    recorded, truth : pictures; the truth may be of another size, and is the recording itself for the reference
    far : whether it shares nothing with the reference
    end_of : the shot whose light changes, if it is one end of one
    """

    name: str
    camera: str
    finished: bool
    recorded: Picture
    truth: Picture
    far: bool
    end_of: str | None = None


def family_of(light: np.ndarray, kind: str, seed: int) -> list[Window]:
    """Windows from left to right of linear Rec.709 light (H, W, 3); the first one is the reference, as it should be."""
    random, made = np.random.default_rng([29, seed]), as_picture(kind)
    cameras = [_camera(random) for _ in range(CAMERAS)]
    height, width = light.shape[:2]
    windows = []
    for number in range(WINDOWS):
        left = (1 - WIDE) * number / (WINDOWS - 1)
        tall = random.uniform(0.75, 1.0)
        top = random.uniform(0, 1 - tall)
        cut = light[int(top * height) : int((top + tall) * height), int(left * width) : int((left + WIDE) * width)]
        cut = cv2.resize(cut, None, fx=(zoom := random.uniform(0.8, 1.2)), fy=zoom, interpolation=cv2.INTER_AREA)
        camera = 0 if number == 0 else int(random.integers(0, CAMERAS))
        truth = made(cut)
        if number == 0:
            recorded = truth
        else:
            gains = np.exp2(random.uniform(-1.2, 1.2) + random.normal(0, 0.3, 3))
            lit = made(cut * gains)
            recorded = lit if camera == 0 else photographs.recorded(cameras[camera](lit.working))
        far = left >= WIDE
        windows.append(Window(f"window {number + 1}", "AB"[camera], kind == KINDS[0], recorded, truth, far))
    return windows


def _camera(random: np.random.Generator) -> Callable[[np.ndarray], np.ndarray]:
    """Another camera's primaries, contrast and noise, on working values."""
    mixes = random.normal(0, 0.03, (3, 3))
    primaries = np.eye(3) + mixes - np.diag(mixes.sum(axis=1))
    contrast, noise = random.uniform(0.85, 1.2), random.uniform(0, 0.006)

    def recorded(working: np.ndarray) -> np.ndarray:
        through = from_linear(to_linear(working) @ primaries.T)
        return 0.413 + contrast * (through - 0.413) + random.normal(0, noise, working.shape)

    return recorded


@dataclass(frozen=True)
class FamilyResult:
    """One shot: mean CIEDE2000 to the true answer without a match, matched to the reference alone, in its family, that with its
    camera's extended step, by the best published method, and by ten numbers that were fitted to the true answer itself: about
    as near as any can come; how it is linked to the reference."""

    family: str
    shot: str
    far: bool
    unmatched: float
    alone: float
    ours: float
    extended: float
    published: float
    fitted: float
    confidence: float
    links: int
    offered: bool


@dataclass(frozen=True)
class Family:
    """All shots of one, and the seconds that solving it took."""

    name: str
    shots: list[FamilyResult]
    seconds: float


def run(truth: Path, folder: Path | None) -> list[Family]:
    """The demo's families, or, with a folder, families of the photographs below it that nothing was developed on."""
    if folder is None:
        return [_judged(name, windows) for name, windows in _of_demo(truth).items()]
    found = []
    for number, path in enumerate(photographs.find(folder)):
        if number % DEVELOPED_ON:
            light = photographs.light_of(shrink(read_still(path), ACROSS))
            found.append(_judged(photographs.name_of(path), family_of(light, KINDS[number % 2], number)))
    return found


def _of_demo(truth: Path) -> dict[str, list[Window]]:
    """The demo's families that have true answers, the reference first; shots that change stand there at both their ends."""
    entries = json.loads((truth / "truth.json").read_text())
    changing = {entry["shot"] for entry in json.loads((truth.parent / "along" / "along.json").read_text())}
    families: dict[str, list[Window]] = {}
    for entry in sorted(entries, key=lambda entry: (entry["shot"], entry["frame"])):
        shot, reference, frame = entry["shot"], entry["reference"], entry["frame"]
        if reference not in families:
            first = matching.recorded(cards.find(reference), 0)
            families[reference] = [Window(reference, reference[2], False, first, first, False)]
        if shot == reference or (frame > 0 and shot not in changing):
            continue
        recorded, answer = matching.recorded(cards.find(shot), frame), matching.true_answer(entry, truth)
        end_of = shot if shot in changing else None
        name = f"{shot}, frame {frame + 1}" if end_of else shot
        families[reference].append(Window(name, shot[2], False, recorded, answer, False, end_of))
    return {name: windows for name, windows in families.items() if len(windows) > 1}


def _judged(name: str, windows: Sequence[Window]) -> Family:
    table = tables.output_table()
    started = time.perf_counter()
    views = [view_of(side_of(one.recorded.working, one.recorded.reach, None), table) for one in windows]
    members = [
        Member(one.name, IDENTITY, one.camera, take_sample(one.recorded.working, COLOURS), frame_of=one.end_of)
        for one in windows
    ]

    def alone(number: int, camera: np.ndarray | None = None) -> tuple[Primary, float, bool]:
        there, here = windows[0], windows[number]
        evidence = Evidence(
            there.recorded.working,
            here.recorded.working,
            here.recorded.reach,
            table,
            reference_view=views[0],
            finished=(there.finished, here.finished),
        )
        found = match(evidence, camera=camera)
        return found.numbers, found.confidence, found.sure

    links = links_between(views)
    solved = solve_family(members, 0, links, table, lambda number, camera: alone(number, camera)[:2])
    cameras = extend_cameras(members, 0, solved, links, table)
    seconds = time.perf_counter() - started
    reference = display_of(windows[0].recorded.working, [], table)
    shots = []
    for number, window in enumerate(windows[1:], 1):
        truth, placed = display_of(window.truth.working, [], table), solved.shots[number]

        def error(*chain: Primary | Extended, window: Window = window, truth: np.ndarray = truth) -> float:
            shown = display_of(window.recorded.working, chain, table)
            return float(display_difference(matching.fitted(shown, truth), truth).mean())

        part = cameras.extended(number, table)[0].extended
        numbers, _, sure = alone(number)
        fitted = error(_fitted_to(truth, window.recorded.working))
        shown = matching.fitted(display_of(window.recorded.working, [], table), truth)
        best = min(matching.published(shown, matching.fitted(reference, truth), truth).values())
        shots.append(
            FamilyResult(
                name, window.name, window.far, error(IDENTITY), error(numbers if sure else IDENTITY), error(placed.numbers),
                error(placed.numbers, *([part] if part else [])), best, fitted, placed.confidence, max(len(placed.chain) - 1, 0), placed.offered is not None,
            )
        )  # fmt: skip
    return Family(name, shots, seconds)


def _fitted_to(truth: np.ndarray, working: np.ndarray) -> Primary:
    """Ten numbers that were fitted, robustly, to the true answer, display values: about as near as any come."""
    here, there = (
        one.reshape(-1, 3)[::FITTED_ONE_OF].astype(np.float32) for one in (matching.fitted(working, truth), truth)
    )
    pairs = Pairs(here, there, np.ones(len(here)), np.zeros((len(here), 2)))
    numbers, table = IDENTITY, tables.output_table()
    for free in ("light", "contrast", "all", "all", "all"):
        numbers = fit(pairs, numbers, table, free, outlying=30.0)
    return numbers


def summary(families: Sequence[Family]) -> dict:
    """Ratios to the best published method, of all shots and of those that share nothing with the reference, and every shot."""
    shots = [shot for family in families for shot in family.shots]
    rows = {}
    for name, some in (("all", shots), ("far", [shot for shot in shots if shot.far])):
        if some:
            ours, alone, extended, best, fitted = (
                np.array([getattr(one, key) for one in some])
                for key in ("ours", "alone", "extended", "published", "fitted")
            )
            rows[name] = {
                "shots": len(some),
                "geometric_mean_ratio": float(np.exp(np.log(ours / best).mean())),
                "geometric_mean_ratio_alone": float(np.exp(np.log(alone / best).mean())),
                "geometric_mean_ratio_extended": float(np.exp(np.log(extended / best).mean())),
                "geometric_mean_ratio_fitted": float(np.exp(np.log(fitted / best).mean())),
                "mean_unmatched": float(np.mean([one.unmatched for one in some])),
                "mean_alone": float(alone.mean()),
                "mean_ours": float(ours.mean()),
                "mean_extended": float(extended.mean()),
                "worse_than_no_match": [f"{one.family} {one.shot}" for one in some if one.ours > one.unmatched],
                "worse_extended": [f"{one.family} {one.shot}" for one in some if one.extended > one.unmatched],
                "worse_alone": [f"{one.family} {one.shot}" for one in some if one.alone > one.unmatched],
            }
    return {
        **rows,
        "median_seconds": float(np.median([family.seconds for family in families])),
        "shots": [asdict(shot) for shot in shots],
    }


def print_table(console: Console, families: Sequence[Family]) -> None:
    table = RichTable(title="Families solved as one, mean CIEDE2000 to the true answer")
    for heading in (
        "family",
        "shot",
        "no match",
        "alone",
        "family",
        "extended",
        "best published",
        "fitted",
        "sure",
        "links",
    ):
        table.add_column(heading, justify="right")
    for family in families:
        for one in family.shots:
            figures = (
                f"{value:.2f}"
                for value in (
                    one.unmatched,
                    one.alone,
                    one.ours,
                    one.extended,
                    one.published,
                    one.fitted,
                    one.confidence,
                )
            )
            links = f"{one.links}{', offered' if one.offered else ''}"
            table.add_row(family.name, f"{one.shot}{' far' if one.far else ''}", *figures, links)
    console.print(table)
    found = summary(families)
    for name in ("all", "far"):
        if row := found.get(name):
            console.print(
                f"{name}: {row['shots']} shots, geometric mean of ours / best published {row['geometric_mean_ratio']:.3f} (alone "
                f"{row['geometric_mean_ratio_alone']:.3f}, with cameras' extended steps "
                f"{row['geometric_mean_ratio_extended']:.3f}, of ten numbers fitted to the true answers themselves "
                f"{row['geometric_mean_ratio_fitted']:.3f}); {row['mean_unmatched']:.2f} without a match, {row['mean_alone']:.2f} "
                f"alone, {row['mean_ours']:.2f} in families, {row['mean_extended']:.2f} with extended steps; worse than no match: "
                f"{', '.join(row['worse_than_no_match']) or 'none'} (alone: {', '.join(row['worse_alone']) or 'none'}; "
                f"extended: {', '.join(row['worse_extended']) or 'none'})"
            )
    console.print(f"median {found['median_seconds']:.1f} s a family")
