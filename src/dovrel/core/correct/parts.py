"""What is done to part of a picture so that it reads as wanted, and which colours of a picture a pick takes."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
from scipy.optimize import root_scalar

from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import STOP
from dovrel.core.develop.frame import display_of
from dovrel.core.measure.difference import lab_of_display
from dovrel.core.measure.familiar import SKIN_LINE
from dovrel.core.measure.readings import Percentiles, chroma_plane, readings_of_display
from dovrel.core.steps import opponent
from dovrel.core.steps.chain import Chain, apply_in_order
from dovrel.core.steps.pick import LEAST_SOFT, REACHES, SOFT_HUE, Pick, Sample, Samples
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.selection import Selection
from dovrel.errors import Refused

LEAST_SHARE = 0.0002
"""Of a picture that must be selected for anything to be said of it."""
_LEAST_CHROMA = 0.012
"""On the Cb/Cr plane, below which a mean colour has no hue to be led."""
_ROUNDS, _TRIED = 12, 0.004
_ENOUGH = np.array([2e-4, 2e-4, 0.05])
"""On Cb, on Cr, in L*."""
_FARTHEST = 0.25
"""Working values that a channel is moved by at most: more than four stops."""
_WITHIN = 2.0, 98.0
"""Percentiles of brushed colours that a range of a pick spans."""


def on_skin_line(reaching: np.ndarray, numbers: Primary, after: Chain, table: Table) -> Primary:
    """The ten numbers with their offsets moved so that the mean hue lies on the skin's line, and mean lightness stays.

    The colour is moved to the line by the shortest way: what was cast across it is removed, what lies along it stays.

    Parameters
    ----------
    reaching : float array (N, 3), the working values of the selected pixels that reach the numbers
    after : what comes after the numbers

    Raises
    ------
    Refused
        If they have hardly any colour, or cannot be led there.
    """

    def seen(offset: np.ndarray) -> np.ndarray:
        moved = numbers.with_offset_added(offset)
        shown = display_of(apply_in_order(reaching, [moved]), after, table).astype(np.float64)
        plane = chroma_plane(shown).mean(axis=0)
        return np.array([*plane, lab_of_display(shown)[:, 0].mean()])

    at = np.zeros(3)
    first = now = seen(at)
    line = np.array([np.cos(np.radians(SKIN_LINE)), np.sin(np.radians(SKIN_LINE))])
    along = float(first[:2] @ line)
    if np.hypot(*first[:2]) < _LEAST_CHROMA or along < _LEAST_CHROMA / 2:
        raise Refused("the selection has hardly any skin colour, so it does not move to the skin line")
    wanted = np.array([*(along * line), first[2]])
    for _ in range(_ROUNDS):
        left = wanted - now
        if (np.abs(left) < _ENOUGH).all():
            return numbers.with_offset_added(at)
        slopes = np.stack([(seen(at + _TRIED * unit) - now) / _TRIED for unit in np.eye(3)], axis=1)
        scale = np.array([1.0, 1.0, 0.01])
        step = np.linalg.lstsq(slopes * scale[:, None], left * scale, rcond=None)[0]
        at = np.clip(at + np.clip(step, -0.05, 0.05), -_FARTHEST, _FARTHEST)
        now = seen(at)
    if (np.abs(wanted - now) < 5 * _ENOUGH).all():
        return numbers.with_offset_added(at)
    raise Refused("this colour cannot move to the skin line without a change of lightness")


def held_down(
    reaching: np.ndarray,
    numbers: Primary,
    after: Chain,
    table: Table,
    most: float,
    percentiles: Percentiles,
    share: np.ndarray | float = 1.0,
) -> Primary:
    """The ten numbers with colours drawn towards their own darks, alike in all channels, so that no channel's highs read more.

    What is dark hardly moves. Where all lies within a few stops, as on a wall in the sun, all comes down as under less light.

    Parameters
    ----------
    reaching : float array (N, 3), the working values of the selected pixels that reach the numbers
    after : what comes after the numbers
    most : what the highest channel's highs are to read, display values
    percentiles : that readings are taken at
    share : (N, 1), how far each pixel is selected: at a soft edge it comes down by so much less

    Raises
    ------
    Refused
        If they read no more as it is, or cannot be brought down so far.
    """

    def highest(numbers: Primary) -> float:
        moved = reaching + share * (apply_in_order(reaching, [numbers]) - reaching)
        shown = display_of(moved.astype(np.float32), after, table)
        return float(readings_of_display(shown, percentiles)[2:9:3].max()) / 100

    as_it_is = highest(numbers)
    if as_it_is <= most:
        raise Refused(f"its highs read {100 * as_it_is:.1f} % at most: there is nothing above {100 * most:.0f} %")
    dark, light = np.percentile(np.asarray(reaching, np.float64).mean(axis=1), _WITHIN)
    stays = min(float(dark), float(light) - _DEEP * STOP)

    def drawn(part: float) -> Primary:
        slope, offset = np.array(numbers.slope), np.array(numbers.offset)
        moved = np.concatenate([part * slope, offset + (1 - part) * stays * slope])
        return Primary.from_array([*moved, *numbers.power, numbers.saturation])

    if highest(drawn(0.0)) > most:
        raise Refused(f"later steps lift it: it cannot be limited to {100 * most:.0f} %")
    found = root_scalar(lambda part: highest(drawn(part)) - most, bracket=(0.0, 1.0), method="brentq", xtol=1e-4)
    return drawn(found.root)


_DEEP = 5.0
"""Stops below the lights of what is selected from which on colours are its darks."""


def nearest_in(selection: Selection, reaching: np.ndarray, share: np.ndarray, covers: float) -> np.ndarray:
    """The pixels of another picture that a selection finds; of a pick that finds few, those whose colours come nearest to it.

    In another picture a thing may have another colour by just what is to be corrected.

    Parameters
    ----------
    reaching : float array (H, W, 3), the other picture's working values where the selection is worked
    share : float array (H, W), how far they belong to it as it is
    covers : the part of its own picture that it selects

    Returns
    -------
    bool (H, W)

    Raises
    ------
    Refused
        If hardly anything comes near.
    """
    own = share >= 0.5
    enough = max(_AS_MUCH * covers, LEAST_SHARE)
    if own.mean() >= enough:
        return own
    pick = selection.pick
    if pick is None:
        raise Refused("it holds hardly anything of that place")
    place = selection.place_share(*own.shape)
    farthest = replace(pick, reach=min(_TIMES * pick.reach, REACHES[1]), specks=0.0, holes=0.0, edge=0.0)
    # Where the thing there lies nearer to what is left out here, as a paler red does to grey, that says nothing of it.
    for here in (farthest, replace(farthest, left=())):
        eligible = (here.share(reaching) >= 0.5) & (True if place is None else place >= 0.5)
        away = np.where(eligible, pick.distance(reaching), np.inf)
        nearest = np.quantile(away, enough, method="lower")
        if np.isfinite(nearest):
            return away <= nearest
    raise Refused("it holds hardly any colour that comes near")


_AS_MUCH, _TIMES = 0.5, 10.0
"""Of what is selected in one picture, what is looked for in another, and within how many times the pick's reach."""


