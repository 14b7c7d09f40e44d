"""Figures and things of the demo as meshes: smooth unions of distance fields, marching cubes."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import trimesh
from skimage.measure import marching_cubes

Field = Callable[[np.ndarray], np.ndarray]


def ellipsoid(centre, radii) -> Field:
    centre, radii = np.asarray(centre, float), np.asarray(radii, float)

    def field(points: np.ndarray) -> np.ndarray:
        return (np.linalg.norm((points - centre) / radii, axis=-1) - 1.0) * radii.min()

    return field


def capsule(start, end, radius_start: float, radius_end: float) -> Field:
    start, end = np.asarray(start, float), np.asarray(end, float)

    def field(points: np.ndarray) -> np.ndarray:
        axis = end - start
        along = np.clip(((points - start) @ axis) / (axis @ axis), 0.0, 1.0)
        nearest = start + along[..., None] * axis
        return np.linalg.norm(points - nearest, axis=-1) - (radius_start + along * (radius_end - radius_start))

    return field


def union(*fields: Field, blend: float = 0.03) -> Field:
    """Smooth union: the exponential blend of Quilez's published distance-field operators."""

    def field(points: np.ndarray) -> np.ndarray:
        distances = np.stack([f(points) for f in fields])
        nearest = distances.min(axis=0)
        return nearest - blend * np.log(np.exp(-(distances - nearest) / blend).sum(axis=0))

    return field


def intersect(a: Field, b: Field) -> Field:
    return lambda points: np.maximum(a(points), b(points))


def half_space(normal, offset: float) -> Field:
    normal = np.asarray(normal, float)
    return lambda points: points @ normal - offset


def write_mesh(field: Field, low, high, path: Path, step: float = 0.009) -> None:
    """Mesh the zero surface of `field` inside the box `low`..`high` (metres) into a PLY file."""
    low, high = np.asarray(low, float), np.asarray(high, float)
    axes = [np.arange(a, b + step, step) for a, b in zip(low, high, strict=True)]
    grid = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1)
    vertices, faces, _, _ = marching_cubes(field(grid), 0.0, spacing=(step,) * 3)
    mesh = trimesh.Trimesh(vertices + low, faces[:, ::-1], process=True)
    trimesh.smoothing.filter_taubin(mesh, iterations=8)
    if mesh.volume < 0:
        mesh.invert()
    _ = mesh.vertex_normals
    mesh.export(path, vertex_normal=True)


