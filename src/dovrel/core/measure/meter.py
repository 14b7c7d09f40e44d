"""The meter: which pixels of a picture are measured."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np

from dovrel.core.colour.tables import Table
from dovrel.core.develop.frame import develop
from dovrel.core.measure import familiar
from dovrel.core.steps.chain import Chain
from dovrel.errors import Refused

Kind = Literal["whole", "box", "outline", "skin", "neutrals"]
Point = tuple[float, float]
LEAST_SHARE = 0.0005
"""Skin or neutrals on less than this part of the picture are taken as not there."""


@dataclass(frozen=True)
class Meter:
    """A part of the picture.

    Attributes
    ----------
    kind : ``whole``; ``box``, between two corners; ``outline``, a closed line drawn by hand;
        ``skin`` or ``neutrals``, the pixels that look so under `under`
    points : places in parts of width and height, 0..1: two for a box, three or more for an outline
    under : the corrections under which skin or neutrals are looked for; kept with the meter, so
        that what is measured stays the same pixels while the correction moves
    """

    kind: Kind = "whole"
    points: tuple[Point, ...] = ()
    under: Chain = ()

    def __post_init__(self) -> None:
        places = np.array(self.points, float).reshape(-1, 2)
        if not (np.isfinite(places).all() and (places >= 0).all() and (places <= 1).all()):
            raise Refused("a meter must lie on the picture")
        if self.kind == "box" and (len(places) != 2 or (places[0] >= places[1]).any()):
            raise Refused("a meter's box needs a first corner above and left of the second, and an area")
        if self.kind == "outline" and len(places) < 3:
            raise Refused("a meter's outline needs three points or more")

    def mask(self, packed: np.ndarray, table: Table) -> np.ndarray | None:
        """The metered pixels of a frame.

        Parameters
        ----------
        packed : uint16 (H, W, 3), working codes
        table : the output, under which skin and neutrals are judged

        Returns
        -------
        uint8 (H, W), 1 where measured, or None for the whole picture

        Raises
        ------
        Refused
            If the frame holds no skin, or no neutrals, to measure.
        """
        height, width = packed.shape[:2]
        if self.kind == "whole":
            return None
        if self.kind == "box":
            return _box(self.points, width, height)
        if self.kind == "outline":
            return _outline(self.points, width, height)
        found = familiar.find(develop(packed, self.under, table), self.kind)
        if found.mean() < LEAST_SHARE:
            raise Refused(f"no {self.kind} found in this frame; meter something else")
        return found


WHOLE = Meter()


def _box(points: tuple[Point, ...], width: int, height: int) -> np.ndarray:
    (left, top), (right, bottom) = points
    x0, y0 = min(int(left * width), width - 1), min(int(top * height), height - 1)
    mask = np.zeros((height, width), np.uint8)
    mask[y0 : max(round(bottom * height), y0 + 1), x0 : max(round(right * width), x0 + 1)] = 1
    return mask


def _outline(points: tuple[Point, ...], width: int, height: int) -> np.ndarray:
    corners = np.round(np.array(points) * (width - 1, height - 1)).astype(np.int32)
    mask = np.zeros((height, width), np.uint8)
    cv2.fillPoly(mask, [corners], (1,))
    return mask
