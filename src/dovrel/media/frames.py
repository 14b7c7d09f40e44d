"""Decoded frames in the working space, kept while they are likely to be seen again."""

from __future__ import annotations

import contextlib
import threading
from collections import OrderedDict
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from dovrel.core.colour import encodings
from dovrel.core.colour.outputs import DEFAULT_OUTPUT
from dovrel.media.faults import MediaFault
from dovrel.media.picture import PLAYING_WIDTH, PREVIEW_WIDTH, Picture, to_picture, to_picture_quickly
from dovrel.media.video import ClipInfo, probe, read_frames

MAX_BYTES = 180 * 1024 * 1024
READ_AHEAD = 4
READ_OVER = 8
PLAYED_AHEAD = 12


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


@dataclass
class _Reel:
    """An open file, and the frame that it will give next at a width."""

    path: Path
    width: int
    frame: int
    codes: Iterator[np.ndarray]

    def leads_to(self, path: Path, width: int, frame: int) -> bool:
        """Whether reading on is quicker than seeking."""
        return (self.path, self.width) == (path, width) and 0 <= frame - self.frame <= READ_OVER


class FrameStore:
    """A bounded store of frames, oldest use out first. Safe to use from several threads."""

    def __init__(self, max_bytes: int = MAX_BYTES, *, reads_ahead: bool = True) -> None:
        self._reads_ahead = reads_ahead
        self._frames: OrderedDict[tuple, Picture] = OrderedDict()
        self._bytes = 0
        self._max = max_bytes
        self._lock = threading.Lock()
        self._decoding = threading.Lock()
        self._decoders = ThreadPoolExecutor(1, thread_name_prefix="ahead")
        self._ahead: Future[None] | None = None
        self._reel: _Reel | None = None

    def preview(self, source: Source, frame: int) -> Picture:
        """One frame at preview size.

        Raises
        ------
        MediaFault
            If the frame is not there or cannot be decoded.
        """
        found = self._get(source, frame, PREVIEW_WIDTH)
        self._go_ahead(source, frame, PREVIEW_WIDTH, READ_AHEAD)
        return found

    def playing(self, source: Source, frame: int) -> Picture:
        """One frame at the size it is played at."""
        found = self._get(source, frame, PLAYING_WIDTH)
        self._go_ahead(source, frame, PLAYING_WIDTH, PLAYED_AHEAD)
        return found

    def _go_ahead(self, source: Source, frame: int, width: int, count: int) -> None:
        """Decode the next frames in the background, unless that is being done already."""
        if not self._reads_ahead or width >= source.info.width:
            return
        if self._ahead is not None and not self._ahead.done():
            return
        last = min(frame + count, source.info.frames - 1)
        if self._find(self._key(source, last, width)) is None:
            self._ahead = self._decoders.submit(self._decode_until, source, frame + 1, last, width)

    def _decode_until(self, source: Source, first: int, last: int, width: int) -> None:
        # A frame that cannot be decoded is told of when it is asked for.
        with contextlib.suppress(MediaFault):
            for frame in range(first, last + 1):
                self._get(source, frame, width)

    def full(self, source: Source, frame: int) -> Picture:
        """One frame at full resolution."""
        return self._get(source, frame, source.info.width)

    def _get(self, source: Source, frame: int, width: int) -> Picture:
        frame = min(max(frame, 0), source.info.frames - 1)
        key = self._key(source, frame, width)
        if (found := self._find(key)) is not None:
            return found
        with self._decoding:
            if (found := self._find(key)) is not None:
                return found
            reel, self._reel = self._reel, None
            path, info = source.path, source.info
            if source.proxy and width < info.width:
                path, info = source.proxy, probe(source.proxy)
            if reel is None or not reel.leads_to(path, width, frame):
                reel = _Reel(path, width, frame, read_frames(path, frame, info.frames - frame, info, width))
            # What lies between is kept too: it is likely to be asked for next.
            for number in range(reel.frame, frame + 1):
                picture = self._picture(next(reel.codes), source, width)
                self._keep(self._key(source, number, width), picture)
            reel.frame = frame + 1
            self._reel = reel
            return picture

    @staticmethod
    def _key(source: Source, frame: int, width: int) -> tuple:
        return (source.path, source.encoding, source.output, frame, width)

    def _picture(self, code: np.ndarray, source: Source, width: int) -> Picture:
        """Full frames through the exact transform, smaller ones through tables where those are as good."""
        quick = width == PLAYING_WIDTH or not encodings.is_display_referred(source.encoding)
        if quick and width < source.info.width:
            return to_picture_quickly(code, source.encoding, source.output)
        return to_picture(code.astype(np.float32) / np.float32(65535), source.encoding, source.output)

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
            self._bytes += picture.packed.nbytes + picture.code.nbytes
            while self._bytes > self._max and len(self._frames) > 1:
                _, old = self._frames.popitem(last=False)
                self._bytes -= old.packed.nbytes + old.code.nbytes
