"""Opening clips, and what they say of themselves."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import cast

import av
import av.error
from av.video.reformatter import ColorRange

from dovrel.media import ycbcr
from dovrel.media.clip import AS_IT_SAYS, Assumed, ClipInfo, Part, Reading, Sound
from dovrel.media.colorimetry import PRIMARIES, TRANSFERS
from dovrel.media.faults import MediaFault
from dovrel.media.geometry import WHOLE, Geometry
from dovrel.media.maker import maker_of
from dovrel.media.opening import opened
from dovrel.media.siting import siting_of
from dovrel.media.stills import check_size
from dovrel.media.timing import timing_of

_MATRICES = {
    1: "BT.709",
    5: "BT.601",
    6: "BT.601",
    7: "SMPTE 240M",
    8: ycbcr.YCGCO,
    9: "BT.2020",
    10: ycbcr.CONSTANT_LUMINANCE,
}
"""By their numbers in ITU-T H.273."""
_ALWAYS_FULL = "yuvj"
_USUALLY_FULL = ("rgb", "bgr", "gbr", "gray")
"""Kinds of pixels that are of the whole range unless they are tagged narrow."""
_BOTTOM_FIRST = (3, 5)
"""Field orders of the decoder in which the lower field is shown first."""
_CONTAINERS = "mov,mp4,m4a,3gp,3g2,mj2,matroska,webm,mxf,avi,mpegts,mpeg"
"""Those of pictures and sound; none that names other files."""


@contextmanager
def container_of(path: Path) -> Iterator[av.container.InputContainer]:
    """A clip's container, open.

    Raises
    ------
    MediaFault
        If there is none, or it holds no picture that can be decoded.
    """
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


def probe(path: Path, reading: Reading = AS_IT_SAYS) -> ClipInfo:
    """Read a clip's properties and the times of its pictures, and decode its first frame.

    `reading` takes the place of what the file says or leaves open. Whether every picture can be
    decoded shows in reading them.

    Raises
    ------
    MediaFault
        If the file is missing, empty, not a clip, of no length, of an odd size or shows nothing.
    """
    path = Path(path)
    with container_of(path) as container:
        stream = container.streams.video[0]
        context = stream.codec_context
        check_size(path, context.width, context.height)
        rate = stream.average_rate or stream.guessed_rate
        if not rate or rate <= 0:
            raise MediaFault(path, "the clip does not say its frame rate")
        rate = Fraction(rate)
        tags = _tags(container)
        first = _first_frame(path, container)
        said = _frames_said(container, stream, rate)
        # A length in seconds may be off by one picture or so.
        at_least = stream.frames or said - 2
        sound = tuple(
            Sound(track.codec_context.name, track.codec_context.sample_rate, track.codec_context.channels)
            for track in container.streams.audio
            if track.codec_context is not None
        )
        aspect = Fraction(stream.sample_aspect_ratio or context.sample_aspect_ratio or 1)
        top_first = context.field_order not in _BOTTOM_FIRST
    with container_of(path) as container:
        siting = siting_of(path, container)
    with container_of(path) as container:
        timing = timing_of(container, container.streams.video[0], rate, at_least)
    frames = timing.count if timing else said
    if frames < 1:
        raise MediaFault(path, "the clip has no length")
    make, model = maker_of(tags)
    turn = round(-first.rotation / 90) % 4 * 90
    warnings = (*(timing.warnings if timing else ()), *_odd_turn_told(first.rotation))
    geometry = Geometry((first.width, first.height), _sane(aspect), turn)
    check_size(path, *geometry.upright)
    info = ClipInfo(
        geometry=geometry,
        rate=rate,
        frames=frames,
        bit_depth=first.format.components[0].bits,
        full_range=_says_full_range(first),
        matrix=_matrix_of(first),
        codec=context.codec.name,
        pixel_format=first.format.name,
        timecode=tags.get("timecode", ""),
        tags=tags,
        warnings=warnings,
        start=timing.start if timing else None,
        times=timing.times if timing else (),
        transfer=TRANSFERS.get(int(first.color_trc), ""),
        primaries=PRIMARIES.get(int(first.color_primaries), ""),
        assumed=_left_open(first),
        interlaced=first.interlaced_frame,
        top_first=top_first,
        sound=sound,
        make=make,
        model=model,
        siting=siting,
    )
    return _going_on(path, read_as(info, reading), reading)


def read_as(info: ClipInfo, reading: Reading) -> ClipInfo:
    """A clip as `reading` says: what it says is assumed no more."""
    assumed = tuple(name for name in info.assumed if getattr(reading, name, None) is None)
    return replace(
        info,
        full_range=info.full_range if reading.range is None else reading.range == "full",
        matrix=info.matrix if reading.matrix is None or info.matrix == "RGB" else reading.matrix,
        interlaced=info.interlaced if reading.fields is None else reading.fields,
        geometry=replace(info.geometry, active=reading.active or WHOLE),
        assumed=assumed,
    )


def _going_on(path: Path, info: ClipInfo, reading: Reading) -> ClipInfo:
    """A take with the files it goes on in.

    Raises
    ------
    MediaFault
        If one of them is not there or of another kind.
    """
    if not reading.parts:
        return info
    parts = [Part(path.name, info.frames, info.start, info.times)]
    warnings = list(info.warnings)
    for name in reading.parts:
        other = probe(path.parent / name)
        if (other.geometry.coded, other.rate, other.codec) != (info.geometry.coded, info.rate, info.codec):
            raise MediaFault(path, f"the take goes on in {name}, which is of another size, rate or codec")
        parts.append(Part(name, other.frames, other.start, other.times))
        warnings += [f"{name}: {warning}" for warning in other.warnings]
    return replace(info, frames=sum(part.frames for part in parts), warnings=tuple(warnings), parts=tuple(parts))


def _sane(aspect: Fraction) -> Fraction:
    """A sample's width to its height; 1 where it is none that a camera records."""
    return aspect if Fraction(1, 4) <= aspect <= 4 else Fraction(1)


