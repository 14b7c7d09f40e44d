"""A forest of decision trees that says which pictures, of those it learned from, one is like.

Learned by :mod:`dovrel.bench.learning`. A leaf holds the pictures that came to it; a new picture is like
those that share its leaves (Meinshausen 2006), and so has a distribution over their corrections.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from pathlib import Path

import numpy as np

from dovrel.core.balance.belief import Belief

LEARNED = Path(__file__).with_name("learned.npz")


@dataclass(frozen=True)
class Tree:
    """A tree's nodes, the first its root, each before those under it.

    Attributes
    ----------
    number : int16 (m,), which of a picture's numbers is asked; -1 in a leaf
    threshold : float16 (m,), up to which it goes left, to the next node; right : int16 (m,), where it goes else
    leaf_of : int16 (n,), the leaf of each learned picture
    means : float64 (m, 3), the mean correction of the learned pictures that came through a node
    """

    number: np.ndarray
    threshold: np.ndarray
    right: np.ndarray
    leaf_of: np.ndarray
    means: np.ndarray

    def path(self, numbers: np.ndarray) -> list[int]:
        """The nodes that a picture's numbers (k,) go through, from root to leaf."""
        nodes = [0]
        while self.number[nodes[-1]] >= 0:
            at = nodes[-1]
            nodes.append(at + 1 if numbers[self.number[at]] <= self.threshold[at] else int(self.right[at]))
        return nodes


@dataclass(frozen=True)
class Forest:
    """Trees over learned pictures.

    Attributes
    ----------
    gains : float64 (n, 3), the corrections of the learned pictures, in stops
    cues : which cue each of a picture's numbers is part of
    confidence : float64 (m, 2), rising: a likelihood that the forest says, and what it came to on pictures left out
    """

    trees: tuple[Tree, ...]
    gains: np.ndarray
    cues: tuple[str, ...]
    confidence: np.ndarray

    def belief(self, numbers: np.ndarray) -> Belief:
        """What the correction of a picture with these numbers (k,) may be."""
        weights = np.zeros(len(self.gains))
        for tree in self.trees:
            like = tree.leaf_of == tree.path(numbers)[-1]
            weights[like] += 1.0 / max(like.sum(), 1)
        told = np.flatnonzero(weights)
        return Belief(self.gains[told], weights[told] / weights.sum())

    def sure(self, said: float) -> float:
        """How often answers that are said to be so likely came true, 0..1."""
        return float(np.interp(said, self.confidence[:, 0], self.confidence[:, 1]))

    def moved_by(self, numbers: np.ndarray) -> dict[str, np.ndarray]:
        """How far each cue moved the mean correction from that of all learned pictures, gains in stops (3,) each.

        Along a tree's path every question moves the mean of those that are left (Saabas 2014).
        """
        moved = {cue: np.zeros(3) for cue in self.cues}
        for tree in self.trees:
            nodes = tree.path(numbers)
            for at, then in pairwise(nodes):
                moved[self.cues[tree.number[at]]] += (tree.means[then] - tree.means[at]) / len(self.trees)
        return moved


def grown(number: np.ndarray, threshold: np.ndarray, right: np.ndarray, leaf_of: np.ndarray, gains: np.ndarray) -> Tree:
    """A tree of these nodes over learned pictures, see :class:`Tree`."""
    sums = np.zeros((len(number), 3))
    count = np.bincount(leaf_of, minlength=len(number)).astype(np.float64)
    np.add.at(sums, leaf_of, gains)
    for at in range(len(number) - 1, -1, -1):
        if number[at] >= 0:
            sums[at] = sums[at + 1] + sums[right[at]]
            count[at] = count[at + 1] + count[right[at]]
    return Tree(number, threshold, right, leaf_of, sums / np.maximum(count, 1)[:, None])


def leaves(number: np.ndarray, threshold: np.ndarray, right: np.ndarray, numbers: np.ndarray) -> np.ndarray:
    """The leaf, int16 (n,), that each of several pictures' numbers (n, k) comes to."""
    at = np.zeros(len(numbers), np.int16)
    while (open_ := number[at] >= 0).any():
        asked = numbers[np.arange(len(at)), np.maximum(number[at], 0)] <= threshold[at]
        at = np.where(open_, np.where(asked, at + 1, right[at]), at).astype(np.int16)
    return at


@lru_cache(maxsize=1)
def learned() -> Forest:
    """The forest that ships with Dovrel."""
    return load(LEARNED)


def load(path: Path) -> Forest:
    """A forest as :func:`save` wrote it."""
    with np.load(path) as kept:
        gains, ends = kept["gains"].astype(np.float64), kept["ends"]
        number, threshold, right = (np.split(kept[name], ends[:-1]) for name in ("number", "threshold", "right"))
        parts = zip(number, threshold, right, kept["leaf_of"], strict=True)
        trees = tuple(grown(*part, gains) for part in parts)
        return Forest(trees, gains, tuple(str(name) for name in kept["cues"]), kept["confidence"].astype(np.float64))


def save(forest: Forest, path: Path) -> None:
    """Write a forest, some hundred kilobytes."""

    def joined(name: str, kind: type) -> np.ndarray:
        return np.concatenate([getattr(tree, name) for tree in forest.trees]).astype(kind)

    np.savez_compressed(
        path,
        number=joined("number", np.int16),
        threshold=joined("threshold", np.float16),
        right=joined("right", np.int16),
        ends=np.cumsum([len(tree.number) for tree in forest.trees]),
        leaf_of=np.stack([tree.leaf_of for tree in forest.trees]).astype(np.int16),
        gains=forest.gains.astype(np.float32),
        cues=np.array(forest.cues),
        confidence=forest.confidence.astype(np.float32),
    )
