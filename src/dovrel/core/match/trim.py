"""What two cameras differ by: one camera's trim, solved from pairs of shots of the same subject."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dovrel.core.colour.working import MID_GREY, STOP, from_linear
from dovrel.core.match import correspond
from dovrel.core.match.evidence import Evidence
from dovrel.core.match.link import LITTLE_CLIPPED
from dovrel.core.steps import controls
from dovrel.core.steps.primary import IDENTITY, Primary, Triple
from dovrel.errors import Refused

ROUNDS = 12
STOPS_A_UNIT = 1 / STOP
AGREED = 0.15
"""How many stops the whites of pairs of shots may differ and still be the camera's own."""
LOSS = 0.02
"""Working-space distance from which on a point counts by its size, not its square."""


@dataclass(frozen=True)
class Trim:
    """A camera's trim.

    Attributes
    ----------
    numbers : slope and offset only, so that it joins with the balance that follows; nothing where it would
        bring the pairs no nearer
    before, after : median distance of corresponding colours, in stops, each pair of shots
        freed of an exposure of its own
    spread : how far the pairs of shots disagree on the white, in stops
    agreed : whether they agree well enough for the white to be the camera's; if not, each
        take was set differently, and the trim holds contrast alone
    """

    numbers: Primary
    before: float
    after: float
    spread: float
    agreed: bool


def colours_of(evidence: Evidence) -> tuple[np.ndarray, np.ndarray] | None:
    """Working values of points found in both pictures, float64 (n, 3): the shot's and the reference's."""
    if evidence.pairs is None:
        return None
    there, here, clipped = evidence.light_at(evidence.points)
    there, here = from_linear(there.astype(np.float64)), from_linear(here.astype(np.float64))
    usable = (clipped <= LITTLE_CLIPPED) & (here.min(axis=1) > 0.12) & (there.min(axis=1) > 0.12)
    return (here[usable], there[usable]) if usable.sum() >= correspond.MIN_INLIERS else None


def solve_trim(pairs: list[tuple[np.ndarray, np.ndarray]]) -> Trim:
    """The slope and offset that bring one camera's colours to another's.

    Every pair of shots is allowed an exposure of its own, so a wrong stop in one take does not
    end up in the trim; slopes are shared, and the white is the median of the pairs'.

    Parameters
    ----------
    pairs : for each pair of shots, corresponding working values (n, 3): this camera's, the other's

    Raises
    ------
    Refused
        If there are no pairs.
    """
    if not pairs:
        raise Refused("no two shots of these cameras show the same things")
    x = np.concatenate([here for here, _ in pairs])
    y = np.concatenate([there for _, there in pairs])
    which = np.repeat(np.arange(len(pairs)), [len(here) for here, _ in pairs])
    member = (which[:, None] == np.arange(len(pairs))).astype(float)
    weight = np.ones(len(x)) / np.bincount(which)[which]
    loss = np.ones(len(x))
    slope, level = np.ones(3), np.zeros((3, len(pairs)))
    for _ in range(ROUNDS):
        root = np.sqrt(weight * loss)[:, None]
        solved = [
            np.linalg.lstsq(np.c_[x[:, c : c + 1] - MID_GREY, member] * root, y[:, c] * root[:, 0], rcond=None)[0]
            for c in range(3)
        ]
        slope = np.array([s[0] for s in solved])
        level = np.array([s[1:] for s in solved])
        left = y - ((x - MID_GREY) * slope + level[:, which].T)
        loss = 1 / np.sqrt(1 + (np.abs(left).max(axis=1) / LOSS) ** 2)
    slope = np.clip(slope, 0.5, 2.0)
    # Exposure is a take's own; what the cameras differ by is how the channels lie to each other.
    moved = level - MID_GREY
    exposure = moved.mean(axis=0)
    white = np.median(moved - exposure, axis=1)
    spread = float(np.abs((moved - exposure) - white[:, None]).mean() * STOPS_A_UNIT)
    agreed = spread <= AGREED
    middle = white + np.median(exposure) if agreed else np.zeros(3)
    offset = middle + MID_GREY - slope * MID_GREY
    numbers = Primary(_triple(slope), _triple(offset))
    before, after = (_distance(x, y, which, one) for one in (IDENTITY, numbers))
    if after > before:
        # Takes that were lit or flared each in its own way can ask for a contrast that serves none of them.
        numbers, after = IDENTITY, before
    return Trim(numbers, before, after, spread, agreed)


def _triple(values: np.ndarray) -> Triple:
    return float(values[0]), float(values[1]), float(values[2])


def _distance(x: np.ndarray, y: np.ndarray, which: np.ndarray, numbers: Primary) -> float:
    left = y - (x * numbers.slope + numbers.offset)
    for pair in np.unique(which):
        mine = left[which == pair]
        left[which == pair] = mine - np.median(mine.mean(axis=1))
    return float(np.median(np.abs(left).mean(axis=1)) * STOPS_A_UNIT)


def describe(trim: Trim) -> str:
    """What the trim amounts to, in words."""
    read = controls.read(trim.numbers)
    apart = f"colours {trim.before:.2f} stops apart before, {trim.after:.2f} after"
    if not trim.agreed:
        return (
            f"contrast {read.contrast:.2f} only: the white was set differently from take to take, "
            f"by {trim.spread:.2f} stops, so it is each shot's own; {apart}"
        )
    return (
        f"exposure {read.exposure:+.2f} stops, white {read.warmth:.0f} K tint {read.tint:+.0f}, "
        f"contrast {read.contrast:.2f}; {apart}"
    )
