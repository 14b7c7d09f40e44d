"""A pick's matte cleaned up: specks taken out, holes filled, its edge made soft."""

from __future__ import annotations

import cv2
import numpy as np

from dovrel.core.steps.pick import Pick


def cleaned(pick: Pick, share: np.ndarray, bound: np.ndarray) -> np.ndarray:
    """The matte (H, W) as a pick has it cleaned up: float32.

    Parameters
    ----------
    share, bound : float arrays (H, W) of :meth:`Pick.share` and :meth:`Pick.bound`; nothing goes beyond the second

    Notes
    -----
    Specks go by a grey opening, whose remains are grown again within the matte, so that edges stay where they were; holes are
    filled by a grey closing, as far as colours are within the bound.
    """
    width = share.shape[1]
    matte, bound = _codes(share), _codes(bound)
    if pick.specks:
        brush = _disc(pick.specks * width)
        kept = cv2.erode(matte, brush)
        matte = np.minimum(matte, cv2.dilate(kept, _disc(2 * pick.specks * width)))
    if pick.holes:
        filled = cv2.morphologyEx(matte, cv2.MORPH_CLOSE, _disc(pick.holes * width), borderType=cv2.BORDER_REPLICATE)
        matte = np.maximum(matte, np.minimum(filled, bound))
    if pick.edge:
        soft = cv2.GaussianBlur(matte, (0, 0), pick.edge * width / 2, borderType=cv2.BORDER_REPLICATE)
        matte = np.minimum(soft, bound)
    return matte.astype(np.float32) * np.float32(1 / _MOST)


_MOST = 65535


def _codes(share: np.ndarray) -> np.ndarray:
    return (np.clip(share, 0, 1) * _MOST + 0.5).astype(np.uint16)


def _disc(radius: float) -> np.ndarray:
    whole = max(round(radius), 1)
    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * whole + 1, 2 * whole + 1))
