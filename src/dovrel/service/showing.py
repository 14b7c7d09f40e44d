"""What is sent of a developed frame: the picture with its marks, and what only some scopes need."""

from __future__ import annotations

from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import asdict

import numpy as np
import simplejpeg

from dovrel.core.develop.frame import picture_with_grain
from dovrel.core.measure import counting, familiar, limits, marking
from dovrel.core.steps.levels import AtFrame
from dovrel.service.live_schemas import Extra
from dovrel.service.viewing import View

JPEG_QUALITY = 88
_encoders = ThreadPoolExecutor(2, thread_name_prefix="jpeg")
_full_encoders = ThreadPoolExecutor(2, thread_name_prefix="full jpeg")


def encoded(view: View, display: np.ndarray, levels: AtFrame, inside: np.ndarray | None) -> Future[bytes]:
    """The picture with its marks as a JPEG, made while the scopes are counted; of what is brushed only `inside`."""
    picture, mark = view.picture, view.request.mark
    if mark == "false colour":
        shown = marking.false_colour(picture.packed, levels.in_order)
    else:
        shown = picture_with_grain(display, levels.in_order, view.request.frame)
    if mark == "tone only":
        shown = marking.tone_only(shown)
    elif mark == "clipping":
        shown = marking.clipping(shown, limits.flag(display, picture.flags))
    elif mark == "matte" and view.share is not None:
        shown = marking.matte(view.share)
    elif mark == "legality":
        shown = marking.legality(shown, limits.flag(display, picture.flags))
    elif mark in familiar.ZONES:
        shown = marking.only(shown, familiar.find(display, mark))
    if inside is not None:
        shown = marking.only(shown, inside)
    # A full frame's is made where no other desk's waits behind it.
    encoders = _full_encoders if view.request.full else _encoders
    return encoders.submit(
        simplejpeg.encode_jpeg, np.ascontiguousarray(shown), JPEG_QUALITY, colorsubsampling="444", fastdct=True
    )


def extra_blobs(extra: Extra, display: np.ndarray, mask: np.ndarray | None) -> dict[str, np.ndarray | bytes]:
    blobs: dict[str, np.ndarray | bytes] = {}
    if extra.chroma:
        blobs["chroma"] = counting.count_chroma(display, mask)
    if extra.cast:
        blobs["cast"] = counting.count_cast(display, mask)
    if extra.vector_levels:
        blobs["limited vector"] = counting.count_vector(display, *extra.vector_levels, mask)
    return blobs


def survey(display: np.ndarray) -> list[dict]:
    """Familiar colours; figures of those that are not there are left out."""
    return [{name: value for name, value in asdict(one).items() if value == value} for one in familiar.survey(display)]
