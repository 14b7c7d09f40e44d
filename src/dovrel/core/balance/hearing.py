"""What all witnesses together say of a picture, alone or heard with others."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dovrel.core.balance import statistics, whites
from dovrel.core.balance.belief import Belief, decide, disagrees, distance, exposure_of, leaning, within_tolerance
from dovrel.core.balance.forest import Forest, learned
from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import STOP
from dovrel.core.measure.sampled import take_sample

FAR_LIGHT = 9.0
"""CIEDE2000 of colour that near-neutrals ask for, from which they are believed beside all that was learned."""
FAR_TRUST, MOST_TRUST = 1.5, 0.95
"""How much then, in parts of their confidence, and at most."""


@dataclass(frozen=True)
class Heard:
    """What all witnesses together make of one picture.

    Attributes
    ----------
    numbers : of its witnesses, see :mod:`dovrel.core.balance.statistics`
    surest : what no answer is surer than
    """

    forest: Forest
    numbers: np.ndarray
    belief: Belief
    surest: float = 1.0

    def sure(self, gains: np.ndarray) -> float:
        """How often such an answer is right, 0..1."""
        return min(self.surest, self.forest.sure(within_tolerance(self.belief, gains)))


@dataclass(frozen=True)
class Others:
    """What other pictures say that are heard with one: further frames of its shot, which need the same correction, and
    its camera's other shots of the place, which need the same colours.

    Attributes
    ----------
    frames : beliefs; shots : names with their beliefs
    """

    frames: tuple[Belief, ...] = ()
    shots: tuple[tuple[str, Belief], ...] = ()


ALONE = Others()


def hear(
    working: np.ndarray,
    recorded: np.ndarray,
    table: Table,
    *,
    finished: bool = False,
    metered: np.ndarray | None = None,
    grown: Forest | None = None,
) -> Heard:
    """What a picture's witnesses say; parameters as of :func:`propose`."""
    grown = grown or learned()
    numbers = statistics.describe(statistics.look_at(working, recorded, table, finished=finished, metered=metered))
    heard = Heard(grown, numbers, grown.belief(numbers))
    return heard if finished else _with_far_light(heard, working, recorded, metered)


def _with_far_light(heard: Heard, working: np.ndarray, recorded: np.ndarray, metered: np.ndarray | None) -> Heard:
    """Hold for likely, too, a light far off that near-neutrals show.

    A camera that was set to another light records one that is like hardly any that was learned from. A finished picture
    was seen by somebody, who would not have left it so.
    """
    usable = statistics.usable_pixels(recorded) & (True if metered is None else metered)
    near = whites.near_neutrals(take_sample(working[usable], 8000)) if usable.any() else None
    if near is None:
        return heard
    belief = heard.belief
    stops = float(exposure_of(belief.mean))
    gains = np.asarray(whites.balance_numbers(near.chroma, stops, whites.DEFAULT_KEPT_CAST).offset) / STOP
    if distance(gains - stops) < FAR_LIGHT:
        return heard
    share = min(MOST_TRUST, FAR_TRUST * near.confidence)
    weights = np.append(belief.weights * (1 - share), share)
    return replace(heard, belief=Belief(np.vstack([belief.gains, gains]), weights), surest=near.confidence)


def with_others(heard: Heard, others: Others) -> tuple[Heard, str]:
    """What a picture says when others are heard with it, and a sentence of who was heard and who disagrees."""
    belief = heard.belief
    for frame in others.frames:
        belief = leaning(belief, frame)
    for _, shot in others.shots:
        belief = leaning(belief, shot, colour_only=True)
    together = replace(heard, belief=belief)
    gains = decide(belief)
    against = [name for name, shot in others.shots if disagrees(shot, gains, colour_only=True)]
    said = []
    if others.frames:
        said.append(f"{len(others.frames)} more frames of the shot")
    if others.shots:
        said.append(f"{len(others.shots)} more shots of its camera here")
    words = f"heard with {' and '.join(said)}" if said else ""
    if against:
        words += f"; {', '.join(against[:4])} {'asks' if len(against) == 1 else 'ask'} for other colours"
    return together, words