def samples_of(colours: np.ndarray, most: int = 3) -> Samples:
    """The fewest samples, up to `most`, that stand for colours (N, 3) of working values: their mean where they are alike.

    Means of groups (k-means; Lloyd 1982, with a fixed seed), the largest first.
    """
    level, colour = opponent.split(colours)
    points = np.column_stack([colour, level]).astype(np.float32)
    centres, spread = _grouped(points, 1)
    count = 1
    while spread >= _ALIKE and count < min(most, len(points) - 1):
        count += 1
        centres, spread = _grouped(points, count)
    rows: list[list[float]] = centres.tolist()
    return tuple(Sample(level, x, y) for x, y, level in rows)


_ALIKE = 0.004
"""How far, in working values, colours differ across the plane that are one sample's."""


def _grouped(points: np.ndarray, count: int) -> tuple[np.ndarray, float]:
    """Centres of groups of points (N, 3), the largest first, and the root mean square distance to them in colour."""
    if count == 1 or len(points) <= count:
        centres, which = points.mean(axis=0)[None], np.zeros(len(points), int)
    else:
        cv2.setRNGSeed(1)
        criteria = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 30, 1e-4)
        weighted = points * np.array([1.0, 1.0, 0.1], np.float32)
        labels = np.zeros((len(points), 1), np.int32)
        cv2.kmeans(weighted, count, labels, criteria, 3, cv2.KMEANS_PP_CENTERS)
        which = labels.ravel()
        kept = [group for group in range(count) if (which == group).any()]
        centres = np.stack([points[which == group].mean(axis=0) for group in kept])
        which = np.searchsorted(kept, which)
    away = points[:, :2] - centres[which, :2]
    order = np.argsort(-np.bincount(which, minlength=len(centres)))
    return centres[order], float(np.sqrt((away**2).sum(axis=1).mean()))


def narrowed(pick: Pick, colours: np.ndarray, *, by_colour: bool) -> Pick:
    """A pick that keeps no more than the range of given colours: of their levels, or of their depth and hue.

    Parameters
    ----------
    colours : float array (N, 3), working values that reach the pick
    by_colour : whether depth and hue are kept within the range of the colours, in the place of the level

    Raises
    ------
    Refused
        If no colours are given.
    """
    if not len(colours):
        raise Refused("nothing is brushed; drag over a scope first")
    level, colour = opponent.split(colours)
    if not by_colour:
        low, high = np.percentile(level, _WITHIN)
        return replace(pick, levels=(float(low) - 1e-3, float(high) + 1e-3))
    depth = opponent.depth_of(colour)
    low, high = np.percentile(depth, _WITHIN)
    pick = replace(pick, depths=(max(float(low) - 1e-3, 0.0), float(high) + 1e-3))
    if low < opponent.PALE:
        # Where colours are pale they have no hue to keep to.
        return replace(pick, hues=None)
    hue = opponent.hue_of(colour)
    middle = np.degrees(np.angle(np.exp(1j * np.radians(hue)).sum()))
    first, last = np.percentile((hue - middle + 180) % 360 - 180, _WITHIN)
    first, last = first - SOFT_HUE / 2, last + SOFT_HUE / 2
    return replace(pick, hues=(float(middle + first) % 360, float(middle + last) % 360) if last - first < 300 else None)


def fitted(taken: Samples, colours: np.ndarray) -> tuple[float, float]:
    """Reach and softness of a pick that begins with samples of colours (N, 3).

    As far as those colours lie from the samples, and half as far as the samples lie from each other: what lies between two
    colours that were taken of one thing is of it, too.
    """
    near = float(np.percentile(Pick(taken).distance(colours), 90))
    apart = [0.0]
    for place, sample in enumerate(taken):
        others = (*taken[:place], *taken[place + 1 :])
        apart += [float(Pick(others).distance(sample.working()))] if others else []
    reach = float(np.clip(max(near, 0.5 * np.max(apart)), *_REACHES))
    return reach, max(LEAST_SOFT, reach)


_REACHES = 0.01, 0.06
