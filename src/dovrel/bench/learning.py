"""Learning what pictures need from pictures whose answer is known.

From photographs that are taken to be right as they are, under changes drawn by chance, and from the demo's true
answers under the same. Everything is drawn by fixed seeds: the same pictures give the same forest.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Mapping, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import TypeVar

import numpy as np

from dovrel.bench import photographs
from dovrel.bench.matching import true_answer
from dovrel.core.balance import forest, statistics
from dovrel.core.balance.belief import decide, within_tolerance
from dovrel.core.balance.forest import Forest
from dovrel.core.colour import tables
from dovrel.core.colour.working import STOP
from dovrel.core.develop.frame import display_of
from dovrel.errors import Refused
from dovrel.media.picture import Picture

Found = TypeVar("Found")
DRAWS = 84
"""Examples of a photograph."""
DRAWS_OF_DEMO = 56
TREES, LEAST_IN_LEAF, TRIED = 40, 4, 0.8
SEED = 20
LEAST_PHOTOGRAPHS = 8
STEPS = 12
"""Of the table that says how often answers come true."""


@dataclass(frozen=True)
class Example:
    """A picture's numbers, and the gains in stops (3,) that are right for it; `group` is what it was made from."""

    group: str
    numbers: np.ndarray
    gains: np.ndarray


def of_photographs(paths: Sequence[Path]) -> list[Example]:
    """Examples of every photograph, made on as many processes as there are cores."""
    return _made(partial(_of_photograph, tables_in=tables.kept_in()), paths)


def of_demo(truth: Path) -> list[Example]:
    """Examples of the demo's true answers; a family is one group."""
    entries = json.loads((truth / "truth.json").read_text())
    return _made(partial(_of_answer, truth=truth, tables_in=tables.kept_in()), entries)


def photographs_and_examples(folder: Path, truth: Path, file: Path | None) -> tuple[dict[str, Path], list[Example]]:
    """The photographs below a folder by name, and examples of these and of the demo, see :func:`kept`.

    Raises
    ------
    Refused
        If there are hardly any photographs.
    """
    paths = photographs.find(folder)
    if len(paths) < LEAST_PHOTOGRAPHS:
        names = " ".join(photographs.PACKAGES)
        raise Refused(f"{folder} holds {len(paths)} of the photographs; install the Debian packages {names}")
    examples = kept(file, lambda: [*of_photographs(paths), *of_demo(truth)])
    return {photographs.name_of(path): path for path in paths}, examples


def kept(file: Path | None, make: Callable[[], list[Example]]) -> list[Example]:
    """Examples from a file; made and kept there if it is not there. Making them takes minutes."""
    if file and file.is_file():
        with np.load(file) as held:
            rows = zip(held["groups"], held["numbers"], held["gains"], strict=True)
            return [Example(str(group), numbers, gains) for group, numbers, gains in rows]
    made = make()
    if file:
        groups = np.array([one.group for one in made])
        numbers, gains = (np.array([getattr(one, name) for one in made]) for name in ("numbers", "gains"))
        np.savez_compressed(file, groups=groups, numbers=numbers, gains=gains)
    return made


def _made(work: Callable[..., list[Example]], of: Sequence) -> list[Example]:
    with ProcessPoolExecutor() as pool:
        return [example for examples in pool.map(work, of) for example in examples]


def _of_photograph(path: Path, tables_in: Path | None) -> list[Example]:
    tables.keep_in(tables_in)
    photograph = photographs.read(path)
    random = np.random.default_rng([SEED, *photograph.name.encode()])
    found = []
    for _, crop in zip(range(DRAWS), photographs.crops(photograph.light, random), strict=False):
        gains = photographs.drawn(random).gains
        kind = random.random()
        if kind < 0.5:
            right, changed = photographs.finished(crop), photographs.finished(crop * gains)
        elif kind < 0.85:
            right, changed = photographs.logged(crop), photographs.logged(crop * gains)
        else:
            right, changed = photographs.regraded(crop, gains)
        found.append(_example(photograph.name, changed, right, finished=kind < 0.5))
    return [one for one in found if one]


