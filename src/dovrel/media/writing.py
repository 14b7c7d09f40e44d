"""Corrected pictures written: clips with their sound, timecode and tags, and sequences of stills."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Protocol

import av
import numpy as np

from dovrel.core.colour import codes
from dovrel.errors import Refused
from dovrel.machine.files import folder_aside, written_aside
from dovrel.media import ycbcr
from dovrel.media.opening import opened
from dovrel.media.output_tags import OUTPUT_TAGS, mastering
from dovrel.media.stills import Tags, write_light, write_still

_NARROW = 1


@dataclass(frozen=True)
class Kind:
    """A kind of rendered file.

    Attributes
    ----------
    suffix : of the file, or of each still where `codec` is empty
    codec, pixels, options : as the encoder takes them
    light : whether it holds the scene's light under the colour, before any output, in the place of what is displayed
    near : by how much it may differ from what was developed, mean CIEDE2000: less where colour is held in full and finely
    """

    name: str
    suffix: str
    codec: str = ""
    pixels: str = ""
    options: dict[str, str] = field(default_factory=dict)
    near: float = 0.3
    light: bool = False

    @property
    def is_sequence(self) -> bool:
        return not self.codec


KINDS: dict[str, Kind] = {
    "prores-4444": Kind("ProRes 4444, 10 bits", ".mov", "prores_ks", "yuv444p10le", {"profile": "4", "bits_per_mb": "8000"}),
    "prores-422": Kind("ProRes 422 HQ, 10 bits", ".mov", "prores", "yuv422p10le", {"profile": "3"}, near=2.0),
    "hevc": Kind("HEVC 4:2:0, 10 bits", ".mp4", "libx265", "yuv420p10le",
                 {"preset": "fast", "crf": "14", "x265-params": "log-level=error"}, near=2.0),
    "h264": Kind("H.264 4:2:0, 8 bits", ".mp4", "libx264", "yuv420p", {"preset": "veryfast", "crf": "18"}, near=2.5),
    "dpx": Kind("DPX sequence, 10 bits", ".dpx"),
    "exr": Kind("EXR sequence, ACES2065-1, 16-bit floats", ".exr", light=True),
    "tiff": Kind("TIFF sequence, 16 bits", ".tif"),
    "png": Kind("PNG sequence, 16 bits", ".png"),
}  # fmt: skip
"""Whatever can be rendered, by the name that an order has it under."""


@dataclass(frozen=True)
class Target:
    """What is written, and what goes with the pictures.

    Attributes
    ----------
    kind : see :data:`KINDS`
    rate : frames a second; size : width and height of the pictures that are added
    output : whose display values they are
    timecode : of the first picture, `reel` its roll; empty where there is none
    sound : the file whose sound goes with them, if any
    first : the number of the first still of a sequence
    """

    kind: Kind
    rate: Fraction
    size: tuple[int, int]
    output: str
    timecode: str = ""
    reel: str = ""
    sound: Path | None = None
    first: int = 1

    def still(self, folder: Path, frame: int) -> Path:
        """The file of a sequence's frame, counted from 0, in the folder that holds it."""
        return folder / f"{folder.name}.{self.first + frame:07d}{self.kind.suffix}"


class Writer(Protocol):
    """Takes pictures one after another."""

    def add(self, display: np.ndarray, timecode: str = "") -> None:
        """Add a picture of display codes uint16 (3, H, W), or of light float32 where the kind holds that, with its timecode."""
        ...


@contextmanager
def writing(path: Path, target: Target) -> Iterator[Writer]:
    """Write a clip, or a folder of stills, whole or not at all.

    Raises
    ------
    Refused
        If the name does not end as its kind does.
    NoRoom
        If the disc is full.
    """
    if target.kind.is_sequence:
        with folder_aside(path) as aside:
            yield _Stills(aside, path.name, target)
        return
    if path.suffix.lower() != target.kind.suffix:
        raise Refused(f"{path.name}: {target.kind.name} is written as {target.kind.suffix}")
    with written_aside(path) as aside, contextlib.ExitStack() as stack:
        options = {"movflags": "+faststart+use_metadata_tags"}
        container = stack.enter_context(
            av.open(str(aside), "w", format="mov" if path.suffix == ".mov" else "mp4", options=options)
        )
        clip = _Clip(container, target, stack)
        yield clip
        clip.end()


