"""Learning how far what a camera's other shots needed is to be believed: by halves of photographs under drawn changes."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from rich.console import Console
from rich.table import Table as RichTable

from dovrel.bench import learning, photographs
from dovrel.bench.balancing_photographs import KINDS, as_picture, calibration, print_calibration
from dovrel.bench.matching_photographs import ANEW, LEFT, needs_of
from dovrel.core.balance.belief import Belief, apart, within_tolerance
from dovrel.core.balance.forest import Forest
from dovrel.core.balance.hearing import hear
from dovrel.core.colour import tables
from dovrel.core.match.cue import LEAST_SAID, spoken_for
from dovrel.media.picture import Picture

NEARS = (0.5, 0.7, 1.0, 1.5, 2.0, 3.0)
"""CIEDE2000 over which beliefs are blurred, of which the one is taken that foretells best."""
CHANGES, NEEDS = 6, 4
"""Drawn of each half and kind; and of each change, for a camera left as it was, and for one changed."""


@dataclass(frozen=True)
class Said:
    """What a shot's own light says of its camera's needs, blurred by each of :data:`NEARS`; and whether it truly needs them."""

    photograph: str
    by: tuple[float, ...]
    true: bool


@dataclass(frozen=True)
class Learned:
    """The bandwidth that foretells best, and the logistic function of the log of what is said; how often that is right on
    photographs that it was not learned on, and the mean log loss of each bandwidth there."""

    near: float
    level: float
    slope: float
    right: list[dict]
    losses: dict[float, float]


def run(folder: Path, truth: Path, kept: Path | None) -> Learned:
    """From every photograph below `folder`, each heard by a forest that was learned without it.

    Raises
    ------
    Refused
        If there are hardly any photographs.
    """
    named, examples = learning.photographs_and_examples(folder, truth, kept)
    return learn(learning.rotated(named, examples, _said))


def _said(path: Path, grown: Forest, tables_in: Path | None) -> list[Said]:
    tables.keep_in(tables_in)
    photograph = photographs.read(path)
    random = np.random.default_rng([learning.SEED, *photograph.name.encode()])
    halves = [np.ascontiguousarray(half) for half in np.array_split(photograph.light, 2, axis=1)]
    found = []
    for kind in KINDS:
        finished = kind == KINDS[0]

        def heard(picture: Picture, finished: bool = finished) -> Belief:
            return hear(picture.working, picture.reach, tables.output_table(), finished=finished, grown=grown).belief

        right = [as_picture(kind)(half) for half in halves]
        beliefs = [heard(one) for one in right]
        for side, other in ((0, 1), (1, 0)):
            for _ in range(CHANGES):
                shot = as_picture(kind)(halves[side] * photographs.drawn(random).gains)
                gains = photographs.true_gains(shot, right[side], np.ones(shot.working.shape[:2], bool))
                truly, wanted = Belief(gains[None], np.ones(1)), apart(heard(shot), beliefs[other])
                for camera in (LEFT, ANEW) * NEEDS:
                    needs = needs_of(gains, camera, random)
                    by = tuple(spoken_for(wanted, needs, near) for near in NEARS)
                    found.append(Said(photograph.name, by, within_tolerance(truly, needs) > 0))
    return found


def learn(said: Sequence[Said]) -> Learned:
    """The bandwidth and the function that foretell best, judged on photographs that were left out of learning them."""
    true = np.array([one.true for one in said])
    logs = np.log(np.array([one.by for one in said]) + LEAST_SAID)
    groups = np.array([one.photograph for one in said])
    foretold = np.zeros_like(logs)
    for left_out in learning.folds(groups):
        out = np.isin(groups, list(left_out))
        for n in range(len(NEARS)):
            level, slope = _fitted(logs[~out, n], true[~out])
            foretold[out, n] = _logistic(level + slope * logs[out, n])
    losses = -np.log(np.where(true[:, None], foretold, 1 - foretold).clip(1e-6)).mean(axis=0)
    best = int(np.argmin(losses))
    level, slope = _fitted(logs[:, best], true)
    right = calibration(foretold[:, best].tolist(), true.tolist())
    return Learned(NEARS[best], level, slope, right, dict(zip(NEARS, losses.tolist(), strict=True)))


def _fitted(logs: np.ndarray, true: np.ndarray) -> tuple[float, float]:
    from sklearn.linear_model import LogisticRegression

    fitted = LogisticRegression(C=math.inf).fit(logs[:, None], true)
    return float(fitted.intercept_[0]), float(fitted.coef_[0, 0])


def _logistic(value: np.ndarray) -> np.ndarray:
    return 1 / (1 + np.exp(-value))


def print_table(console: Console, learned: Learned) -> None:
    table = RichTable(title="What a camera's other shots needed, believed by what a shot's own light says of it")
    for heading in ("blurred over", "mean log loss where not learned"):
        table.add_column(heading, justify="right")
    for near, loss in learned.losses.items():
        table.add_row(f"{near:g}", f"{loss:.3f}")
    console.print(table)
    console.print(f"near {learned.near:g}, level {learned.level:.2f}, slope {learned.slope:.2f}")
    print_calibration(console, learned.right)
