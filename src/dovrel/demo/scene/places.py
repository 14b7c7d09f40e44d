"""The places of *Quire Lane* as scene descriptions: the shop, the yard, and views of them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import mitsuba as mi
import numpy as np

from dovrel.demo.scene import textures
from dovrel.demo.scene.spectra import LIGHTS, REFLECTANCES, WAVELENGTHS


@dataclass(frozen=True)
class View:
    """Where the camera stands: metres, field of view in degrees along x, picture in pixels."""

    place: str
    origin: tuple[float, float, float]
    target: tuple[float, float, float]
    field_of_view: float
    lights: tuple[str, ...]
    size: tuple[int, int] = (1440, 810)
    behind_glass: bool = False
    cut_out: bool = False
    """Only the nearest figure is wanted, with how much of each pixel it covers."""
    apron: str = "apron_brick"
    skin: str = "skin_fair"
    """What is worn, and the skin, of the figure that the view is of."""
    open_sky: bool = False
    in_shade: bool = False
    """A figure stands before the white wall, out of the sun."""


VIEWS: dict[str, View] = {
    "shop-wide": View("shop", (2.95, -0.75, 1.55), (2.85, 4.0, 1.18), 47, ("window", "lamps")),
    "shop-left": View("shop", (0.85, 0.55, 1.62), (3.35, 3.7, 1.14), 46, ("window", "lamps", "lamp")),
    "shop-right": View("shop", (5.15, 0.45, 1.66), (2.45, 3.6, 1.16), 44, ("window", "lamps")),
    "shop-close": View("shop", (2.75, 0.95, 1.58), (2.78, 3.5, 1.33), 38, ("window", "lamps")),
    "shop-flushed": View("shop", (2.75, 0.95, 1.58), (2.78, 3.5, 1.33), 38, ("window",), skin="skin_flushed"),
    "shop-chalky": View("shop", (2.75, 0.95, 1.58), (2.78, 3.5, 1.33), 38, ("lamps",), skin="skin_chalky"),
    "shop-glass": View("shop", (3.35, -0.95, 1.55), (2.8, 4.0, 1.15), 47, ("window",), behind_glass=True),
    "yard-wide": View("yard", (2.7, -2.9, 1.58), (2.75, 3.0, 1.22), 46, ("sky", "sun")),
    "yard-left": View("yard", (0.0, -1.5, 1.62), (3.2, 3.2, 1.12), 44, ("sky", "sun")),
    "yard-apron": View("yard", (0.0, -1.5, 1.62), (3.2, 3.2, 1.12), 44, ("sky",), apron="apron_loud"),
    "yard-roof": View("yard", (2.7, -2.9, 1.55), (2.65, 3.0, 2.75), 46, ("sky",), open_sky=True),
    "yard-shade": View("yard", (2.9, 1.5, 1.58), (5.6, 0.88, 1.44), 42, ("sky", "sun"), in_shade=True),
    "yard-close": View("yard", (3.1, -0.35, 1.56), (2.62, 2.2, 1.36), 33, ("sky", "sun")),
    "walk": View("walk", (3.2, -2.7, 1.56), (3.05, 3.0, 1.22), 44, ("sky", "lamps"), (1760, 990)),
    "walker": View("walker", (0.06, -1.75, 1.50), (-0.04, 0.0, 1.44), 44, ("sky", "lamps"), (1280, 720), cut_out=True),
}

WALKER_STANDS = {"sky": (3.1, -0.6), "lamps": (3.4, 6.35)}
"""Where the figure of the view `walker` stands in each light; the camera keeps its place beside it."""


def spectrum(values: np.ndarray, scale: float = 1.0) -> dict:
    return {
        "type": "irregular",
        "wavelengths": ", ".join(f"{w:.0f}" for w in WAVELENGTHS),
        "values": ", ".join(f"{max(float(v) * scale, 0.0):.6f}" for v in values),
    }


def matte(name: str) -> dict:
    return {"type": "twosided", "bsdf": {"type": "diffuse", "reflectance": spectrum(REFLECTANCES[name])}}


def sheen(name: str, roughness: float = 0.35) -> dict:
    return {
        "type": "twosided",
        "bsdf": {
            "type": "roughplastic",
            "alpha": roughness,
            "nonlinear": True,
            "diffuse_reflectance": spectrum(REFLECTANCES[name]),
        },
    }


def metal(material: str, roughness: float, reflectance: float = 1.0) -> dict:
    return {
        "type": "twosided",
        "bsdf": {
            "type": "roughconductor",
            "material": material,
            "alpha": roughness,
            "specular_reflectance": {"type": "uniform", "value": reflectance},
        },
    }


def mixed(mask: np.ndarray, zero: dict, one: dict, repeat: tuple[float, float] = (1, 1)) -> dict:
    """Material `zero` where the mask is 0, `one` where it is 1."""
    return {
        "type": "twosided",
        "bsdf": {
            "type": "blendbsdf",
            "weight": {
                "type": "bitmap",
                "bitmap": mi.Bitmap(np.ascontiguousarray(mask, np.float32)[..., None]),
                "raw": True,
                "to_uv": mi.ScalarTransform3f().scale([repeat[0], repeat[1]]),
            },
            "zero": zero["bsdf"],
            "one": one["bsdf"],
        },
    }


class Builder:
    """Collects shapes into one scene dictionary."""

    def __init__(self, meshes: Path) -> None:
        self.scene: dict = {"type": "scene"}
        self.meshes = meshes

    def add(self, shape: dict) -> None:
        self.scene[f"item{len(self.scene):03d}"] = shape

    def box(self, low, high, material: dict, turn: float = 0.0) -> None:
        low, high = np.asarray(low, float), np.asarray(high, float)
        to_world = (
            mi.ScalarTransform4f()
            .translate(list((low + high) / 2))
            .rotate([0, 0, 1], turn)
            .scale(list((high - low) / 2))
        )
        self.add({"type": "cube", "to_world": to_world, "bsdf": material})

    def plane(self, centre, half_x, half_y, rotate, material: dict, emitter: dict | None = None) -> None:
        """A rectangle; `rotate` is a list of (axis, degrees) applied in order to its +z normal."""
        to_world = mi.ScalarTransform4f().translate(list(centre))
        for axis, degrees in reversed(rotate):
            to_world = to_world.rotate(axis, degrees)
        shape = {"type": "rectangle", "to_world": to_world.scale([half_x, half_y, 1]), "bsdf": material}
        if emitter:
            shape["emitter"] = emitter
        self.add(shape)

    def drum(self, base, radius: float, height: float, side: dict, top: dict | None = None) -> None:
        upper = [base[0], base[1], base[2] + height]
        self.add({"type": "cylinder", "p0": list(base), "p1": upper, "radius": radius, "bsdf": side})
        to_world = mi.ScalarTransform4f().translate(upper).scale([radius, radius, 1])
        self.add({"type": "disk", "to_world": to_world, "bsdf": top or side})

    def ball(self, centre, radius: float, material: dict, emitter: dict | None = None) -> None:
        shape = {"type": "sphere", "center": list(centre), "radius": radius, "bsdf": material}
        if emitter:
            shape["emitter"] = emitter
        self.add(shape)

    def figure(self, pose: str, at, turn: float, skin: str, clothes: dict[str, dict], scale=1.0) -> None:
        to_world = mi.ScalarTransform4f().translate([at[0], at[1], 0.0]).rotate([0, 0, 1], turn).scale(scale)
        materials = {
            "head": sheen(skin, 0.5),
            "hands": sheen(skin, 0.5),
            "eyes": sheen("ink", 0.12),
            "mouth": sheen("lips", 0.4),
            **clothes,
        }
        for part, material in materials.items():
            self.add(
                {
                    "type": "ply",
                    "filename": str(self.meshes / f"figure-{pose}-{part}.ply"),
                    "to_world": to_world,
                    "bsdf": material,
                }
            )

    def lamp(self, at, lit: float) -> None:
        """A hanging brass lamp with its bulb at `at`; `lit` is the radiance (0 when off)."""
        brass = metal("Au", 0.22, 0.85)
        x, y, z = at
        self.add({"type": "cylinder", "p0": [x, y, z], "p1": [x, y, 3.0], "radius": 0.008, "bsdf": matte("iron")})
        for i in range(6):
            self.add(
                {
                    "type": "cylinder",
                    "p0": [x, y, z + 0.02 + 0.022 * i],
                    "p1": [x, y, z + 0.042 + 0.022 * i],
                    "radius": 0.17 - 0.024 * i,
                    "bsdf": brass,
                }
            )
            ring = mi.ScalarTransform4f().translate([x, y, z + 0.042 + 0.022 * i])
            self.add({"type": "disk", "to_world": ring.scale(0.17 - 0.024 * i), "bsdf": brass})
        self.ball(
            (x, y, z),
            0.055,
            matte("shirt_white"),
            {"type": "area", "radiance": spectrum(LIGHTS["lamps"], lit)} if lit else None,
        )


def _door(build: Builder, x: float, y: float, frame: dict) -> None:
    green = mixed(textures.plaster(5) ** 3, sheen("door_green", 0.3), sheen("door_green_worn", 0.4))
    build.box((x - 0.09, y - 0.05, 0), (x, y + 0.02, 2.22), frame)
    build.box((x + 1.0, y - 0.05, 0), (x + 1.09, y + 0.02, 2.22), frame)
    build.box((x - 0.09, y - 0.05, 2.14), (x + 1.09, y + 0.02, 2.24), frame)
    build.box((x, y - 0.02, 0), (x + 1.0, y + 0.02, 2.14), green)
    for low, high in ((0.18, 0.92), (1.10, 1.98)):
        for left in (0.12, 0.55):
            build.box((x + left, y - 0.045, low), (x + left + 0.33, y - 0.01, high), green)
    build.ball((x + 0.92, y - 0.07, 1.02), 0.032, metal("Au", 0.2))


def _bench_things(build: Builder, wood: dict) -> None:
    build.box((1.35, 2.15, 0.84), (4.35, 2.95, 0.90), wood)
    for x in (1.45, 4.15):
        for y in (2.22, 2.80):
            build.box((x, y, 0), (x + 0.09, y + 0.09, 0.84), matte("wood_dark"))
    build.box((1.55, 2.86, 0.25), (4.2, 2.90, 0.80), matte("wood_dark"))
    paper, aged = matte("paper"), matte("paper_aged")
    for i in range(7):
        build.box((1.50, 2.28, 0.90 + 0.022 * i), (1.94, 2.62, 0.919 + 0.022 * i), paper, turn=(i * 7) % 5 - 2)
    build.plane((2.32, 2.36, 0.904), 0.15, 0.20, [([0, 0, 1], 12)],
                mixed(textures.printed_sheet(["QUIRE", "LANE", "PRINT"], 3), paper, matte("ink")))  # fmt: skip
    build.box((2.62, 2.25, 0.90), (3.20, 2.72, 0.925), matte("wood_light"))
    rng = np.random.default_rng(4)
    for i in range(9):
        for j in range(6):
            x, y = 2.65 + 0.060 * i, 2.28 + 0.070 * j
            build.box((x, y, 0.925), (x + 0.046, y + 0.054, 0.965 + 0.02 * rng.random()),
                      metal("Cr", 0.35, 0.62) if rng.random() < 0.7 else matte("type_metal"))  # fmt: skip
    for x, y, ink in ((3.42, 2.36, "ink"), (3.60, 2.52, "ink_blue"), (3.78, 2.34, "ink_red")):
        build.drum((x, y, 0.90), 0.075, 0.10, metal("Cr", 0.3, 0.5), sheen(ink, 0.1))
    build.box((3.98, 2.30, 0.90), (4.20, 2.56, 0.99), sheen("cloth_ochre", 0.5), turn=14)
    build.box((3.99, 2.31, 0.99), (4.19, 2.55, 1.05), sheen("shirt_blue", 0.5), turn=4)
    build.plane((1.98, 2.24, 0.906), 0.10, 0.14, [([0, 0, 1], -20)], aged)
    build.box((2.14, 2.80, 0.90), (2.30, 2.84, 1.02), matte("chalk"))


def _people_at_work(build: Builder, view: View) -> None:
    build.figure("work", (2.42, 3.42), -4, view.skin,
                 {"hair": matte("hair_dark"), "shirt": matte("shirt_blue"),
                  "apron": matte("apron_brick"), "trousers": matte("cloth_slate")})  # fmt: skip
    build.figure("hold", (3.55, 3.62), 10, "skin_deep",
                 {"hair": matte("hair_dark"), "shirt": matte("shirt_white"),
                  "apron": matte("cloth_ochre"), "trousers": matte("cloth_slate")}, scale=1.03)  # fmt: skip
    build.plane((3.29, 3.24, 1.23), 0.13, 0.18, [([1, 0, 0], 72), ([0, 0, 1], 12)], matte("paper"))


def shop(build: Builder, view: View, light: str) -> None:
    wall = mixed(textures.plaster(11), matte("plaster"), matte("plaster_worn"))
    floor = mixed(textures.planks(21), matte("floor_light"), matte("floor_dark"), (1, 1))
    wood = mixed(textures.wood(31), sheen("wood_light"), sheen("wood_dark"))
    drawer = mixed(textures.wood(37), sheen("wood_light", 0.4), sheen("wood_dark", 0.4))
    build.plane((3, 1.5, 0), 3.2, 3.6, [], floor)
    build.plane((3, 5, 1.5), 3.2, 1.6, [([1, 0, 0], 90)], wall)
    build.plane((6, 1.5, 1.5), 3.6, 1.6, [([1, 0, 0], 90), ([0, 0, 1], -90)], wall)
    build.plane((3, -2, 1.5), 3.2, 1.6, [([1, 0, 0], -90)], wall)
    build.plane((3, 1.5, 3.0), 3.2, 3.6, [([1, 0, 0], 180)], matte("plaster"))
    # the window wall leaves an opening at y 1.0..3.6, z 0.95..2.55
    for low, high in (
        ((-0.1, -2, 0), (0, 1.0, 3)), ((-0.1, 3.6, 0), (0, 5, 3)),
        ((-0.1, 1.0, 0), (0, 3.6, 0.95)), ((-0.1, 1.0, 2.55), (0, 3.6, 3)),
        ((-0.06, 1.0, 1.72), (0.0, 3.6, 1.77)), ((-0.06, 1.84, 0.95), (0.0, 1.89, 2.55)),
        ((-0.06, 2.72, 0.95), (0.0, 2.77, 2.55)),
    ):  # fmt: skip
        build.box(low, high, matte("plaster"))
    window = {"type": "area", "radiance": spectrum(LIGHTS["window"], 9.0)} if light == "window" else None
    build.plane((-0.2, 2.3, 1.75), 0.9, 1.4, [([0, 1, 0], 90)], matte("iron"), window)
    for x, y, lit in ((2.0, 2.75, light in ("lamps", "lamp")), (3.95, 2.9, light == "lamps")):
        build.lamp((x, y, 2.02), 62.0 if lit else 0.0)
    _door(build, 0.75, 4.97, sheen("wood_dark"))
    sheets = (
        (["QUIRE", "LANE", "AUCTION", "OF TYPE"], 2.42, 1.78, 7),
        (["THE", "MERIDIAN", "ALMANAC"], 3.02, 1.86, 8),
    )
    for lines, x, z, seed in sheets:
        material = mixed(textures.printed_sheet(lines, seed), matte("paper_aged"), matte("ink"))
        build.plane((x, 4.985, z), 0.21, 0.29, [([1, 0, 0], 90)], material)
    build.box((3.5, 4.62, 0.06), (5.75, 5.0, 1.80), matte("wood_dark"))
    for row in range(7):
        for column in range(5):
            x, z = 3.56 + 0.44 * column, 0.12 + 0.24 * row
            build.box((x, 4.58, z), (x + 0.40, 4.63, z + 0.205), drawer)
            build.ball((x + 0.20, 4.57, z + 0.10), 0.016, metal("Au", 0.25))
    for i, name in enumerate(("ink_red", "cloth_ochre", "door_green", "shirt_blue", "paper_aged", "ink")):
        build.box((4.0 + 0.17 * i, 4.70, 1.80), (4.13 + 0.17 * i, 4.92, 2.02 + 0.03 * (i % 3)), matte(name))
    _bench_things(build, wood)
    _press(build)
    _people_at_work(build, view)
    if view.behind_glass:
        frame = sheen("wood_dark", 0.3)
        build.box((1.2, -0.55, 0), (2.62, -0.50, 3), frame)
        build.box((3.92, -0.55, 0), (5.4, -0.50, 3), frame)
        build.box((1.2, -0.55, 0), (5.4, -0.50, 1.02), frame)


def _press(build: Builder) -> None:
    """A hand press at the right of the bench: two columns, a beam, a screw, a bed."""
    iron, brass = sheen("iron", 0.25), metal("Au", 0.25)
    build.box((4.65, 3.0, 0), (5.45, 3.8, 0.12), iron)
    for x in (4.75, 5.35):
        build.drum((x, 3.4, 0.12), 0.055, 1.65, iron)
    build.box((4.66, 3.26, 1.72), (5.44, 3.54, 1.92), iron)
    build.box((4.70, 2.95, 0.74), (5.40, 3.85, 0.82), iron)
    build.box((4.78, 3.10, 0.82), (5.32, 3.70, 0.86), matte("paper"))
    build.box((4.80, 3.14, 1.12), (5.30, 3.66, 1.18), iron)
    build.drum((5.05, 3.4, 1.18), 0.045, 0.56, metal("Cr", 0.3, 0.6))
    build.ball((5.05, 3.4, 1.98), 0.07, brass)
    build.add({"type": "cylinder", "p0": [5.05, 3.4, 1.40], "p1": [4.72, 2.80, 1.40], "radius": 0.022, "bsdf": iron})
    build.ball((4.72, 2.80, 1.40), 0.04, sheen("wood_dark"))


def yard(build: Builder, view: View, light: str, *, open_door: bool = False) -> None:
    mortar, tone = textures.bricks(41)
    brick = mixed(tone, matte("brick"), matte("brick_dark"))
    wall = mixed(mortar, brick, matte("mortar"))
    build.plane((3, 1, 0), 6.5, 6.0, [], mixed(textures.cobbles(43), matte("cobble"), matte("cobble_dark"), (3, 3)))
    if open_door:
        for x0, x1, z0, z1 in ((-3.0, 2.62, 0, 4.2), (3.72, 9.0, 0, 4.2), (2.62, 3.72, 2.25, 4.2)):
            build.plane(((x0 + x1) / 2, 4, (z0 + z1) / 2), (x1 - x0) / 2, (z1 - z0) / 2, [([1, 0, 0], 90)],
                        mixed_cut(mortar, tone, x0, x1, z0, z1))  # fmt: skip
        _room_behind(build, light)
    else:
        build.plane((3, 4, 1.6), 4.6, 2.1, [([1, 0, 0], 90)], wall)
        _door(build, 3.45, 3.98, sheen("wood_light"))
    white = mixed(textures.plaster(47), matte("plaster"), matte("plaster_worn"))
    build.box((5.6, -1.0, 0), (6.0, 4.0, 2.4), white)
    for i, (x, y, z) in enumerate(((4.55, 3.2, 0), (4.95, 2.6, 0), (4.65, 3.15, 0.5))):
        crate = mixed(textures.wood(51 + i), matte("wood_light"), matte("wood_dark"))
        build.box((x, y, z), (x + 0.62, y + 0.5, z + 0.48), crate, turn=6 * i)
    for i in range(6):
        build.box((4.72, 3.24, 0.98 + 0.02 * i), (5.14, 3.56, 0.996 + 0.02 * i), matte("paper"), turn=3 * (i % 3))
    build.drum(
        (0.55, 3.4, 0), 0.32, 0.86, mixed(textures.wood(61), matte("wood_light"), matte("wood_dark")), matte("iron")
    )
    build.drum((1.15, 3.55, 0), 0.24, 0.34, sheen("brick", 0.5), matte("ink"))
    rng = np.random.default_rng(8)
    for _ in range(46):
        offset = rng.normal(0, (0.17, 0.12, 0.13))
        build.ball((1.15 + offset[0], 3.5 + offset[1], 0.62 + offset[2]), 0.05 + 0.03 * rng.random(), matte("leaf"))
    build.add(
        {"type": "cylinder", "p0": [-0.6, 3.0, 2.14], "p1": [2.4, 3.3, 2.20], "radius": 0.008, "bsdf": matte("iron")}
    )
    for i, name in enumerate(("paper", "paper_aged", "paper", "shirt_blue", "paper")):
        build.plane((0.0 + 0.46 * i, 3.06 + 0.05 * i, 1.82), 0.18, 0.31,
                    [([1, 0, 0], 86 + 3 * (i % 3)), ([0, 0, 1], 9 * (i % 3) - 6)], matte(name))  # fmt: skip
    sheet = mixed(textures.printed_sheet(["TO LET", "LOFT AND", "CELLAR"], 9), matte("paper"), matte("ink"))
    build.plane((2.55, 3.985, 1.55), 0.20, 0.28, [([1, 0, 0], 90)], sheet)
    _people_in_the_yard(build, view.apron, talking=not open_door)
    if view.in_shade:
        _in_shade(build)
    if light == "sky":
        build.add({"type": "constant", "radiance": spectrum(LIGHTS["sky"], 1.0)})
        if view.open_sky:
            blue = {"type": "area", "radiance": spectrum(LIGHTS["zenith"], 0.55)}
            build.plane((3, 40, 22), 60, 22, [([1, 0, 0], 90)], matte("iron"), blue)
    elif light == "sun":
        build.add({"type": "directional", "direction": [0.62, 0.66, -0.36], "irradiance": spectrum(LIGHTS["sun"], 7.0)})


def _people_in_the_yard(build: Builder, apron: str, *, talking: bool) -> None:
    build.figure("stand", (2.12, 2.15), 12, "skin_olive",
                 {"hair": matte("hair_grey"), "shirt": matte("shirt_white"),
                  "apron": matte(apron), "trousers": matte("cloth_slate")})  # fmt: skip
    if not talking:
        return
    build.figure("hold", (3.10, 2.35), -14, "skin_fair",
                 {"hair": matte("hair_dark"), "shirt": matte("shirt_blue"),
                  "apron": matte("cloth_ochre"), "trousers": matte("cloth_slate")}, scale=0.97)  # fmt: skip
    build.plane((2.85, 2.00, 1.19), 0.13, 0.18, [([1, 0, 0], 72), ([0, 0, 1], -14)],
                mixed(textures.printed_sheet(["PROOF", "SHEET"], 12), matte("paper"), matte("ink")))  # fmt: skip


def _in_shade(build: Builder) -> None:
    """A figure before the white wall, kept from the sun by a board beside the camera."""
    build.figure("stand", (4.2, 1.2), -77, "skin_deep",
                 {"hair": matte("hair_dark"), "shirt": matte("shirt_blue"),
                  "apron": matte("cloth_ochre"), "trousers": matte("cloth_slate")})  # fmt: skip
    build.box((2.6, 0.12, 0.6), (3.9, 0.16, 3.2), matte("wood_dark"), turn=-43)


def mixed_cut(mortar: np.ndarray, tone: np.ndarray, x0: float, x1: float, z0: float, z1: float) -> dict:
    """The brick wall's material for one piece of it, so that courses run on across pieces."""
    height, width = mortar.shape
    columns = (np.linspace(x0, x1, 900) / 9.2 * width).astype(int) % width
    rows = (np.linspace(z0, z1, 700) / 4.2 * height).astype(int) % height
    cut = np.ix_(rows, columns)
    return mixed(mortar[cut], mixed(tone[cut], matte("brick"), matte("brick_dark")), matte("mortar"))


