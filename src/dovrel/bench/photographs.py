"""Photographs that Debian packages ship, and known changes of their light.

They are installed for a benchmark, and are no part of Dovrel. What of the packages is no photograph is left out.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from dovrel.core.colour import codes, white
from dovrel.core.colour.encodings import to_working
from dovrel.core.colour.working import STOP
from dovrel.core.measure.difference import REC709_TO_XYZ
from dovrel.media.picture import Picture, shrink, to_picture
from dovrel.media.stills import read_still

PACKAGES: dict[str, tuple[str, ...]] = {
    "lomiri-wallpapers-16.04": (
        "Bridge", "Dragonfly", "Picture_0B", "Picture_1A", "Wine", "aitzgorri", "free_", "friends", "greentock", "life_",
        "picosdeeuropa", "seeding", "sunset_",
    ),
    "lomiri-wallpapers-20.04": ("Kleiber",),
    "mate-backgrounds": (
        "Aqua.jpg", "Blinds.jpg", "Dune.jpg", "FreshFlower.jpg", "Garden.jpg", "GreenMeadow.jpg", "LadyBird.jpg",
        "RainDrops.jpg", "Storm.jpg", "TwoWings.jpg", "Wood.jpg", "YellowFlower.jpg",
    ),
    "opencv-doc": (
        "plant.jpg", "aero1.jpg", "aloeL.jpg", "apple.jpg", "baboon.jpg", "board.jpg", "building.jpg", "butterfly.jpg",
        "ela_original", "fruits.jpg", "home.jpg", "left.jpg", "leuvenA", "orange.jpg", "squirrel", "stuff.jpg", "000.jpg",
        "002.jpg", "scenetext01", "scenetext02", "scenetext03", "scenetext04", "scenetext05", "scenetext06",
        "chicky_512", "graf1", "rubberwhale1", "home.png", "scenetext_segmented_word03", "scenetext_segmented_word04",
    ),
    "plasma-workspace-wallpapers": (
        "Autumn/", "BytheWater/", "ColdRipple/", "ColorfulCups/", "EveningGlow/", "FallenLeaf/", "Kite/", "OneStandsOut/",
        "Path/",
    ),
}  # fmt: skip
"""Of each package, what the names of its photographs, or of the folders that hold one, begin with."""

SETTINGS = (3200, 3200, 4300, 5600)
"""Lights that cameras are commonly left set to, kelvin: most often to lamps."""

WIDTH = 384
"""Pixels across at which photographs are changed and balanced."""
_SUFFIXES = (".jpg", ".png")
_NEUTRAL = 6500.0


@dataclass(frozen=True)
class Photograph:
    """A photograph's name, and its light, float64 (H, W, 3), linear Rec.709, 1 its white."""

    name: str
    light: np.ndarray


@dataclass(frozen=True)
class Change:
    """What is done to a photograph's light.

    Attributes
    ----------
    cct : of the light that it is brought under, kelvin; tint : stops of green more; stops : of exposure more
    set_to : the light that the camera is set to, kelvin
    """

    cct: float = _NEUTRAL
    tint: float = 0.0
    stops: float = 0.0
    set_to: float = _NEUTRAL

    @property
    def gains(self) -> np.ndarray:
        """Linear Rec.709 gains (3,) that keep grey's luminance but for the exposure."""
        light = _light(self.cct) / _light(self.set_to) * np.array([1.0, 2.0**self.tint, 1.0])
        return light / (REC709_TO_XYZ[1] @ light) * 2.0**self.stops


def _light(cct: float) -> np.ndarray:
    """Linear Rec.709 (3,) of a light on the Planckian locus moved to D65 at 6500 K."""
    u, v = white.planckian_uv(cct) - white.planckian_uv(_NEUTRAL) + _D65_UV
    x, y = 3 * u / (2 * u - 8 * v + 4), 2 * v / (2 * u - 8 * v + 4)
    return np.maximum(np.linalg.solve(REC709_TO_XYZ, np.array([x / y, 1.0, (1 - x - y) / y])), 0.02)


_D65_UV = np.array([0.19783, 0.31221])
AS_IT_IS = Change()
KNOWN = (
    *(Change(cct=cct) for cct in (2500, 3200, 4500, 8000, 12000)),
    *(Change(tint=tint) for tint in (0.5, -0.5)),
    *(Change(stops=stops) for stops in (-2, -1, 1, 2)),
    Change(2500, 0, -2),
    Change(3200, 0, 2),
    Change(8000, 0, -2),
    Change(12000, 0, 2),
    Change(_NEUTRAL, 0.5, -2),
    Change(_NEUTRAL, -0.5, 2),
)
"""Those that balances are judged on."""