def _of_answer(entry: dict, truth: Path, tables_in: Path | None) -> list[Example]:
    tables.keep_in(tables_in)
    answer = true_answer(entry, truth)
    random = np.random.default_rng([SEED, *entry["file"].encode()])
    found = []
    light = photographs.light_of(display_of(answer.working, [], tables.output_table()))
    for _ in range(DRAWS_OF_DEMO):
        gains = photographs.drawn(random).gains
        finished = random.random() < 0.5
        if finished:
            right, changed = photographs.finished(light), photographs.finished(light * gains)
        else:
            right = photographs.recorded(answer.working)
            changed = photographs.recorded(answer.working + (np.log2(gains) * STOP).astype(np.float32))
        found.append(_example(entry["family"], changed, right, finished=finished))
    return [one for one in found if one]


def _example(group: str, changed: Picture, right: Picture, *, finished: bool) -> Example | None:
    seen = statistics.look_at(changed.working, changed.reach, tables.output_table(), finished=finished)
    usable = statistics.usable_pixels(changed.reach)
    if usable.sum() < statistics.LEAST_USABLE:
        return None
    return Example(group, statistics.describe(seen), photographs.true_gains(changed, right, usable))


def learn(examples: Sequence[Example], confidence: np.ndarray | None = None) -> Forest:
    """A forest of extremely randomised trees (Geurts, Ernst and Wehenkel 2006) over examples."""
    from sklearn.ensemble import ExtraTreesRegressor

    numbers = np.array([one.numbers for one in examples], np.float32)
    gains = np.array([one.gains for one in examples])
    grower = ExtraTreesRegressor(
        TREES, min_samples_leaf=LEAST_IN_LEAF, max_features=TRIED, n_jobs=-1, random_state=SEED
    ).fit(numbers, gains)
    trees = []
    for one in grower.estimators_:
        nodes = one.tree_  # its nodes lie depth first, the left one next
        number = np.where(nodes.children_left < 0, -1, nodes.feature).astype(np.int16)
        parts = number, nodes.threshold.astype(np.float16), nodes.children_right.astype(np.int16)
        trees.append(forest.grown(*parts, forest.leaves(*parts, numbers), gains))
    said = np.array([[0.0, 0.0], [1.0, 1.0]]) if confidence is None else confidence
    return Forest(tuple(trees), gains, tuple(statistics.cues()), said)


def folds(groups: Iterable[str], parts: int = 11) -> list[set[str]]:
    """Groups parted into so many, for each to be left out once."""
    names = sorted(set(groups))
    np.random.default_rng(SEED).shuffle(names)
    return [set(map(str, part)) for part in np.array_split(names, min(parts, len(names)))]


def rotated(
    named: Mapping[str, Path],
    examples: Sequence[Example],
    judge: Callable[[Path, Forest, Path | None], list[Found]],
    confidence: np.ndarray | None = None,
) -> list[Found]:
    """What `judge` finds on each photograph by a forest that was learned without it; it runs in processes of its own."""
    waiting: list[Future[list[Found]]] = []
    with ProcessPoolExecutor() as pool:
        for left_out in folds(named):
            grown = learn([one for one in examples if one.group not in left_out], confidence)
            waiting += [pool.submit(judge, named[name], grown, tables.kept_in()) for name in sorted(left_out)]
        return [found for one in waiting for found in one.result()]


def calibrated(examples: Sequence[Example]) -> np.ndarray:
    """How often answers came true on groups left out, against how likely the forest called them: (m, 2), rising."""
    said, true = [], []
    for left_out in folds(one.group for one in examples):
        grown = learn([one for one in examples if one.group not in left_out])
        for one in examples:
            if one.group in left_out:
                belief = grown.belief(one.numbers)
                given = decide(belief)
                said.append(within_tolerance(belief, given))
                true.append(within_tolerance(type(belief)(one.gains[None], np.ones(1)), given))
    order = np.argsort(said)
    parts = np.array_split(order, STEPS)
    means = np.array([[np.mean(np.array(values)[part]) for values in (said, true)] for part in parts])
    rising = np.maximum.accumulate(means[:, 1])
    return np.column_stack(
        [np.concatenate([[0], means[:, 0], [1]]), np.concatenate([[rising[0]], rising, [rising[-1]]])]
    )
