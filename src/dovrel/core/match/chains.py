"""Which shots of a family meet, and each one's link path to the reference."""

from __future__ import annotations

import heapq
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from dovrel.core.match.link import Ends, Link

EACH_LINK = 0.9
"""What is left of confidence by every further link, however much is shared."""
_CELLS, _TONES = 9, 0.17
"""Of 24 fields of the picture, and working values, that a link spans, from which on it says hardly more."""
_ENOUGH, _ENOUGH_AGREEING = 80, 15
"""Pairs from which on a link says hardly more: where its colours say nothing of whether it is true, and where they go together."""
_AGREEING = 0.6, 0.9
"""Parts of the colours' variation, in stops, that go together in both frames where hardly any and where all pairs are true."""


@dataclass(frozen=True)
class Hanging:
    """How a shot is linked to the reference.

    Attributes
    ----------
    shots : from the shot itself to the reference, both included
    trust : how far what comes along the chain is trusted, 0..1
    """

    shots: tuple[int, ...]
    trust: float

    @property
    def links(self) -> list[Ends]:
        """Its links, from the shot on."""
        return [ends_of(one, other) for one, other in zip(self.shots, self.shots[1:], strict=False)]


def ends_of(one: int, other: int) -> Ends:
    """Two shots as the ends of a link."""
    return (one, other) if one < other else (other, one)


def trust_of(link: Link) -> float:
    """How far a link is trusted, 0..1.

    By how many pairs it has, by whether their colours go together, as those of false points do not, and by how far they are
    spread over the picture and over tones.
    """
    across, down = (link.places * (6, 4)).astype(int).T
    cells = np.unique(across + 100 * down)
    tones = np.ptp(np.percentile(link.one.mean(axis=1), [5, 95]))
    spread = min(1.0, len(cells) / _CELLS) * min(1.0, tones / _TONES)
    true = float(np.clip((link.agreement - _AGREEING[0]) / (_AGREEING[1] - _AGREEING[0]), 0, 1))
    enough = _ENOUGH + (_ENOUGH_AGREEING - _ENOUGH) * true
    return float((1 - np.exp(-link.found / enough)) * (0.35 + 0.65 * max(spread, 0.5 * true)))


def chains_to(reference: int, shots: int, links: Mapping[Ends, Link]) -> list[Hanging | None]:
    """The most trusted chain of each shot to the reference, in the order of their numbers; None where there is none."""
    near: list[list[tuple[int, float]]] = [[] for _ in range(shots)]
    for ends, link in links.items():
        trust = EACH_LINK * trust_of(link)
        for here, there in (ends, ends[::-1]):
            near[here].append((there, trust))
    found: list[Hanging | None] = [None] * shots
    waiting: list[tuple[float, int, tuple[int, ...]]] = [(-1.0, reference, (reference,))]
    while waiting:
        trust, shot, way = heapq.heappop(waiting)
        if found[shot] is not None:
            continue
        # The reference's own link costs nothing more than what it shares.
        found[shot] = Hanging(way, min(1.0, -trust / EACH_LINK) if shot != reference else 1.0)
        for there, share in near[shot]:
            if found[there] is None:
                heapq.heappush(waiting, (trust * share, there, (there, *way)))
    return found
