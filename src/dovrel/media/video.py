"""Video in: probing and exact decoding to full-range RGB, never through 8 bits."""

from __future__ import annotations

import hashlib
from bisect import bisect_right
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import av.error
import cv2
import numpy as np
from av.video.reformatter import ColorRange

from dovrel.media import ycbcr
from dovrel.media.faults import MediaFault
from dovrel.media.opening import opened
from dovrel.media.stills import check_size
from dovrel.media.timing import timing_of

_TRANSFER_NAMES = {1: "BT.709", 6: "BT.709", 8: "linear", 13: "sRGB", 14: "BT.709", 15: "BT.709", 16: "PQ", 18: "HLG"}
_PRIMARIES_NAMES = {1: "BT.709", 5: "BT.601", 6: "BT.601", 9: "BT.2020", 11: "P3", 12: "P3-D65"}
"""By their numbers in ITU-T H.273; what is not here is not known."""
_MATRIX_NAMES = {1: "BT.709", 5: "BT.601", 6: "BT.601", 9: "BT.2020"}
CHECKSUM_BLOCK = 1 << 20


@dataclass(frozen=True)
class ClipInfo:
    """What a clip says of itself.

    Attributes
    ----------
    rate : frames a second; frames : count; bit_depth : of the recorded samples
    full_range : True if code values span the whole range; matrix : name, by tag or by size
    tags : container and stream metadata, lower-case keys
    warnings : what is odd but does not stop the work
    transfer, primaries : how its values relate to light and what their colours are, by tag; empty where it does not say
    start : the first picture's time stamp, in the stream's time base; None if the file has none
    times : every picture's, where they do not follow the rate
    """

    width: int
    height: int
    rate: Fraction
    frames: int
    bit_depth: int
    full_range: bool
    matrix: str
    codec: str
    pixel_format: str
    timecode: str
    tags: dict[str, str]
    warnings: tuple[str, ...]
    start: int | None = None
    times: tuple[int, ...] = ()
    transfer: str = ""
    primaries: str = ""


_CONTAINERS = "mov,mp4,m4a,3gp,3g2,mj2,matroska,webm,mxf,avi,mpegts,mpeg"
"""Those of pictures and sound; none that names other files."""


@contextmanager
def _opened(path: Path) -> Iterator[av.container.InputContainer]:
    with opened(path) as here:
        try:
            container = av.open(
                str(here),
                metadata_errors="replace",
                options={"format_whitelist": _CONTAINERS, "protocol_whitelist": "file"},
            )
        except (av.error.FFmpegError, ValueError, OSError) as error:
            raise MediaFault(path, f"not a readable clip ({_reason(error)})") from error
        with container:
            if not container.streams.video:
                raise MediaFault(path, "the file holds no picture")
            if container.streams.video[0].codec_context is None:
                raise MediaFault(path, "the picture is in a codec that Dovrel does not know")
            yield container


def _reason(error: BaseException) -> str:
    return (getattr(error, "strerror", None) or str(error)).split("\n")[0][:160]


def probe(path: Path) -> ClipInfo:
    """Read a clip's properties and the times of its pictures, and decode its first frame.

    Whether every picture can be decoded shows in reading them.

    Raises
    ------
    MediaFault
        If the file is missing, empty, not a clip, of no length, of an odd size or shows nothing.
    """
    path = Path(path)
    with _opened(path) as container:
        stream = container.streams.video[0]
        context = stream.codec_context
        check_size(path, context.width, context.height)
        rate = stream.average_rate or stream.guessed_rate
        if not rate or rate <= 0:
            raise MediaFault(path, "the clip does not say its frame rate")
        rate = Fraction(rate)
        tags = {k.lower(): v for k, v in {**container.metadata, **stream.metadata}.items()}
        timecode = tags.get("timecode", "")
        for other in container.streams.data:
            timecode = timecode or other.metadata.get("timecode", "")
        first = _first_frame(path, container)
        said = _frames_said(container, stream, rate)
        # A length in seconds may be off by one picture or so.
        at_least = stream.frames or said - 2
    with _opened(path) as container:
        timing = timing_of(container, container.streams.video[0], rate, at_least)
    frames = timing.count if timing else said
    if frames < 1:
        raise MediaFault(path, "the clip has no length")
    warnings = list(timing.warnings if timing else ())
    if first.interlaced_frame:
        warnings.append("the clip is interlaced; both fields are measured together")
    pixel_format = first.format
    return ClipInfo(
        width=first.width,
        height=first.height,
        rate=rate,
        frames=frames,
        bit_depth=pixel_format.components[0].bits,
        full_range=_is_full_range(first),
        matrix=_matrix_name(first),
        codec=context.codec.name,
        pixel_format=pixel_format.name,
        timecode=timecode,
        tags=tags,
        warnings=tuple(warnings),
        start=timing.start if timing else None,
        times=timing.times if timing else (),
        transfer=_TRANSFER_NAMES.get(int(first.color_trc), ""),
        primaries=_PRIMARIES_NAMES.get(int(first.color_primaries), ""),
    )


