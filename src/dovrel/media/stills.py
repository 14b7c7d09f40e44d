"""Still pictures in and out: PNG, TIFF, JPEG, EXR, DPX."""

from __future__ import annotations

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
    """Write display values (H, W, 3) in 0..1 as a 16-bit PNG or TIFF, or an 8-bit JPEG.

    Raises
    ------
    MediaFault
        If the file cannot be written.
    """
    path = Path(path)
    height, width = picture.shape[:2]
    jpeg = path.suffix.lower() in (".jpg", ".jpeg")
    spec = oiio.ImageSpec(width, height, 3, oiio.UINT8 if jpeg else oiio.UINT16)
    if jpeg:
        spec["compression"] = "jpeg:96"
        spec["jpeg:subsampling"] = "4:4:4"
    with written_aside(path) as aside:
        target = oiio.ImageOutput.create(str(aside))
        if target is None or not target.open(str(aside), spec):
            raise MediaFault(path, "cannot be written there")
        written = target.write_image(np.clip(picture, 0, 1).astype(np.float32))
        if not (target.close() and written):
            raise MediaFault(path, "could not be written whole; is there room on the disc?")
