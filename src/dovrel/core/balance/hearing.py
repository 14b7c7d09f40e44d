"""What all cues together say of a picture, alone or used with others."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from dovrel.core.balance import chart, statistics
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
from dovrel.core.balance.exposure import scene_stops
from dovrel.core.balance.forest import Forest, learned
from dovrel.core.balance.statistics import Seen, usable_pixels
from dovrel.core.balance.whites import DEFAULT_KEPT_CAST, White, balance_numbers
from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import STOP

SURE_OF_GREY = 0.8
"""Confidence of a thing's greyness from which it goes before what all cues say, as a patch that the user chose does."""
SET_ALIKE = 0.3
"""Stops of near-neutrals' colour as recorded, up to which two shots of a camera pass for taken under one setting and light."""
SURE_OF_NEUTRALS, NEAR_DECIDED, NEAR_WITH_BRIGHTEST = 0.45, 7.0, 12.0
"""Confidence of near-neutrals, and CIEDE2000 about what is decided, from and within which they make it exact: alone, and where
the brightest surfaces show the same light."""
SAME_LIGHT = 0.4
"""How many stops of colour two cues of it may differ."""
ELSEWHERE = 0.9
"""How much of its confidence a chart keeps for another shot of its camera."""
LIT_ALIKE = 0.5
"""How many stops frames of a shot may differ and be lit alike."""
LIGHT_SPREAD = 0.25
"""Stops to which a cue's white is certain, as far as the exposure goes."""


@dataclass(frozen=True)
class Testimony:
    """What one picture says of another's correction: its belief, the light on a chart or card that it shows, and that on its
    near-neutrals, and how bright its middle was recorded, in stops from mid grey."""

    belief: Belief
    grey: White | None = None
    near: White | None = None
    stops: float = 0.0


@dataclass(frozen=True)
class Heard:
    """What all cues together make of one picture.

    Attributes
    ----------
    seen : the picture as they look at it
    numbers : of its cues, see :mod:`dovrel.core.balance.statistics`
    grey : the light on a chart or card that stands in the picture, or in another shot that is heard
    """

    forest: Forest
    seen: Seen
    numbers: np.ndarray
    belief: Belief
    grey: White | None = None

    @property
    def testimony(self) -> Testimony:
        """What it says to others."""
        return Testimony(self.belief, self.grey, self.seen.near, self.stops)

    @property
    def stops(self) -> float:
        """How bright the picture's middle is, in stops from mid grey."""
        return float(np.median(scene_stops(self.seen.sample)))

    def decided(self) -> np.ndarray:
        """The correction to give, gains in stops (3,): its colours drawn halfway to what near-neutrals ask for, if that is near.

        What was learned says about which light it is, near-neutrals then which one exactly, where no chart does. They may ask
        for more where the brightest surfaces bear them out.
        """
        gains, near = decide(self.belief), self.seen.near
        charted = self.grey is not None and self.grey.confidence >= SURE_OF_GREY
        if charted or near is None or near.confidence < SURE_OF_NEUTRALS or not gains.any():
            return gains
        stops = float(exposure_of(gains))
        asked = np.asarray(balance_numbers(near.chroma, stops, DEFAULT_KEPT_CAST).offset) / STOP
        bright = self.seen.by_brightest
        borne_out = bright is not None and math.dist(bright.chroma, near.chroma) <= SAME_LIGHT
        if distance(asked - gains) > (NEAR_WITH_BRIGHTEST if borne_out else NEAR_DECIDED):
            return gains
        drawn = (gains + asked) / 2
        return drawn - exposure_of(drawn) + stops

    def sure(self, gains: np.ndarray) -> float:
        """How often such an answer is right, 0..1."""
        return self.forest.sure(within_tolerance(self.belief, gains))


@dataclass(frozen=True)
class Others:
    """What other pictures say that are used with one: further frames of its shot, which need the same correction, and
    its camera's other shots of the place, which need the same colours.

    Attributes
    ----------
    frames : what they say; shots : names with what they say
    """

    frames: tuple[Testimony, ...] = ()
    shots: tuple[tuple[str, Testimony], ...] = ()


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
    """What a picture's cues say; parameters as of :func:`propose`. A chart or card is looked for in all of it."""
    grown = grown or learned()
    seen = statistics.look_at(working, recorded, table, finished=finished, metered=metered)
    numbers = statistics.describe(seen)
    heard = Heard(grown, seen, numbers, grown.belief(numbers))
    if metered is None and seen.near and (grey := chart.find_white(working, usable_pixels(recorded), seen.near)):
        heard = _with_grey(heard, grey)
    return heard


def _with_grey(heard: Heard, grey: White) -> Heard:
    """Believe a chart or card as far as it is known to be one; the others say the exposure."""
    told = with_white(heard.belief, np.asarray(grey.chroma), LIGHT_SPREAD)
    return replace(heard, belief=mixed(heard.belief, told, grey.confidence), grey=grey)


def with_others(heard: Heard, others: Others) -> tuple[Heard, str]:
    """What a picture says when others are used with it, and a sentence of who was heard and who disagrees.

    Frames of the shot that were lit alike show much the same, so their beliefs are averaged.
    Of the camera's other shots those are heard whose near-neutrals were recorded alike: for others its settings were changed, or the
    light had changed.
    """
    belief = heard.belief
    frames = [frame for frame in others.frames if _lit_alike(frame, heard)]
    for count, frame in enumerate(frames, 1):
        belief = mixed(belief, frame.belief, 1 / (count + 1))
    alike = [(name, shot) for name, shot in others.shots if _set_alike(shot, heard)]
    for _, shot in alike:
        belief = leaning(belief, shot.belief, colour_only=True)
    together = replace(heard, belief=belief)
    if not heard.grey and (chart_elsewhere := next(filter(None, (_serving(*one) for one in alike)), None)):
        together = _with_grey(together, chart_elsewhere)
    gains = decide(together.belief)
    against = [name for name, shot in alike if disagrees(shot.belief, gains, colour_only=True)]
    said = []
    if frames:
        said.append(f"{len(frames)} more {'frame' if len(frames) == 1 else 'frames'} of the shot")
    if alike:
        said.append(f"{len(alike)} more {'shot' if len(alike) == 1 else 'shots'} of its camera here")
    words = [f"used with {' and '.join(said)}"] if said else []
    if len(frames) < len(others.frames):
        words.append("the light changes within the shot")
    if against:
        words.append(f"{_named(against)} {'asks' if len(against) == 1 else 'ask'} for other colours")
    if otherwise := [name for name, shot in others.shots if not _set_alike(shot, heard)]:
        words.append(f"{_named(otherwise)} recorded under another light or setting")
    return together, "; ".join(words)


def _named(names: list[str]) -> str:
    return ", ".join(names[:4])


def _set_alike(shot: Testimony, heard: Heard) -> bool:
    here, there = heard.seen.near, shot.near
    return bool(here and there and math.dist(here.chroma, there.chroma) <= SET_ALIKE)


def _lit_alike(frame: Testimony, heard: Heard) -> bool:
    """Whether another frame of the shot was recorded under the same light, as bright."""
    return _set_alike(frame, heard) and abs(frame.stops - heard.stops) <= LIT_ALIKE


def _serving(name: str, shot: Testimony) -> White | None:
    """The chart in another shot, as far as it serves for this one too; None if it shows none."""
    if shot.grey is None or shot.grey.confidence < SURE_OF_GREY:
        return None
    sure = max(ELSEWHERE * shot.grey.confidence, SURE_OF_GREY)
    return replace(shot.grey, name=f"the chart in {name}", confidence=sure)
