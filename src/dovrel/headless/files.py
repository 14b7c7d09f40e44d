"""What a command reads: a picture, or a frame of a clip.

What decodes clips and what brings pictures into the working space is loaded where it is asked for: loading it takes
longer than measuring a still.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from dovrel.core.colour import encodings
from dovrel.core.colour.likely import Likely, Said, likely_encoding
from dovrel.media.limits import STILL_SUFFIXES
from dovrel.media.maker import maker_of
from dovrel.media.stills import describe_still, read_still

if TYPE_CHECKING:
    from dovrel.media.picture import Picture


@dataclass(frozen=True)
class Input:
    """A file, its encoding (the one that the file is likely to be in, if none is given), and a frame."""

    file: Path
    encoding: str | None = None
    frame: int = 0

    @property
    def is_still(self) -> bool:
        return self.file.suffix.lower() in STILL_SUFFIXES

    @cached_property
    def likely(self) -> Likely:
        """The encoding that is taken, with the reason; errors as of :meth:`recorded`."""
        if self.encoding is None:
            return self._proposed()
        named = self.encoding.startswith(("file:", "aces:")) or self.encoding in encodings.DISPLAY_ENCODINGS
        return Likely(self.encoding if named else f"aces:{self.encoding}", "as given", False)

    @property
    def encoding_id(self) -> str:
        return self.likely.encoding

    def _proposed(self) -> Likely:
        """As taking a clip in proposes it, by what the file says."""
        return likely_encoding(self._said(), (), "srgb" if self.is_still else "rec709", encodings.available())

    def _said(self) -> Said:
        if self.is_still:
            still = describe_still(self.file)
            return Said(*maker_of(still.tags), still.transfer, still.colour.primaries, still.tags)
        from dovrel.media.footage import probe

        info = probe(self.file)
        return Said(info.make, info.model, info.transfer, info.primaries, info.tags)

    @property
    def finished(self) -> bool:
        """Whether it is display-referred: made to be shown as it is."""
        return encodings.is_display_referred(self.encoding_id)

    def recorded(self) -> np.ndarray:
        """Code values float32 (H, W, 3); 0 is black and 1 is white.

        Raises
        ------
        Refused
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


def encoding_record(source: Input) -> dict[str, str]:
    """A file's encoding and why it is taken, for a report."""
    return {"file": source.file.name, "encoding": source.encoding_id, "reason": source.likely.reason}


def encodings_said(records: Iterable[dict[str, str]]) -> list[str]:
    """The same, a line each."""
    return [f"  {one['file']}: encoding {one['encoding']} ({one['reason']})" for one in records]
