"""Where the white of a scene's light may lie: near-neutrals, bright surfaces, skin."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dovrel.core.colour import white
from dovrel.core.colour.working import AP1_LUMA, STOP, to_linear

SKIN_LOG_CHROMA = np.array([0.60, -0.52])
"""log2(R/G) and log2(B/G) of skin in linear AP1 under D60: the mean of the dark and the light
skin patch of the 24-patch colour chart (ISO 17321-1 reflectances)."""


@dataclass(frozen=True)
class White:
    """A proposed light: its cct and tint, confidence 0..1, and why."""

    id: str
    name: str
    warmth: float
    tint: float
    confidence: float
    reason: str


def log_chroma(working: np.ndarray) -> np.ndarray:
    """log2(R/G), log2(B/G) of the linear AP1 values of working pixels (N, 3) → (N, 2)."""
    linear = np.maximum(to_linear(working), 1e-5)
    return np.log2(linear[:, [0, 2]] / linear[:, [1]])


def _as_offset(chroma: np.ndarray) -> np.ndarray:
    """Working offsets (3,) that make a pixel of this log chroma neutral."""
    return -np.array([chroma[0], 0.0, chroma[1]]) * STOP


def _lights() -> np.ndarray:
    """Log chroma (n, 2) of lights on a grid along and across the locus, and their prior (n,)."""
    rows = []
    for mired in np.arange(95.0, 420.0, 12.0):
        for tint in np.arange(-30.0, 31.0, 6.0):
            gains = white.gains_for_white(white.scene_white_uv(float(1e6 / mired), float(tint)))
            stops = np.log2(gains)
            rows.append([stops[1] - stops[0], stops[1] - stops[2], mired, tint])
    return np.array(rows)


LIGHTS = _lights()


def near_neutrals(working: np.ndarray) -> White | None:
    """The light under which most surfaces would be nearly neutral.

    Greys, whites and blacks of different lightness share one chroma: the light's. The density
    of log chroma is weighed over lights along the locus; tints far across it must earn more.
    """
    chroma = log_chroma(working)
    stops = np.log2(np.maximum(to_linear(working) @ AP1_LUMA, 1e-5) / 0.18)
    usable = stops > -5.0
    if usable.sum() < 200:
        return None
    chroma, stops = chroma[usable], stops[usable]
    # Every lightness votes alike, so that one large coloured wall does not decide.
    zones = np.clip(((stops - np.percentile(stops, 2)) / 0.75).astype(int), 0, 9)
    share = np.bincount(zones, minlength=10).astype(float)
    votes = 1.0 / np.sqrt(share[zones])
    votes /= votes.sum()
    density = np.empty(len(LIGHTS))
    for i, light in enumerate(LIGHTS):
        distance2 = ((chroma - light[:2]) ** 2).sum(axis=1)
        density[i] = (votes * np.exp(-distance2 / (2 * 0.11**2))).sum()
    neutral_mired = 1e6 / white.NEUTRAL_CCT
    prior = np.exp(-0.5 * ((LIGHTS[:, 2] - neutral_mired) / 120) ** 2 - 0.5 * (LIGHTS[:, 3] / 22) ** 2)
    best = LIGHTS[np.argmax(density * prior)][:2]
    for _ in range(8):  # mean shift to the centre of the cluster
        weight = votes * np.exp(-((chroma - best) ** 2).sum(axis=1) / (2 * 0.09**2))
        best = (weight[:, None] * chroma).sum(axis=0) / weight.sum()
    member = ((chroma - best) ** 2).sum(axis=1) < 0.14**2
    spread = np.ptp(np.percentile(stops[member], [5, 95])) if member.any() else 0.0
    warmth, tint = white.white_of(_as_offset(best))
    confidence = float(np.clip(0.25 + 1.2 * votes[member].sum() + 0.08 * spread, 0, 0.95))
    return White(
        "neutrals",
        "near-neutrals",
        warmth,
        tint,
        confidence * (1 if abs(tint) < 25 else 0.7),
        f"{100 * member.mean():.0f} % of the picture over {spread:.1f} stops shares one near-neutral chroma",
    )


def bright_surfaces(working: np.ndarray) -> White | None:
    """The light as the brightest unclipped surfaces show it, brought to the locus."""
    luminance = to_linear(working) @ AP1_LUMA
    low, high = np.percentile(luminance, [93, 99.5])
    member = (luminance >= low) & (luminance <= high)
    if member.sum() < 50:
        return None
    chroma = np.median(log_chroma(working[member]), axis=0)
    spread = float(np.median(np.abs(log_chroma(working[member]) - chroma)))
    warmth, tint = white.white_of(_as_offset(chroma))
    return White(
        "bright",
        "brightest surfaces",
        warmth,
        0.5 * tint,
        float(np.clip(0.75 - 1.5 * spread - 0.01 * abs(tint), 0.1, 0.75)),
        "the brightest unclipped surfaces, drawn towards the locus of natural lights",
    )


def skin(working: np.ndarray, near: White) -> White | None:
    """The light under which pixels that look like skin lie where skin lies.

    Skin is sought under the light `near`; the white is then moved so that its mean chroma
    meets :data:`SKIN_LOG_CHROMA`.
    """
    offset = white.offset_for(near.warmth, near.tint) / STOP
    chroma = log_chroma(working) + np.array([offset[0] - offset[1], offset[2] - offset[1]])
    distance = np.linalg.norm((chroma - SKIN_LOG_CHROMA) / np.array([0.30, 0.34]), axis=1)
    member = distance < 1.0
    if member.mean() < 0.004:
        return None
    off = SKIN_LOG_CHROMA - np.median(chroma[member], axis=0)
    warmth, tint = white.white_of(white.offset_for(near.warmth, near.tint) + np.array([off[0], 0.0, off[1]]) * STOP)
    share = float(member.mean())
    return White(
        "skin",
        "skin",
        warmth,
        tint,
        float(np.clip(0.30 + 4 * share, 0, 0.5)),
        f"{100 * share:.1f} % of the picture looks like skin",
    )
