"""A clip's frames, whatever kind of file they come from."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import islice
from pathlib import Path
from typing import Protocol

import av
import cv2
import numpy as np

from dovrel.core.colour import codes as signal
from dovrel.media import decoding, probing, sequence
from dovrel.media.clip import AS_IT_SAYS, ClipInfo, Reading
from dovrel.media.faults import MediaFault
from dovrel.media.limits import STILL_SUFFIXES
from dovrel.media.stills import read_still

PROXY_FORMAT = "yuv422p10le"


class Frame(Protocol):
    """A frame that is decoded, and not yet turned into what is worked on."""

    def codes(self, width: int | None = None) -> np.ndarray:
        """As it is seen, at most `width` wide: recorded codes uint16 (H, W, 3)."""
        ...

    def small(self, width: int, height: int) -> av.VideoFrame:
        """As it lies in the file, without its geometry, scaled to a proxy's size."""
        ...


@dataclass(frozen=True)
class _Decoded:
    frame: av.VideoFrame
    info: ClipInfo

    def codes(self, width: int | None = None) -> np.ndarray:
        return decoding.to_rgb(self.frame, self.info, width)

    def small(self, width: int, height: int) -> av.VideoFrame:
        return decoding.scaled(self.frame, self.info, width, height, PROXY_FORMAT)


@dataclass(frozen=True)
class _Still:
    values: np.ndarray
    info: ClipInfo

    def codes(self, width: int | None = None) -> np.ndarray:
        return sequence.codes_of(self.values, self.info, width)

    def small(self, width: int, height: int) -> av.VideoFrame:
        shrunk = cv2.resize(self.values, (width, height), interpolation=cv2.INTER_AREA)
        return decoding.as_video(signal.encode_signal(shrunk), PROXY_FORMAT)


def is_still(path: Path) -> bool:
    return path.suffix.lower() in STILL_SUFFIXES


def probe(path: Path, reading: Reading = AS_IT_SAYS) -> ClipInfo:
    """What a clip, a sequence or a still says of itself, read as `reading` says.

    Raises
    ------
    MediaFault
        If it cannot be read at all.
    """
    path = Path(path)
    return sequence.probe(path, reading) if is_still(path) else probing.probe(path, reading)


def frames(path: Path, first: int, count: int, info: ClipInfo, missing: list[int] | None = None) -> Iterator[Frame]:
    """`count` frames from frame `first` on; in the place of one that cannot be decoded, its neighbour.

    The numbers of those are added to `missing`.

    Raises
    ------
    MediaFault
        If none of them can be decoded.
    """
    path = Path(path)
    if not is_still(path):
        for frame in decoding.decode_frames(path, first, count, info, missing):
            yield _Decoded(frame, info)
        return
    last: _Still | None = None
    awaited = 0
    for number, file in enumerate(islice(sequence.files_of(path, info), first, first + count), first):
        awaited += 1
        try:
            last = _Still(sequence.load(file, info), info)
        except MediaFault:
            if last is None and number == first + count - 1:
                raise
            if missing is not None:
                missing.append(number)
        # Before the first that can be read, its neighbours wait for it.
        while last is not None and awaited:
            yield last
            awaited -= 1


def read_frames(
    path: Path, first: int, count: int, info: ClipInfo, width: int | None = None, missing: list[int] | None = None
) -> Iterator[np.ndarray]:
    """As :func:`frames`: recorded codes uint16 (H, W, 3) each, scaled down to `width` pixels across if wider.

    Raises
    ------
    MediaFault
        As :func:`frames`.
    """
    for frame in frames(path, first, count, info, missing):
        yield frame.codes(width)


def missing_said(missing: Sequence[int]) -> str:
    """Which frames cannot be decoded."""
    if len(missing) == 1:
        return f"frame {missing[0]} cannot be decoded; its neighbour is shown in its place"
    named = ", ".join(map(str, missing[:5])) + (" and more" if len(missing) > 5 else "")
    return f"{len(missing)} frames cannot be decoded, their neighbours are shown: {named}"


def missing_frames(path: Path, info: ClipInfo) -> list[int]:
    """The numbers of frames that cannot be decoded, found by decoding all; errors as of :func:`frames`."""
    missing: list[int] = []
    for _ in frames(path, 0, info.frames, info, missing):
        pass
    return missing


def read_frame(path: Path, index: int, info: ClipInfo) -> np.ndarray:
    """One frame as recorded codes uint16 (H, W, 3).

    Raises
    ------
    MediaFault
        If `index` lies outside the clip or the frame cannot be decoded.
    """
    if not 0 <= index < info.frames:
        raise MediaFault(path, f"there is no frame {index}; the clip has {info.frames}")
    return next(read_frames(path, index, 1, info))


def files_of(path: Path, info: ClipInfo) -> list[Path]:
    """Every file that a clip is made of."""
    path = Path(path)
    if is_still(path):
        return list(sequence.files_of(path, info))
    return [path.parent / part.name for part in info.parts] or [path]


def read_recorded(path: Path, frame: int = 0, info: ClipInfo | None = None) -> np.ndarray:
    """Code values float32 (H, W, 3) of a still, or of one frame of a clip; 0 is black and 1 is white.

    Raises
    ------
    MediaFault
    """
    path = Path(path)
    if is_still(path):
        return read_still(path)
    return signal.decode_signal(read_frame(path, frame, info or probe(path)))
