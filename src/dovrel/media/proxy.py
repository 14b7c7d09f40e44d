"""Proxies: every frame whole, 10 bits, preview size, for clips too large or too chained to step through."""

from __future__ import annotations

from pathlib import Path

import av
import numpy as np
from av.video.reformatter import ColorRange, Colorspace

from dovrel.machine.files import written_aside
from dovrel.media.picture import PREVIEW_WIDTH, shrink
from dovrel.media.video import ClipInfo, read_frames

LARGEST_DIRECT_WIDTH = 1920


def needs_proxy(info: ClipInfo) -> bool:
    """True for clips wider than can be decoded at their rate."""
    return info.width > LARGEST_DIRECT_WIDTH


def write_proxy(source: Path, info: ClipInfo, target: Path) -> None:
    """Write `target` whole or not at all: ProRes 4:2:2 10-bit, BT.709, at most 960 wide.

    Raises
    ------
    MediaFault
        If the source cannot be decoded to its end.
    NoRoom
        If the disc is full.
    """
    target.parent.mkdir(parents=True, exist_ok=True)
    width = min(info.width, PREVIEW_WIDTH) // 2 * 2
    height = max(2, round(info.height * width / info.width) // 2 * 2)
    with written_aside(target) as aside, av.open(str(aside), "w") as container:
        stream = container.add_stream("prores_ks", rate=info.rate)
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv422p10le"
        stream.options = {"profile": "2"}
        for code in read_frames(source, 0, info.frames, info):
            small = np.ascontiguousarray(shrink(code, width)[:height])
            frame = av.VideoFrame.from_ndarray(small, format="rgb48le").reformat(
                width=width,
                height=height,
                format="yuv422p10le",
                dst_colorspace=Colorspace.ITU709,
                src_color_range=ColorRange.JPEG,
                dst_color_range=ColorRange.MPEG,
            )
            frame.colorspace, frame.color_range = Colorspace.ITU709, ColorRange.MPEG
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
