"""Balances of photographs under known changes, beside published methods; every forest is learned without its judge."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from itertools import pairwise
from pathlib import Path

import cv2
import numpy as np
from rich.console import Console
from rich.table import Table as RichTable

from dovrel.bench import learning, photographs
from dovrel.core.balance import propose
from dovrel.core.balance.belief import Belief, within_tolerance
from dovrel.core.balance.forest import Forest
from dovrel.core.balance.statistics import usable_pixels
from dovrel.core.colour import tables
from dovrel.core.colour.working import STOP, from_linear, to_linear
from dovrel.core.develop.frame import display_of
from dovrel.core.measure.difference import ciede2000, lab_of_display
from dovrel.core.steps import primary
from dovrel.media.picture import Picture

WORSE_BY = 0.3
"""How far, in CIEDE2000, an answer must be farther from the original to count as worse."""
SURE_STEPS = (0.0, 0.2, 0.4, 0.6, 0.8, 1.01)
KINDS = ("display-referred", "log-coded")


def _norm(power: float) -> Callable[[np.ndarray], np.ndarray]:
    return lambda light: (light.reshape(-1, 3) ** power).mean(axis=0) ** (1 / power)


def _white_patch(light: np.ndarray) -> np.ndarray:
    return np.percentile(light.reshape(-1, 3), 99, axis=0)


def _grey_edge(order: int) -> Callable[[np.ndarray], np.ndarray]:
    def estimate(light: np.ndarray) -> np.ndarray:
        smooth = cv2.GaussianBlur(light.astype(np.float32), (0, 0), 2.0)
        if order == 1:
            edges = np.hypot(cv2.Sobel(smooth, cv2.CV_32F, 1, 0), cv2.Sobel(smooth, cv2.CV_32F, 0, 1))
        else:
            edges = np.abs(cv2.Laplacian(smooth, cv2.CV_32F))
        return _norm(5)(edges)

    return estimate


METHODS: dict[str, Callable[[np.ndarray], np.ndarray]] = {
    "grey world": _norm(1),
    "white patch": _white_patch,
    "shades of grey": _norm(6),
    "grey edge, first order": _grey_edge(1),
    "grey edge, second order": _grey_edge(2),
}
"""The colour of the light in linear light (H, W, 3). Buchsbaum 1980; Land 1977; Finlayson and Trezzi 2004; van de Weijer,
Gevers and Gijsenij 2007."""


@dataclass(frozen=True)
class Case:
    """One photograph under one change: mean CIEDE2000 to the original, as changed, by ours and by each method."""

    photograph: str
    kind: str
    changed: bool
    before: float
    ours: float
    methods: dict[str, float]
    confidence: float
    within: bool
    chosen: str


def run(folder: Path, truth: Path, kept: Path | None) -> list[Case]:
    """Every photograph below `folder` under every known change, in both kinds.

    Raises
    ------
    Refused
        If there are hardly any photographs.
    """
    named, examples = learning.photographs_and_examples(folder, truth, kept)
    return learning.rotated(named, examples, _cases, learning.calibrated(examples))


def as_picture(kind: str) -> Callable[[np.ndarray], Picture]:
    """How light (H, W, 3) is recorded, of the two kinds."""
    return photographs.finished if kind == KINDS[0] else photographs.logged


def _cases(path: Path, grown: Forest, tables_in: Path | None) -> list[Case]:
    tables.keep_in(tables_in)
    photograph = photographs.read(path)
    found = []
    for kind in KINDS:
        right = as_picture(kind)(photograph.light)
        for change in (photographs.AS_IT_IS, *photographs.KNOWN):
            changed = as_picture(kind)(photograph.light * change.gains)
            found.append(_case(photograph.name, kind, changed, right, change != photographs.AS_IT_IS, grown))
    return found


def _case(name: str, kind: str, picture: Picture, right: Picture, changed: bool, grown: Forest) -> Case:
    table = tables.output_table()
    truth = lab_of_display(np.clip(display_of(photographs.thinned(right.working), [], table), 0, 1))

    def error(working: np.ndarray) -> float:
        shown = np.clip(display_of(photographs.thinned(working).astype(np.float32), [], table), 0, 1)
        return float(ciede2000(lab_of_display(shown), truth).mean())

    try:
        best = propose(picture.working, picture.reach, table, finished=kind == KINDS[0], grown=grown)[0]
        numbers, sure, chosen = best.numbers, best.confidence, best.id
    except ValueError:  # nothing to balance by: it is left as it is
        numbers, sure, chosen = primary.IDENTITY, 0.0, "refused"
    usable = usable_pixels(picture.reach)
    within = False
    if usable.any():
        truly = Belief(photographs.true_gains(picture, right, usable)[None], np.ones(1))
        within = within_tolerance(truly, np.asarray(numbers.offset) / STOP) > 0
    light = to_linear(picture.working)
    methods = {method: error(_under(light, estimate(light))) for method, estimate in METHODS.items()}
    before = error(picture.working)
    return Case(name, kind, changed, before, error(numbers.apply(picture.working)), methods, sure, within, chosen)


def _under(light: np.ndarray, estimate: np.ndarray) -> np.ndarray:
    """Working values of light (H, W, 3) with an estimated light's colour taken out of it."""
    gains = estimate.mean() / np.maximum(estimate, 1e-6)
    return from_linear(light * gains / gains.mean())


