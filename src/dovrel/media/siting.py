"""Where chroma samples lie beside luma samples: as a clip's headers tag it, or as its kind has it (H.273, 8.7)."""

from __future__ import annotations

import re
import threading

import av
import av.error
import av.logging
from av.bitstream import BitStreamFilterContext

SITINGS = ("left", "center", "topleft", "top", "bottomleft", "bottom")
"""By H.273's chroma_sample_loc_type: of 4:2:0; horizontally, of 4:2:2 too."""
USUAL = "left"
_CENTRED = ("mjpeg", "mpeg1video", "vp8", "theora")
"""Codecs whose samples lie between those of luma, both ways."""
_TAGGED = ("h264", "hevc")
_TAG = re.compile(r"chroma_sample_loc_type_top_field\s+[01]+\s+=\s+([0-5])\b")
_logging = threading.Lock()


def siting_of(container: av.container.InputContainer) -> str:
    """One of :data:`SITINGS`, of a clip just opened; reads its first packets."""
    stream = container.streams.video[0]
    name = stream.codec_context.name
    if name in _TAGGED and (found := _TAG.search(_headers(container, stream))):
        return SITINGS[int(found[1])]
    return "center" if name in _CENTRED else USUAL


def _headers(container: av.container.InputContainer, stream: av.VideoStream) -> str:
    """A stream's headers as the library spells them out, from its extra data and its first packet."""
    # The library says them in its log alone, which is one for the whole process.
    with _logging:
        before = av.logging.get_level()
        av.logging.set_level(av.logging.INFO)
        try:
            with av.logging.Capture() as said:
                spelling = BitStreamFilterContext("trace_headers", stream)
                spelling.filter(next(container.demux(stream)))
        except (av.error.FFmpegError, StopIteration):
            return ""
        finally:
            av.logging.set_level(before)
    return "".join(text for _, _, text in said)
