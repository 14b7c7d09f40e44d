"""Where chroma samples lie beside luma samples: as a clip's headers tag it, or as its kind has it (H.273, 8.7)."""

from __future__ import annotations

import re
import threading
from pathlib import Path

import av
import av.error
import av.logging
from av.bitstream import BitStreamFilterContext

from dovrel.media.matroska import chroma_tag

SITINGS = ("left", "center", "topleft", "top", "bottomleft", "bottom")
"""By H.273's chroma_sample_loc_type: of 4:2:0; horizontally, of 4:2:2 too."""
USUAL = "left"
_CENTRED = ("mjpeg", "mpeg1video", "vp8", "theora")
"""Codecs whose samples lie between those of luma, both ways."""
_OF_H273 = re.compile(r"chroma_sample_loc_type_top_field\s+[01]+\s+=\s+([0-5])\b")
_TAGS = {
    "h264": (_OF_H273, SITINGS),
    "hevc": (_OF_H273, SITINGS),
    "av1": (re.compile(r"chroma_sample_position\s+[01]+\s+=\s+([12])\b"), ("", "left", "topleft")),
}
"""Codecs whose headers tag it: the words they use, and what each number means."""
_logging = threading.Lock()


def siting_of(path: Path, container: av.container.InputContainer) -> str:
    """One of :data:`SITINGS`, of a clip just opened: as the codec's headers say, else the file's, else as is usual; reads its first packets."""
    stream = container.streams.video[0]
    codec = stream.codec_context.codec.canonical_name
    if codec in _TAGS:
        tag, meanings = _TAGS[codec]
        if found := tag.search(_headers(container, stream)):
            return meanings[int(found[1])]
    return chroma_tag(path) or ("center" if codec in _CENTRED else USUAL)


def _headers(container: av.container.InputContainer, stream: av.VideoStream) -> str:
    """A stream's headers as the library spells them out, from its extra data and its first packet."""
    # The library says them in its log alone, which is one for the whole process.
    with _logging:
        before = av.logging.get_level()
        av.logging.set_level(av.logging.INFO)
        try:
            with av.logging.Capture() as said:  # pyrefly: ignore[bad-context-manager]
                spelling = BitStreamFilterContext("trace_headers", stream)
                spelling.filter(next(container.demux(stream)))
        except (av.error.FFmpegError, StopIteration):
            return ""
        finally:
            av.logging.set_level(before)
    return "".join(text for _, _, text in said)
