"""What written pictures say of their colours: H.273 numbers, ICC profile, mastering display, by output."""

from __future__ import annotations

import struct
from dataclasses import dataclass
from functools import cache

import numpy as np

from dovrel.media import colorimetry, icc


@dataclass(frozen=True)
class OutputTags:
    """
    Attributes
    ----------
    name : of the colours, for a profile's description
    matrix : of Y′CbCr, by name
    code_points : the numbers that H.273 has for primaries, transfer and matrix; 2 is for what it has no number for
    primaries : a name of :data:`dovrel.media.colorimetry.CHROMATICITIES`
    gamma : the power of the display; None for PQ
    peak : luminance of the brightest white, cd/m²
    """

    name: str
    matrix: str
    code_points: tuple[int, int, int]
    primaries: str
    gamma: float | None
    peak: int

    @property
    def is_coded(self) -> bool:
        """Whether H.273 has numbers for its primaries and transfer."""
        return 2 not in self.code_points[:2]

    @property
    def chromaticities(self) -> tuple[float, ...]:
        return colorimetry.CHROMATICITIES[self.primaries]


OUTPUT_TAGS = {
    "rec709": OutputTags("Rec.709, BT.1886", "BT.709", (1, 1, 1), "BT.709", 2.4, 100),
    "plain-video": OutputTags("Rec.709, BT.1886", "BT.709", (1, 1, 1), "BT.709", 2.4, 100),
    "p3-d65": OutputTags("P3-D65, gamma 2.6", "BT.709", (12, 2, 1), "P3-D65", 2.6, 100),
    "pq-1000": OutputTags("Rec.2100 PQ", "BT.2020", (9, 16, 9), "BT.2020", None, 1000),
}
"""By output."""

LEAST_LIGHT = 0.0001
"""Of the mastering display, cd/m²."""


def mastering(tags: OutputTags) -> str:
    """The mastering display (SMPTE ST 2086) and the most light of content (CTA-861.3) as the HEVC encoder takes them.

    The average light of frames is not known before all are made, and told as 0: unknown.
    """
    red, green, blue, white = (
        tuple(round(50_000 * number) for number in pair) for pair in np.reshape(tags.chromaticities, (4, 2))
    )
    light = f"L({10_000 * tags.peak},{round(10_000 * LEAST_LIGHT)})"
    display = "".join(f"{name}({x},{y})" for name, (x, y) in (("G", green), ("B", blue), ("R", red), ("WP", white)))
    return f"hdr10=1:repeat-headers=1:master-display={display}{light}:max-cll={tags.peak},0"


@cache
def profile(tags: OutputTags) -> bytes:
    """The ICC profile of an output's pictures."""
    if tags.gamma is not None:
        curve = struct.pack(">4sIHHi", b"para", 0, 0, 0, round(tags.gamma * 65536))
        return icc.written(tags.name, tags.chromaticities, curve)
    levels = np.linspace(0, 1, 4096)
    light = np.round(_pq_light(levels) * 65535).astype(int)
    curve = struct.pack(">4sII", b"curv", 0, len(light)) + struct.pack(f">{len(light)}H", *light)
    return icc.written(tags.name, tags.chromaticities, curve, tags.code_points[:2])


def _pq_light(code: np.ndarray) -> np.ndarray:
    """Light in parts of 10,000 cd/m² of PQ code values (SMPTE ST 2084)."""
    m1, m2, c1, c2, c3 = 2610 / 16384, 2523 / 32, 3424 / 4096, 2413 / 128, 2392 / 128
    power = code ** (1 / m2)
    return (np.maximum(power - c1, 0) / (c2 - c3 * power)) ** (1 / m1)