def _frames_said(container: av.container.InputContainer, stream: av.VideoStream, rate: Fraction) -> int:
    """How many frames there are by what the file says of its length."""
    if stream.frames:
        return stream.frames
    if stream.duration and stream.time_base:
        return round(float(stream.duration * stream.time_base) * float(rate))
    if not container.duration:
        return 0
    return round((container.duration - max(container.start_time or 0, 0)) / av.time_base * float(rate))


def read_tags(path: Path) -> dict[str, str]:
    """What the container says of the clip, lower-case keys, and its ``transfer`` by name; nothing if it cannot be read."""
    try:
        with _opened(path) as container:
            tags = {k.lower(): v for k, v in container.metadata.items()}
            transfer = _TRANSFER_NAMES.get(int(container.streams.video[0].codec_context.color_trc), "")
            return {**tags, "transfer": transfer}
    except MediaFault:
        return {}


def _first_frame(path: Path, container: av.container.InputContainer) -> av.VideoFrame:
    try:
        for frame in container.decode(video=0):
            return frame
    except av.error.FFmpegError as error:
        raise MediaFault(path, f"the first frame cannot be decoded ({_reason(error)})") from error
    raise MediaFault(path, "the clip holds no frames")


def _is_full_range(frame: av.VideoFrame) -> bool:
    if frame.format.name.startswith(("yuvj", "rgb", "bgr", "gbr", "gray")):
        return True
    return frame.color_range == ColorRange.JPEG


def _matrix_name(frame: av.VideoFrame) -> str:
    if frame.format.is_rgb:
        return "RGB"
    return _MATRIX_NAMES.get(int(frame.colorspace), "BT.709" if frame.height >= 720 else "BT.601")


_threads = 0


def use_threads(count: int) -> None:
    """Let this process decode and convert frames on so many threads; 0, as it begins, is one for each core."""
    global _threads
    _threads = count


def to_rgb(frame: av.VideoFrame, size: tuple[int, int] | None = None) -> np.ndarray:
    """A decoded frame as full-range R′G′B′ code values, uint16 (H, W, 3).

    `size` (width, height) scales it down on the way, by area means.
    """
    width, height = size or (frame.width, frame.height)
    interpolation = "AREA" if size else "BICUBIC"
    if frame.format.name in ("gray", "gray10le", "gray12le", "gray16le"):
        grey = frame.to_ndarray().astype(np.float64)
        top = 2 ** frame.format.components[0].bits - 1
        codes = np.round(grey / top * 65535).astype(np.uint16)
        codes = cv2.resize(codes, size, interpolation=cv2.INTER_AREA) if size else codes
        return np.repeat(codes[..., None], 3, axis=2)
    bits = frame.format.components[0].bits
    if frame.format.is_rgb:
        if bits == 8:
            small = frame.reformat(width, height, "rgb24", interpolation=interpolation, threads=_threads)
            return small.to_ndarray().astype(np.uint16) * np.uint16(257)
        wide = frame.reformat(width, height, "rgb48le", interpolation=interpolation, threads=_threads)
        return wide.to_ndarray()
    return ycbcr.to_rgb(
        _whole_planes(frame, width, height, interpolation), bits, _matrix_name(frame), _is_full_range(frame)
    )


