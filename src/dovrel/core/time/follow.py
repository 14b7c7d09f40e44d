"""A box on a subject, followed through a run.

Points in it are followed from frame to frame, a similarity is found that most of them share, and the box is laid on the
frame that it was drawn on again and again, so that small errors do not add up. Where it cannot be found it ends, and says so.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from dovrel.core.colour import codes
from dovrel.core.time import motion
from dovrel.core.time.light import Progress, untold
from dovrel.core.time.run import Frame, Run
from dovrel.errors import Refused

MOST_POINTS = 160
LEAST_POINTS = 6
"""Fewer say nothing of how a subject moves."""
LEAST_SURE = 0.25
"""Below, a box is taken to be lost."""
_BLANK = 0.004
"""How far, in working values, colours differ on a blank wall: a fourteenth of a stop."""
_FAINTEST = 0.0008
"""How far, in working values, fine structure differs where a recording's compression leaves traces as strong: a seventieth of a stop."""
_FINE = (1.0, 8.0)
"""Pixels between which structure is fine."""
_TOO_LITTLE = "there is too little to see in the box to follow it; draw it around something with edges"
_WITHIN = 2.0
_GROWN = 0.15
"""Of the box\'s size: how far around it is looked for when it is laid on the first frame again."""
_LARGEST_STEP = 0.25
"""By which a subject may grow or shrink from one frame to the next."""


@dataclass(frozen=True)
class Box:
    """A box in parts of the picture: the upper left corner, width and height, before it is turned about its middle by `angle` degrees."""

    x: float
    y: float
    width: float
    height: float
    angle: float = 0.0

    def __post_init__(self) -> None:
        if not (self.width > 0 and self.height > 0):
            raise Refused("a box to follow needs a width and a height above zero")
        if self.x + self.width <= 0 or self.y + self.height <= 0 or self.x >= 1 or self.y >= 1:
            raise Refused("the box lies outside the picture")

    @property
    def middle(self) -> tuple[float, float]:
        return self.x + self.width / 2, self.y + self.height / 2


@dataclass(frozen=True)
class Place:
    """Where the box is on a frame, and how sure that is, 0..1."""

    frame: int
    box: Box
    sure: float


@dataclass(frozen=True)
class Followed:
    """A box through a run: its places in order of their frames, and what is to be said of it."""

    places: tuple[Place, ...]
    notes: tuple[str, ...]

    def at(self, frame: int) -> Place | None:
        return next((place for place in self.places if place.frame == frame), None)


class NothingToFollow(Refused):
    """There is too little in the box to know it again."""


def follow(run: Run, box: Box, at: int, told: Progress = untold) -> Followed:
    """Follow a box that was drawn on a frame, forward and backward.

    Raises
    ------
    NothingToFollow
        If too little is seen in the box, as on a blank wall.
    Refused
        If it lies outside the picture, or is too small.
    """
    start = run.nearest(at)
    width, height = run.size
    if box.width * width < 6 or box.height * height < 6:
        raise Refused("the box is too small to follow; draw a larger one")
    anchor = _Anchor(run.frames[start], box)
    places = {start: Place(int(run.numbers[start]), box, 1.0)}
    notes = []
    done = 0
    for way in (1, -1):
        pose, last = motion.STILL, start
        for place in range(start + way, len(run) if way > 0 else -1, way):
            found = anchor.found(run.frames[last].structure, run.frames[place].structure, pose)
            done += 1
            told(done / max(len(run) - 1, 1))
            why = None if found else "it looks like what is around it"
            sure = 0.0
            if found:
                pose, sure = found
                seen = anchor.seen_part(pose)
                if seen < 0.35:
                    why = "it leaves the picture"
                elif sure < LEAST_SURE:
                    why = "it looks too different"
            if why:
                notes.append(
                    f"lost {'after' if way > 0 else 'before'} frame {int(run.numbers[last]) + 1}: {why}; "
                    "draw it again there to go on"
                )
                break
            places[place] = Place(int(run.numbers[place]), anchor.box_at(pose), sure)
            last = place
    return Followed(tuple(places[one] for one in sorted(places)), tuple(notes))


