"""Quality of matches: distance to the true answers, beside four published transfer methods."""

from __future__ import annotations

import json
import time
import warnings
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path

import cv2
import numpy as np
from color_matcher import ColorMatcher
from rich.console import Console
from rich.table import Table as RichTable

from dovrel.bench import changes
from dovrel.core.balance import propose
from dovrel.core.colour import tables
from dovrel.core.develop.frame import display_of
from dovrel.core.match import Evidence, match
from dovrel.core.measure.difference import display_difference
from dovrel.core.steps.primary import IDENTITY
from dovrel.demo import cards
from dovrel.media.footage import probe, read_recorded
from dovrel.media.picture import Picture, shrink, to_picture
from dovrel.media.stills import read_still

Change = tuple[str, Callable[[Picture], Picture]]
"""A name, and what is done to a shot's picture."""

METHODS = {"hm": "histogram matching", "mkl": "MKL", "hm-mvgd-hm": "MVGD-HM chain", "reinhard": "Reinhard"}


@dataclass(frozen=True)
class PairResult:
    """One pair: mean CIEDE2000 to the true answer without a match, by ours, by each method."""

    shot: str
    frame: int
    reference: str
    unmatched: float
    ours: float
    methods: dict[str, float]
    confidence: float
    basis: str
    extended: bool
    correspondences: int
    seconds: float

    @property
    def ratio(self) -> float:
        """Ours over the best of the published methods."""
        return self.ours / min(self.methods.values())


def fitted(picture: np.ndarray, like: np.ndarray) -> np.ndarray:
    """A picture at the size of another, by area means."""
    return cv2.resize(picture.astype(np.float32), like.shape[1::-1], interpolation=cv2.INTER_AREA)


def published(shown: np.ndarray, reference: np.ndarray, truth: np.ndarray) -> dict[str, float]:
    """Mean CIEDE2000 to the true answer of each published method; pictures (H, W, 3) of one size, display values."""
    scores = {}
    for method in METHODS:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            moved = ColorMatcher().transfer(
                src=shown.astype(np.float64), ref=reference.astype(np.float64), method=method
            )
        scores[method] = float(display_difference(np.clip(np.nan_to_num(moved), 0, 1), truth).mean())
    return scores


def recorded(clip: cards.DemoClip, frame: int) -> Picture:
    """A demo clip's frame at preview size."""
    return to_picture(shrink(read_recorded(clip.path, frame, probe(clip.path))), clip.encoding)


def true_answer(entry: dict, truth_folder: Path) -> Picture:
    """The view of a shot as its family's reference camera would have taken it, exactly exposed."""
    code = read_still(truth_folder / entry["file"])
    return to_picture(code * (65535 / (1023 * 64)), cards.find(entry["reference"]).encoding)


def run_pair(
    entry: dict,
    other: dict | None,
    truth_folder: Path,
    pictures: Path | None = None,
    *,
    extended: bool = False,
    balanced: bool = False,
    change: Change | None = None,
) -> PairResult:
    """Match one shot of the demo and compare with its true answer.

    Parameters
    ----------
    other : the entry whose true answer is the reference; the family's reference as recorded if None
    balanced : whether the reference is balanced first, as it is on the Desk; its balance then
        is part of the true answer too
    change : done to the shot first
    """
    table = tables.output_table()
    shot = recorded(cards.find(entry["shot"]), entry["frame"])
    if change:
        shot = change[1](shot)
    if other is None:
        reference, name = recorded(cards.find(entry["reference"]), 0), entry["reference"]
    else:
        reference, name = true_answer(other, truth_folder), f"{other['shot']}, answer"
    given = propose(reference.working, reference.reach, table)[0].numbers if balanced else IDENTITY
    truth = display_of(true_answer(entry, truth_folder).working, [given], table)

    started = time.perf_counter()
    result = match(
        Evidence(reference.working, shot.working, shot.reach, table, reference_balance=[given]), extended=extended
    )
    seconds = time.perf_counter() - started
    shown = fitted(display_of(shot.working, [], table), truth)
    chain = [result.numbers, result.extended] if result.extended else [result.numbers]
    matched = fitted(display_of(shot.working, chain, table), truth)
    reference_shown = fitted(display_of(reference.working, [given], table), truth)
    if pictures:
        row = np.hstack([reference_shown, shown, matched, truth])
        words = [entry["shot"], f"{entry['frame']:03d}", name.replace(", ", ".")]
        words += [change[0].replace(", ", "-")] if change else []
        path = pictures / f"{'.'.join(word.replace(' ', '-') for word in words if word)}.png"
        cv2.imwrite(str(path), (np.clip(row, 0, 1) * 255).astype(np.uint8)[..., ::-1])
    return PairResult(
        shot=f"{entry['shot']}, {change[0]}" if change else entry["shot"],
        frame=entry["frame"],
        reference=name,
        unmatched=float(display_difference(shown, truth).mean()),
        ours=float(display_difference(matched, truth).mean()),
        methods=published(shown, reference_shown, truth),
        confidence=result.confidence,
        basis=result.basis,
        extended=result.extended is not None,
        correspondences=result.correspondences,
        seconds=seconds,
    )


