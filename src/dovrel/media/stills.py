"""Still pictures in and out: PNG, TIFF, JPEG, EXR, DPX."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from dovrel.machine.files import written_aside
from dovrel.media import limits
from dovrel.media.faults import MediaFault
from dovrel.media.opening import opened


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
    bits : of a sample; floating : whether values are linear light without an upper end
    transfer : ``sRGB`` where it says so, or is of a kind that is nothing else; else empty
    rate : frames a second of the sequence that it is of; None where it does not say
    """

    width: int
    height: int
    bits: int
    floating: bool
    transfer: str
    timecode: str
    rate: Fraction | None
    aspect: Fraction
    tags: dict[str, str]


_TAGS = {"Make": "make", "Model": "model", "dpx:InputDevice": "model", "dpx:SceneName": "scene", "reelName": "roll"}
_RATES = ("FramesPerSecond", "dpx:FrameRate", "dpx:TVFrameRate")


def describe_still(path: Path) -> StillInfo:
    """Read a still's header.

    Raises
    ------
    MediaFault
        If it is missing, empty, unreadable or too large.
    """
    path = Path(path)
    with opened(path):
        source = oiio.ImageInput.open(str(path))
        if source is None:
            raise MediaFault(path, f"not a readable picture ({_first_line(oiio.geterror())})")
        try:
            spec = source.spec()
            check_size(path, spec.width, spec.height)
            tags = {key: str(spec.getattribute(name)) for name, key in _TAGS.items() if spec.getattribute(name)}
            floating = spec.format.basetype in (oiio.HALF, oiio.FLOAT, oiio.DOUBLE)
            space = str(spec.getattribute("oiio:ColorSpace") or "").lower()
            rate = next((found for name in _RATES if (found := _rate(spec.getattribute(name)))), None)
            return StillInfo(
                spec.width,
                spec.height,
                spec.get_int_attribute("oiio:BitsPerSample", 8 * spec.format.size()),
                floating,
                "sRGB" if "srgb" in space and path.suffix.lower() != ".dpx" else "",
                _timecode(spec),
                rate,
                _aspect(spec.get_float_attribute("PixelAspectRatio", 1.0)),
                tags,
            )
        finally:
            source.close()


def _rate(said: object) -> Fraction | None:
    if isinstance(said, tuple) and len(said) == 2 and said[1]:
        return Fraction(int(said[0]), int(said[1]))
    if isinstance(said, (int, float)) and 1 <= said <= 1000:
        return Fraction(said).limit_denominator(1001)
    return None


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
    return ":".join(f"{pair:02d}" for pair in pairs)


def read_still(path: Path) -> np.ndarray:
    """A still as code values: float32 (H, W, 3), 0..1 (EXR may go beyond).

    Grey pictures give three equal channels; alpha is left out, colours not multiplied by it.

    Raises
    ------
    MediaFault
        If the file is missing, empty, damaged, too large, or holds values that are not numbers.
    """
    path = Path(path)
    with opened(path):
        return _read(path)


def _read(path: Path) -> np.ndarray:
    hints = oiio.ImageSpec()
    hints["oiio:UnassociatedAlpha"] = 1
    source = oiio.ImageInput.open(str(path), hints)
    if source is None:
        raise MediaFault(path, f"not a readable picture ({_first_line(oiio.geterror())})")
    try:
        spec = source.spec()
        check_size(path, spec.width, spec.height)
        decoded = 4 * spec.width * spec.height * spec.nchannels
        if decoded > limits.MAX_DECODED:
            raise MediaFault(
                path,
                f"its {spec.nchannels} channels take {decoded / 1e9:.1f} GB to decode; "
                f"Dovrel takes {limits.MAX_DECODED / 1e9:.1f} GB at most",
            )
        colours = spec.nchannels if spec.alpha_channel < 0 else spec.alpha_channel
        channels = 3 if colours >= 3 else 1
        pixels = source.read_image(0, 0, 0, channels, oiio.FLOAT)
        complaint = source.geterror()
    finally:
        source.close()
    if pixels is None or complaint:
        raise MediaFault(path, f"the picture is damaged ({_first_line(complaint)})")
    pixels = np.asarray(pixels, np.float32).reshape(spec.height, spec.width, channels)
    picture = pixels if channels == 3 else np.repeat(pixels, 3, axis=2)
    if not np.isfinite(picture).all():
        raise MediaFault(path, "the picture holds values that are not numbers")
    return np.ascontiguousarray(picture)


def _first_line(text: str) -> str:
    return (text or "no reason given").splitlines()[0][:200]


def write_still(path: Path, picture: np.ndarray) -> None:
    """Write display values (H, W, 3) in 0..1 as a 16-bit PNG or TIFF, a 10-bit DPX, or an 8-bit JPEG.

    Raises
    ------
    MediaFault
        If the file cannot be written.
    """
    path = Path(path)
    height, width = picture.shape[:2]
    jpeg = path.suffix.lower() in (".jpg", ".jpeg")
    spec = oiio.ImageSpec(width, height, 3, oiio.UINT8 if jpeg else oiio.UINT16)
    if path.suffix.lower() == ".dpx":
        spec["oiio:BitsPerSample"] = 10
    if jpeg:
        spec["compression"] = "jpeg:96"
        spec["jpeg:subsampling"] = "4:4:4"
    _write(path, spec, np.clip(picture, 0, 1))


_AP0 = (0.7347, 0.2653, 0.0, 1.0, 0.0001, -0.077, 0.32168, 0.33767)
"""Chromaticities of red, green, blue and white of ACES2065-1 (SMPTE ST 2065-1)."""


def write_light(path: Path, light: np.ndarray) -> None:
    """Write scene light (H, W, 3), linear ACES2065-1, as an EXR of 16-bit floats that says so.

    Raises
    ------
    MediaFault
        If the file cannot be written.
    """
    path = Path(path)
    spec = oiio.ImageSpec(light.shape[1], light.shape[0], 3, oiio.HALF)
    spec.attribute("chromaticities", "float[8]", _AP0)
    spec["compression"] = "zip"
    spec["oiio:ColorSpace"] = "ACES2065-1"
    _write(path, spec, light)


def _write(path: Path, spec: oiio.ImageSpec, pixels: np.ndarray) -> None:
    with written_aside(path) as aside:
        target = oiio.ImageOutput.create(str(aside))
        if target is None or not target.open(str(aside), spec):
            raise MediaFault(path, "cannot be written there")
        written = target.write_image(np.ascontiguousarray(pixels, np.float32))
        if not (target.close() and written):
            raise MediaFault(path, "could not be written whole; is there room on the disc?")