def follow_again(run: Run, drawn: Sequence[tuple[int, Box]], told: Progress = untold) -> Followed:
    """Follow a subject whose box was drawn on several frames: each frame has its place from the nearest of them that knows it.

    Raises
    ------
    NothingToFollow, ValueError
        As of :func:`follow`, or if nothing was drawn.
    """
    if not drawn:
        raise Refused("no box is drawn to follow")
    parts = []
    for count, (at, box) in enumerate(drawn):
        share = (count / len(drawn), 1 / len(drawn))
        parts.append((at, follow(run, box, at, lambda part, share=share: told(share[0] + share[1] * part))))
    places = {}
    for number in run.numbers:
        known = [(abs(at - number), place) for at, found in parts if (place := found.at(int(number)))]
        near = min(known, key=lambda one: one[0], default=None)
        if near:
            places[int(number)] = near[1]
    lost = [int(number) for number in run.numbers if int(number) not in places]
    notes = parts[0][1].notes if len(parts) == 1 else ()
    if len(parts) > 1 and lost:
        notes = (f"lost on {len(lost)} frames, the first of them frame {lost[0] + 1}; draw it again there to go on",)
    return Followed(tuple(places[number] for number in sorted(places)), notes)


class _Anchor:
    """The box as it was drawn, and what of it can be found again."""

    def __init__(self, frame: Frame, box: Box) -> None:
        structure = frame.structure
        self.structure, self.box = structure, box
        self.height, self.width = structure.shape
        inside = self._mask(box, 0.0) != 0
        blank = codes.unpack(frame.colours[inside]).std(axis=0).max() < _BLANK
        if blank or _fine(frame)[inside].std() < _FAINTEST:
            raise NothingToFollow(_TOO_LITTLE)
        self.points = motion.corners(structure, MOST_POINTS, self._mask(box, 0.0))
        if len(self.points) < LEAST_POINTS:
            self.points = self._fine()
        if len(self.points) < LEAST_POINTS:
            raise NothingToFollow(_TOO_LITTLE)
        self.patch = self._patch(structure, motion.STILL)

    def _mask(self, box: Box, grown: float) -> np.ndarray:
        mask = np.zeros((self.height, self.width), np.uint8)
        x0, y0 = box.x - grown * box.width, box.y - grown * box.height
        x1, y1 = box.x + (1 + grown) * box.width, box.y + (1 + grown) * box.height
        cv2.rectangle(
            mask,
            (round(x0 * self.width), round(y0 * self.height)),
            (round(x1 * self.width), round(y1 * self.height)),
            255,
            -1,
        )
        return mask

    def _fine(self) -> np.ndarray:
        """Fainter points, where there are few corners: on a face out of focus."""
        found = cv2.goodFeaturesToTrack(
            self.structure, MOST_POINTS, 0.002, 3, mask=self._mask(self.box, 0.0), blockSize=7
        )
        if found is None:
            return np.zeros((0, 2), np.float32)
        deviation = cv2.GaussianBlur(self.structure.astype(np.float32), (0, 0), 1.0)
        inside = deviation[self._mask(self.box, 0.0) != 0]
        return found.reshape(-1, 2) if inside.std() > 4 else np.zeros((0, 2), np.float32)

    def found(self, before: np.ndarray, here: np.ndarray, pose: np.ndarray) -> tuple[np.ndarray, float] | None:
        """The pose (2, 3) of the box on a frame and how sure it is, from its pose on the frame before."""
        start = motion.moved(self.points, pose).astype(np.float32)
        at, ok = motion.followed(before, here, start)
        step = _similarity(start[ok], at[ok])
        if step is None:
            # Laid on the frame it was drawn on, it may still be found where it was.
            step = (motion.STILL, 0)
        pose = motion.after(pose, step[0])
        return self._laid_on_again(here, pose) or (None if step[1] == 0 else (pose, self._likeness(here, pose)))

    def _laid_on_again(self, here: np.ndarray, pose: np.ndarray) -> tuple[np.ndarray, float] | None:
        """The pose mended by the box as it was drawn."""
        back = cv2.warpAffine(
            here,
            pose,
            (self.width, self.height),
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_REPLICATE,
        )
        at, ok = motion.followed(self.structure, back, self.points, self.points)
        mended = _similarity(self.points[ok], at[ok])
        if mended is None:
            return None
        better = motion.after(mended[0], pose)
        likeness = self._likeness(here, better)
        shared = mended[1] / len(self.points)
        if likeness < 0.3 and shared < 0.3:
            return None
        return better, float(np.clip(0.5 * likeness + 0.5 * min(1.0, 1.6 * shared), 0, 1))

    def _patch(self, structure: np.ndarray, pose: np.ndarray) -> np.ndarray:
        back = cv2.warpAffine(
            structure,
            pose,
            (self.width, self.height),
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_REPLICATE,
        )
        inside = self._mask(self.box, _GROWN) != 0
        return cv2.GaussianBlur(back, (0, 0), 1.2).astype(np.float32)[inside]

    def _likeness(self, here: np.ndarray, pose: np.ndarray) -> float:
        """Normalised correlation with the box as it was drawn, 0..1."""
        patch = self._patch(here, pose)
        one, other = self.patch - self.patch.mean(), patch - patch.mean()
        return float(max(0.0, (one * other).sum() / (np.sqrt((one**2).sum() * (other**2).sum()) + 1e-6)))

    def box_at(self, pose: np.ndarray) -> Box:
        x, y = self.box.middle
        at = motion.moved(np.array([[x * self.width, y * self.height]]), pose)[0]
        scale = float(np.hypot(pose[0, 0], pose[1, 0]))
        angle = float(np.degrees(np.arctan2(pose[1, 0], pose[0, 0])))
        width, height = self.box.width * scale, self.box.height * scale
        middle = at / (self.width, self.height)
        return _unchecked(middle[0] - width / 2, middle[1] - height / 2, width, height, self.box.angle + angle)

    def seen_part(self, pose: np.ndarray) -> float:
        """How much of the box lies in the picture."""
        box = self.box_at(pose)
        x = min(box.x + box.width, 1.0) - max(box.x, 0.0)
        y = min(box.y + box.height, 1.0) - max(box.y, 0.0)
        return max(x, 0.0) * max(y, 0.0) / (box.width * box.height)