def figure(pose: str) -> dict[str, tuple[Field, tuple, tuple]]:
    """Parts of one standing figure, feet at the origin, facing -y: name → (field, low, high).

    `pose` is ``"work"`` (hands forward over the bench), ``"stand"`` (arms down) or ``"hold"``
    (one arm raised, holding a sheet).
    """
    hands = {
        "work": [((-0.20, -0.40, 1.02), (-0.29, -0.18, 1.12)), ((0.17, -0.42, 1.00), (0.29, -0.16, 1.12))],
        "stand": [((-0.31, -0.07, 0.82), (-0.31, 0.02, 1.10)), ((0.31, -0.06, 0.83), (0.31, 0.02, 1.10))],
        "hold": [((-0.23, -0.33, 1.30), (-0.31, -0.12, 1.14)), ((0.31, -0.06, 0.83), (0.31, 0.02, 1.10))],
    }[pose]
    shoulders = [(-0.205, 0.0, 1.40), (0.205, 0.0, 1.40)]

    head = union(
        ellipsoid((0, -0.005, 1.635), (0.088, 0.104, 0.118)),
        ellipsoid((0, -0.030, 1.560), (0.060, 0.070, 0.062)),
        ellipsoid((0, -0.108, 1.615), (0.017, 0.024, 0.026)),
        capsule((0, -0.098, 1.650), (0, -0.108, 1.612), 0.010, 0.014),
        ellipsoid((-0.090, 0.0, 1.615), (0.016, 0.026, 0.033)),
        ellipsoid((0.090, 0.0, 1.615), (0.016, 0.026, 0.033)),
        capsule((0, 0.015, 1.42), (0, 0.0, 1.56), 0.056, 0.052),
        blend=0.012,
    )
    skull = ellipsoid((0, 0.012, 1.655), (0.102, 0.116, 0.120))
    hair = intersect(skull, half_space((0.0, -0.80, -0.60), -0.960))
    eyes = union(
        ellipsoid((-0.034, -0.098, 1.645), (0.012, 0.012, 0.010)),
        ellipsoid((0.034, -0.098, 1.645), (0.012, 0.012, 0.010)),
        blend=0.002,
    )
    mouth = union(
        capsule((-0.024, -0.098, 1.572), (0, -0.105, 1.566), 0.0045, 0.0065),
        capsule((0.024, -0.098, 1.572), (0, -0.105, 1.566), 0.0045, 0.0065),
        blend=0.002,
    )
    palms = union(
        *[
            union(ellipsoid(hand, (0.040, 0.055, 0.036)), capsule(hand, elbow, 0.034, 0.040), blend=0.015)
            for hand, elbow in hands
        ],
        blend=0.005,
    )
    torso = union(
        capsule((0, 0.01, 0.98), (0, 0.0, 1.30), 0.145, 0.170),
        capsule((-0.15, 0, 1.375), (0.15, 0, 1.375), 0.082, 0.082),
        blend=0.05,
    )
    arms = [
        union(
            capsule(shoulder, elbow, 0.074, 0.058),
            capsule(elbow, np.asarray(elbow) + 0.45 * (np.asarray(hand) - np.asarray(elbow)), 0.058, 0.052),
            blend=0.012,
        )
        for shoulder, (hand, elbow) in zip(shoulders, hands, strict=True)
    ]
    shirt = union(torso, *arms, blend=0.022)
    apron_shell = union(
        capsule((0, -0.012, 0.55), (0, -0.014, 0.95), 0.20, 0.166),
        capsule((0, -0.014, 0.95), (0, -0.020, 1.28), 0.163, 0.172),
        blend=0.04,
    )
    apron = intersect(
        intersect(apron_shell, half_space((0, 1, 0), -0.005)),
        intersect(half_space((0, 0, 1), 1.335), half_space((0, 0, -1), -0.46)),
    )
    trousers = union(
        capsule((0, 0.01, 0.95), (0, 0.01, 1.00), 0.148, 0.146),
        capsule((-0.085, 0, 0.06), (-0.078, 0, 0.88), 0.068, 0.098),
        capsule((0.085, 0, 0.06), (0.078, 0, 0.88), 0.068, 0.098),
        blend=0.03,
    )
    low = (-0.50, -0.55, 0.0)
    return {
        "head": (head, (-0.15, -0.17, 1.38), (0.15, 0.15, 1.79)),
        "hair": (hair, (-0.15, -0.17, 1.45), (0.15, 0.18, 1.80)),
        "eyes": (eyes, (-0.06, -0.13, 1.62), (0.06, -0.07, 1.67)),
        "mouth": (mouth, (-0.04, -0.13, 1.55), (0.04, -0.07, 1.59)),
        "hands": (palms, low, (0.5, 0.3, 1.5)),
        "shirt": (shirt, (-0.5, -0.5, 0.80), (0.5, 0.3, 1.52)),
        "apron": (apron, (-0.3, -0.3, 0.30), (0.3, 0.1, 1.40)),
        "trousers": (trousers, (-0.3, -0.3, 0.0), (0.3, 0.3, 1.2)),
    }


FINE_STEPS = {"eyes": 0.0015, "mouth": 0.0015, "head": 0.004, "hair": 0.004}


def write_figures(folder: Path) -> None:
    """Write every part of every pose as ``figure-POSE-PART.ply`` below `folder`."""
    folder.mkdir(parents=True, exist_ok=True)
    for pose in ("work", "stand", "hold"):
        for part, (field, low, high) in figure(pose).items():
            path = folder / f"figure-{pose}-{part}.ply"
            if not path.exists():
                write_mesh(field, low, high, path, FINE_STEPS.get(part, 0.009))
