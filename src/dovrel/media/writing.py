"""Corrected clips: display values written as ProRes 4:2:2 with 10 bits, tagged Rec.709."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from dovrel.machine.files import written_aside

_BT709 = 1
_NARROW = 1
SUFFIX = ".mov"


class ClipWriter:
    """Frames go in one after another."""

    def __init__(self, container: av.container.OutputContainer, rate: Fraction, size: tuple[int, int]) -> None:
        self._container = container
        self._stream = container.add_stream("prores", rate=rate, options={"profile": "2"})
        self._stream.thread_type = "AUTO"
        self._stream.width, self._stream.height = size
        self._stream.pix_fmt = "yuv422p10le"
        context = self._stream.codec_context
        context.color_primaries = context.color_trc = context.colorspace = _BT709
        context.color_range = _NARROW
        self._rate, self._next = rate, 0

    def add(self, display: np.ndarray) -> None:
        """Add a frame of display values float (H, W, 3) in 0..1."""
        code = np.round(np.clip(display, 0, 1) * 65535).astype(np.uint16)
        frame = av.VideoFrame.from_ndarray(code, format="rgb48le").reformat(
            format="yuv422p10le", dst_colorspace="ITU709", dst_color_range="MPEG", src_color_range="JPEG"
        )
        frame.pts, frame.time_base = self._next, 1 / self._rate
        self._next += 1
        self._container.mux(self._stream.encode(frame))

    def end(self) -> None:
        self._container.mux(self._stream.encode(None))


@contextmanager
def writing_clip(target: Path, rate: Fraction, size: tuple[int, int]) -> Iterator[ClipWriter]:
    """Write `target` whole or not at all.

    Raises
    ------
    ValueError
        If its name does not end in .mov.
    NoRoom
        If the disc is full.
    """
    if target.suffix.lower() != SUFFIX:
        raise ValueError(f"{target.name}: a clip is written as {SUFFIX}")
    with written_aside(target) as aside, av.open(str(aside), "w", format="mov") as container:
        writer = ClipWriter(container, rate, (size[0] // 2 * 2, size[1] // 2 * 2))
        yield writer
        writer.end()
