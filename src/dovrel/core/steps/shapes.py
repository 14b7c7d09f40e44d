"""Shapes of an area: which places of a picture lie in it, and how softly it ends.

Places are in parts of the picture's width and height, from its upper left corner; sizes and softness in parts of its width. Softness
is how wide the border is, half of it on either side of the line as drawn.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Annotated, ClassVar, Literal

import cv2
import numpy as np
from pydantic import Field

from dovrel.errors import Refused
from dovrel.machine.kernels import njit

SOFTEST = 1.0
MOST_POINTS = 64
LEAST_SIZE = 0.002
"""A shape smaller than this, in parts of the picture's width, has no size."""
BENDS = 8
"""Straight pieces that a curved side is made of."""
_FIELD_WIDTH = 320
"""Distances to an outline are worked out on so many columns, and lie smoothly between them."""

Place = tuple[float, float]


@dataclass(frozen=True)
class Ellipse:
    """An ellipse about (x, y).

    Attributes
    ----------
    x, y : its centre
    width, height : from side to side, both in parts of the picture's width
    angle : how far it is turned, degrees, clockwise
    soft : the width of its border
    away : whether it is taken away from the shapes before it, in the place of being added
    """

    x: float
    y: float
    width: float
    height: float
    angle: float = 0.0
    soft: float = 0.05
    away: bool = False
    kind: Literal["ellipse"] = field(default="ellipse", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        _check(self.points, self.soft)
        if min(self.width, self.height) < LEAST_SIZE or max(self.width, self.height) > 4:
            raise Refused("an ellipse needs a size: 0.002 to 4 of the picture's width")
        if abs(self.angle) > 360:
            raise Refused("an ellipse is turned by 360 degrees at most")

    @property
    def points(self) -> tuple[Place, ...]:
        return ((self.x, self.y),)

    def as_array(self) -> np.ndarray:
        return np.array([self.x, self.y, self.width, self.height, self.angle, self.soft])

    def between(self, other: Ellipse, part: float) -> Ellipse:
        n = [float(value) for value in self.as_array() + part * (other.as_array() - self.as_array())]
        return Ellipse(n[0], n[1], n[2], n[3], n[4], n[5], (other if part >= 0.5 else self).away)

    def moved(self, motion: Motion, aspect: float) -> Ellipse:
        x, y = motion.at(self.x, self.y, aspect)
        angle = float((self.angle + motion.angle + 180) % 360 - 180)
        return replace(self, x=x, y=y, width=self.width * motion.scale, height=self.height * motion.scale, angle=angle)

    def share(self, height: int, width: int) -> np.ndarray:
        out = np.empty((height, width), np.float32)
        numbers = np.array([self.x, self.y * height / width, self.width / 2, self.height / 2, self.soft])
        _ellipse(numbers, np.radians(self.angle), out)
        return out


@dataclass(frozen=True)
class Gradient:
    """All on one side of a line: whole up to (x, y), none from (to_x, to_y) on.

    Attributes
    ----------
    x, y : where it begins to end
    to_x, to_y : where it has ended
    away : as of :class:`Ellipse`
    """

    x: float
    y: float
    to_x: float
    to_y: float
    away: bool = False
    kind: Literal["gradient"] = field(default="gradient", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        _check(self.points, 0.0)
        if max(abs(self.x - self.to_x), abs(self.y - self.to_y)) < LEAST_SIZE:
            raise Refused("a gradient needs two places that lie apart")

    @property
    def points(self) -> tuple[Place, ...]:
        return ((self.x, self.y), (self.to_x, self.to_y))

    def as_array(self) -> np.ndarray:
        return np.array([self.x, self.y, self.to_x, self.to_y])

    def between(self, other: Gradient, part: float) -> Gradient:
        n = [float(value) for value in self.as_array() + part * (other.as_array() - self.as_array())]
        return Gradient(n[0], n[1], n[2], n[3], (other if part >= 0.5 else self).away)

    def moved(self, motion: Motion, aspect: float) -> Gradient:
        (x, y), (to_x, to_y) = (motion.at(*place, aspect) for place in self.points)
        return replace(self, x=x, y=y, to_x=to_x, to_y=to_y)

    def share(self, height: int, width: int) -> np.ndarray:
        tall = height / width
        x, y = self.to_x - self.x, (self.to_y - self.y) * tall
        along = 1 / (x * x + y * y)
        columns = ((np.arange(width) + 0.5) / width - self.x) * x * along
        rows = ((np.arange(height) + 0.5) / width - self.y * tall) * y * along
        part = np.clip(1 - (rows[:, None] + columns), 0, 1)
        return (part * part * (3 - 2 * part)).astype(np.float32)


@dataclass(frozen=True)
class Outline:
    """What lies within a closed line with curved sides through its corners (Catmull and Rom 1974).

    Attributes
    ----------
    corners : three or more
    soft, away : as of :class:`Ellipse`
    straight : whether its sides are straight
    """

    corners: tuple[Place, ...]
    soft: float = 0.05
    straight: bool = False
    away: bool = False
    kind: Literal["outline"] = field(default="outline", repr=False)

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    def __post_init__(self) -> None:
        if not 3 <= len(self.corners) <= MOST_POINTS:
            raise Refused(f"an outline has 3 to {MOST_POINTS} corners, not {len(self.corners)}")
        _check(self.corners, self.soft)
        spans = np.ptp(np.array(self.corners), axis=0)
        if spans.max() < LEAST_SIZE:
            raise Refused("an outline needs a size; all its corners lie at one place")

    @property
    def points(self) -> tuple[Place, ...]:
        return self.corners

    def as_array(self) -> np.ndarray:
        return np.array([*np.ravel(self.corners), self.soft])

    def between(self, other: Outline, part: float) -> Outline:
        if len(self.corners) != len(other.corners):
            return other if part >= 0.5 else self
        places = np.array(self.corners) + part * (np.array(other.corners) - np.array(self.corners))
        soft = self.soft + part * (other.soft - self.soft)
        one = other if part >= 0.5 else self
        return Outline(tuple((float(x), float(y)) for x, y in places), soft, one.straight, one.away)

    def moved(self, motion: Motion, aspect: float) -> Outline:
        return replace(self, corners=tuple(motion.at(*place, aspect) for place in self.corners))

    def line(self) -> np.ndarray:
        """The closed line as places: float64 (N, 2)."""
        corners = np.array(self.corners, np.float64)
        if self.straight:
            return corners
        before, after, beyond = (np.roll(corners, -step, axis=0) for step in (-1, 1, 2))
        pieces = []
        for t in np.arange(BENDS) / BENDS:
            pieces.append(
                0.5
                * (
                    2 * corners
                    + (after - before) * t
                    + (2 * before - 5 * corners + 4 * after - beyond) * t**2
                    + (3 * corners - before - 3 * after + beyond) * t**3
                )
            )
        return np.stack(pieces, axis=1).reshape(-1, 2)

    def share(self, height: int, width: int) -> np.ndarray:
        tall = height / width
        columns = min(_FIELD_WIDTH, width)
        rows = max(round(columns * tall), 1)
        field_ = np.empty((rows, columns), np.float32)
        _distances(self.line() * (1, tall), tall, field_)
        if (rows, columns) != (height, width):
            field_ = cv2.resize(field_, (width, height), interpolation=cv2.INTER_LINEAR)
        part = np.clip(0.5 + field_ / max(self.soft, 1.0 / width), 0, 1)
        return part * part * (3 - 2 * part)


Shape = Annotated[Ellipse | Gradient | Outline, Field(discriminator="kind")]


@dataclass(frozen=True)
class Motion:
    """How something has moved in the picture: about a place, along, turned, grown.

    Attributes
    ----------
    x, y : the place it is turned and grown about, in parts of width and height
    along, down : how far that has moved, in parts of width and height
    angle : degrees, clockwise
    scale : times as large
    """

    x: float
    y: float
    along: float
    down: float
    angle: float
    scale: float

    def at(self, x: float, y: float, aspect: float) -> Place:
        """Where a place has come to; `aspect` is the picture's width by its height."""
        across, up = x - self.x, (y - self.y) / aspect
        cosine, sine = np.cos(np.radians(self.angle)) * self.scale, np.sin(np.radians(self.angle)) * self.scale
        to_x = self.x + self.along + cosine * across - sine * up
        to_y = self.y + self.down + (sine * across + cosine * up) * aspect
        # What has left the picture far behind is kept where numbers still are numbers.
        return float(np.clip(to_x, -_FAR, _FAR)), float(np.clip(to_y, -_FAR, _FAR))


_FAR = 3.0
"""Places lie no farther than this from the picture, in parts of it."""


def joined(shapes: tuple[Ellipse | Gradient | Outline, ...], height: int, width: int) -> np.ndarray:
    """How far each pixel lies in the shapes, added and taken away in order: float32 (height, width), 0..1."""
    found = np.full((height, width), np.float32(bool(shapes[0].away)), np.float32)
    for shape in shapes:
        share = shape.share(height, width)
        found = np.minimum(found, 1 - share) if shape.away else np.maximum(found, share)
    return found


def _check(places: tuple[Place, ...], soft: float) -> None:
    numbers = np.array(places)
    if not np.isfinite(numbers).all() or not np.isfinite(soft):
        raise Refused("the numbers of a shape must all be finite")
    if np.abs(numbers).max() > _FAR:
        raise Refused("a shape lies too far outside the picture")
    if not 0 <= soft <= SOFTEST:
        raise Refused(f"a shape's softness lies between 0 and {SOFTEST:g} of the picture's width, not at {soft:g}")


@njit(nogil=True, cache=True)
def _ellipse(numbers, angle, out):
    """Along the distance to the line in its first approximation (Taubin 1991): q − 1 by its own slope."""
    x, y, a, b, soft = numbers[0], numbers[1], numbers[2], numbers[3], numbers[4]
    height, width = out.shape
    cosine, sine = np.cos(angle), np.sin(angle)
    soft = max(soft, 1.0 / width)
    inner = 1.0 - soft / min(a, b)
    outer = 1.0 + soft / min(a, b)
    for row in range(height):
        v = (row + 0.5) / width - y
        for column in range(width):
            u = (column + 0.5) / width - x
            along, down = (cosine * u + sine * v) / a, (cosine * v - sine * u) / b
            q = np.sqrt(along * along + down * down)
            if q >= outer:
                out[row, column] = 0.0
                continue
            if q <= inner or q == 0.0:
                out[row, column] = 1.0 if q <= inner else _step(0.5 + min(a, b) / soft)
                continue
            slope = np.sqrt(along * along / (a * a) + down * down / (b * b)) / q
            out[row, column] = _step(0.5 - (q - 1.0) / slope / soft)


@njit(inline="always")
def _step(part):
    part = min(max(part, 0.0), 1.0)
    return part * part * (3.0 - 2.0 * part)


@njit(nogil=True, cache=True)
def _distances(line, tall, out):
    """Distance of each place to a closed line (N, 2), positive within it (even-odd), in parts of the width."""
    rows, columns = out.shape
    count = line.shape[0]
    for row in range(rows):
        y = (row + 0.5) / rows * tall
        for column in range(columns):
            x = (column + 0.5) / columns
            least, within = 1e9, False
            for n in range(count):
                m = n + 1 if n + 1 < count else 0
                ax, ay = line[n, 0], line[n, 1]
                dx, dy = line[m, 0] - ax, line[m, 1] - ay
                px, py = x - ax, y - ay
                length = dx * dx + dy * dy
                t = min(max((px * dx + py * dy) / length, 0.0), 1.0) if length > 0 else 0.0
                px, py = px - t * dx, py - t * dy
                least = min(least, px * px + py * py)
                by = line[m, 1]
                if (ay > y) != (by > y) and x < ax + (y - ay) / (by - ay) * dx:
                    within = not within
            out[row, column] = np.sqrt(least) if within else -np.sqrt(least)
