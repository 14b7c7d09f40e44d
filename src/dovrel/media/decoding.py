"""Exact decoding: from a clip's file to full-range RGB, never through 8 bits."""

from __future__ import annotations

import threading
from bisect import bisect_right
from collections import OrderedDict
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import av.error
import av.filter
import cv2
import numpy as np
from av.video.reformatter import ColorRange, VideoReformatter

from dovrel.core.colour import codes
from dovrel.machine.alive import step_made
from dovrel.media import ycbcr
from dovrel.media.clip import ClipInfo
from dovrel.media.faults import MediaFault
from dovrel.media.geometry import seen
from dovrel.media.probing import container_of

_threads = 0
_of_thread = threading.local()


def _reformatter() -> VideoReformatter:
    """This thread's own: it keeps what it prepared for frames of one kind, and is not shared with other threads."""
    if not hasattr(_of_thread, "reformatter"):
        _of_thread.reformatter = VideoReformatter()
    return _of_thread.reformatter


def use_threads(count: int) -> None:
    """Let this process decode and convert frames on so many threads; 0, as it begins, is one for each core."""
    global _threads
    _threads = count


def to_rgb(frame: av.VideoFrame, info: ClipInfo, width: int | None = None) -> np.ndarray:
    """A decoded frame as it is seen: recorded codes uint16 (H, W, 3), see :mod:`dovrel.core.colour.codes`.

    Scaled down to `width` pixels across on the way, by area means, if the clip is wider.
    """
    fitting = info.geometry.within(width)
    if info.interlaced:
        frame = _first_field(frame, info.top_first)
    recorded = _to_rgb(frame, info, fitting.scaled)
    return recorded if info.geometry.is_plain else seen(recorded, info.geometry.turn, fitting.box)


def _first_field(frame: av.VideoFrame, top_first: bool) -> av.VideoFrame:
    """The field of a frame that was recorded first: every second line, to be scaled to the frame's height."""
    graph = av.filter.Graph()
    source = graph.add_buffer(
        width=frame.width, height=frame.height, format=frame.format, time_base=frame.time_base or Fraction(1, 1000)
    )
    lines, sink = graph.add("field", f"type={'top' if top_first else 'bottom'}"), graph.add("buffersink")
    source.link_to(lines)
    lines.link_to(sink)
    graph.configure()
    source.push(frame)
    source.push(None)
    field = sink.pull()
    assert isinstance(field, av.VideoFrame)
    return field


_FULL_TO_CODES = codes.encode_signal(np.arange(65536) / 65535)
"""Recorded codes of full-range 16-bit values."""


def _to_rgb(frame: av.VideoFrame, info: ClipInfo, size: tuple[int, int]) -> np.ndarray:
    width, height = size
    as_stored = size == (frame.width, frame.height)
    down = width * height < frame.width * frame.height
    interpolation = "BICUBIC" if as_stored else "AREA" if down else "BILINEAR"
    kind = frame.format
    bits = kind.components[0].bits
    if kind.name in ("gray", "gray10le", "gray12le", "gray16le"):
        grey = frame.to_ndarray().astype(np.float32) / np.float32(2**bits - 1)
        if not as_stored:
            grey = cv2.resize(grey, size, interpolation=cv2.INTER_AREA if down else cv2.INTER_LINEAR)
        grey = grey if info.full_range else codes.from_narrow(grey, info.bit_depth)
        return np.repeat(codes.encode_signal(grey)[..., None], 3, axis=2)
    if kind.is_rgb:
        full: np.ndarray
        if bits == 8:
            small = _reformatter().reformat(
                frame, width, height, "rgb24", interpolation=interpolation, threads=_threads
            )
            full = small.to_ndarray().astype(np.uint16) * np.uint16(257)
        else:
            full = (
                _reformatter()
                .reformat(frame, width, height, "rgb48le", interpolation=interpolation, threads=_threads)
                .to_ndarray()
            )
        if info.full_range:
            return _FULL_TO_CODES[full]
        return codes.encode_signal(codes.from_narrow(full.astype(np.float32) / np.float32(65535), info.bit_depth))
    return ycbcr.to_codes(
        _whole_planes(frame, width, height, interpolation, info.siting), info.bit_depth, info.matrix, info.full_range
    )


