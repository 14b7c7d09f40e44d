"""What a spoke must do so that the colours it is for read as wanted: the skin on its line, a hue as the reference has it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from dovrel.core.colour.tables import Table
from dovrel.core.develop.frame import display_of
from dovrel.core.measure.familiar import SKIN_LINE
from dovrel.core.measure.readings import chroma_plane, luma
from dovrel.core.steps import opponent
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.hue_turns import FURTHEST, LIGHTEST, STRONGEST, WIDEST, HueTurns, Spoke
from dovrel.errors import Refused

LEAST_SHARE = 0.0005
"""Of a frame's colours that a spoke must be for, to be believed."""
_LEAST_CHROMA = 0.02
_ROUNDS = 8
_ROOM = 0.6
"""The largest turn of a spoke, in parts of its width, that keeps the order of hues."""
_MOST_STOPS = 1.5


@dataclass(frozen=True)
class HueReading:
    """What some colours read: hue in degrees from +Cb, chroma and luma in percent, and their share of the frame."""

    hue: float
    chroma: float
    luma: float
    share: float


def read(display: np.ndarray, weights: np.ndarray) -> HueReading:
    """Weighted means over display values (N, 3); hue is that of the mean colour."""
    total = max(float(weights.sum()), 1e-9)
    plane = chroma_plane(display)
    cb, cr = (weights @ plane) / total
    chroma = float(weights @ np.hypot(*plane.T)) / total
    return HueReading(
        float(np.degrees(np.arctan2(cr, cb)) % 360),
        100 * chroma,
        100 * float(weights @ luma(display)) / total,
        float(weights.sum() / len(weights)),
    )


def felt_by(reaching: np.ndarray, spoke: Spoke) -> np.ndarray:
    """How far colours (N, 3) that reach a step are those that a spoke is for, 0..1; pale ones hardly are."""
    _, colour = opponent.split(reaching)
    return spoke.weight(opponent.hue_of(colour)) * opponent.coloured(opponent.depth_of(colour))


def turned_from(hue: float, other: float) -> float:
    """Degrees from one hue to another the shorter way, -180..180."""
    return (other - hue + 180) % 360 - 180


@dataclass(frozen=True)
class Hand:
    """A step of hue turns as it stands: what reaches it (N, 3), its spokes, which is current, what comes after, the output."""

    reaching: np.ndarray
    turns: HueTurns
    place: int
    after: Chain
    table: Table

    @property
    def spoke(self) -> Spoke:
        return self.turns.spokes[self.place]

    def with_spoke(self, spoke: Spoke) -> HueTurns:
        return HueTurns((*self.turns.spokes[: self.place], spoke, *self.turns.spokes[self.place + 1 :]))

    def shown(self, spoke: Spoke) -> np.ndarray:
        return display_of(self.with_spoke(spoke).apply(self.reaching), self.after, self.table).astype(np.float64)


def on_skin_line(hand: Hand) -> HueTurns:
    """The current spoke turned so that its colours' hue lies on the skin's line; their lightness and colour stay.

    Raises
    ------
    Refused
        If hardly any colour of the frame is one that the spoke is for, or it cannot be turned as far.
    """
    return hand.with_spoke(_aimed(hand, (SKIN_LINE, None, None)))


def as_reference(hand: Hand, reference: np.ndarray) -> HueTurns:
    """The current spoke set so that its colours read as the same hues of a reference do: hue, chroma and luma.

    `reference` are display values (N, 3); its colours are those whose hue lies within the spoke's width of what the
    shot's read before the spoke does anything.

    Raises
    ------
    ValueError
        As of :func:`on_skin_line`, or if the reference holds hardly any such colour.
    """
    plain = replace(hand.spoke, turn=0.0, colour=1.0, lightness=0.0)
    here = read(hand.shown(plain), felt_by(hand.reaching, plain))
    plane = chroma_plane(reference)
    hue = np.degrees(np.arctan2(plane[:, 1], plane[:, 0]))
    away = np.abs((hue - here.hue + 180) % 360 - 180)
    weights = np.where(
        away < plain.width, np.cos(np.pi / 2 * np.minimum(away / plain.width, 1)) ** 2, 0.0
    ) * np.minimum(np.hypot(*plane.T) / (2 * _LEAST_CHROMA), 1.0)
    there = read(reference, weights)
    if there.share < LEAST_SHARE:
        raise Refused("the reference has hardly any colour of this hue; make the spoke wider, or set it by hand")
    return hand.with_spoke(_aimed(hand, (there.hue, there.chroma, there.luma)))


def _aimed(hand: Hand, aims: Sequence[float | None]) -> Spoke:
    """The spoke whose colours read the hue, chroma and luma wanted, each where it is wanted: one number at a time, in rounds."""
    spoke = hand.spoke
    weights = felt_by(hand.reaching, spoke)
    if read(hand.shown(spoke), weights).share < LEAST_SHARE:
        raise Refused("this frame has hardly any colour of this hue; move the spoke to another hue")
    hue, chroma, light = aims
    for _ in range(_ROUNDS):
        now = read(hand.shown(spoke), weights)
        if hue is not None:
            turn = float(np.clip(spoke.turn + turned_from(now.hue, hue), -FURTHEST, FURTHEST))
            wide = min(max(spoke.width, abs(turn) / _ROOM), WIDEST)
            turn = float(np.clip(turn, -_ROOM * wide, _ROOM * wide))
            spoke = replace(spoke, turn=turn, width=wide)
        if chroma is not None:
            colour = spoke.colour * float(np.clip(chroma / max(now.chroma, 0.1), 0.5, 2.0))
            spoke = replace(spoke, colour=float(np.clip(colour, 0.05, STRONGEST)))
        if light is not None:
            # Near mid grey a stop is some 12 % of luma.
            stops = float(np.clip(spoke.lightness + (light - now.luma) / 14, -_MOST_STOPS, _MOST_STOPS))
            spoke = replace(spoke, lightness=float(np.clip(stops, -LIGHTEST, LIGHTEST)))
    now = read(hand.shown(spoke), weights)
    if hue is not None and abs(turned_from(now.hue, hue)) > 2:
        raise Refused(
            f"its hue can be brought to {now.hue:.0f}°, not to {hue:.0f}°, without leading other hues past it; "
            "make the spoke wider, or set it nearer the colour"
        )
    return spoke
