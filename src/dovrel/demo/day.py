"""The shooting day of *Quire Lane*: what each camera shot, and what went wrong."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

PRODUCTION = "Quire Lane"
DAY = "day 3"


@dataclass(frozen=True)
class Crop:
    """The window onto the rendered view: centre in 0..1 and zoom (1 is the whole 1280×720)."""

    x: float
    y: float
    zoom: float = 1.0


Mix = Callable[[float], dict[str, float]]
"""From the part of the shot that has passed (0..1) to the amount of each light."""


def steady(**lights: float) -> Mix:
    return lambda _: lights


@dataclass(frozen=True)
class Take:
    """One recorded take.

    Attributes
    ----------
    name : slate, camera and take as the day's list shows it
    family, view, camera : where, from where, with which camera
    mix : the lights along the shot
    start, end : the crop at the first and the last frame
    stops : exposure error; setting : white-balance setting
    wander : mireds of automatic white balance along the shot (small camera only)
    figure : a view that is cut out and laid over, as near to the camera all along
    flare : light that the lens scatters over all of the picture, in parts of its mean
    meant : the view as it was meant to be, where another was recorded
    by_eye : whether it has no one true answer, so that what is done to it is judged by eye
    """

    name: str
    scene: str
    family: str
    view: str
    camera: str
    seconds: float
    mix: Mix
    start: Crop
    end: Crop
    timecode: str
    stops: float = 0.0
    setting: str = "daylight"
    wander: Callable[[float], float] = field(default=lambda _: 0.0)
    description: str = ""
    figure: str = ""
    flare: float = 0.0
    meant: str = ""
    by_eye: bool = False

    @property
    def changes(self) -> bool:
        """Whether its light, or the camera's white, changes along it."""
        return self.mix(0.0) != self.mix(1.0) or self.mix(0.0) != self.mix(0.5) or self.wander(1.0) != 0.0


WINDOW = steady(window=1.0, lamps=0.10)
NIGHT = steady(window=0.006, lamps=1.0)
OVERCAST = steady(sky=1.0)
LOW_SUN = steady(sky=0.28, sun=1.0)


def _cloud(t: float) -> dict[str, float]:
    """The sun goes behind a cloud in the middle of the shot."""
    covered = 1 / (1 + 2.718281828 ** (-(t - 0.5) * 22))
    return {"sky": 0.28 + 0.30 * covered, "sun": 1.0 - 0.97 * covered}


def _passing_cloud(t: float) -> dict[str, float]:
    """A cloud goes over the sun and is gone again."""
    covered = _risen(t, 0.32, 26) * (1 - _risen(t, 0.68, 26))
    return {"sky": 0.28 + 0.26 * covered, "sun": 1.0 - 0.96 * covered}


def _lamp_switched_on(t: float) -> dict[str, float]:
    """One lamp burns; the other is switched on within two frames."""
    on = min(max((t - 0.45) * 36, 0.0), 1.0)
    return {"window": 0.006, "lamp": 1.0 - on, "lamps": on}


def _into_shop(t: float) -> dict[str, float]:
    """Through the door: the sky's light stays behind, the lamps' takes over within a second, a stop and a half less."""
    inside = _risen(t, 0.52, 17.5)
    return {"sky": 1.0 - 0.93 * inside, "lamps": 0.03 + 0.72 * inside}


def _risen(t: float, middle: float, steep: float) -> float:
    return 1 / (1 + 2.718281828 ** (-(t - middle) * steep))


