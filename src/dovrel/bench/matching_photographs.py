"""Matches of pictures that share nothing but their light: one half of a photograph to the other under known changes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np
from rich.console import Console
from rich.table import Table as RichTable

from dovrel.bench import learning, photographs
from dovrel.bench.balancing_photographs import KINDS, WORSE_BY, as_picture, calibration, print_calibration
from dovrel.bench.photographs import AS_IT_IS, Change
from dovrel.core.balance.belief import Belief, within_tolerance
from dovrel.core.balance.forest import Forest
from dovrel.core.colour import tables
from dovrel.core.colour.working import STOP
from dovrel.core.develop.frame import display_of
from dovrel.core.match import Evidence, match
from dovrel.core.match.view import View
from dovrel.core.measure.difference import display_difference
from dovrel.core.steps.primary import IDENTITY, Primary

UNHEARD, LEFT, ANEW = "not heard", "left as it was", "changed"
CAMERAS = (UNHEARD, LEFT, ANEW)
"""What became of the camera after the other shots whose needs are heard."""
NOISE, AT_MOST, COLOURED = 0.08, 1.2, 0.3
"""How many stops the needs of shots of an untouched camera differ; a camera changed is off by as much as the other two say, in
exposure and in each channel."""

CHANGES = (AS_IT_IS, Change(cct=3200), Change(stops=1), Change(9000, 0, -1))


@dataclass(frozen=True)
class HalfCase:
    """A photograph's right half under a change, matched to its left half: mean CIEDE2000 to itself unchanged.

    `camera` is what became of its camera since the shots that are heard, one of :data:`CAMERAS`.
    """

    photograph: str
    kind: str
    camera: str
    changed: bool
    before: float
    after: float
    confidence: float
    applied: bool
    within: bool
    basis: str


def run(folder: Path, truth: Path, kept: Path | None) -> list[HalfCase]:
    """Every photograph below `folder`, by a forest that was learned without it.

    Raises
    ------
    Refused
        If there are hardly any photographs.
    """
    named, examples = learning.photographs_and_examples(folder, truth, kept)
    return learning.rotated(named, examples, _cases)


def _cases(path: Path, grown: Forest, tables_in: Path | None) -> list[HalfCase]:
    tables.keep_in(tables_in)
    photograph = photographs.read(path)
    left, right = (np.ascontiguousarray(half) for half in np.array_split(photograph.light, 2, axis=1))
    found = []
    for kind in KINDS:
        view = None
        for change in CHANGES:
            cases, view = _of_change(photograph.name, kind, left, right, change, grown, view)
            found += cases
    return found


def _of_change(
    name: str,
    kind: str,
    left: np.ndarray,
    right: np.ndarray,
    change: Change,
    grown: Forest,
    view: View | None = None,
) -> tuple[list[HalfCase], View | None]:
    """One half under a change, with each of :data:`CAMERAS`; and the view of the other, which may be given if it was made before."""
    table, finished = tables.output_table(), kind == KINDS[0]
    reference, unchanged, shot = (as_picture(kind)(light) for light in (left, right, right * change.gains))
    wanted = display_of(unchanged.working, [], table)

    def error(numbers: Primary) -> float:
        return float(display_difference(display_of(shot.working, [numbers], table), wanted).mean())

    evidence = Evidence(
        reference.working,
        shot.working,
        shot.reach,
        table,
        reference_view=view,
        finished=(finished, finished),
    )
    gains = photographs.true_gains(shot, unchanged, np.ones(shot.working.shape[:2], bool))
    truly = Belief(gains[None], np.ones(1))
    random = np.random.default_rng([*name.encode(), len(kind), CHANGES.index(change)])
    cases = []
    for camera in CAMERAS:
        needs = None if camera == UNHEARD else needs_of(gains, camera, random)
        found = match(evidence, camera=needs, grown=grown)
        within = within_tolerance(truly, np.asarray(found.numbers.offset) / STOP) > 0
        before, after = error(IDENTITY), error(found.numbers)
        cases.append(
            HalfCase(
                name, kind, camera, change != AS_IT_IS, before, after, found.confidence, found.sure, within, found.basis
            )
        )
    return cases, evidence.reference_view


def needs_of(gains: np.ndarray, camera: str, random: np.random.Generator) -> np.ndarray:
    """What the other shots of a camera needed (3,), stops, where a shot needs these gains and became of the camera what it says."""
    if camera == LEFT:
        return gains + random.normal(0, NOISE, 3)
    return gains + random.uniform(-AT_MOST, AT_MOST) + random.normal(0, COLOURED, 3)


def summary(cases: Sequence[HalfCase]) -> dict:
    """By what became of the camera: errors by what was done with the answers, how often those of each confidence were right; and
    every case."""
    return {
        **{camera: _summary([one for one in cases if one.camera == camera]) for camera in CAMERAS},
        "cases": [asdict(one) for one in cases],
    }


def _summary(cases: Sequence[HalfCase]) -> dict:
    rows = []
    for name, some in (
        ("all answers", list(cases)),
        ("applied", [one for one in cases if one.applied]),
        ("offered", [one for one in cases if not one.applied]),
    ):
        changed, untouched = ([one for one in some if one.changed is wanted] for wanted in (True, False))
        before, after = (np.array([getattr(one, moment) for one in changed]) for moment in ("before", "after"))
        rows.append(
            {
                "answers": name,
                "cases": len(some),
                "before": float(before.mean()) if len(changed) else None,
                "after": float(after.mean()) if len(changed) else None,
                "worse": float((after > before + WORSE_BY).mean()) if len(changed) else None,
                "untouched_moved_by": float(np.mean([one.after for one in untouched])) if untouched else None,
            }
        )
    sure = calibration([one.confidence for one in cases], [one.within for one in cases])
    return {"errors": rows, "calibration": sure}


def print_table(console: Console, cases: Sequence[HalfCase]) -> None:
    found = summary(cases)
    for camera in CAMERAS:
        table = RichTable(
            title=f"Halves of photographs matched to one another, mean CIEDE2000 to the half unchanged; camera {camera}"
        )
        for heading in ("answers", "cases", "before", "after", "worse", "untouched moved by"):
            table.add_column(heading, justify="right")
        for row in found[camera]["errors"]:
            figures = (
                "" if row[name] is None else f"{factor * row[name]:.1f}"
                for name, factor in (("before", 1), ("after", 1), ("worse", 100), ("untouched_moved_by", 1))
            )
            table.add_row(row["answers"], str(row["cases"]), *figures)
        console.print(table)
        print_calibration(console, found[camera]["calibration"])
