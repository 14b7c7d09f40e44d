"""Live updates and playing with picks and areas: a row for each, and for all of them together."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.develop import lattice
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.curves import Curve, Curves
from dovrel.core.steps.hue_turns import HueTurns, Spoke
from dovrel.core.steps.pick import Pick, Sample
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.selection import Selection
from dovrel.core.steps.shapes import Ellipse

_LESS, _COOLER = Primary(saturation=0.7), Primary(offset=(-0.02, 0.0, 0.02))
_PLACES = {"apron": (0.36, 0.6), "door": (0.16, 0.4)}
"""Of the shot that is timed."""


def _at(packed: np.ndarray, place: tuple[float, float]) -> Sample:
    height, width = packed.shape[:2]
    return Sample.of(codes.unpack(packed[int(place[1] * height), int(place[0] * width)]))


def cases_of(packed: np.ndarray) -> dict[str, Chain]:
    """What comes after the ten numbers that a hand moves: picks of two colours, soft areas over a third of the picture each."""
    apron, door = (_at(packed, place) for place in _PLACES.values())
    pick = Selection((_LESS,), pick=Pick((apron,), (door,), 0.01, 0.015))
    clean = Selection((_COOLER,), pick=Pick((door,), (apron,), 0.008, 0.015, specks=0.002, holes=0.003, edge=0.006))
    left = Selection((_COOLER,), shapes=(Ellipse(0.32, 0.5, 0.55, 0.42, soft=0.12),))
    right = Selection((_LESS,), (_COOLER,), shapes=(Ellipse(0.68, 0.5, 0.55, 0.42, 20, soft=0.12),))
    curves = Curves(Curve(((0.2, 0.18), (0.4, 0.42), (0.6, 0.61))))
    hues = HueTurns((Spoke(10, 40, 8, 0.7, -0.3), Spoke(210, 50, -6, 1.3)))
    return {
        "a pick": (pick,),
        "a pick cleaned up": (clean,),
        "an area": (left,),
        "two areas": (left, right),
        "a pick in an area": (Selection((_LESS,), pick=pick.pick, shapes=left.shapes),),
        "all": (curves, hues, pick, clean, left, right),
    }


def updates(
    packed: np.ndarray,
    cases: Mapping[str, Chain],
    hand: Sequence[Primary],
    update: Callable[[lattice.Located, Chain], None],
) -> dict[str, float]:
    """Median milliseconds of one whole update with each case, and with none; the hand moves ten numbers before them all.

    In turn, a few updates of each at a time, since a hand stays on one shot; the first of them is left out.
    """
    located = lattice.locate(packed)
    cases = {"nothing": (), **cases}
    times: dict[str, list[float]] = {name: [] for name in cases}
    for first in range(0, len(hand), _AT_A_TIME):
        for name, more in cases.items():
            for place, numbers in enumerate(hand[first : first + _AT_A_TIME]):
                started = time.perf_counter()
                update(located, [numbers, *more])
                if place > 0:
                    times[name].append(time.perf_counter() - started)
    return {name: float(1000 * np.median(found)) for name, found in times.items()}


_AT_A_TIME = 5