TAKES: tuple[Take, ...] = (
    Take("12A-1", "12", "Shop, window light", "shop-wide", "A", 3, WINDOW, Crop(0.45, 0.5), Crop(0.55, 0.5),
         "09:14:02:00", setting="cloudy", description="the best-covered shot"),
    Take("12A-2", "12", "Shop, window light", "shop-left", "A", 2.5, WINDOW, Crop(0.5, 0.45), Crop(0.5, 0.55),
         "09:31:40:12", stops=-1.1, setting="cloudy", description="underexposed"),
    Take("12A-3", "12", "Shop, window light", "shop-close", "A", 2, WINDOW, Crop(0.45, 0.5), Crop(0.5, 0.45),
         "09:52:11:03", stops=0.3, setting="tungsten", description="white balance left at 3200 K"),
    Take("12B-1", "12", "Shop, window light", "shop-right", "B", 2, WINDOW, Crop(0.5, 0.5), Crop(0.4, 0.5),
         "09:14:02:06", setting="cloudy"),
    Take("12B-3", "12", "Shop, window light", "shop-wide", "B", 2, WINDOW, Crop(0.6, 0.45), Crop(0.45, 0.5),
         "09:52:11:09", stops=2.6, setting="daylight", description="overexposed, highlights clipped"),
    Take("12C-2", "12", "Shop, window light", "shop-wide", "C", 3, WINDOW, Crop(0.52, 0.5, 1.06), Crop(0.47, 0.5, 1.06),
         "09:31:40:00", stops=-0.35, setting="tungsten", description="blue: white balance at 3200 K"),
    Take("12C-4", "12", "Shop, window light", "shop-glass", "C", 2.5, steady(window=1.0), Crop(0.45, 0.5), Crop(0.55, 0.5),
         "10:05:20:18", stops=0.9, setting="cloudy", description="through the tinted door: hardly any red"),
    Take("14A-1", "14", "Shop, lamps, night", "shop-wide", "A", 2.5, NIGHT, Crop(0.5, 0.5), Crop(0.42, 0.5),
         "20:02:13:00", setting="tungsten"),
    Take("14B-2", "14", "Shop, lamps, night", "shop-right", "B", 2, NIGHT, Crop(0.45, 0.5), Crop(0.5, 0.5),
         "20:02:13:08", stops=-1.2, setting="tungsten", description="underexposed"),
    Take("14B-3", "14", "Shop, lamps, night", "shop-close", "B", 2, NIGHT, Crop(0.5, 0.5), Crop(0.45, 0.5),
         "20:20:33:10", setting="daylight", description="white balance left at daylight"),
    Take("14C-1", "14", "Shop, lamps, night", "shop-left", "C", 4, NIGHT, Crop(0.5, 0.5), Crop(0.5, 0.5),
         "20:20:33:02", stops=0.4, setting="tungsten", wander=lambda t: 70 * (t - 0.2) if t > 0.2 else 0.0,
         description="automatic white balance drifts"),
    Take("21A-1", "21", "Yard, overcast", "yard-wide", "A", 3, OVERCAST, Crop(0.42, 0.5), Crop(0.55, 0.5),
         "11:40:00:00", setting="cloudy"),
    Take("21A-2", "21", "Yard, overcast", "yard-close", "A", 2, OVERCAST, Crop(0.5, 0.5), Crop(0.5, 0.45),
         "11:58:14:20", stops=0.8, setting="cloudy", description="overexposed"),
    Take("21B-1", "21", "Yard, overcast", "yard-left", "B", 2, OVERCAST, Crop(0.5, 0.5), Crop(0.55, 0.5),
         "11:40:00:04", stops=-0.4, setting="daylight"),
    Take("21C-1", "21", "Yard, overcast", "yard-wide", "C", 3, OVERCAST, Crop(0.5, 0.5, 1.1), Crop(0.55, 0.55, 1.1),
         "11:58:14:00", stops=0.2, wander=lambda t: -45.0 * t, description="automatic white balance drifts"),
    Take("22A-1", "22", "Yard, low sun", "yard-wide", "A", 2.5, LOW_SUN, Crop(0.5, 0.5), Crop(0.45, 0.5),
         "16:48:30:00", setting="daylight"),
    Take("22B-1", "22", "Yard, low sun", "yard-left", "B", 2, _cloud, Crop(0.5, 0.5), Crop(0.5, 0.5),
         "17:02:00:00", setting="daylight", description="the sun goes in"),
    Take("22C-1", "22", "Yard, low sun", "yard-close", "C", 2, LOW_SUN, Crop(0.5, 0.5), Crop(0.45, 0.5),
         "16:48:30:10", stops=-0.5, setting="tungsten"),
    Take("23A-1", "23", "Yard to shop", "walk", "A", 4, _into_shop, Crop(0.46, 0.40, 1.15), Crop(0.49, 0.47, 2.6),
         "12:30:10:00", setting="cloudy", description="a figure from the yard into the shop in one take", figure="walker"),
    Take("12A-4", "12", "Shop, window light", "shop-flushed", "A", 2, steady(window=1.0), Crop(0.5, 0.5), Crop(0.46, 0.5),
         "10:20:02:00", setting="cloudy", description="skin off its line", meant="shop-close"),
    Take("14A-2", "14", "Shop, lamps, night", "shop-left", "A", 3, _lamp_switched_on, Crop(0.5, 0.5), Crop(0.47, 0.5),
         "20:31:12:00", setting="tungsten", description="a lamp is switched on"),
    Take("21A-3", "21", "Yard, overcast", "yard-roof", "A", 2, OVERCAST, Crop(0.5, 0.3), Crop(0.5, 0.42),
         "12:02:30:00", setting="cloudy", description="a pale sky over the wall"),
    Take("21A-4", "21", "Yard, overcast", "yard-close", "A", 2, OVERCAST, Crop(0.45, 0.5), Crop(0.5, 0.5),
         "12:08:44:06", setting="cloudy", description="against the light: blacks are lifted", flare=0.10),
    Take("21C-2", "21", "Yard, overcast", "yard-apron", "C", 2, OVERCAST, Crop(0.5, 0.5), Crop(0.53, 0.5),
         "12:02:30:08", setting="daylight", description="another apron: its red is too loud", meant="yard-left"),
    Take("22A-2", "22", "Yard, low sun", "yard-close", "A", 3, _passing_cloud, Crop(0.45, 0.5), Crop(0.52, 0.5),
         "16:55:20:00", setting="daylight", description="a cloud passes"),
    Take("14A-3", "14", "Shop, lamps, night", "shop-chalky", "A", 2, steady(lamps=1.0), Crop(0.46, 0.5), Crop(0.5, 0.5),
         "20:44:50:00", setting="tungsten", description="skin gone chalky", meant="shop-close"),
    Take("22A-3", "22", "Yard, low sun", "yard-shade", "A", 2, LOW_SUN, Crop(0.4, 0.5), Crop(0.6, 0.5),
         "17:06:10:00", stops=1.1, setting="daylight", description="a dark face before a hot wall", by_eye=True),
)  # fmt: skip

REFERENCES = {
    "Shop, window light": "12A-1",
    "Shop, lamps, night": "14A-1",
    "Yard, overcast": "21A-1",
    "Yard, low sun": "22A-1",
    "Yard to shop": "23A-1",
}
"""The shot whose view sets each family's exact exposure and light."""
