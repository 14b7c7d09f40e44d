"""Familiar colours: those an eye knows without a reference. Skin, foliage, sky, neutrals.

Zones are on the BT.709 Cb/Cr plane of the displayed signal. Their middles are, for skin, the
+I axis at 123° on which skin of every tone lies; for foliage and sky, the hues of the patches
so named in the 24-patch colour rendition chart (McCamy, Marcus and Davidson 1976), which the
chart's authors chose to stand for them.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dovrel.core.colour import codes
from dovrel.core.measure.difference import lab_of_display


@dataclass(frozen=True)
class Zone:
    """A region of hue (degrees from +Cb), chroma and luma (percent), and where its middle lies."""

    name: str
    hue: float
    half_width: float
    chroma: tuple[float, float]
    luma: tuple[float, float]


SKIN_LINE = 123.0

ZONES: dict[str, Zone] = {
    zone.name: zone
    for zone in (
        Zone("skin", SKIN_LINE, 17.0, (3.5, 26.0), (12.0, 92.0)),
        Zone("foliage", 203.0, 28.0, (3.5, 40.0), (5.0, 80.0)),
        Zone("sky", 321.0, 24.0, (3.5, 40.0), (25.0, 100.0)),
        Zone("neutrals", 0.0, 180.0, (0.0, 3.0), (8.0, 96.0)),
    )
}


@dataclass(frozen=True)
class Familiar:
    """What was found of one familiar colour.

    Attributes
    ----------
    share : part of the picture, 0..1
    lightness, chroma : medians of CIE L* and C*ab; hue : median hue angle on the Cb/Cr plane, degrees
    off : degrees the hue lies from the zone's middle; for neutrals the chroma's distance from
        none, in percent
    """

    name: str
    share: float
    lightness: float
    chroma: float
    hue: float
    off: float


def plane_of(display: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Luma, Cb and Cr in percent of display codes (3, ...)."""
    red, green, blue = 100 * codes.decode_signal(display)
    luma = 0.2126 * red + 0.7152 * green + 0.0722 * blue
    return luma, (blue - luma) / codes.CB_DIVISOR, (red - luma) / codes.CR_DIVISOR


def turn(hue: np.ndarray, middle: float) -> np.ndarray:
    """Degrees from `middle`, -180..180."""
    return (hue - middle + 180) % 360 - 180


def find(display: np.ndarray, name: str) -> np.ndarray:
    """Pixels of a familiar colour.

    Parameters
    ----------
    display : uint16 (3, H, W), display codes
    name : one of :data:`ZONES`

    Returns
    -------
    uint8 (H, W), 1 where found
    """
    zone = ZONES[name]
    luma, cb, cr = plane_of(display)
    chroma = np.hypot(cb, cr)
    inside = (luma >= zone.luma[0]) & (luma <= zone.luma[1])
    inside &= (chroma >= zone.chroma[0]) & (chroma <= zone.chroma[1])
    if zone.half_width < 180:
        inside &= np.abs(turn(np.degrees(np.arctan2(cr, cb)), zone.hue)) <= zone.half_width
    return inside.astype(np.uint8)


def survey(display: np.ndarray, stride: int = 3) -> list[Familiar]:
    """Every familiar colour of a picture, from every `stride`-th pixel and row.

    Colours that are not there have a share of 0 and no figures (NaN).
    """
    thin = display[:, ::stride, ::stride]
    _, cb, cr = plane_of(thin)
    found = []
    for zone in ZONES.values():
        mask = find(thin, zone.name).astype(bool)
        if mask.mean() < 1e-4:
            found.append(Familiar(zone.name, 0.0, *(float("nan"),) * 4))
            continue
        lab = lab_of_display(codes.decode_signal(thin[:, mask]).T)
        across, down = float(np.median(cb[mask])), float(np.median(cr[mask]))
        hue = float(np.degrees(np.arctan2(down, across)) % 360)
        off = float(turn(np.array(hue), zone.hue)) if zone.half_width < 180 else float(np.hypot(across, down))
        found.append(
            Familiar(
                zone.name,
                float(mask.mean()),
                float(np.median(lab[:, 0])),
                float(np.median(np.hypot(lab[:, 1], lab[:, 2]))),
                hue,
                off,
            )
        )
    return found
