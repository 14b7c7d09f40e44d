"""From a file's frame to what the core works on: recorded code values and packed working values."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache

import cv2
import numpy as np

from dovrel.core.colour import codes, encodings, outputs, tables, working
from dovrel.core.colour.outputs import DEFAULT_OUTPUT
from dovrel.core.develop import lattice
from dovrel.core.develop.frame import develop, pack_display
from dovrel.core.measure import limits

PREVIEW_WIDTH = 960
WIDEST_PREVIEW = 1920
"""Where its place on the screen is as wide."""
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
    """One frame.

    Attributes
    ----------
    code : uint16 (H, W, 3), as recorded (:func:`codes.encode_signal`)
    packed : uint16 (H, W, 3), in the working space
    ceiling : the level at which the recording clips
    """

    code: np.ndarray
    packed: np.ndarray
    ceiling: float = 1.0

    @property
    def nbytes(self) -> int:
        return self.code.nbytes + self.packed.nbytes

    @property
    def recorded(self) -> np.ndarray:
        """Recorded code values, float32: 0 is black and 1 is white."""
        return codes.decode_signal(self.code)

    @property
    def reach(self) -> np.ndarray:
        """Recorded code values in parts of the level at which the recording clips, float32 (H, W, 3)."""
        return self.recorded / np.float32(self.ceiling)

    @property
    def working(self) -> np.ndarray:
        return codes.unpack(self.packed)

    @cached_property
    def flags(self) -> np.ndarray:
        """As of :class:`Seen`."""
        return limits.recorded_flags(self.code, self.ceiling)

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


@dataclass(frozen=True)
class WayIn:
    """How a clip's recorded code values enter the working space.

    Attributes
    ----------
    encoding : see :mod:`dovrel.core.colour.encodings`; output : the production's
    floating : whether the codes are logarithms of linear light
    ceiling : the level at which the recording clips
    """

    encoding: str
    output: str = DEFAULT_OUTPUT
    floating: bool = False
    ceiling: float = 1.0

    def exactly(self, recorded: np.ndarray) -> Picture:
        """From code values float (H, W, 3): display-referred ones through baked tables, log ones through the exact transform.

        Raises
        ------
        Refused
            If the encoding or output is unknown.
        """
        rows = max(1, STRIP_PIXELS // max(recorded.shape[1], 1))
        if len(recorded) <= rows:
            return Picture(*self._strip(np.ascontiguousarray(recorded, np.float32)), self.ceiling)
        code, packed = (np.empty(recorded.shape, np.uint16) for _ in range(2))
        for first in range(0, len(recorded), rows):
            strip = slice(first, first + rows)
            code[strip], packed[strip] = self._strip(np.ascontiguousarray(recorded[strip], np.float32))
        return Picture(code, packed, self.ceiling)

    def shown(self, recorded: np.ndarray) -> np.ndarray:
        """What code values float (H, W, 3) show without a correction: display codes uint16 (3, H, W)."""
        if self.floating or not encodings.is_display_referred(self.encoding):
            return develop(self.exactly(recorded).packed, [], tables.output_table(self.output))
        display = encodings.shown_uncorrected(recorded, self.encoding, self.output)
        return np.ascontiguousarray(codes.encode_signal(display).transpose(2, 0, 1))

    def _strip(self, recorded: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        values = np.nan_to_num(recorded)
        code = codes.encode_signal(values)
        if self.floating:
            values = working.to_linear(values).astype(np.float32)
        if not encodings.is_display_referred(self.encoding):
            return code, codes.pack(encodings.to_working(values, self.encoding, self.output))
        display = encodings.to_output_code(values, self.encoding, self.output)
        if outputs.find(self.output).display is None:
            return code, codes.pack(display)
        return code, pack_display(display, tables.inverse_table(self.output), tables.output_table(self.output))

    def quickly(self, code: np.ndarray) -> Picture:
        """From codes uint16 (H, W, 3), through one table of 121³ nodes.

        For log encodings within 1e-4 of the exact transform; for display-referred ones, whose way
        in is far from straight, good enough to play.
        """
        words = _words(self, encodings.stamp(self.encoding))
        return Picture(code, lattice.develop(code, _ALL_CODES, words, interleaved=True), self.ceiling)


_ALL_CODES = lattice.Lattice((0, 0, 0), (65535, 65535, 65535), 121)
"""So many nodes that black and white are two of them."""


@lru_cache(maxsize=4)
def _words(way: WayIn, _stamp: int) -> np.ndarray:
    nodes = tables.lattice(_ALL_CODES.size, codes.SIGNAL_LOW, codes.SIGNAL_LOW + codes.SIGNAL_SPAN)
    # As any picture of these codes would come in: through the baked inverse, which takes a
    # fraction of a second where the exact one takes many.
    return lattice.table_words(way.exactly(nodes.reshape(1, -1, 3)).packed.reshape(-1, 3))


def to_picture(recorded: np.ndarray, encoding: str, output: str = DEFAULT_OUTPUT) -> Picture:
    """Code values float (H, W, 3), clipped at white, in the working space; see :meth:`WayIn.exactly`."""
    return WayIn(encoding, output).exactly(recorded)