def scaled(frame: av.VideoFrame, info: ClipInfo, width: int, height: int, kind: str) -> av.VideoFrame:
    """A frame scaled down as it lies in the file: its code values stay what they mean, whatever they mean."""
    if info.interlaced:
        frame = _first_field(frame, info.top_first)
    if frame.format.is_rgb or frame.format.name.startswith("gray"):
        return as_video(_to_rgb(frame, info, (width, height)), kind)
    return _scaler(frame, width, height, kind, "AREA", info.siting)(frame)


def as_video(recorded: np.ndarray, kind: str) -> av.VideoFrame:
    """Recorded codes as a frame of narrow-range BT.709."""
    planes = av.VideoFrame.from_ndarray(ycbcr.from_codes(recorded), format="yuv444p16le")
    return _reformatter().reformat(
        planes, format=kind, src_color_range=ColorRange.MPEG, dst_color_range=ColorRange.MPEG
    )


def _whole_planes(frame: av.VideoFrame, width: int, height: int, interpolation: str, siting: str) -> np.ndarray:
    """Y′, Cb and Cr of every pixel, uint16 (H, W, 3): the frame's own samples shifted up to 16 bits."""
    if frame.format.name == "yuvj444p" and (width, height) == (frame.width, frame.height):
        # Where there is nothing to spread out, the library would stretch the samples instead.
        return np.ascontiguousarray(np.moveaxis(frame.to_ndarray(), 0, -1).astype(np.uint16) << 8)
    return _scaler(frame, width, height, "yuv444p16le", interpolation, siting)(frame).to_ndarray()


def _scaler(frame: av.VideoFrame, width: int, height: int, kind: str, interpolation: str, siting: str) -> _Scaler:
    """This thread's scaler for frames of one kind."""
    key = (frame.width, frame.height, frame.format.name, width, height, kind, interpolation, siting, _threads)
    kept: OrderedDict[tuple, _Scaler] = _of_thread.__dict__.setdefault("scalers", OrderedDict())
    if key not in kept:
        kept[key] = _Scaler(frame, width, height, kind, interpolation, siting)
        while len(kept) > _MOST_SCALERS:
            kept.popitem(last=False)
    kept.move_to_end(key)
    return kept[key]


_MOST_SCALERS = 4


class _Scaler:
    """Scales Y′CbCr frames of one kind; chroma is spread out from where it lies, and code values stay what they mean."""

    def __init__(
        self, frame: av.VideoFrame, width: int, height: int, kind: str, interpolation: str, siting: str
    ) -> None:
        # Both sides get one range and one matrix, so that samples are only shifted up: the library knows nothing of what they mean.
        # What the decoder calls yuvj is full to it anyway.
        levels = "pc" if frame.format.name.startswith("yuvj") else "tv"
        options = (
            f"w={width}:h={height}:flags={interpolation.lower()}:in_range={levels}:out_range={levels}"
            ":in_color_matrix=bt709:out_color_matrix=bt709"
            f":in_chroma_loc={siting}:out_chroma_loc=left:threads={_threads or 'auto'}"
        )
        self._graph = av.filter.Graph()
        source = self._graph.add_buffer(
            width=frame.width, height=frame.height, format=frame.format, time_base=Fraction(1, 1000)
        )
        scale, kinds = self._graph.add("scale", options), self._graph.add("format", f"pix_fmts={kind}")
        self._graph.link_nodes(source, scale, kinds, self._graph.add("buffersink"))
        self._graph.configure()

    def __call__(self, frame: av.VideoFrame) -> av.VideoFrame:
        self._graph.vpush(frame)
        return self._graph.vpull()