def _room_behind(build: Builder, light: str) -> None:
    wall = matte("plaster")
    build.plane((3.2, 7.2, 1.5), 2.2, 1.5, [([1, 0, 0], 90)], wall)
    build.plane((1.0, 5.6, 1.5), 1.6, 1.5, [([1, 0, 0], 90), ([0, 0, 1], 90)], wall)
    build.plane((5.4, 5.6, 1.5), 1.6, 1.5, [([1, 0, 0], 90), ([0, 0, 1], -90)], wall)
    build.plane((3.2, 5.6, 3.0), 2.2, 1.6, [([1, 0, 0], 180)], wall)
    build.plane((3.2, 5.6, 0.004), 2.2, 1.55, [], mixed(textures.planks(22), matte("floor_light"), matte("floor_dark")))
    build.lamp((3.0, 5.6, 2.0), 62.0 if light == "lamps" else 0.0)
    build.lamp((3.9, 6.2, 2.0), 62.0 if light == "lamps" else 0.0)
    build.box((2.4, 6.85, 0), (4.6, 7.2, 1.7), matte("wood_dark"))
    for row in range(6):
        for column in range(5):
            x, z = 2.45 + 0.43 * column, 0.10 + 0.26 * row
            build.box((x, 6.81, z), (x + 0.39, 6.86, z + 0.22), matte("wood_light"))
            build.ball((x + 0.20, 6.80, z + 0.11), 0.016, metal("Au", 0.25))
    build.box((2.7, 5.1, 0.84), (4.3, 5.5, 0.90), sheen("wood_light"))
    build.box((3.0, 5.15, 0.90), (3.3, 5.4, 1.02), matte("paper"))
    build.box((3.7, 5.15, 0.90), (3.9, 5.35, 0.98), sheen("ink_red", 0.3))
    build.box((2.62, 3.98, 0), (2.70, 4.06, 2.25), sheen("wood_light"))
    build.box((3.64, 3.98, 0), (3.72, 4.06, 2.25), sheen("wood_light"))


