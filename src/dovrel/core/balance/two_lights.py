"""Two lights in one picture: a window and a lamp, sun and shade.

Each part of the picture tells its own light by its near-neutrals. Where these fall into two kinds, one to each side of a
straight edge, and all cues ask for other colours on either side, the picture has two lights. Coloured walls
and skies make two kinds as well: the cues, who have seen many, are asked so that these do not pass for lights.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dovrel.core.balance import whites
from dovrel.core.balance.belief import decide, distance, exposure_of
from dovrel.core.balance.hearing import Heard, hear
from dovrel.core.balance.statistics import Seen
from dovrel.core.colour.tables import Table

ROWS, COLUMNS = 4, 6
"""Parts that tell their light."""
LEAST_TOLD, LEAST_OF_KIND = 8, 3
"""Parts that must tell a light, and that must be of each kind."""
LEAST_USABLE, LEAST_CONFIDENCE = 0.5, 0.3
LEAST_APART = 0.7
"""Stops between the two kinds, from cool to warm."""
MOST_SPREAD = 0.3
"""How far lights of one kind may differ, in parts of the distance between the kinds."""
LEAST_ON_SIDE = 0.85
"""Of the parts, that must lie on their kind's side of the edge."""
ASKED_APART = 5.0
"""CIEDE2000 between the colours that all cues ask for on either side."""
LEAST_SHARE = 0.12
"""Of the picture, for each light."""


@dataclass(frozen=True)
class TwoLights:
    """Where the warmer light falls: on the side of a straight edge where ``across · (row, column, 1)`` is above a half.

    Attributes
    ----------
    across : float64 (3,), for rows and columns in 0..1
    apart : stops of warmth between the two
    """

    across: np.ndarray
    apart: float

    def warmer(self, height: int, width: int) -> np.ndarray:
        """Mask (H, W) of the warmer light in a picture of this size."""
        rows, columns = np.mgrid[:height, :width]
        places = [(rows + 0.5) / height, (columns + 0.5) / width, np.ones((height, width))]
        return np.tensordot(self.across, places, axes=1) > 0.5

    @property
    def sides(self) -> tuple[str, str]:
        """Where the warmer and the cooler light lie, in words."""
        down, right, _ = self.across
        if abs(right) >= abs(down):
            return ("on the right", "on the left") if right > 0 else ("on the left", "on the right")
        return ("below", "above") if down > 0 else ("above", "below")


@dataclass(frozen=True)
class Side:
    """One of two lights: what it is called, where it falls, the share of the picture that it has, and what is heard there."""

    id: str
    name: str
    where: str
    share: float
    heard: Heard


def hear_each(
    heard: Heard, working: np.ndarray, recorded: np.ndarray, table: Table, *, finished: bool
) -> tuple[Side, Side] | None:
    """The warmer and the cooler of two lights in a picture that was heard as a whole; None where it has one.

    Parameters as of :func:`dovrel.core.balance.hear`.
    """
    lights = find(heard.seen)
    if lights is None:
        return None
    warm = lights.warmer(*working.shape[:2])
    warmer, cooler = (
        Side(name, f"the {name} light", where, float(side.mean()), hear(
            working, recorded, table, finished=finished, metered=side, grown=heard.forest
        ))
        for name, where, side in zip(("warmer", "cooler"), lights.sides, (warm, ~warm), strict=True)
    )  # fmt: skip
    warm_side, cool_side = (decide(side.heard.belief) for side in (warmer, cooler))
    colours = (warm_side - exposure_of(warm_side)) - (cool_side - exposure_of(cool_side))
    return (warmer, cooler) if distance(colours) >= ASKED_APART and colours[0] < colours[2] else None


def find(seen: Seen) -> TwoLights | None:
    """The two lights that a picture seems to have, from its near-neutrals alone; None where it seems to have one."""
    places, warmth = _told(seen)
    if len(warmth) < LEAST_TOLD:
        return None
    order = np.sort(warmth)
    cuts = range(LEAST_OF_KIND, len(order) - LEAST_OF_KIND + 1)
    within = [(order[:cut].var() * cut + order[cut:].var() * (len(order) - cut)) / len(order) for cut in cuts]
    cut = cuts[int(np.argmin(within))]
    apart = float(order[cut:].mean() - order[:cut].mean())
    if apart < LEAST_APART or np.sqrt(min(within)) > MOST_SPREAD * apart:
        return None
    warm = warmth >= order[cut]
    corners = np.column_stack([places, np.ones(len(places))])
    across, *_ = np.linalg.lstsq(corners, warm.astype(np.float64), rcond=None)
    if ((corners @ across > 0.5) == warm).mean() < LEAST_ON_SIDE:
        return None
    found = TwoLights(across, apart)
    share = found.warmer(*seen.usable.shape).mean()
    return found if LEAST_SHARE < share < 1 - LEAST_SHARE else None


def _told(seen: Seen) -> tuple[np.ndarray, np.ndarray]:
    """The middles of the parts that tell their light (n, 2) in 0..1, and how warm it is in each, stops (n,)."""
    height, width = seen.usable.shape
    places, warmth = [], []
    for row in range(ROWS):
        for column in range(COLUMNS):
            part = np.s_[
                row * height // ROWS : (row + 1) * height // ROWS,
                column * width // COLUMNS : (column + 1) * width // COLUMNS,
            ]
            usable = seen.usable[part]
            light = whites.near_neutrals(seen.working[part][usable]) if usable.mean() > LEAST_USABLE else None
            if light and light.confidence >= LEAST_CONFIDENCE:
                places.append([(row + 0.5) / ROWS, (column + 0.5) / COLUMNS])
                warmth.append(float(np.asarray(light.chroma) @ whites.WARM))
    return np.array(places).reshape(-1, 2), np.array(warmth)
