"""What of a recording can be rescued before it is balanced: a channel that is nearly gone, highs clipped in some channels."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dovrel.core.balance.whites import near_neutrals
from dovrel.core.colour.working import STOP
from dovrel.core.steps.chain import Chain, apply_in_order
from dovrel.core.steps.clipped_highs import NO_CEILING, ClippedHighs
from dovrel.core.steps.kinds import Kinds
from dovrel.core.steps.primary import Triple
from dovrel.core.steps.rebuild import CHANNELS, Rebuild

GONE_STOPS = 2.5
"""How far a channel lies under the next one, all over the picture, to be called nearly gone."""
SPREAD_STOPS = 1.2
"""What a channel that is gone lies under the next one is much the same all over: a red wall's blue is not gone."""
DARKEST = 0.2
"""Working value below which nothing is said of a channel."""
KEPT_SHARE = 0.15
"""Of the recorded channel that goes on in the rebuilt one: it holds a little of what was lost."""
WARMER = 0.35
"""How much more than green the rebuilt red rises where green lies above blue: surfaces that reflect less blue reflect more red."""
PARTLY_CLIPPED = 0.005
"""Part of the picture that must be clipped in one or two channels."""
AT_CEILING = 0.995
_CEILING_SLACK = 0.1 * STOP
_LEAST_CLIPPED = 0.1
"""Of what is clipped in some channels, the part that a channel must be clipped in to count."""


@dataclass(frozen=True)
class Rescue:
    """A step that is proposed before the balance: its name, what it holds, and why."""

    name: str
    values: Kinds
    reason: str


def rescues(working: np.ndarray, reach: np.ndarray, before: Chain = (), balance: Chain = ()) -> list[Rescue]:
    """What can be rescued of a frame; nothing for most.

    Parameters
    ----------
    working : float (N, 3), working values as recorded
    reach : float (N, 3), recorded code values in parts of the level at which the recording clips
    before : what stands before the shot's balance already
    balance : what makes a neutral grey after that, if it is known; else near-neutrals of the frame say
    """
    found = [channel_gone(working), clipped_highs(apply_in_order(working, before), reach, balance)]
    return [one for one in found if one]


def channel_gone(working: np.ndarray) -> Rescue | None:
    """A channel that lies far below the others all over the frame, rebuilt from those."""
    lit = working[working.max(axis=1) > DARKEST]
    if len(lit) < 200:
        return None
    order = np.median(lit, axis=0).argsort()
    gone, second, first = (int(place) for place in order)
    under = (lit[:, second] - lit[:, gone]) / STOP
    if np.median(under) < GONE_STOPS or np.percentile(under, 10) < GONE_STOPS - SPREAD_STOPS:
        return None
    weights = np.zeros(3)
    weights[gone] = KEPT_SHARE
    if gone == 0:
        weights[1] += (1 - KEPT_SHARE) * (1 + WARMER)
        weights[2] -= (1 - KEPT_SHARE) * WARMER
    else:
        weights[[first, second]] += (1 - KEPT_SHARE) / 2
    # What of the recorded channel goes on is brought up to where the others are.
    offset = float(KEPT_SHARE * np.median(under) * STOP)
    name = CHANNELS[gone]
    r, g = float(weights[0]), float(weights[1])
    rebuilt = Rebuild(name, (r, g, 1 - r - g), offset)
    stops = float(np.median(under))
    return Rescue(
        f"{name} rebuilt",
        rebuilt,
        f"{name} lies {stops:.1f} stops under {CHANNELS[second]} all over the picture: it is made of the other two",
    )


def clipped_highs(working: np.ndarray, reach: np.ndarray, balance: Chain = ()) -> Rescue | None:
    """Highs that are clipped in one or two channels, moved to the neutral of the shot; parameters as of :func:`rescues`."""
    clipped = reach >= AT_CEILING
    partly = clipped.any(axis=1) & ~clipped.all(axis=1)
    share = float(partly.mean())
    if share < PARTLY_CLIPPED:
        return None
    neutral = neutral_under(balance) if balance else _neutral_seen(working)
    if neutral is None:
        return None
    shares = clipped[partly].mean(axis=0)
    ceilings = [
        float(np.percentile(working[partly & clipped[:, place], place], 25)) - _CEILING_SLACK
        if shares[place] > _LEAST_CLIPPED
        else NO_CEILING
        for place in range(3)
    ]
    names = " and ".join(name for name, part in zip(CHANNELS, shares, strict=True) if part > _LEAST_CLIPPED)
    r, g, b = (round(ceiling, 4) for ceiling in ceilings)
    return Rescue(
        "highs to neutral",
        ClippedHighs((r, g, b), neutral),
        f"{100 * share:.1f} % of the picture is clipped in {names}, not in all channels: moved to neutral",
    )


def neutral_under(balance: Chain) -> Triple | None:
    """What a recorded neutral's channels lie about their mean, if a balance makes it grey; None if none does.

    Found at the level of light greys by steps of what is left of colour.
    """
    recorded = np.full(3, 0.55)
    for _ in range(60):
        shown = apply_in_order(recorded, balance)
        left = shown - shown.mean()
        if np.abs(left).max() < 1e-5:
            return _about_mean(recorded)
        recorded = recorded - 0.7 * left
    return None


def _neutral_seen(working: np.ndarray) -> Triple | None:
    near = near_neutrals(working)
    return None if near is None else _about_mean(np.array([near.chroma[0], 0.0, near.chroma[1]]) * STOP)


def _about_mean(values: np.ndarray) -> Triple:
    r, g, _ = (float(value) for value in values - values.mean())
    return r, g, -r - g
