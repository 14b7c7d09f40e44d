"""Proxies: every frame whole, 10 bits, preview size, for clips too large or too chained to step through."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Any

import av

from dovrel.machine.files import written_aside
from dovrel.media.clip import ClipInfo
from dovrel.media.footage import PROXY_FORMAT, Frame, is_still
from dovrel.media.geometry import Geometry
from dovrel.media.picture import PREVIEW_WIDTH
from dovrel.media.siting import USUAL

LARGEST_DIRECT_WIDTH = 1920
MOST_BEHIND = 3
"""Frames that wait to be written: each is as large as the clip's."""
PROXY_SUFFIX = ".2.mov"
"""Names the way proxies are made: those that an earlier Dovrel made are rebuilt."""


def needs_proxy(info: ClipInfo) -> bool:
    """True for clips larger than can be decoded at their rate."""
    return max(info.geometry.coded) > LARGEST_DIRECT_WIDTH


def proxy_info(info: ClipInfo, path: Path) -> ClipInfo:
    """How a clip's proxy is read: as the clip itself, but for its size and the times of its frames."""
    kept_as_it_was = info.matrix != "RGB" and not is_still(path) and not info.pixel_format.startswith("gray")
    changed: dict[str, Any] = {} if kept_as_it_was else {"matrix": "BT.709", "full_range": False, "bit_depth": 10}
    return replace(
        info,
        geometry=replace(info.geometry, coded=_size(info.geometry)),
        start=0,
        times=(),
        interlaced=False,
        numbers=(),
        parts=(),
        siting=USUAL,
        **changed,
    )


def _size(geometry: Geometry) -> tuple[int, int]:
    """A proxy is as wide as the whole picture's preview asks for, and even both ways; its samples stay as wide."""
    width, height = geometry.coded
    scale = min(1.0, PREVIEW_WIDTH / min(geometry.upright[0], width))
    return max(2, round(width * scale / 2) * 2), max(2, round(height * scale / 2) * 2)


@contextmanager
def writing_proxy(info: ClipInfo, target: Path) -> Iterator[_Writer]:
    """Write `target` whole or not at all, frame by frame: ProRes 4:2:2 10-bit, code values as the clip's own.

    Raises
    ------
    NoRoom
        If the disc is full.
    """
    target.parent.mkdir(parents=True, exist_ok=True)
    with (
        written_aside(target) as aside,
        av.open(str(aside), "w") as container,
        ThreadPoolExecutor(1, "proxy") as beside,
    ):
        writer = _Writer(container, info, beside)
        yield writer
        writer.end()


class _Writer:
    """Scales and encodes beside the decoder, a few frames behind it."""

    def __init__(self, container: av.container.OutputContainer, info: ClipInfo, beside: ThreadPoolExecutor) -> None:
        self._container = container
        self._stream = container.add_stream("prores", rate=info.rate)
        self._rate = info.rate
        self._size = _size(info.geometry)
        self._stream.width, self._stream.height = self._size
        self._stream.pix_fmt = PROXY_FORMAT
        self._stream.thread_type = "AUTO"
        self._next = 0
        self._beside = beside
        self._behind: deque[Future[None]] = deque()

    def add(self, frame: Frame) -> None:
        self._behind.append(self._beside.submit(self._encode, frame))
        if len(self._behind) > MOST_BEHIND:
            self._behind.popleft().result()

    def end(self) -> None:
        while self._behind:
            self._behind.popleft().result()
        self._container.mux(self._stream.encode(None))

    def _encode(self, frame: Frame) -> None:
        small = frame.small(*self._size)
        small.pts, small.time_base = self._next, 1 / self._rate
        self._next += 1
        self._container.mux(self._stream.encode(small))