def _pairs(entries: list[dict], *, wide: bool) -> list[tuple[dict, dict | None]]:
    """Each shot with its family's reference, or, `wide`, with every other view of its family."""
    if not wide:
        return [(entry, None) for entry in entries if entry["shot"] != entry["reference"]]
    first = {entry["shot"]: entry for entry in reversed(entries)}
    return [
        (entry, other)
        for entry in first.values()
        for other in first.values()
        if other["reference"] == entry["reference"] and other["shot"] not in (entry["shot"], entry["reference"])
    ]


def run(
    truth_folder: Path,
    pictures: Path | None = None,
    *,
    wide: bool = False,
    changed: bool = False,
    drawn: int | None = None,
    extended: bool = False,
    balanced: bool = False,
) -> list[PairResult]:
    """Every pair of the demo with a known answer.

    `wide` takes the true answers of a family's other views as references: wide against close,
    from the left against from the right, with little that both show.
    `changed` makes known changes to each shot: hardly any red, clipped highs, noise and
    compression, lamps. `drawn` draws one change a shot by that seed: a seed not used before is
    a set of pairs that nobody has developed on. Shots that are changed are taken at one frame.
    `extended` goes on with the extended part. `balanced` balances the references first.
    """
    entries = json.loads((truth_folder / "truth.json").read_text())
    if pictures:
        pictures.mkdir(parents=True, exist_ok=True)
    pairs = _pairs(entries, wide=wide)
    run_pair(*pairs[0], truth_folder)  # compiled and loaded before anything is timed
    if changed or drawn is not None:
        first = {entry["shot"]: entry["frame"] for entry, _ in reversed(pairs)}
        pairs = [(entry, other) for entry, other in pairs if entry["frame"] == first[entry["shot"]]]
    return [
        run_pair(entry, other, truth_folder, pictures, extended=extended, balanced=balanced, change=change)
        for entry, other in pairs
        for change in _changes(entry["shot"], changed=changed, drawn=drawn)
    ]


def _changes(shot: str, *, changed: bool, drawn: int | None) -> Sequence[Change | None]:
    """What is done to a shot, one after another; None leaves it as recorded."""
    found: list[Change] = [*changes.CHANGES.items()] if changed else []
    if drawn is not None:
        found.append((f"drawn {drawn}", changes.drawn(drawn, shot)))
    return found or [None]


def summary(results: list[PairResult]) -> dict:
    """The table as data, with geometric means."""
    ratios = np.array([r.ratio for r in results])
    return {
        "pairs": [{**asdict(r), "ratio": r.ratio} for r in results],
        "geometric_mean_ratio": float(np.exp(np.log(ratios).mean())),
        "worst_ratio": float(ratios.max()),
        "worse_than_no_match": [r.shot for r in results if r.ours > r.unmatched],
        "mean_ours": float(np.mean([r.ours for r in results])),
        "mean_unmatched": float(np.mean([r.unmatched for r in results])),
        "median_seconds": float(np.median([r.seconds for r in results])),
    }


def print_table(console: Console, results: list[PairResult]) -> None:
    table = RichTable(title="Mean CIEDE2000 to the true answer")
    for heading in (
        "shot",
        "frame",
        "reference",
        "no match",
        "ours",
        *METHODS.values(),
        "ratio",
        "sure",
        "points",
        "s",
    ):
        table.add_column(heading, justify="right")
    for r in results:
        scores = [f"{r.methods[method]:.1f}" for method in METHODS]
        table.add_row(
            r.shot, str(r.frame), r.reference, f"{r.unmatched:.1f}", f"{r.ours:.2f}", *scores, f"{r.ratio:.2f}",
            f"{r.confidence:.2f}", f"{r.correspondences}{' +' if r.extended else ''}", f"{r.seconds:.1f}",
        )  # fmt: skip
    console.print(table)
    totals = summary(results)
    worse = ", ".join(totals["worse_than_no_match"]) or "none"
    console.print(
        f"geometric mean of ours / best published: {totals['geometric_mean_ratio']:.3f}; worst pair "
        f"{totals['worst_ratio']:.2f}; worse than no match: {worse}; median {totals['median_seconds']:.1f} s a match"
    )