def summary(cases: Sequence[Case]) -> dict:
    """Errors by kind and method, how often answers of each confidence were right, and every case."""
    errors = []
    for kind in (*KINDS, "both"):
        of_kind = [one for one in cases if kind in ("both", one.kind)]
        changed, untouched = ([one for one in of_kind if one.changed is wanted] for wanted in (True, False))
        before = np.array([one.before for one in changed])
        for method in ("ours", *METHODS):
            after, moved = (
                np.array([one.ours if method == "ours" else one.methods[method] for one in some])
                for some in (changed, untouched)
            )
            errors.append(
                {
                    "kind": kind,
                    "method": method,
                    "before": float(before.mean()),
                    "after": float(after.mean()),
                    "of_before": float(after.sum() / before.sum()),
                    "worse": float((after > before + WORSE_BY).mean()),
                    "untouched_moved_by": float(moved.mean()),
                }
            )
    sure = calibration([one.confidence for one in cases], [one.within for one in cases])
    return {"errors": errors, "calibration": sure, "cases": [asdict(one) for one in cases]}


def calibration(confidence: Sequence[float], right: Sequence[bool]) -> list[dict]:
    """How often answers of each confidence were right."""
    rows = []
    for low, high in pairwise(SURE_STEPS):
        chosen = [(said, true) for said, true in zip(confidence, right, strict=True) if low <= said < high]
        if chosen:
            said, true = np.mean(chosen, axis=0)
            rows.append({"cases": len(chosen), "said": float(said), "true": float(true)})
    return rows


def print_calibration(console: Console, rows: Sequence[dict]) -> None:
    table = RichTable(title="How often answers were within half a stop and 4 CIEDE2000 of neutrals")
    for heading in ("answers", "called sure", "were right"):
        table.add_column(heading, justify="right")
    for row in rows:
        table.add_row(str(row["cases"]), f"{100 * row['said']:.0f} %", f"{100 * row['true']:.0f} %")
    console.print(table)


def print_table(console: Console, cases: Sequence[Case]) -> None:
    found = summary(cases)
    table = RichTable(title=f"{len({one.photograph for one in cases})} photographs, mean CIEDE2000 to the original")
    for heading in ("kind", "method", "before", "after", "of before", "worse", "untouched moved by"):
        table.add_column(heading, justify="right")
    for row in found["errors"]:
        table.add_row(
            row["kind"], row["method"], f"{row['before']:.1f}", f"{row['after']:.1f}", f"{row['of_before']:.2f}",
            f"{100 * row['worse']:.0f} %", f"{row['untouched_moved_by']:.1f}",
        )  # fmt: skip
    console.print(table)
    print_calibration(console, found["calibration"])
