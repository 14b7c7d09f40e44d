"""Decoded frames in the working space, kept while they are likely to be seen again."""

from __future__ import annotations

import threading
from collections import OrderedDict
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np

from dovrel.core.colour.outputs import DEFAULT_OUTPUT
from dovrel.media.picture import PREVIEW_WIDTH, Picture, shrink, to_picture
from dovrel.media.video import ClipInfo, probe, read_frames
from dovrel.store.models import Shot

MAX_BYTES = 160 * 1024 * 1024
READ_AHEAD = 4


@dataclass(frozen=True, eq=False)
class Source:
    """Where a shot's frames come from and how they enter the working space."""

    shot_id: int
    path: Path
    info: ClipInfo
    encoding: str
    output: str = DEFAULT_OUTPUT
    proxy: Path | None = None

    def _key(self) -> tuple:
        return (self.shot_id, self.path, self.encoding, self.output)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Source) and self._key() == other._key()

    def __hash__(self) -> int:
        return hash(self._key())


def source_of(shot: Shot) -> Source:
    """The source of a measured shot.

    Raises
    ------
    ValueError
        If the shot is not ready: faulty, or not measured yet.
    """
    if shot.progress != "ready":
        reason = shot.fault or "it has not been measured yet; wait for Intake to finish"
        raise ValueError(f"{shot.name} cannot be shown: {reason}")
    clip = shot.clip
    info = ClipInfo(
        **{k: clip[k] for k in ("width", "height", "frames", "bit_depth", "full_range", "matrix", "codec")},
        rate=Fraction(*clip["rate"]),
        pixel_format=clip["pixel_format"],
        timecode=clip["timecode"],
        tags=clip["tags"],
        warnings=tuple(clip["warnings"]),
    )
    proxy = Path(shot.proxy) if shot.proxy and Path(shot.proxy).is_file() else None
    return Source(shot.id, Path(shot.path), info, shot.camera.encoding, shot.production.output, proxy)


class FrameStore:
    """A bounded store of frames, oldest use out first. Safe to use from several threads."""

    def __init__(self, max_bytes: int = MAX_BYTES) -> None:
        self._frames: OrderedDict[tuple, Picture] = OrderedDict()
        self._bytes = 0
        self._max = max_bytes
        self._lock = threading.Lock()
        self._decoding = threading.Lock()

    def preview(self, source: Source, frame: int) -> Picture:
        """One frame at preview size.

        Raises
        ------
        MediaFault
            If the frame is not there or cannot be decoded.
        """
        return self._get(source, frame, PREVIEW_WIDTH)

    def full(self, source: Source, frame: int) -> Picture:
        """One frame at full resolution."""
        return self._get(source, frame, source.info.width)

    def _get(self, source: Source, frame: int, width: int) -> Picture:
        frame = min(max(frame, 0), source.info.frames - 1)
        key = (source.path, source.encoding, source.output, frame, width)
        if (found := self._find(key)) is not None:
            return found
        with self._decoding:
            if (found := self._find(key)) is not None:
                return found
            ahead = 1 if width == source.info.width else min(READ_AHEAD, source.info.frames - frame)
            first: Picture | None = None
            path, info = source.path, source.info
            if source.proxy and width < info.width:
                path, info = source.proxy, probe(source.proxy)
            for index, code in enumerate(read_frames(path, frame, ahead, info)):
                recorded = shrink(code.astype(np.float32) / np.float32(65535), width)
                picture = to_picture(recorded, source.encoding, source.output)
                # Recorded values are kept at half the bytes; 11 bits are enough to see clipping.
                kept = Picture(picture.recorded.astype(np.float16), picture.packed)
                self._keep((*key[:3], frame + index, width), kept)
                first = first or kept
            assert first is not None
            return first

    def _find(self, key: tuple) -> Picture | None:
        with self._lock:
            if key in self._frames:
                self._frames.move_to_end(key)
                return self._frames[key]
        return None

    def _keep(self, key: tuple, picture: Picture) -> None:
        with self._lock:
            if key in self._frames:
                return
            self._frames[key] = picture
            self._bytes += picture.packed.nbytes + picture.recorded.nbytes
            while self._bytes > self._max and len(self._frames) > 1:
                _, old = self._frames.popitem(last=False)
                self._bytes -= old.packed.nbytes + old.recorded.nbytes
