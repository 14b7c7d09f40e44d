"""Keyframes that keep a shot's light: a subject held through a change, or a slow drift removed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from dovrel.core.colour import codes
from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import STOP
from dovrel.core.measure.difference import ciede2000
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.keyframes import Keyframe, values_at
from dovrel.core.steps.primary import IDENTITY, Primary
from dovrel.core.time import pieces
from dovrel.core.time.changes import FLICKERING, changes_in, flicker_of
from dovrel.core.time.follow import Followed, points_in
from dovrel.core.time.light import STRUCTURE_APART, Light, sampled
from dovrel.core.time.run import Run
from dovrel.core.time.seen import seen_by, shown, size_of
from dovrel.errors import Refused

TOLERANCE = 1.0
"""CIEDE2000 that may be left at the worst frame."""
MOST_FOR_A_CHANGE = 5
"""Keyframes; where it takes more, twice the tolerance may be left."""
LEAST_CHANGE = 1.0
"""CIEDE2000 of a change below which nothing is done."""
HALF_A_SECOND = 0.5
"""Seconds that keyframes stand apart at least where a wander is removed."""
STEADY_TOLERANCE = 0.7
UNEVEN = (0.25, 0.12)
"""How differently things are lit anew, in stops and in parts of the change: above both it is the scene's light and no camera's."""
QUICK = 1.5
"""Stops a second that no wandering camera does."""
_LEAST_INSIDE = 12
_DARK_SHARE = 0.15


@dataclass(frozen=True)
class Held:
    """Keyframes of ten numbers, and what they leave.

    Attributes
    ----------
    keyframes : none where nothing is to be done
    mean, largest : CIEDE2000 of the subject against how it is to look, along the shot
    was : the largest before
    notes : sentences
    """

    keyframes: tuple[Keyframe, ...]
    mean: float
    largest: float
    was: float
    notes: tuple[str, ...]


@dataclass(frozen=True)
class Under:
    """What a shot is seen under while it is held.

    Attributes
    ----------
    base : the ten numbers that it has where it is as it is to be
    after : what follows them
    table : of the output
    """

    table: Table
    base: Primary = IDENTITY
    after: Chain = ()

    @property
    def chain(self) -> Chain:
        return (self.base, *self.after)


def with_light(base: Primary, stops: np.ndarray) -> Primary:
    """Ten numbers for a shot whose light is so many stops (3,) more than where `base` is right: they look the same."""
    return base.with_offset_added(-np.asarray(base.slope) * stops * STOP)


Pair = tuple[np.ndarray, np.ndarray]
"""Working values (m, 3) of the same places on a frame and on the one that it is to look like."""


def subject_light(run: Run, followed: Followed, at: int) -> tuple[np.ndarray, np.ndarray, list[Pair]]:
    """The light on a followed subject against a frame: stops (n, 3), which frames say so bool (n,), and colours inside."""
    boxes = {place.frame: place.box for place in followed.places}
    frames = [frame for frame in run.frames if frame.number in boxes]
    inside = points_in([boxes[frame.number] for frame in frames], run.size)
    anchor = next(i for i, frame in enumerate(frames) if frame.number == at)
    colours = [codes.unpack(sampled(frame.colours, points)) for frame, points in zip(frames, inside, strict=True)]
    within = [((points >= 1) & (points < np.array(run.size) - 2)).all(axis=1) for points in inside]
    clean = [(sampled(frame.comparable, at) > 0.99) & ok for frame, at, ok in zip(frames, inside, within, strict=True)]
    structure = [sampled(frame.structure, points) for frame, points in zip(frames, inside, strict=True)]
    stops, said = np.zeros((len(frames), 3)), np.zeros(len(frames), bool)
    for i in range(len(frames)):
        usable = clean[i] & clean[anchor]
        alike = usable & (np.abs(structure[i] - structure[anchor]) < STRUCTURE_APART)
        chosen = alike if alike.sum() >= _LEAST_INSIDE else usable
        if chosen.sum() >= _LEAST_INSIDE:
            stops[i] = np.median(colours[i][chosen] - colours[anchor][chosen], axis=0) / STOP
            said[i] = True
    pairs = []
    for colour, ok in zip(colours, within, strict=True):
        both = ok & within[anchor]
        both = both if both.sum() >= _LEAST_INSIDE else within[anchor]
        pairs.append((colour[both], colours[anchor][both]))
    return stops, said, pairs


def hold(run: Run, followed: Followed, at: int, under: Under, tolerance: float = TOLERANCE) -> Held:
    """Keep a followed subject as it looks at a frame, by exposure and white alone.

    Raises
    ------
    Refused
        If the subject is too dark or clipped to be compared.
    """
    numbers = np.array([place.frame for place in followed.places])
    stops, said, pairs = subject_light(run, followed, at)
    if len(numbers) > 1 and said.sum() < max(2, 0.5 * len(said)):
        raise Refused("this subject is too dark, or clipped, on most frames; choose another")
    stops = _filled(stops, said) if said.any() else stops
    anchor = int(np.flatnonzero(numbers == at)[0])
    frame = next(frame for frame in run.frames if frame.number == at)
    box = followed.places[anchor].box
    seen = seen_by(frame, under.chain, under.table, _inside(box.x, box.y, box.width, box.height, run.size))
    return _held(numbers, stops, pairs, under, seen, tolerance, list(followed.notes))


def hold_all(run: Run, light: Light, at: int, under: Under, tolerance: float = TOLERANCE) -> Held:
    """Keep all of the picture as it is lit at a frame, by exposure and white alone."""
    anchor = run.nearest(at)
    stops = light.stops - light.stops[anchor]
    seen = seen_by(run.frames[anchor], under.chain, under.table)
    pairs = _alike(run, anchor, stops)
    return _held(run.numbers, stops, pairs, under, seen, tolerance, [])


def _held(
    numbers: np.ndarray,
    stops: np.ndarray,
    pairs: Sequence[Pair],
    under: Under,
    seen: np.ndarray,
    tolerance: float,
    notes: list[str],
    least_gap: float = 1.0,
) -> Held:
    was = _left(pairs, under, [under.base] * len(numbers))
    changed = size_of(stops, seen).max()
    if len(numbers) < 2 or changed < LEAST_CHANGE:
        said = "the clip is one frame" if len(numbers) < 2 else f"its light does not change (by {changed:.1f} at most)"
        return Held(
            (), float(was.mean()), float(was.max()), float(was.max()), (*notes, f"{said}; there is nothing to hold")
        )
    flicker = flicker_of(stops, seen)
    if flicker > FLICKERING:
        notes.append(f"the light flickers from frame to frame by {flicker:.1f}; only its slower changes are held")
        stops = _smoothed(stops)
    found = _pieces(stops, seen, tolerance, least_gap, numbers)
    if found.within > tolerance:
        notes.append(f"{found.within:.1f} is left at one frame, more than {tolerance:.1f}, so that keyframes stay few")
    keyframes = tuple(
        Keyframe(int(numbers[place]), with_light(under.base, value), ease)
        for place, value, ease in zip(found.places, found.values, found.eases, strict=True)
    )
    left = _left(pairs, under, [values_at(keyframes, int(number)) for number in numbers])
    count = f"{len(keyframes)} keyframe{'s' if len(keyframes) > 1 else ''}"
    notes.append(f"held by {count}: {left.max():.1f} is left at the worst frame, of {was.max():.1f}")
    return Held(keyframes, float(left.mean()), float(left.max()), float(was.max()), tuple(notes))


def _pieces(
    stops: np.ndarray, seen: np.ndarray, tolerance: float, least_gap: float, numbers: np.ndarray
) -> pieces.Pieces:
    """As few pieces as keep the tolerance, or a little more where they would be many for so few changes."""
    best = found = pieces.fit(stops, seen, tolerance, least_gap=least_gap, numbers=numbers)
    for looser in (1.25, 1.6, 2.0):
        if len(found.places) <= MOST_FOR_A_CHANGE * max(1, len(changes_in(numbers, found, seen))):
            return found
        found = pieces.fit(stops, seen, tolerance * looser, least_gap=least_gap, numbers=numbers)
        best = min(best, found, key=lambda one: len(one.places))
    return best


def _left(pairs: Sequence[Pair], under: Under, numbers: Sequence) -> np.ndarray:
    """CIEDE2000 (n,) of the subject's mean colour on each frame, under its ten numbers, against how it is to look."""
    found = []
    for (here, there), one in zip(pairs, numbers, strict=True):
        is_, aim = (
            shown(colours, (values, *under.after), under.table).mean(axis=0)
            for colours, values in ((here, one), (there, under.base))
        )
        found.append(ciede2000(is_, aim))
    return np.array(found)


