"""Where the white of a scene's light may lie: near-neutrals, bright surfaces, skin, a patch.

A light is known by its log chroma, log2(R/G) and log2(B/G) in linear AP1, of a grey surface
under it as recorded. Cameras are set to one light and taken to another, so what is recorded
may lie further along the locus of natural lights than any light does: the locus is continued
there in a straight line.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from dovrel.core.colour import white
from dovrel.core.colour.working import AP1_LUMA, STOP, to_linear
from dovrel.core.steps.primary import Primary

SKIN_LOG_CHROMA = np.array([0.60, -0.52])
"""log2(R/G) and log2(B/G) of skin in linear AP1 under D60: the mean of the dark and the light
skin patch of the 24-patch colour chart (ISO 17321-1 reflectances)."""

UNEVEN = 0.12
"""How many stops the colours of a patch may differ and be one surface's."""

LEAST_SHARE = 0.03
"""The part of a picture that must look near-neutral for that to be fully believed."""

DEFAULT_KEPT_CAST = 0.5
"""Stops of a warm light's own colour that are taken to be meant: a lamp stays warm, low sun golden."""

Chroma = tuple[float, float]
NEUTRAL_MIRED = 1e6 / white.NEUTRAL_CCT


@dataclass(frozen=True)
class White:
    """A proposed light: its log chroma, confidence 0..1, and why."""

    id: str
    name: str
    chroma: Chroma
    confidence: float
    reason: str

    @property
    def warmth_and_tint(self) -> tuple[float, float]:
        """As the controls show it: cct and tint of the nearest white within their limits."""
        return white.white_of(_as_offset(self.chroma))


def log_chroma(working: np.ndarray) -> np.ndarray:
    """log2(R/G), log2(B/G) of the linear AP1 values of working pixels (N, 3) → (N, 2)."""
    linear = np.maximum(to_linear(working), 1e-5)
    return np.log2(linear[:, [0, 2]] / linear[:, [1]])


def _as_offset(chroma: Chroma | np.ndarray) -> np.ndarray:
    """Working offsets (3,) that make a pixel of this log chroma neutral."""
    return -np.array([chroma[0], 0.0, chroma[1]]) * STOP


def _chroma_of_light(mired: float, tint: float) -> np.ndarray:
    stops = np.log2(white.gains_for_white(white.scene_white_uv(1e6 / mired, tint)))
    return stops[1] - stops[[0, 2]]


_BLUEST = 95.0
"""Mireds of the bluest light of nature; beyond it, the locus is continued straight."""
_SLOPE = (_chroma_of_light(_BLUEST + 12, 0) - _chroma_of_light(_BLUEST, 0)) / 12

WARM = _chroma_of_light(NEUTRAL_MIRED + 90, 0) - _chroma_of_light(NEUTRAL_MIRED, 0)
WARM /= np.linalg.norm(WARM)
"""The direction from neutral to a warmer light."""


def _lights() -> np.ndarray:
    """Log chroma (n, 2) of lights on a grid along and across the locus, with their tints: (n, 3)."""
    rows = []
    for mired in np.arange(-60.0, 420.0, 12.0):
        for tint in np.arange(-30.0, 31.0, 6.0):
            light = _chroma_of_light(max(float(mired), _BLUEST), float(tint)) + _SLOPE * min(mired - _BLUEST, 0.0)
            rows.append([*light, tint])
    return np.array(rows)


LIGHTS = _lights()


def near_neutrals(working: np.ndarray) -> White | None:
    """The light under which most surfaces would be nearly neutral.

    Greys, whites and blacks of different lightness share one chroma: the light's. The density
    of log chroma is weighed over lights along the locus, all of them alike, since a camera may
    be set to any; tints far across it must earn more.
    """
    chroma = log_chroma(working)
    stops = np.log2(np.maximum(to_linear(working) @ AP1_LUMA, 1e-5) / 0.18)
    usable = stops > -5.0
    if usable.sum() < 200:
        return None
    chroma, stops = chroma[usable], stops[usable]
    # Every lightness votes alike, so that one large coloured wall does not decide.
    zones = np.clip(((stops - np.percentile(stops, 2)) / 0.75).astype(int), 0, 9)
    crowd = np.bincount(zones, minlength=10).astype(float)
    votes = 1.0 / np.sqrt(crowd[zones])
    votes /= votes.sum()
    prior = np.exp(-0.5 * (LIGHTS[:, 2] / 22) ** 2)
    best = LIGHTS[np.argmax(_density(chroma, votes, LIGHTS[:, :2], 0.11) * prior)][:2]
    for _ in range(8):  # mean shift to the centre of the cluster
        weight = votes * np.exp(-((chroma - best) ** 2).sum(axis=1) / (2 * 0.09**2))
        if weight.sum() < 1e-12:
            return None
        best = (weight[:, None] * chroma).sum(axis=0) / weight.sum()
    member = ((chroma - best) ** 2).sum(axis=1) < 0.14**2
    spread = np.ptp(np.percentile(stops[member], [5, 95])) if member.any() else 0.0
    share = float(member.mean())
    return White(
        "neutrals",
        "near-neutrals",
        _pair(best),
        float(np.clip(0.25 + 1.2 * votes[member].sum() + 0.08 * spread, 0, 0.95) * min(1.0, share / LEAST_SHARE)),
        f"{100 * share:.0f} % of the picture over {spread:.1f} stops shares one near-neutral chroma",
    )