def _odd_turn_told(rotation: int) -> tuple[str, ...]:
    """What is to be said of a rotation that is no quarter turn."""
    if rotation % 90 == 0:
        return ()
    degrees = abs((rotation + 180) % 360 - 180)
    return (f"the file says that its picture is turned by {degrees} degrees; Dovrel turns it by whole quarters alone",)


def _tags(container: av.container.InputContainer) -> dict[str, str]:
    tags = {k.lower(): v for k, v in {**container.metadata, **container.streams.video[0].metadata}.items()}
    for other in container.streams.data:
        for name in ("timecode", "reel_name"):
            if not tags.get(name) and other.metadata.get(name):
                tags[name] = other.metadata[name]
    return tags


def _frames_said(container: av.container.InputContainer, stream: av.VideoStream, rate: Fraction) -> int:
    """How many frames there are by what the file says of its length."""
    if stream.frames:
        return stream.frames
    if stream.duration and stream.time_base:
        return round(float(stream.duration * stream.time_base) * float(rate))
    if not container.duration:
        return 0
    return round((container.duration - max(container.start_time or 0, 0)) / av.time_base * float(rate))


def look_at(path: Path) -> ClipInfo | None:
    """What the container says of a clip without decoding any of it, and roughly how long it is; None if it cannot be read."""
    try:
        with container_of(path) as container:
            stream = container.streams.video[0]
            context = stream.codec_context
            rate = Fraction(stream.average_rate or stream.guessed_rate or 24)
            tags = _tags(container)
            make, model = maker_of(tags)
            return ClipInfo(
                geometry=Geometry((context.width, context.height)),
                rate=rate,
                frames=_frames_said(container, stream, rate),
                bit_depth=0,
                full_range=False,
                matrix="",
                codec=context.name,
                pixel_format=context.pix_fmt or "",
                timecode=tags.get("timecode", ""),
                tags=tags,
                transfer=TRANSFERS.get(int(context.color_trc), ""),
                primaries=PRIMARIES.get(int(context.color_primaries), ""),
                make=make,
                model=model,
            )
    except MediaFault:
        return None


def _first_frame(path: Path, container: av.container.InputContainer) -> av.VideoFrame:
    try:
        for frame in container.decode(video=0):
            return frame
    except av.error.FFmpegError as error:
        raise MediaFault(path, f"the first frame cannot be decoded ({_reason(error)})") from error
    raise MediaFault(path, "the clip holds no frames")


def _says_full_range(frame: av.VideoFrame) -> bool:
    kind = frame.format.name
    if kind.startswith(_ALWAYS_FULL) or frame.color_range == ColorRange.JPEG:
        return True
    return kind.startswith(_USUALLY_FULL) and frame.color_range != ColorRange.MPEG


def _matrix_of(frame: av.VideoFrame) -> str:
    """By its tag; where there is none, by the picture's height, as broadcasting has it."""
    if frame.format.is_rgb:
        return "RGB"
    return _MATRICES.get(int(frame.colorspace), "BT.709" if frame.height >= 720 else "BT.601")


def _left_open(frame: av.VideoFrame) -> tuple[Assumed, ...]:
    """What a frame's tags do not say."""
    kind = frame.format
    known = {
        "range": kind.is_rgb
        or kind.name.startswith(_ALWAYS_FULL)
        or frame.color_range in (ColorRange.JPEG, ColorRange.MPEG),
        "matrix": kind.is_rgb or kind.name.startswith("gray") or int(frame.colorspace) in _MATRICES,
        "transfer": int(frame.color_trc) in TRANSFERS,
    }
    return tuple(cast(Assumed, name) for name, said in known.items() if not said)