def drawn(random: np.random.Generator) -> Change:
    """A change drawn by chance: of four pictures one is left as it is."""
    kind = random.random()
    if kind < 0.25:
        return AS_IT_IS
    stops = random.uniform(-2.4, 2.4) if kind > 0.5 else 0.0
    if kind > 0.85:
        return Change(stops=stops)
    if random.random() < 0.25:
        return Change(tint=random.uniform(-0.65, 0.65), stops=stops)
    tint = random.normal(0, 0.2) if random.random() < 0.5 else 0.0
    set_to = random.choice(SETTINGS) if random.random() < 0.35 else _NEUTRAL
    return Change(1e6 / random.uniform(75, 440), tint, stops, set_to)


def find(folder: Path) -> list[Path]:
    """The photographs below a folder, in the order of :data:`PACKAGES`."""
    files = sorted(path for path in folder.rglob("*") if path.suffix.lower() in _SUFFIXES and path.is_file())
    found = (_one(files, name) for names in PACKAGES.values() for name in names)
    return [path for path in found if path]


def _one(files: list[Path], begins: str) -> Path | None:
    if begins.endswith("/"):
        within = [path for path in files if f"/{begins}contents/images/" in str(path)]
        return max(within, key=lambda path: path.stat().st_size, default=None)
    return next((path for path in files if path.name.startswith(begins)), None)


def read(path: Path) -> Photograph:
    """A photograph at :data:`WIDTH`."""
    return Photograph(name_of(path), light_of(shrink(read_still(path), WIDTH)))


def light_of(shown: np.ndarray) -> np.ndarray:
    """Linear Rec.709 light of sRGB values, float64 of the same shape, 1 its white."""
    shown = np.clip(shown, 0, 1).astype(np.float64)
    return np.where(shown <= 0.04045, shown / 12.92, ((shown + 0.055) / 1.055) ** 2.4)


def name_of(path: Path) -> str:
    """A photograph's name: its file's, or its folder's where the file is called by its size."""
    return path.parents[2].name if path.parent.name == "images" else path.name.split("_by_")[0]


def finished(light: np.ndarray) -> Picture:
    """Linear Rec.709 light (H, W, 3) as a finished picture: sRGB in eight bits, cut at white."""
    light = np.clip(light, 0, 1)
    code = np.where(light <= 0.0031308, light * 12.92, 1.055 * light ** (1 / 2.4) - 0.055)
    return to_picture((np.round(code * 255) / 255).astype(np.float32), "srgb")


def logged(light: np.ndarray) -> Picture:
    """The same as a logarithmic recording of ten bits, its white that of a white surface."""
    working = to_working(light.astype(np.float32), "aces:Linear Rec.709 (sRGB)")
    return to_picture(np.clip(np.round(working * 1023) / 1023, 0, 1), "aces:ACEScct")


def regraded(light: np.ndarray, gains: np.ndarray) -> tuple[Picture, Picture]:
    """A scene that the output shows as a photograph: a logarithmic recording of it, as it is and under gains (3,)."""
    working = finished(light).working
    moved = np.round((working + np.log2(gains).astype(np.float32) * np.float32(STOP)) * 1023) / 1023
    return recorded(working), recorded(moved)


def recorded(working: np.ndarray) -> Picture:
    """Working values (H, W, 3) as a recording in the working space's own code."""
    held = np.clip(working, 0, 1).astype(np.float32)
    return Picture(codes.encode_signal(held), codes.pack(held))


def crops(light: np.ndarray, random: np.random.Generator) -> Iterator[np.ndarray]:
    """Parts of a picture, endlessly, most of them the whole."""
    height, width = light.shape[:2]
    while True:
        part = 1.0 if random.random() < 0.5 else random.uniform(0.55, 0.95)
        tall, wide = int(height * part), int(width * part)
        top, left = random.integers(0, height - tall + 1), random.integers(0, width - wide + 1)
        crop = light[top : top + tall, left : left + wide]
        yield crop[:, ::-1] if random.random() < 0.5 else crop


def true_gains(changed: Picture, right: Picture, usable: np.ndarray) -> np.ndarray:
    """Stops (3,) of red, green and blue that bring a changed picture back, on the pixels (H, W) that are usable."""
    off = (right.working - changed.working)[usable] / STOP
    return np.median(off, axis=0).astype(np.float64)


def thinned(picture: np.ndarray, pixels: int = 4000) -> np.ndarray:
    """An evenly spread sample (n, 3) of a picture, the same places of every picture of one size."""
    flat = picture.reshape(-1, 3)
    return np.ascontiguousarray(flat[np.linspace(0, len(flat) - 1, min(pixels, len(flat))).astype(int)])