def _fine(frame: Frame) -> np.ndarray:
    """What differs from its near surroundings, working values float32 (H, W)."""
    levels = codes.unpack(frame.packed).mean(axis=-1)
    near, far = (cv2.GaussianBlur(levels, (0, 0), width) for width in _FINE)
    return near - far


def _unchecked(x: float, y: float, width: float, height: float, angle: float) -> Box:
    """A box that may lie outside the picture."""
    box = object.__new__(Box)
    for name, value in {"x": x, "y": y, "width": width, "height": height, "angle": angle}.items():
        object.__setattr__(box, name, float(value))
    return box


def _similarity(there: np.ndarray, here: np.ndarray) -> tuple[np.ndarray, int] | None:
    """A turn, a scale and a shift (2, 3) that most points share, and how many do; None where too few do."""
    if len(there) < LEAST_POINTS:
        return None
    found, inliers = cv2.estimateAffinePartial2D(
        there, here, method=cv2.RANSAC, ransacReprojThreshold=_WITHIN, confidence=0.995
    )
    if found is None or inliers.sum() < LEAST_POINTS:
        return None
    scale = np.hypot(found[0, 0], found[1, 0])
    if abs(np.log(scale)) > _LARGEST_STEP:
        return None
    return found, int(inliers.sum())


def points_in(places: Sequence[Box], size: tuple[int, int], side: int = 15) -> list[np.ndarray]:
    """The same places inside each box, (side², 2) in pixels of a picture of `size`."""
    ticks = (np.arange(side) + 0.5) / side - 0.5
    grid = np.stack(np.meshgrid(ticks, ticks), axis=-1).reshape(-1, 2) * 0.9
    found = []
    for box in places:
        turn = np.radians(box.angle)
        turned = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
        inside = grid * (box.width * size[0], box.height * size[1])
        found.append(inside @ turned.T + np.array(box.middle) * size)
    return found
