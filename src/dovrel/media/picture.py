"""From a file's frame to what the core works on: recorded code values and packed working values."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache
from pathlib import Path

import cv2
import numpy as np

from dovrel.core.colour import encodings, tables
from dovrel.core.colour.outputs import DEFAULT_OUTPUT
from dovrel.core.measure import codes, lattice, limits
from dovrel.core.measure.frame import pack_display
from dovrel.media.limits import STILL_SUFFIXES
from dovrel.media.stills import read_still
from dovrel.media.video import ClipInfo, probe, read_frame

PREVIEW_WIDTH = 960
PLAYING_WIDTH = 640
STRIP_PIXELS = 4_000_000
"""Of a large picture that are brought into the working space at once, to bound the memory that takes."""
SEEN_BYTES = 7
"""Of a pixel in :class:`Seen`."""


@dataclass(frozen=True)
class Seen:
    """What of a frame is needed to show and measure it.

    Attributes
    ----------
    packed : uint16 (H, W, 3), in the working space
    flags : uint8 (H, W), what the recording clipped or crushed, see :mod:`dovrel.core.measure.limits`
    """

    packed: np.ndarray
    flags: np.ndarray

    @property
    def nbytes(self) -> int:
        return self.packed.nbytes + self.flags.nbytes


@dataclass(frozen=True)
class Picture:
    """One frame: `code`, as recorded, and `packed`, in the working space; uint16 (H, W, 3) each."""

    code: np.ndarray
    packed: np.ndarray

    @property
    def nbytes(self) -> int:
        return self.code.nbytes + self.packed.nbytes

    @property
    def recorded(self) -> np.ndarray:
        """Recorded code values, float32 in 0..1."""
        return self.code.astype(np.float32) / np.float32(65535)

    @property
    def working(self) -> np.ndarray:
        return codes.unpack(self.packed)

    @cached_property
    def flags(self) -> np.ndarray:
        """As of :class:`Seen`."""
        return limits.recorded_flags(self.code)

    @property
    def seen(self) -> Seen:
        """Without the recorded codes: about half the memory."""
        return Seen(self.packed, self.flags)


def shrink(recorded: np.ndarray, width: int = PREVIEW_WIDTH) -> np.ndarray:
    """Code values at most `width` wide, by area means."""
    if recorded.shape[1] <= width:
        return recorded
    height = max(2, round(recorded.shape[0] * width / recorded.shape[1]))
    return cv2.resize(recorded, (width, height), interpolation=cv2.INTER_AREA)


def to_picture(recorded: np.ndarray, encoding: str, output: str = DEFAULT_OUTPUT) -> Picture:
    """Bring recorded code values (H, W, 3) into the working space.

    Display-referred encodings go through baked tables; log ones through the exact transform.

    Raises
    ------
    ValueError
        If the encoding or output is unknown.
    """
    rows = max(1, STRIP_PIXELS // max(recorded.shape[1], 1))
    if len(recorded) <= rows:
        return _to_picture(np.ascontiguousarray(recorded, np.float32), encoding, output)
    code, packed = (np.empty(recorded.shape, np.uint16) for _ in range(2))
    for first in range(0, len(recorded), rows):
        strip = _to_picture(np.ascontiguousarray(recorded[first : first + rows], np.float32), encoding, output)
        code[first : first + rows], packed[first : first + rows] = strip.code, strip.packed
    return Picture(code, packed)


def _to_picture(recorded: np.ndarray, encoding: str, output: str) -> Picture:
    code = (np.clip(np.nan_to_num(recorded), 0, 1) * 65535 + 0.5).astype(np.uint16)
    if encodings.is_display_referred(encoding):
        display = encodings.to_output_code(recorded, encoding, output)
        return Picture(code, pack_display(display, tables.inverse_table(output), tables.output_table(output)))
    return Picture(code, codes.pack(encodings.to_working(recorded, encoding, output)))


_WHOLE_RANGE = lattice.Lattice((0, 0, 0), (65535, 65535, 65535))


@lru_cache(maxsize=4)
def _encoding_words(encoding: str, output: str, _stamp: int) -> np.ndarray:
    nodes = tables.lattice(_WHOLE_RANGE.size, 0.0, 1.0).reshape(1, -1, 3)
    # As any picture of these codes would come in: through the baked inverse, which takes a
    # fraction of a second where the exact one takes many.
    return lattice.table_words(to_picture(nodes, encoding, output).packed.reshape(-1, 3))


def to_picture_quickly(code: np.ndarray, encoding: str, output: str = DEFAULT_OUTPUT) -> Picture:
    """As :func:`to_picture`, from uint16 codes and through one table of 97³ nodes.

    For log encodings within 1e-4 of the exact transform; for display-referred ones, whose way
    in is far from straight, good enough to play.
    """
    words = _encoding_words(encoding, output, encodings.stamp(encoding))
    return Picture(code, lattice.develop(code, _WHOLE_RANGE, words, interleaved=True))


def read_recorded(path: Path, frame: int = 0, info: ClipInfo | None = None) -> np.ndarray:
    """Code values float32 (H, W, 3) in 0..1 of a still, or of one frame of a clip.

    Raises
    ------
    MediaFault
    """
    path = Path(path)
    if path.suffix.lower() in STILL_SUFFIXES:
        return read_still(path)
    return read_frame(path, frame, info or probe(path)).astype(np.float32) / np.float32(65535)
