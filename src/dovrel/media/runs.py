"""Runs of small frames read from a clip, to be looked at along time."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

import numpy as np

from dovrel.core.time.light import Progress, untold
from dovrel.core.time.run import RUN_WIDTH, Frame, Run, numbers_to_look_at, run_of
from dovrel.errors import Refused
from dovrel.media.clip import ClipInfo
from dovrel.media.faults import MediaFault
from dovrel.media.footage import frames
from dovrel.media.picture import WayIn


def read_run(
    path: Path,
    info: ClipInfo,
    way: WayIn,
    first: int = 0,
    last: int | None = None,
    told: Progress = untold,
) -> Run:
    """The frames of a clip from `first` to `last`, or evenly some of a long one.

    Raises
    ------
    Refused
        If `first` lies beyond the clip or after `last`.
    MediaFault
        If a frame cannot be decoded.
    """
    if first >= info.frames or (last is not None and last < first):
        raise Refused(f"{path.name} has frames 0 to {info.frames - 1}; {first} to {last} are not among them")
    chosen = numbers_to_look_at(info.frames, first, last)
    return run_of(_pictures(path, info, way, chosen, told))


def every_frame(path: Path, info: ClipInfo, way: WayIn, told: Progress = untold) -> Iterator[Frame]:
    """All frames of a clip, small, one after another; errors as of :func:`read_run`."""
    for number, packed, flags in _pictures(path, info, way, range(info.frames), told):
        yield Frame(number, packed, flags == 0)


def _pictures(
    path: Path, info: ClipInfo, way: WayIn, chosen: Sequence[int], told: Progress
) -> Iterator[tuple[int, np.ndarray, np.ndarray]]:
    """Number, working codes and flags of frames that are chosen, in order."""
    wanted = set(chosen)
    span = chosen[-1] - chosen[0] + 1
    missing: list[int] = []
    for number, frame in enumerate(frames(path, chosen[0], span, info, missing), chosen[0]):
        if missing:
            raise MediaFault(path, f"frames from {missing[0]} on cannot be read; is the file whole?")
        if number in wanted:
            picture = way.quickly(frame.codes(RUN_WIDTH))
            yield number, picture.packed, picture.flags
            told((number - chosen[0] + 1) / span)
