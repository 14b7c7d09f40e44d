"""What a command reads: a picture, or a frame of a clip.

What decodes clips and what brings pictures into the working space is loaded where it is asked for: loading it takes
longer than measuring a still.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from dovrel.core.colour import encodings
from dovrel.media.limits import STILL_SUFFIXES
from dovrel.media.stills import read_still

if TYPE_CHECKING:
    from dovrel.media.picture import Picture


@dataclass(frozen=True)
class Input:
    """A file, its encoding (display-referred Rec.709 if none is given), and a frame."""

    file: Path
    encoding: str | None = None
    frame: int = 0

    @property
    def is_still(self) -> bool:
        return self.file.suffix.lower() in STILL_SUFFIXES

    @property
    def encoding_id(self) -> str:
        if self.encoding is None:
            return "srgb" if self.is_still else "rec709"
        if self.encoding.startswith("file:") or self.encoding in encodings.DISPLAY_ENCODINGS:
            return self.encoding
        if self.encoding.startswith("aces:"):
            return self.encoding
        return f"aces:{self.encoding}"

    @property
    def finished(self) -> bool:
        """Whether it is display-referred: made to be shown as it is."""
        return encodings.is_display_referred(self.encoding_id)

    def recorded(self) -> np.ndarray:
        """Code values float32 (H, W, 3); 0 is black and 1 is white.

        Raises
        ------
        ValueError
            If the encoding is unknown, or the file cannot be read.
        """
        encodings.describe(self.encoding_id)
        if self.is_still:
            return read_still(self.file)
        from dovrel.media.footage import read_recorded

        return read_recorded(self.file, self.frame)

    def shown(self, recorded: np.ndarray, output: str) -> np.ndarray:
        """What an output shows of recorded values without a correction, float32 (H, W, 3)."""
        if self.finished:
            return encodings.shown_uncorrected(recorded, self.encoding_id, output)
        from dovrel.core.colour.codes import decode_signal
        from dovrel.media.picture import WayIn

        return decode_signal(WayIn(self.encoding_id, output).shown(recorded)).transpose(1, 2, 0)

    def read(self, output: str, width: int | None = None) -> Picture:
        """The frame in the working space; at most `width` wide if given."""
        from dovrel.media.picture import shrink, to_picture

        recorded = self.recorded()
        return to_picture(shrink(recorded, width) if width else recorded, self.encoding_id, output)
