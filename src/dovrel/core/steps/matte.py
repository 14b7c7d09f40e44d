"""A pick's matte cleaned up: specks taken out, holes filled, its edge made soft."""

from __future__ import annotations

import cv2
import numpy as np

from dovrel.core.steps.pick import Pick

MOST = 255
"""Steps of a matte that is cleaned up: bytes are several times as fast, and finer than what they blend can show."""


def as_bytes(share: np.ndarray) -> np.ndarray:
    """Shares 0..1 as uint8."""
    return (np.clip(share, 0, 1) * MOST + 0.5).astype(np.uint8)


def cleaned(pick: Pick, matte: np.ndarray, bound: np.ndarray) -> np.ndarray:
    """The matte uint8 (H, W) as a pick has it cleaned up, uint8.

    Parameters
    ----------
    matte, bound : of :meth:`Pick.share` and :meth:`Pick.bound`, :func:`as_bytes`; nothing goes beyond the second

    Notes
    -----
    Specks go by a grey opening, whose remains are grown again within the matte, so that edges stay where they were; holes are
    filled by a grey closing, as far as colours are within the bound.
    """
    width = matte.shape[1]
    if pick.specks:
        kept = cv2.erode(matte, _disc(pick.specks * width))
        matte = np.minimum(matte, cv2.dilate(kept, _disc(2 * pick.specks * width)))
    if pick.holes:
        filled = cv2.morphologyEx(matte, cv2.MORPH_CLOSE, _disc(pick.holes * width), borderType=cv2.BORDER_REPLICATE)
        matte = np.maximum(matte, np.minimum(filled, bound))
    if pick.edge:
        matte = np.minimum(_blurred(matte, pick.edge * width / 2), bound)
    return matte


def _blurred(matte: np.ndarray, sigma: float) -> np.ndarray:
    """A Gaussian blur; a wide one at half the size, which is within one step of 255 and three times as fast."""
    if sigma < _WIDE:
        return cv2.GaussianBlur(matte, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)
    height, width = matte.shape
    half = cv2.resize(matte, ((width + 1) // 2, (height + 1) // 2), interpolation=cv2.INTER_AREA)
    # Making it small and large again blurs by half a small pixel in itself.
    half = cv2.GaussianBlur(half, (0, 0), np.sqrt(sigma**2 / 4 - 0.25), borderType=cv2.BORDER_REPLICATE)
    return cv2.resize(half, (width, height), interpolation=cv2.INTER_LINEAR)


_WIDE = 2.0
"""Pixels from which a blur is made at half the size."""


def _disc(radius: float) -> np.ndarray:
    whole = max(round(radius), 1)
    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * whole + 1, 2 * whole + 1))