def _density(chroma: np.ndarray, votes: np.ndarray, places: np.ndarray, width: float) -> np.ndarray:
    """Votes (N,) of chromas (N, 2) about places (m, 2), under a normal curve `width` stops wide: (m,)."""
    step = width / 5
    low, high = places.min(axis=0) - 4 * width, places.max(axis=0) + 4 * width
    edges = [np.arange(a, b + step, step) for a, b in zip(low, high, strict=True)]
    counts, *_ = np.histogram2d(*chroma.T, bins=edges, weights=votes)
    reach = 2 * round(4 * width / step) + 1
    smooth = cv2.GaussianBlur(counts, (reach, reach), width / step, borderType=cv2.BORDER_CONSTANT)
    at = (places - low) / step - 0.5
    cell = np.floor(at).astype(int)
    (row, column), (down, across) = cell.T, (at - cell).T
    above = smooth[row, column] * (1 - across) + smooth[row, column + 1] * across
    below = smooth[row + 1, column] * (1 - across) + smooth[row + 1, column + 1] * across
    return above * (1 - down) + below * down


def bright_surfaces(working: np.ndarray) -> White | None:
    """The light as the brightest unclipped surfaces show it, brought to the locus."""
    luminance = to_linear(working) @ AP1_LUMA
    low, high = np.percentile(luminance, [93, 99.5])
    member = (luminance >= low) & (luminance <= high)
    if member.sum() < 50:
        return None
    chroma = np.median(log_chroma(working[member]), axis=0)
    spread = float(np.median(np.abs(log_chroma(working[member]) - chroma)))
    along = WARM * (chroma @ WARM)
    return White(
        "bright",
        "brightest surfaces",
        _pair(along + 0.5 * (chroma - along)),
        float(np.clip(0.65 - 1.5 * spread - np.linalg.norm(chroma - along), 0.1, 0.65)),
        "the brightest unclipped surfaces, drawn towards the locus of natural lights",
    )


def skin(working: np.ndarray, near: White) -> White | None:
    """The light under which pixels that look like skin lie where skin lies.

    Skin is sought under the light `near`; the white is then moved so that its mean chroma
    meets :data:`SKIN_LOG_CHROMA`.
    """
    chroma = log_chroma(working) - near.chroma
    distance = np.linalg.norm((chroma - SKIN_LOG_CHROMA) / np.array([0.30, 0.34]), axis=1)
    member = distance < 1.0
    if member.mean() < 0.004:
        return None
    share = float(member.mean())
    return White(
        "skin",
        "skin",
        _pair(near.chroma + np.median(chroma[member], axis=0) - SKIN_LOG_CHROMA),
        float(np.clip(0.30 + 4 * share, 0, 0.5)),
        f"{100 * share:.1f} % of the picture looks like skin",
    )


def patch(working: np.ndarray) -> White:
    """The light under which a patch that the user points at, grey or white, is neutral.

    Parameters
    ----------
    working : float array (N, 3), the patch's pixels, none of them clipped or too dark
    """
    chroma = log_chroma(working)
    middle = np.median(chroma, axis=0)
    spread = float(np.median(np.linalg.norm(chroma - middle, axis=1)))
    evenly = "of one colour" if spread < UNEVEN else f"uneven, its colours {spread:.2f} stops apart"
    return White(
        "patch", "the metered patch", _pair(middle), 0.96 if spread < UNEVEN else 0.6, f"the patch is {evenly}"
    )


def balance_numbers(light: Chroma, stops: float, kept_cast: float) -> Primary:
    """Offsets for a light of this log chroma and an exposure, keeping grey's luminance.

    Of a warm light's cast, as much as `kept_cast` stops stay, more is taken away; a blue, green
    or magenta cast goes whole, for nobody lights a scene so by intent.
    """
    chroma = np.asarray(light, np.float64)
    warm = float(chroma @ WARM)
    chroma = chroma - WARM * min(max(warm, 0.0), kept_cast)
    gains = 2.0 ** -np.array([chroma[0], 0.0, chroma[1]])
    offset = np.log2(gains / (AP1_LUMA @ gains)) * STOP + stops * STOP
    return Primary(offset=(float(offset[0]), float(offset[1]), float(offset[2])))


def _pair(chroma: np.ndarray) -> Chroma:
    return float(chroma[0]), float(chroma[1])