def decode_frames(
    path: Path, first: int, count: int, info: ClipInfo, missing: list[int] | None = None
) -> Iterator[av.VideoFrame]:
    """Decode `count` frames from frame `first` on, in the file's own kind of pixels (see :func:`to_rgb`).

    In the place of one that cannot be decoded the nearest that can be is given, and its number
    is added to `missing`.

    Raises
    ------
    MediaFault
        If none of them can be decoded.
    """
    path = Path(path)
    if info.parts:
        yield from _decode_parts(path, first, count, info, missing)
        return
    last: av.VideoFrame | None = None
    wanted = first
    end = first + count
    for index, frame in _from(path, first, info):
        # Those in between were passed over by the decoder.
        while wanted < min(index, end):
            if missing is not None:
                missing.append(wanted)
            yield last or frame
            wanted += 1
        if index == wanted and wanted < end:
            yield frame
            wanted += 1
        last = frame
        if wanted >= end:
            return
    if last is None:
        raise MediaFault(path, f"frame {first} cannot be decoded, nor any behind it")
    for number in range(wanted, end):
        if missing is not None:
            missing.append(number)
        yield last


def _decode_parts(
    path: Path, first: int, count: int, info: ClipInfo, missing: list[int] | None
) -> Iterator[av.VideoFrame]:
    """As :func:`decode_frames`, of a take that goes over several files."""
    before = 0
    for part in info.parts:
        alone = replace(info, frames=part.frames, start=part.start, times=part.times, parts=())
        begin, end = max(first - before, 0), min(first + count - before, part.frames)
        if begin < end:
            gone: list[int] = []
            yield from decode_frames(path.parent / part.name, begin, end - begin, alone, gone)
            if missing is not None:
                missing.extend(before + number for number in gone)
        before += part.frames


_LEAD_INS = (3, 48, 10**9)
"""Frames to start ahead of the wanted one. Where pictures are stored out of order, those just
behind a key picture refer to what came before it; starting a little earlier decodes them whole."""


def _from(path: Path, first: int, info: ClipInfo) -> Iterator[tuple[int, av.VideoFrame]]:
    """Decoded frames with their numbers, from `first` on; the last before it too where `first` itself is not there."""
    for lead_in in _LEAD_INS:
        sought = max(first - lead_in, 0)
        with container_of(path) as container:
            stream = container.streams.video[0]
            stream.thread_type = "AUTO"
            stream.thread_count = _threads
            start = info.start if info.start is not None else stream.start_time or 0
            step = Fraction(1) / info.rate / (stream.time_base or Fraction(1, 1000))
            at = info.times[sought] if info.times else int(start + sought * step)
            # What comes before the time nought has no time stamp in some files: it is counted from the file's beginning.
            seeks = sought > 0 and at >= 0
            if seeks:
                container.seek(at, stream=stream, backward=True)
            earliest: int | None = None
            before: tuple[int, av.VideoFrame] | None = None
            for counted, frame in enumerate(_decoded(container, stream)):
                if frame.pts is None and seeks:
                    continue
                index = counted if frame.pts is None else _number(frame.pts, start, step, info.times)
                if earliest is None:
                    earliest = index
                    if earliest > sought and seeks:
                        break  # the seek went past what was asked for; start further ahead
                if index < first:
                    before = index, frame
                    continue
                if before and index > first:
                    yield before
                before = None
                yield index, frame
            else:
                if before:
                    yield before
                if earliest is not None:
                    return
                # Nothing came at all: the seek went behind the last key picture.


def _number(stamp: int, start: int, step: Fraction, times: tuple[int, ...]) -> int:
    """The number of the frame that is shown at a time stamp."""
    if times:
        return bisect_right(times, stamp) - 1
    return round(Fraction(stamp - start) / step)


def _decoded(container: av.container.InputContainer, stream: av.VideoStream) -> Iterator[av.VideoFrame]:
    """Every frame that can be decoded; packets that cannot are passed over."""
    packets = container.demux(stream)
    while True:
        try:
            packet = next(packets)
        except (StopIteration, av.error.FFmpegError):
            return
        step_made()
        try:
            yield from packet.decode()
        except av.error.FFmpegError:
            continue