class _Stills:
    def __init__(self, folder: Path, stem: str, target: Target) -> None:
        self._folder, self._stem, self._target = folder, stem, target
        self._next = 0

    def add(self, display: np.ndarray, timecode: str = "") -> None:
        target = self._target
        path = self._folder / target.still(Path(self._stem), self._next).name
        self._next += 1
        if target.kind.light:
            write_light(path, display.transpose(1, 2, 0), Tags(None, timecode, target.rate, target.reel))
        else:
            tags = Tags(OUTPUT_TAGS[target.output], timecode, target.rate, target.reel)
            write_still(path, codes.decode_signal(display).transpose(1, 2, 0), tags)


class _Clip:
    def __init__(self, container: av.container.OutputContainer, target: Target, stack: contextlib.ExitStack) -> None:
        self._container, self._target = container, target
        tags = OUTPUT_TAGS[target.output]
        self._matrix, self._tags = tags.matrix, tags.code_points
        kind, options = target.kind, dict(target.kind.options)
        if kind.codec == "libx265" and tags.gamma is None:
            options["x265-params"] += f":{mastering(tags)}"
        stream = container.add_stream(kind.codec, rate=target.rate, options=options)
        assert isinstance(stream, av.VideoStream)
        self._stream = stream
        stream.thread_type = "AUTO"
        stream.width, stream.height = (side // 2 * 2 for side in target.size)
        stream.pix_fmt = kind.pixels
        context = stream.codec_context
        context.color_primaries, context.color_trc, context.colorspace = self._tags
        context.color_range = _NARROW
        if kind.codec == "libx265":
            context.codec_tag = "hvc1"
        if target.timecode:
            stream.metadata["timecode"] = target.timecode
        if target.reel:
            container.metadata["reel_name"] = stream.metadata["reel_name"] = target.reel
        self._bits = 10 if "10" in kind.pixels else 8
        self._next = 0
        self._sounds = _Sounds(container, target.sound, stack) if target.sound else None

    def add(self, display: np.ndarray, timecode: str = "") -> None:
        width, height = self._stream.width, self._stream.height
        even = np.ascontiguousarray(display[:, :height, :width])
        planes = ycbcr.planes_of(even, self._matrix, self._bits, *_chroma(self._target.kind.pixels))
        frame = av.VideoFrame(width, height, self._target.kind.pixels)
        for plane, values in zip(frame.planes, planes, strict=True):
            samples = values if self._bits > 8 else values.astype(np.uint8)
            rows = np.frombuffer(memoryview(plane), samples.dtype).reshape(plane.height, -1)  # pyrefly: ignore[bad-argument-type]
            rows[:, : samples.shape[1]] = samples
        frame.color_primaries, frame.color_trc, frame.colorspace = self._tags
        frame.color_range = _NARROW
        frame.pts, frame.time_base = self._next, 1 / self._target.rate
        self._next += 1
        self._container.mux(self._stream.encode(frame))
        if self._sounds:
            self._sounds.up_to(self._next / self._target.rate)

    def end(self) -> None:
        self._container.mux(self._stream.encode(None))
        if self._sounds:
            self._sounds.up_to(self._next / self._target.rate)


def _chroma(pixels: str) -> tuple[int, int]:
    """For how many pixels across and down there is one sample of chroma."""
    return 1 if "444" in pixels else 2, 2 if "420" in pixels else 1


class _Sounds:
    """The sound tracks of a file, packet by packet as they are, beside the pictures."""

    def __init__(self, container: av.container.OutputContainer, source: Path, stack: contextlib.ExitStack) -> None:
        here = stack.enter_context(opened(source))
        self._source = stack.enter_context(av.open(str(here)))
        self._container = container
        self._out = {stream.index: container.add_stream_from_template(stream) for stream in self._source.streams.audio}
        self._packets = self._source.demux(*self._source.streams.audio) if self._out else iter(())
        video = self._source.streams.video[0]
        self._start = (video.start_time or 0) * (video.time_base or Fraction(1))
        self._waiting: av.Packet | None = None

    def up_to(self, seconds: Fraction) -> None:
        """Write what is heard before so many seconds from the start."""
        while True:
            packet = self._waiting or next(self._packets, None)
            self._waiting = None
            if packet is None:
                return
            if packet.dts is None or packet.pts is None or packet.time_base is None:
                continue
            first = round(self._start / packet.time_base)
            if (packet.pts - first) * packet.time_base >= seconds:
                self._waiting = packet
                return
            if packet.pts < first:
                continue  # Heard before the first picture.
            packet.pts, packet.dts = packet.pts - first, packet.dts - first
            packet.stream = self._out[packet.stream.index]
            self._container.mux(packet)
