"""Marks in the picture: clipping, legality, exposure bands, chosen pixels."""

from __future__ import annotations

import cv2
import numpy as np

from dovrel.core.colour import codes
from dovrel.core.colour.working import stops_from_grey
from dovrel.core.measure import limits
from dovrel.core.steps.chain import Chain, apply_in_order
from dovrel.core.steps.primary import REC709_LUMA

BANDS = 7
"""Stops below and above mid grey that have a band of their own."""

_COOL, _MIDDLE, _WARM = np.array([0.12, 0.20, 0.62]), np.array([0.80, 0.80, 0.80]), np.array([0.72, 0.12, 0.08])


def band_colours() -> np.ndarray:
    """Colours of the exposure bands, uint8 (2 · BANDS + 1, 3): cool below mid grey, warm above."""
    steps = np.linspace(-1, 1, 2 * BANDS + 1)[:, None]
    ends = np.where(steps < 0, _COOL, _WARM)
    colours = _MIDDLE + np.abs(steps) ** 0.8 * (ends - _MIDDLE)
    return (255 * colours + 0.5).astype(np.uint8)


def false_colour(packed: np.ndarray, chain: Chain) -> np.ndarray:
    """Exposure bands, one a stop from mid grey, of a corrected frame: uint8 (H, W, 3).

    Parameters
    ----------
    packed : uint16 (H, W, 3), working codes; exposure is the luminance of the corrected
        working values, in stops from 18 % grey
    """
    working = apply_in_order(codes.unpack(packed), chain)
    band = np.clip(np.round(stops_from_grey(working)), -BANDS, BANDS).astype(int) + BANDS
    return band_colours()[band]


def only(picture: np.ndarray, mask: np.ndarray) -> np.ndarray:
    """The picture with all but the chosen pixels dimmed and without colour."""
    grey = (picture @ REC709_LUMA * 0.35 + 16).astype(np.uint8)
    return np.where(mask[..., None] != 0, picture, grey[..., None])


def clipping(picture: np.ndarray, flags: np.ndarray) -> np.ndarray:
    """Recorded clipping under wide diagonal stripes, clipping by the correction under a fine check."""
    rows, columns = np.indices(flags.shape, sparse=True)
    stripes = ((rows + columns) // 5 % 2).astype(bool)
    check = ((rows // 2 + columns // 2) % 2).astype(bool)
    marked = _patterned(picture, (flags & (limits.RECORDED_HIGH | limits.RECORDED_LOW)) != 0, stripes)
    return _patterned(marked, (flags & (limits.CORRECTED_HIGH | limits.CORRECTED_LOW)) != 0, check)


def legality(picture: np.ndarray, flags: np.ndarray) -> np.ndarray:
    """What is outside EBU R 103 under level stripes."""
    rows, _ = np.indices(flags.shape, sparse=True)
    return _patterned(picture, (flags & limits.ILLEGAL) != 0, np.broadcast_to(rows // 3 % 2 == 1, flags.shape))


def _patterned(picture: np.ndarray, where: np.ndarray, pattern: np.ndarray) -> np.ndarray:
    ink = np.where(pattern, 235, 20).astype(np.uint8)[..., None]
    return np.where(where[..., None], ink, picture)


def matte(share: np.ndarray) -> np.ndarray:
    """How far pixels belong to a selection, 0..1 (H, W), as a picture from black to white: uint8 (H, W, 3)."""
    return np.repeat((255 * share + 0.5).astype(np.uint8)[..., None], 3, axis=-1)


def tone_only(picture: np.ndarray) -> np.ndarray:
    """A picture uint8 (H, W, 3) without its colours: BT.709 luma in all three channels."""
    return np.repeat(cv2.transform(picture, REC709_LUMA[None])[..., None], 3, axis=-1)