def walk(build: Builder, view: View, light: str) -> None:
    yard(build, view, light, open_door=True)
    build.figure("work", (3.55, 5.9), 8, "skin_deep",
                 {"hair": matte("hair_dark"), "shirt": matte("shirt_white"),
                  "apron": matte("apron_brick"), "trousers": matte("cloth_slate")})  # fmt: skip


def walker(build: Builder, view: View, light: str) -> None:
    """The yard and the room behind its door, with one figure near the camera."""
    yard(build, view, light, open_door=True)
    only_walker(build, light)


def only_walker(build: Builder, light: str) -> None:
    build.figure("stand", WALKER_STANDS[light], -6, "skin_fair",
                 {"hair": matte("hair_dark"), "shirt": matte("shirt_blue"),
                  "apron": matte("cloth_ochre"), "trousers": matte("cloth_slate")})  # fmt: skip


PLACES = {"shop": shop, "yard": yard, "walk": walk, "walker": walker}


def placed(view: View, light: str) -> View:
    """The view with its camera where it stands in this light."""
    if not view.cut_out:
        return view
    x, y = WALKER_STANDS[light]
    origin, target = view.origin, view.target
    return replace(
        view, origin=(origin[0] + x, origin[1] + y, origin[2]), target=(target[0] + x, target[1] + y, target[2])
    )


def scene(name: str, light: str, meshes: Path) -> dict:
    """Scene dictionary of view `name` with only `light` lit (sensor and integrator not included)."""
    view = VIEWS[name]
    build = Builder(meshes)
    PLACES[view.place](build, view, light)
    return build.scene


def cut_out_scene(light: str, meshes: Path) -> dict:
    """The figure of a view that is cut out, alone under an even light: what it covers."""
    build = Builder(meshes)
    only_walker(build, light)
    build.add({"type": "constant"})
    return build.scene
