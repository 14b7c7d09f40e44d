"""Still pictures in and out: PNG, TIFF, JPEG, EXR, DPX."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from dovrel.core.colour import codes
from dovrel.machine.files import written_aside
from dovrel.media import limits
from dovrel.media.colorimetry import CHROMATICITIES
from dovrel.media.faults import MediaFault
from dovrel.media.layers import Layer, NoPicture, in_display_window, picture_layer, upright
from dovrel.media.opening import opened
from dovrel.media.output_tags import OutputTags, profile
from dovrel.media.still_colour import StillColour, colour_of


def check_size(path: Path, width: int, height: int) -> None:
    """Raise :class:`MediaFault` if a picture is too small or too large to handle."""
    if width < limits.MIN_SIDE or height < limits.MIN_SIDE:
        raise MediaFault(path, f"{width}×{height} pixels is too small a picture")
    if width > limits.MAX_SIDE or height > limits.MAX_SIDE or width * height > limits.MAX_PIXELS:
        most = limits.MAX_PIXELS // 1_000_000
        raise MediaFault(
            path,
            f"{width}×{height} pixels is larger than Dovrel handles: {limits.MAX_SIDE} a side, {most} million in all",
        )


@dataclass(frozen=True)
class StillInfo:
    """What a still says of itself, without its pixels being read.

    Attributes
    ----------
    width, height : of what is seen
    bits : of a sample; floating : whether values are linear light without an upper end
    colour : what it says of its colours; rate : frames a second of the sequence that it is of; None where it does not say
    warnings : what is odd but does not stop the work
    """

    width: int
    height: int
    bits: int
    floating: bool
    colour: StillColour
    timecode: str
    rate: Fraction | None
    aspect: Fraction
    tags: dict[str, str]
    warnings: tuple[str, ...]

    @property
    def transfer(self) -> str:
        """How values relate to light, by name; empty where it does not say."""
        return "linear" if self.floating else self.colour.transfer


_TAGS = {"Make": "make", "Model": "model", "dpx:InputDevice": "model", "dpx:SceneName": "scene", "reelName": "roll"}
_RATES = ("FramesPerSecond", "framesPerSecond", "dpx:FrameRate", "dpx:TVFrameRate")
_RATE_TOLD = 0.006
"""How far a rate that is reported with two digits may be from the true one."""
_TURNED = (5, 6, 7, 8)
"""Orientations in which rows are stored as columns."""
_ENDLESS = 65504.0
"""The largest number of 16 bits with a point: what an infinite value is read as."""


@dataclass(frozen=True)
class _Opened:
    """A still's file, open at `here`, and which part and channels of it are the picture."""

    path: Path
    here: Path
    source: oiio.ImageInput
    spec: oiio.ImageSpec
    layer: Layer

    @property
    def bits(self) -> int:
        """Of a sample."""
        return self.spec.get_int_attribute("oiio:BitsPerSample", 8 * self.spec.format.size())

    @property
    def orientation(self) -> int:
        """By the numbers of Exif and TIFF."""
        return self.spec.get_int_attribute("Orientation", 1)

    def pixels(self) -> np.ndarray:
        """The picture as it is to be seen, float32 (H, W, 3); errors as of :func:`read_still`."""
        spec, channels = self.spec, self.layer.channels
        decoded = 4 * spec.width * spec.height * spec.nchannels
        if decoded > limits.MAX_DECODED:
            raise MediaFault(
                self.path,
                f"its {spec.nchannels} channels take {decoded / 1e9:.1f} GB to decode; "
                f"Dovrel takes {limits.MAX_DECODED / 1e9:.1f} GB at most",
            )
        first = min(channels)
        pixels = self.source.read_image(self.layer.part, 0, first, max(channels) + 1, oiio.FLOAT)
        complaint = self.source.geterror()
        if pixels is None or complaint:
            raise MediaFault(self.path, f"the picture is damaged ({_first_line(complaint)})")
        pixels = np.asarray(pixels, np.float32).reshape(spec.height, spec.width, -1)
        colours = [channel - first for channel in channels] * (3 // len(channels))
        return np.ascontiguousarray(upright(in_display_window(pixels[..., colours], spec), self.orientation))


@contextmanager
def _open(path: Path) -> Iterator[_Opened]:
    """Open a still; errors as of :func:`describe_still`."""
    hints = oiio.ImageSpec()
    hints["oiio:UnassociatedAlpha"] = 1
    with opened(path) as here:
        source = oiio.ImageInput.open(str(path), hints)
        if source is None:
            raise MediaFault(path, f"not a readable picture ({_first_line(oiio.geterror())})")
        try:
            layer = _layer_of(path, source)
            source.seek_subimage(layer.part, 0)
            spec = source.spec()
            check_size(path, spec.full_width, spec.full_height)
            yield _Opened(path, here, source, spec, layer)
        finally:
            source.close()


def _layer_of(path: Path, source: oiio.ImageInput) -> Layer:
    """Where the picture is: by their names among the layers of an EXR, the first channels of other kinds."""
    if source.format_name() != "openexr":
        spec = source.spec()
        colours = spec.nchannels if spec.alpha_channel < 0 else spec.alpha_channel
        return Layer(0, (0, 1, 2) if colours >= 3 else (0,))
    try:
        return picture_layer(_parts(source))
    except NoPicture as none:
        raise MediaFault(path, str(none)) from none


def _parts(source: oiio.ImageInput) -> Iterator[oiio.ImageSpec]:
    number = 0
    while source.seek_subimage(number, 0):
        yield source.spec()
        number += 1


def describe_still(path: Path) -> StillInfo:
    """Read a still's header.

    Raises
    ------
    MediaFault
        If it is missing, empty, unreadable or too large, or holds no picture.
    """
    path = Path(path)
    with _open(path) as still:
        spec = still.spec
        colour = colour_of(still.here, spec, still.bits)
        width, height = spec.full_width, spec.full_height
        aspect = _aspect(spec.get_float_attribute("PixelAspectRatio", 1.0))
        if still.orientation in _TURNED:
            width, height, aspect = height, width, 1 / aspect
        return StillInfo(
            width,
            height,
            still.bits,
            spec.format.basetype in (oiio.HALF, oiio.FLOAT, oiio.DOUBLE),
            colour,
            _timecode(spec),
            next((found for name in _RATES if (found := _rate(spec.getattribute(name)))), None),
            aspect,
            {key: str(spec.getattribute(name)) for name, key in _TAGS.items() if spec.getattribute(name)},
            tuple(warning for warning in (_layers_told(still.layer), colour.warning) if warning),
        )


def _layers_told(layer: Layer) -> str:
    if not layer.others:
        return ""
    return f"it holds several layers and does not say which is the picture: {layer.name} is shown, not {', '.join(layer.others)}"


def _rate(said: object) -> Fraction | None:
    if isinstance(said, tuple) and len(said) == 2 and said[1]:
        return Fraction(int(said[0]), int(said[1]))
    if isinstance(said, (int, float)) and 1 <= said <= 1000:
        return _nearest_rate(said)
    return None


def _nearest_rate(said: float) -> Fraction:
    """A rate told as 29.97 is 30000/1001."""
    ntsc = Fraction(round(said * 1.001) * 1000, 1001)
    return (
        ntsc
        if abs(said - ntsc) < abs(said - round(said)) and abs(said - ntsc) < _RATE_TOLD
        else Fraction(said).limit_denominator(1001)
    )


def _aspect(said: float) -> Fraction:
    return Fraction(said).limit_denominator(100) if 0.25 <= said <= 4 else Fraction(1)


def _timecode(spec: oiio.ImageSpec) -> str:
    """``HH:MM:SS:FF`` of a still's SMPTE 12M timecode; empty where it has none."""
    said = spec.getattribute("smpte:TimeCode")
    if isinstance(said, str):
        return said if said.count(":") == 3 else ""
    if not said or len(said) < 1:
        return ""
    bits = int(said[0]) & 0xFFFFFFFF
    pairs = [
        (bits >> shift & 0x0F) + 10 * (bits >> shift + 4 & mask) for shift, mask in ((24, 3), (16, 7), (8, 7), (0, 3))
    ]
    hours, minutes, seconds, frames = (f"{pair:02d}" for pair in pairs)
    return f"{hours}:{minutes}:{seconds}{';' if bits >> 6 & 1 else ':'}{frames}"


def read_still(path: Path, full_range: bool | None = None) -> np.ndarray:
    """A still as code values: float32 (H, W, 3), upright, its display window.

    Code values are taken as of the full range, or the narrow one, if `full_range` is given, and else as the file says: 0 is
    black and 1 is white. EXR may go beyond. Grey pictures give three equal channels; alpha is left out, colours not multiplied by it. A value that is no number is
    read as 0, an infinite one as 65504.

    Raises
    ------
    MediaFault
        If the file is missing, empty, damaged or too large, or holds no picture.
    """
    with _open(Path(path)) as still:
        picture, _ = _bounded(still.pixels())
        if full_range is None:
            full_range = colour_of(still.here, still.spec, still.bits).full_range
        return picture if full_range else codes.from_narrow(picture, still.bits)


def odd_values_said(path: Path) -> str:
    """How many pixels hold a value that is infinite or no number; empty if none does. Errors as of :func:`read_still`."""
    with _open(Path(path)) as still:
        _, count = _bounded(still.pixels())
    pixels = "one pixel holds" if count == 1 else f"{count} pixels hold"
    return f"{pixels} a value that is infinite or not a number; it is shown at its bound" if count else ""


def _bounded(picture: np.ndarray) -> tuple[np.ndarray, int]:
    """A picture with every value a number, and how many pixels had one that was not."""
    finite = np.isfinite(picture)
    if finite.all():
        return picture, 0
    count = int((~finite).any(axis=-1).sum())
    return np.nan_to_num(picture, copy=False, nan=0.0, posinf=_ENDLESS, neginf=-_ENDLESS), count


def _first_line(text: str) -> str:
    return (text or "no reason given").splitlines()[0][:200]


@dataclass(frozen=True)
class Tags:
    """What a written still says of itself: its colours, and of which picture of a clip it is.

    Attributes
    ----------
    colours : those of its output; None for what is no picture of one
    timecode : ``HH:MM:SS:FF``, a semicolon before the frames for drop-frame; empty where there is none
    rate : frames a second; reel : the clip's roll
    """

    colours: OutputTags | None = None
    timecode: str = ""
    rate: Fraction | None = None
    reel: str = ""


NOTHING_TOLD = Tags()


def write_still(path: Path, picture: np.ndarray, tags: Tags = NOTHING_TOLD) -> None:
    """Write display values (H, W, 3) in 0..1 as a 16-bit PNG or TIFF, a 10-bit DPX, or an 8-bit JPEG.

    Raises
    ------
    MediaFault
        If the file cannot be written.
    """
    path = Path(path)
    height, width = picture.shape[:2]
    kind = path.suffix.lower()
    jpeg = kind in (".jpg", ".jpeg")
    spec = oiio.ImageSpec(width, height, 3, oiio.UINT8 if jpeg else oiio.UINT16)
    if kind == ".dpx":
        spec["oiio:BitsPerSample"] = 10
    if jpeg:
        spec["compression"] = "jpeg:96"
        spec["jpeg:subsampling"] = "4:4:4"
    if tags.colours:
        _tell_colours(spec, kind, tags.colours)
    _tell_place(spec, tags)
    _write(path, spec, np.clip(picture, 0, 1))


def _tell_colours(spec: oiio.ImageSpec, kind: str, colours: OutputTags) -> None:
    """By cICP where H.273 has numbers for them and the file can hold it; by video's fields of a DPX; else by a profile."""
    primaries, transfer, _ = colours.code_points
    if kind == ".png" and colours.is_coded:
        # Of this name the library knows no chunk of its own that would say otherwise.
        spec["oiio:ColorSpace"] = "unknown"
        spec.attribute("CICP", "int[4]", (primaries, transfer, 0, 1))
    elif kind == ".dpx":
        video = "ITU-R 709-4" if primaries == transfer == 1 else "User defined"
        spec["dpx:Transfer"] = spec["dpx:Colorimetric"] = video
    else:
        data = np.frombuffer(profile(colours), np.uint8)
        spec["oiio:ColorSpace"] = "unknown"
        spec.attribute("ICCProfile", f"uint8[{len(data)}]", data)


def _tell_place(spec: oiio.ImageSpec, tags: Tags) -> None:
    if tags.timecode:
        spec.attribute("smpte:TimeCode", oiio.TypeDesc("timecode"), (_packed(tags.timecode), 0))
    if tags.rate:
        spec.attribute("FramesPerSecond", oiio.TypeDesc("rational"), (tags.rate.numerator, tags.rate.denominator))
        spec["dpx:FrameRate"] = spec["dpx:TVFrameRate"] = float(tags.rate)
    if tags.reel:
        spec["reelName"] = tags.reel


def _packed(timecode: str) -> int:
    """A timecode as SMPTE 12M packs it."""
    numbers = [int(part) for part in timecode.replace(";", ":").split(":")]
    bits = sum(
        (number // 10 << 4 | number % 10) << shift for number, shift in zip(numbers, (24, 16, 8, 0), strict=True)
    )
    return bits | (1 << 6 if ";" in timecode else 0)


def write_light(path: Path, light: np.ndarray, tags: Tags = NOTHING_TOLD) -> None:
    """Write scene light (H, W, 3), linear ACES2065-1, as an EXR of 16-bit floats that says so.

    Raises
    ------
    MediaFault
        If the file cannot be written.
    """
    path = Path(path)
    spec = oiio.ImageSpec(light.shape[1], light.shape[0], 3, oiio.HALF)
    spec.attribute("chromaticities", "float[8]", CHROMATICITIES["AP0"])
    spec["compression"] = "zip"
    spec["oiio:ColorSpace"] = spec["colorInteropID"] = "lin_ap0_scene"
    _tell_place(spec, tags)
    _write(path, spec, light)


def _write(path: Path, spec: oiio.ImageSpec, pixels: np.ndarray) -> None:
    with written_aside(path) as aside:
        target = oiio.ImageOutput.create(str(aside))
        if target is None or not target.open(str(aside), spec):
            raise MediaFault(path, "cannot be written there")
        written = target.write_image(np.ascontiguousarray(pixels, np.float32))
        if not (target.close() and written):
            raise MediaFault(path, "could not be written whole; is there room on the disc?")
