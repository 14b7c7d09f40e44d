"""Decoded frames in the working space, kept while they are likely to be seen again."""

from __future__ import annotations

import contextlib
import threading
from collections import OrderedDict
from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from typing import cast

import numpy as np

from dovrel.core.colour import codes, encodings
from dovrel.core.colour.outputs import DEFAULT_OUTPUT
from dovrel.core.develop.treating import clean, treated
from dovrel.core.steps.treatment import Treatment
from dovrel.media.clip import ClipInfo
from dovrel.media.faults import MediaFault, Offline
from dovrel.media.footage import read_frames
from dovrel.media.identity import KnownFile, check_files
from dovrel.media.picture import PLAYING_WIDTH, PREVIEW_WIDTH, SEEN_BYTES, Picture, Seen, WayIn, shrink
from dovrel.media.proxy import proxy_info

MAX_BYTES = 160 * 1024 * 1024
READ_AHEAD = 4
READ_OVER = 8
MOST_LOOKED_AT = 64
MOST_REELS = 6
"""Clips kept open: each holds a decoder's memory."""
PLAYED_AHEAD = 12
READY_SHARE = 0.75
"""How much of the store is given to frames made ready to be played."""


@dataclass(frozen=True, eq=False)
class Source:
    """Where a shot's frames come from and how they enter the working space."""

    shot_id: int
    path: Path
    info: ClipInfo
    encoding: str
    output: str = DEFAULT_OUTPUT
    proxy: Path | None = None
    digest: str = ""
    """Of the files' contents, so that frames of a file that was taken in again are not those of the one before."""
    files: tuple[KnownFile, ...] = field(default=(), repr=False)
    """The files as they were taken in; none where that is not known."""

    def check_files(self) -> None:
        """Check that the files are the ones that were taken in; errors as of :func:`dovrel.media.identity.check_files`."""
        check_files(self.path.parent, self.files)

    @property
    def finished(self) -> bool:
        """Whether it is display-referred: made to be shown as it is."""
        return encodings.is_display_referred(self.encoding)

    def _key(self) -> tuple:
        return (self.shot_id, self.path, self.digest, self.info.read_as, self.encoding, self.output)

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
    recorded: Iterator[np.ndarray]

    def leads_to(self, path: Path, width: int, frame: int) -> bool:
        """Whether reading on is quicker than seeking."""
        return (self.path, self.width) == (path, width) and 0 <= frame - self.frame <= READ_OVER


@dataclass
class _Slot:
    """A clip at a width: who reads it holds the lock, and leaves the reel open for the next."""

    lock: threading.Lock = field(default_factory=threading.Lock)
    reel: _Reel | None = None


