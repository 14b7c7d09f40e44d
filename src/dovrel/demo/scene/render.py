"""Render every view of the demo light by light into sensor responses (development only).

Each picture is stored as float16 ``(height, width, 9)``: red, green and blue of cameras A, B
and C, linear, relative to the light's own power; a figure that is cut out has a tenth plane,
how much of each pixel it covers. Changes of light in time are mixtures of these pictures, so
that a shot costs no rendering at all.
"""

from __future__ import annotations

import sys
import time
from pathlib import Path

import mitsuba as mi
import numpy as np

mi.set_variant("llvm_ad_spectral")

import pyoidn  # noqa: E402

from dovrel.demo.scene import places, shapes  # noqa: E402
from dovrel.demo.scene.spectra import CAMERA_LETTERS, SENSITIVITIES, TINTED_GLASS  # noqa: E402

SAMPLES = 36
AUXILIARY_SAMPLES = 16


def _sensor(view: places.View, film: dict) -> dict:
    return {
        "type": "perspective",
        "fov": view.field_of_view,
        "to_world": mi.ScalarTransform4f().look_at(view.origin, view.target, (0, 0, 1)),
        "film": {"width": view.size[0], "height": view.size[1], "rfilter": {"type": "box"}, **film},
        "sampler": {"type": "independent"},
    }


def _response_film(glass: np.ndarray | float) -> dict:
    film: dict = {"type": "specfilm"}
    for letter in CAMERA_LETTERS:
        for channel, sensitivity in enumerate(SENSITIVITIES[letter]):
            film[f"{letter}{channel}"] = places.spectrum(sensitivity * glass)
    return film


def render(view_name: str, light: str, meshes: Path, samples: int = SAMPLES) -> np.ndarray:
    """Sensor responses of one view under one light, denoised, float32 (height, width, 9 or 10)."""
    view = places.placed(places.VIEWS[view_name], light)
    description = places.scene(view_name, light, meshes)
    glass = TINTED_GLASS if view.behind_glass else 1.0
    description["sensor"] = _sensor(view, _response_film(glass))
    description["integrator"] = {"type": "path", "max_depth": 7}
    noisy = np.array(mi.render(mi.load_dict(description), spp=samples, seed=1), np.float32)

    description["sensor"] = _sensor(view, {"type": "hdrfilm", "pixel_format": "rgb"})
    description["integrator"] = {"type": "aov", "aovs": "albedo:albedo,normal:sh_normal"}
    guides = np.array(mi.render(mi.load_dict(description), spp=AUXILIARY_SAMPLES, seed=2), np.float32)
    albedo = np.ascontiguousarray(np.clip(guides[..., -6:-3], 0, 1))
    normal = np.ascontiguousarray(guides[..., -3:])

    noisy = np.nan_to_num(noisy, nan=0.0, posinf=0.0)
    clean = np.empty_like(noisy)
    for first in range(0, noisy.shape[2], 3):
        triple = np.ascontiguousarray(noisy[..., first : first + 3])
        clean[..., first : first + 3] = pyoidn.denoise(triple, albedo=albedo, normal=normal, hdr=True)
    clean = np.maximum(clean, 0.0)
    if view.cut_out:
        alone = places.cut_out_scene(light, meshes)
        alone["sensor"] = _sensor(view, {"type": "hdrfilm", "pixel_format": "rgba"})
        alone["integrator"] = {"type": "direct", "hide_emitters": True}
        covered = np.array(mi.render(mi.load_dict(alone), spp=AUXILIARY_SAMPLES, seed=3), np.float32)[..., 3]
        clean = np.dstack([clean, np.clip(covered, 0, 1)])
    return clean


def render_all(folder: Path, only: str = "") -> None:
    """Render what is missing below `folder`; a picture is written whole or not at all."""
    meshes = folder / "meshes"
    shapes.write_figures(meshes)
    for view_name, view in places.VIEWS.items():
        for light in view.lights:
            path = folder / f"{view_name}.{light}.npy"
            if path.exists() or only not in path.name:
                continue
            started = time.monotonic()
            picture = render(view_name, light, meshes)
            partial = path.with_suffix(".partial")
            with partial.open("wb") as file:
                np.save(file, picture.astype(np.float16))
            partial.rename(path)
            print(f"{path.name}: {time.monotonic() - started:.0f} s", flush=True)


if __name__ == "__main__":
    render_all(Path(sys.argv[1]), sys.argv[2] if len(sys.argv) > 2 else "")