def steady(run: Run, light: Light, rate: float, under: Under, tolerance: float = STEADY_TOLERANCE) -> Held:
    """Take a camera's slow wander of exposure and white off; what the scene's own light does stays."""
    middle = np.median(light.stops, axis=0)
    anchor = int(np.argmin(np.abs(light.stops - middle).sum(axis=1)))
    seen = seen_by(run.frames[anchor], under.chain, under.table)
    stops = light.stops - light.stops[anchor]
    sizes = size_of(stops, seen)
    pairs = _alike(run, anchor, stops)
    why = _not_the_camera(run, light, rate) if sizes.max() >= LEAST_CHANGE else None
    if why:
        left = _left(pairs, under, [under.base] * len(stops))
        note = f"{why}: it is the scene's own light that changes, and is left; Hold keeps a subject through it"
        return Held((), float(left.mean()), float(left.max()), float(left.max()), (note,))
    gap = max(1.0, HALF_A_SECOND * rate)
    return _held(run.numbers, stops, pairs, under, seen, tolerance, [], gap)


def _not_the_camera(run: Run, light: Light, rate: float) -> str | None:
    """Why a change of light is none that a camera makes; None if it may be one."""
    spread, part = light.unevenness
    if spread > UNEVEN[0] and part > UNEVEN[1]:
        return "things are lit anew each in its own way"
    apart = int(np.searchsorted(run.numbers - run.numbers[0], rate / 2))
    apart = max(1, min(apart, len(run) // 4))
    if len(run) > apart:
        seconds = (run.numbers[apart:] - run.numbers[:-apart]) / rate
        speed = np.abs(light.stops[apart:] - light.stops[:-apart]).max(axis=1) / seconds
        if speed.max() > QUICK:
            return f"light changes by {speed.max():.1f} stops a second, too fast for a camera's drift"
    return None


def _alike(run: Run, anchor: int, stops: np.ndarray) -> list[Pair]:
    """A frame's colours under the light of each, beside themselves."""
    colours = _typical(run, anchor)
    return [(colours + one * STOP, colours) for one in stops]


def _typical(run: Run, place: int) -> np.ndarray:
    """Some colours of a frame, working values (m, 3)."""
    frame = run.frames[place]
    chosen = frame.comparable if frame.comparable.mean() > _DARK_SHARE else frame.clean
    pixels = codes.unpack(frame.colours[chosen] if chosen.any() else frame.colours.reshape(-1, 3))
    return pixels[:: max(1, len(pixels) // 300)]


def _inside(x: float, y: float, width: float, height: float, size: tuple[int, int]) -> np.ndarray:
    mask = np.zeros((size[1], size[0]), np.uint8)
    corners = [(round(at[0] * size[0]), round(at[1] * size[1])) for at in ((x, y), (x + width, y + height))]
    cv2.rectangle(mask, corners[0], corners[1], 1, -1)
    return mask != 0


def _filled(stops: np.ndarray, said: np.ndarray) -> np.ndarray:
    """Light of frames that say nothing, from those around them."""
    at = np.arange(len(stops))
    return np.stack([np.interp(at, at[said], stops[said, channel]) for channel in range(3)], axis=1)


def _smoothed(stops: np.ndarray) -> np.ndarray:
    padded = np.pad(stops, ((3, 3), (0, 0)), mode="edge")
    return np.mean([padded[i : i + len(stops)] for i in range(7)], axis=0)