class FrameStore:
    """A bounded store of frames, oldest use out first. Safe to use from several threads."""

    def __init__(self, max_bytes: int = MAX_BYTES, *, reads_ahead: bool = True) -> None:
        self._reads_ahead = reads_ahead
        self._frames: OrderedDict[tuple, Picture | Seen] = OrderedDict()
        self._bytes = 0
        self._max = max_bytes
        self._lock = threading.Lock()
        self._looked_at: OrderedDict[Path, int] = OrderedDict()
        self._slots: OrderedDict[tuple, _Slot] = OrderedDict()
        self._decoders = ThreadPoolExecutor(1, thread_name_prefix="ahead")
        self._ahead: Future[None] | None = None
        self._held = threading.Event()

    def preview(self, source: Source, frame: int, width: int = PREVIEW_WIDTH) -> Picture:
        """One frame at preview size, or as wide as its place on the screen, as it was recorded.

        Raises
        ------
        MediaFault
            If the frame is not there or cannot be decoded, or the file is another than was taken in.
        """
        found = self._get(source, frame, width)
        with self._lock:
            before = self._looked_at.pop(source.path, None)
            self._looked_at[source.path] = frame
            while len(self._looked_at) > MOST_LOOKED_AT:
                self._looked_at.popitem(last=False)
        # A hand that works on one frame needs no other; one that steps on needs the next.
        if before == frame - 1:
            self._go_ahead(source, frame, PREVIEW_WIDTH, READ_AHEAD)
        return cast(Picture, found)

    def playing(self, source: Source, frame: int) -> Picture | Seen:
        """One frame at the size it is played at; without its codes, so that a loop stays in memory."""
        found = self._get(source, frame, PLAYING_WIDTH)
        self._go_ahead(source, frame, PLAYING_WIDTH, PLAYED_AHEAD)
        return found

    def treated(
        self, source: Source, frame: int, found: Picture | Seen, treatment: Sequence[Treatment]
    ) -> Picture | Seen:
        """A frame that was asked for here as its treatment makes it, worked out once and kept; as it is where there is none.

        Raises
        ------
        MediaFault
            If a frame beside it that is needed cannot be decoded.
        """
        if not treatment:
            return found
        frame, width = min(max(frame, 0), source.info.frames - 1), found.packed.shape[1]
        key = (*self._key(source, frame, width), tuple(treatment))
        if (known := self._find(key)) is not None:
            return known

        def cleaned(count: int) -> np.ndarray:
            return self._clean(source, frame, found, count).packed

        seen = Seen(*treated(treatment, frame, found.packed, found.flags, cleaned))
        self._keep(key, seen)
        return seen

    def _clean(self, source: Source, frame: int, found: Picture | Seen, count: int) -> Picture | Seen:
        """A frame without its noise, by as many frames on either side: kept, so that a hand on its strength need not wait."""
        width = found.packed.shape[1]
        key = (*self._key(source, frame, width), "clean", count)
        if (known := self._find(key)) is not None:
            return known
        numbers = range(max(frame - count, 0), frame), range(frame + 1, min(frame + count + 1, source.info.frames))
        before, after = ([self._get(source, number, width).packed for number in some] for some in numbers)
        seen = Seen(clean(before, found.packed, after), found.flags)
        self._keep(key, seen)
        return seen

    def treated_preview(
        self, source: Source, frame: int, treatment: Sequence[Treatment], width: int = PREVIEW_WIDTH
    ) -> Picture | Seen:
        """One frame at preview size as its treatment makes it; errors as of :meth:`preview`."""
        return self.treated(source, frame, self.preview(source, frame, width), treatment)

    def is_treated(self, source: Source, frame: int, width: int, treatment: Sequence[Treatment]) -> bool:
        """Whether a frame is kept as a treatment makes it."""
        return self._find((*self._key(source, frame, width), tuple(treatment))) is not None

    def make_ready(self, source: Source, frame: int) -> None:
        """Decode what is played from `frame` on, as far as the store holds it, until another frame is wanted."""
        size = source.info.geometry.within(PLAYING_WIDTH).size
        if size == source.info.size or not self._reads_ahead:
            return
        frames = source.info.frames
        most = int(READY_SHARE * self._max / (size[0] * size[1] * SEEN_BYTES))
        self._decode_ahead(source, [(frame + n) % frames for n in range(min(most, frames))], PLAYING_WIDTH)

    def hold(self) -> None:
        """Stop decoding ahead: the hand is at work."""
        self._held.set()

    def _go_ahead(self, source: Source, frame: int, width: int, count: int) -> None:
        """Decode the next frames in the background, unless they are there."""
        last = min(frame + count, source.info.frames - 1)
        if self._reads_ahead and width < source.info.width and self._find(self._key(source, last, width)) is None:
            self._decode_ahead(source, range(frame + 1, last + 1), width)

    def _decode_ahead(self, source: Source, frames: Sequence[int], width: int) -> None:
        """Decode frames in the background, unless that is being done already."""
        if self._ahead is None or self._ahead.done():
            self._held.clear()
            self._ahead = self._decoders.submit(self._decode_all, source, frames, width)

    def _decode_all(self, source: Source, frames: Sequence[int], width: int) -> None:
        # A frame that cannot be decoded is reported when it is asked for.
        with contextlib.suppress(MediaFault):
            for frame in frames:
                if self._held.is_set():
                    return
                self._get(source, frame, width)

    def full(self, source: Source, frame: int) -> Picture:
        """One frame at full resolution."""
        return cast(Picture, self._get(source, frame, source.info.width))

    def _get(self, source: Source, frame: int, width: int) -> Picture | Seen:
        frame = min(max(frame, 0), source.info.frames - 1)
        width = min(width, source.info.width)
        key = self._key(source, frame, width)
        if (found := self._find(key)) is not None:
            return found
        slot = self._slot(source, width)
        with slot.lock:
            if (found := self._find(key)) is not None:
                return found
            if (whole := self._from_full(source, frame, width)) is not None:
                self._keep(key, whole)
                return whole
            reel, slot.reel = slot.reel, None
            path, info = source.path, source.info
            if source.proxy and width <= PREVIEW_WIDTH:
                path, info = source.proxy, proxy_info(info, source.path)
            if reel is None or not reel.leads_to(path, width, frame):
                self._check(source, path)
                reel = _Reel(path, width, frame, read_frames(path, frame, info.frames - frame, info, width))

            def read_next(number: int) -> Picture | Seen:
                picture = self._picture(next(reel.recorded), source, width)
                kept = picture.seen if PLAYING_WIDTH == width < source.info.width else picture
                self._keep(self._key(source, number, width), kept)
                return kept

            # What lies between is kept too: it is likely to be asked for next.
            for number in range(reel.frame, frame):
                read_next(number)
            kept = read_next(frame)
            reel.frame = frame + 1
            slot.reel = reel
            return kept

    @staticmethod
    def _check(source: Source, path: Path) -> None:
        """Check that frames are read from what was taken in; a proxy stands in for footage that is offline."""
        try:
            source.check_files()
        except Offline:
            if path == source.path:
                raise

    def _from_full(self, source: Source, frame: int, width: int) -> Picture | None:
        """A wide preview from the full frame, if that is there: quicker than decoding it anew."""
        if not PREVIEW_WIDTH < width < source.info.width:
            return None
        full = self._find(self._key(source, frame, source.info.width))
        return self._picture(shrink(full.code, width), source, width) if isinstance(full, Picture) else None

    def _slot(self, source: Source, width: int) -> _Slot:
        """Where a clip is read at a width: one reader at a time there, others elsewhere meanwhile."""
        key = (source.path, source.digest, source.info.read_as, width)
        with self._lock:
            slot = self._slots.setdefault(key, _Slot())
            self._slots.move_to_end(key)
            while len(self._slots) > MOST_REELS:
                self._slots.popitem(last=False)
            return slot

    @staticmethod
    def _key(source: Source, frame: int, width: int) -> tuple:
        return (source.path, source.digest, source.info.read_as, source.encoding, source.output, frame, width)

    def _picture(self, code: np.ndarray, source: Source, width: int) -> Picture:
        """Full frames through the exact transform, smaller ones through tables where those are as good."""
        quick = width == PLAYING_WIDTH or not source.finished
        way = WayIn(source.encoding, source.output, floating=source.info.floating, ceiling=source.info.ceiling)
        if quick and width < source.info.width:
            return way.quickly(code)
        return way.exactly(codes.decode_signal(code))

    def _find(self, key: tuple) -> Picture | Seen | None:
        with self._lock:
            if key in self._frames:
                self._frames.move_to_end(key)
                return self._frames[key]
        return None

    def _keep(self, key: tuple, picture: Picture | Seen) -> None:
        with self._lock:
            if key in self._frames:
                return
            self._frames[key] = picture
            self._bytes += picture.nbytes
            while self._bytes > self._max and len(self._frames) > 1:
                _, old = self._frames.popitem(last=False)
                self._bytes -= old.nbytes
