"""Hue turns, a kind of step: chosen hues turned, made stronger or weaker, lighter or darker.

A spoke stands at a hue and reaches to both sides by its width, falling off as a squared cosine. All is done in the opponent
space of :mod:`dovrel.core.steps.opponent`, so that greys stay exactly grey and a stop more or less of light changes nothing.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import ClassVar, Literal

import numpy as np

from dovrel.core.colour.working import STOP
from dovrel.core.steps import opponent
from dovrel.errors import Refused

MOST_SPOKES = 24
NARROWEST, WIDEST = 5.0, 180.0
STRONGEST = 4.0
LIGHTEST = 3.0
FURTHEST = 120.0
_HUES = np.arange(0.0, 360.0, 0.5)
_LEAST_RISE = 0.05
"""Of the way round the circle, what turned hues go on by at least: less would lay some over others."""


@dataclass(frozen=True)
class Spoke:
    """What is done about one hue.

    Attributes
    ----------
    hue : degrees 0..360 (:func:`opponent.hue_of`)
    width : degrees to either side at which nothing is done any more, 5..180
    turn : how many degrees the hue turns, -120..120
    colour : times its depth of colour, 0..4
    lightness : stops, -3..3

    Raises
    ------
    Refused
        If a number is not finite or beyond its range.
    """

    hue: float
    width: float = 40.0
    turn: float = 0.0
    colour: float = 1.0
    lightness: float = 0.0

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if not np.isfinite((self.hue, self.width, self.turn, self.colour, self.lightness)).all():
            raise Refused("the numbers of a spoke must all be finite")
        if not 0 <= self.hue < 360:
            raise Refused(f"a spoke stands at a hue of 0 to 360 degrees, not at {self.hue:g}")
        if not NARROWEST <= self.width <= WIDEST:
            raise Refused(f"a spoke reaches {NARROWEST:g} to {WIDEST:g} degrees to either side, not {self.width:g}")
        if abs(self.turn) > FURTHEST:
            raise Refused(f"a spoke turns its hue by {FURTHEST:g} degrees at most, not {self.turn:g}")
        if not 0 <= self.colour <= STRONGEST:
            raise Refused(f"a spoke's colour lies between 0 and {STRONGEST:g} times, not at {self.colour:g}")
        if abs(self.lightness) > LIGHTEST:
            raise Refused(f"a spoke's lightness is {LIGHTEST:g} stops at most, not {self.lightness:g}")

    @property
    def is_identity(self) -> bool:
        return self.turn == 0 and self.colour == 1 and self.lightness == 0

    def weight(self, hue: np.ndarray) -> np.ndarray:
        """How far it is felt at hues (degrees), 0..1."""
        away = np.abs((np.asarray(hue, np.float64) - self.hue + 180.0) % 360.0 - 180.0)
        return np.where(away < self.width, np.cos(np.pi / 2 * np.minimum(away / self.width, 1.0)) ** 2, 0.0)

    def at_strength(self, part: float) -> Spoke:
        """A part of it, 0..1."""
        return replace(
            self, turn=part * self.turn, colour=1 + part * (self.colour - 1), lightness=part * self.lightness
        )


@dataclass(frozen=True)
class HueTurns:
    """Spokes round the hue circle; where two reach one hue, both are felt.

    Raises
    ------
    Refused
        If there are too many, or they would turn one hue past another.
    """

    spokes: tuple[Spoke, ...] = ()
    kind: Literal["hues"] = field(default="hues", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if len(self.spokes) > MOST_SPOKES:
            raise Refused(f"there are at most {MOST_SPOKES} spokes, not {len(self.spokes)}")
        if not any(spoke.turn for spoke in self.spokes):
            return
        turns = self.done_at(_HUES)[0]
        rise = np.diff(np.append(turns, turns[0])) / (_HUES[1] - _HUES[0]) + 1
        if rise.min() < _LEAST_RISE:
            hue = _HUES[int(rise.argmin())]
            raise Refused(f"hues about {hue:.0f}° would be turned past each other; turn less, or make the spoke wider")

    @property
    def is_identity(self) -> bool:
        return all(spoke.is_identity for spoke in self.spokes)

    def as_array(self) -> np.ndarray:
        """All its numbers, one after another, float64."""
        return np.array(
            [0.0, *(n for s in self.spokes for n in (s.hue, s.width, s.turn, s.colour, s.lightness))], np.float64
        )

    def done_at(self, hue: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """What is done at hues (degrees): turn in degrees, times of colour, stops of lightness; float64 each."""
        turn, colour, lightness = np.zeros(np.shape(hue)), np.ones(np.shape(hue)), np.zeros(np.shape(hue))
        for spoke in self.spokes:
            weight = spoke.weight(hue)
            turn = turn + weight * spoke.turn
            colour = colour * (1 + weight * (spoke.colour - 1))
            lightness = lightness + weight * spoke.lightness
        return turn, colour, lightness

    def between(self, other: HueTurns, part: float) -> HueTurns:
        """`part` (0..1) of the way to another: spokes that stand alike go on number by number, the others come and go."""
        here = {(spoke.hue, spoke.width): spoke for spoke in self.spokes}
        there = {(spoke.hue, spoke.width): spoke for spoke in other.spokes}
        found = []
        for place in [*here, *(key for key in there if key not in here)][:MOST_SPOKES]:
            plain = Spoke(*place)
            one, two = here.get(place, plain), there.get(place, plain)
            found.append(
                replace(
                    plain,
                    turn=one.turn + part * (two.turn - one.turn),
                    colour=one.colour + part * (two.colour - one.colour),
                    lightness=one.lightness + part * (two.lightness - one.lightness),
                )
            )
        return HueTurns(tuple(found))

    def apply(self, working: np.ndarray) -> np.ndarray:
        """Turn, strengthen and lighten colours by their hue.

        Parameters
        ----------
        working : float array (..., 3), working values

        Returns
        -------
        float64 array (..., 3)
        """
        level, colour = opponent.split(working)
        turn, strength, lightness = self.done_at(opponent.hue_of(colour))
        level = level + STOP * lightness * opponent.coloured(opponent.depth_of(colour))
        return opponent.joined(level, opponent.turned(colour, turn) * strength[..., None])