def _whole_planes(frame: av.VideoFrame, width: int, height: int, interpolation: str) -> np.ndarray:
    """Y′, Cb and Cr of every pixel, uint16 (H, W, 3): the frame's own samples shifted up to 16 bits."""
    if frame.format.name == "yuvj444p" and (width, height) == (frame.width, frame.height):
        # Where there is nothing to spread out, the library would stretch the samples instead.
        return np.ascontiguousarray(np.moveaxis(frame.to_ndarray(), 0, -1).astype(np.uint16) << 8)
    # One range for both sides, so that samples are only shifted up and chroma spread out. What the
    # decoder calls yuvj is full range to the library whatever it is told.
    one_range = ColorRange.JPEG if frame.format.name.startswith("yuvj") else ColorRange.MPEG
    return frame.reformat(
        width,
        height,
        "yuv444p16le",
        src_color_range=one_range,
        dst_color_range=one_range,
        interpolation=interpolation,
        threads=_threads,
    ).to_ndarray()


def size_within(info: ClipInfo, width: int | None) -> tuple[int, int] | None:
    """A clip's (width, height) scaled down to `width` pixels across; None if it is no wider."""
    if width is None or width >= info.width:
        return None
    return width, max(2, round(info.height * width / info.width))


def read_frames(path: Path, first: int, count: int, info: ClipInfo, width: int | None = None) -> Iterator[np.ndarray]:
    """Decode `count` frames from frame `first` on: uint16 (H, W, 3) each, full-range R′G′B′.

    Scaled down to `width` pixels across if given and the clip is wider.

    Raises
    ------
    MediaFault
        As :func:`decode_frames`.
    """
    size = size_within(info, width)
    for frame in decode_frames(path, first, count, info):
        yield to_rgb(frame, size)


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


_LEAD_INS = (3, 48, 10**9)
"""Frames to start ahead of the wanted one. Where pictures are stored out of order, those just
behind a key picture refer to what came before it; starting a little earlier decodes them whole."""


def _from(path: Path, first: int, info: ClipInfo) -> Iterator[tuple[int, av.VideoFrame]]:
    """Decoded frames with their numbers, from `first` on; the last before it too where `first` itself is not there."""
    for lead_in in _LEAD_INS:
        sought = max(first - lead_in, 0)
        with _opened(path) as container:
            stream = container.streams.video[0]
            stream.thread_type = "AUTO"
            stream.thread_count = _threads
            start = info.start if info.start is not None else stream.start_time or 0
            step = Fraction(1) / info.rate / (stream.time_base or Fraction(1, 1000))
            if sought:
                at = info.times[sought] if info.times else int(start + sought * step)
                container.seek(at, stream=stream, backward=True)
            earliest: int | None = None
            before: tuple[int, av.VideoFrame] | None = None
            for counted, frame in enumerate(_decoded(container, stream)):
                index = counted if frame.pts is None else _number(frame.pts, start, step, info.times)
                if earliest is None:
                    earliest = index
                    if earliest > sought and sought:
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
        try:
            yield from packet.decode()
        except av.error.FFmpegError:
            continue


def read_frame(path: Path, index: int, info: ClipInfo) -> np.ndarray:
    """One frame as uint16 (H, W, 3), full-range R′G′B′ code values.

    Raises
    ------
    MediaFault
        If `index` lies outside the clip or the frame cannot be decoded.
    """
    if not 0 <= index < info.frames:
        raise MediaFault(path, f"there is no frame {index}; the clip has {info.frames}")
    return next(read_frames(path, index, 1, info))


def checksum(path: Path) -> str:
    """SHA-256 of a file, hexadecimal.

    Raises
    ------
    MediaFault
        If the file cannot be opened.
    """
    digest = hashlib.sha256()
    with opened(path) as here, here.open("rb") as file:
        while block := file.read(CHECKSUM_BLOCK):
            digest.update(block)
    return digest.hexdigest()
