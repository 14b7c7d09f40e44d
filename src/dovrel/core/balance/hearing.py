"""What all witnesses together say of a picture, alone or heard with others."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dovrel.core.balance import chart, statistics, whites
from dovrel.core.balance.belief import (
    Belief,
    decide,
    disagrees,
    distance,
    exposure_of,
    leaning,
    mixed,
    with_white,
    within_tolerance,
)
from dovrel.core.balance.forest import Forest, learned
from dovrel.core.balance.statistics import Seen, usable_pixels
from dovrel.core.balance.whites import White
from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import STOP

SURE_OF_GREY = 0.8
"""Confidence of a thing's greyness from which it goes before what all witnesses say, as a patch that the user chose does."""
FAR_LIGHT = 9.0
"""CIEDE2000 of colour that near-neutrals ask for, from which they are believed beside all that was learned."""
FAR_TRUST, MOST_TRUST = 1.5, 0.95
"""How much then, in parts of their confidence, and at most."""
LIGHT_SPREAD = 0.25
"""Stops to which a witness's white is certain, as far as the exposure goes."""


@dataclass(frozen=True)
class Said:
    """What one picture says of another's correction: its belief, and the light on a chart or card that it shows."""

    belief: Belief
    grey: White | None = None


@dataclass(frozen=True)
class Heard:
    """What all witnesses together make of one picture.

    Attributes
    ----------
    seen : the picture as they look at it
    numbers : of its witnesses, see :mod:`dovrel.core.balance.statistics`
    grey : the light on a chart or card that stands in the picture
    surest : what no answer is surer than
    """

    forest: Forest
    seen: Seen
    numbers: np.ndarray
    belief: Belief
    grey: White | None = None
    surest: float = 1.0

    @property
    def said(self) -> Said:
        """What it says to others."""
        return Said(self.belief, self.grey)

    def sure(self, gains: np.ndarray) -> float:
        """How often such an answer is right, 0..1."""
        return min(self.surest, self.forest.sure(within_tolerance(self.belief, gains)))


@dataclass(frozen=True)
class Others:
    """What other pictures say that are heard with one: further frames of its shot, which need the same correction, and
    its camera's other shots of the place, which need the same colours.

    Attributes
    ----------
    frames : what they say; shots : names with what they say
    """

    frames: tuple[Said, ...] = ()
    shots: tuple[tuple[str, Said], ...] = ()


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
    """What a picture's witnesses say; parameters as of :func:`propose`. A chart or card is looked for in all of it."""
    grown = grown or learned()
    seen = statistics.look_at(working, recorded, table, finished=finished, metered=metered)
    numbers = statistics.describe(seen)
    heard = Heard(grown, seen, numbers, grown.belief(numbers))
    if not finished:
        heard = _with_far_light(heard)
    if metered is None and seen.near and (grey := chart.find_white(working, usable_pixels(recorded), seen.near)):
        heard = _with_grey(heard, grey)
    return heard


def _with_far_light(heard: Heard) -> Heard:
    """Hold for likely, too, a light far off that near-neutrals show.

    A camera that was set to another light records one that is like hardly any that was learned from. A finished picture
    was seen by somebody, who would not have left it so.
    """
    near, belief = heard.seen.near, heard.belief
    if near is None:
        return heard
    stops = float(exposure_of(belief.mean))
    gains = np.asarray(whites.balance_numbers(near.chroma, stops, whites.DEFAULT_KEPT_CAST).offset) / STOP
    if distance(gains - stops) < FAR_LIGHT:
        return heard
    share = min(MOST_TRUST, FAR_TRUST * near.confidence)
    return replace(heard, belief=mixed(belief, Belief(gains[None], np.ones(1)), share), surest=near.confidence)


def _with_grey(heard: Heard, grey: White) -> Heard:
    """Believe a chart or card as far as it is known to be one; the others say the exposure."""
    told = with_white(heard.belief, np.asarray(grey.chroma), LIGHT_SPREAD)
    return replace(heard, belief=mixed(heard.belief, told, grey.confidence), grey=grey)


def with_others(heard: Heard, others: Others) -> tuple[Heard, str]:
    """What a picture says when others are heard with it, and a sentence of who was heard and who disagrees."""
    belief = heard.belief
    for frame in others.frames:
        belief = leaning(belief, frame.belief)
    for _, shot in others.shots:
        belief = leaning(belief, shot.belief, colour_only=True)
    together = replace(heard, belief=belief)
    charted = next(((name, shot.grey) for name, shot in others.shots if _serves(shot, heard)), None)
    if charted and charted[1]:
        together = replace(_with_grey(together, charted[1]), grey=heard.grey)
    gains = decide(together.belief)
    against = [name for name, shot in others.shots if disagrees(shot.belief, gains, colour_only=True)]
    said = []
    if others.frames:
        said.append(f"{len(others.frames)} more frames of the shot")
    if others.shots:
        said.append(f"{len(others.shots)} more shots of its camera here")
    words = f"heard with {' and '.join(said)}" if said else ""
    if charted:
        words += f"; the chart in {charted[0]} says the white"
    if against:
        words += f"; {', '.join(against[:4])} {'asks' if len(against) == 1 else 'ask'} for other colours"
    return together, words


def _serves(shot: Said, heard: Heard) -> bool:
    """Whether a chart in another shot says the white of this one: it shows none itself, and nothing in it speaks against."""
    if shot.grey is None or shot.grey.confidence < SURE_OF_GREY or heard.grey:
        return False
    told = with_white(heard.belief, np.asarray(shot.grey.chroma), LIGHT_SPREAD)
    return not disagrees(heard.belief, told.mean, colour_only=True)
