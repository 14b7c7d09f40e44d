"""In what order shots stand, and which belong together: by scene, place and the light that was measured."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

LEVEL_APART = 18.0
CAST_APART = 14.0
"""How many percent the mids of two shots of one light, as recorded, commonly differ at most."""


def natural(name: str) -> tuple[tuple[int, str], ...]:
    """A key that sorts names as people count: 2 before 10, whatever their case."""
    parts = re.split(r"(\d+)", name.casefold())
    return tuple((int(part), "") if part.isdecimal() else (-1, part) for part in parts if part)


@dataclass(frozen=True)
class Taken:
    """What is known of a shot before any work.

    Attributes
    ----------
    id : the caller's number; scene, place : as the clip says, empty where it does not
    camera : its letter; readings : (10,), as recorded, percent; None where not measured
    """

    id: int
    scene: str
    place: str
    camera: str
    readings: tuple[float, ...] | None


@dataclass(frozen=True)
class Proposed:
    """Shots that seem to be of one place and light, and why."""

    name: str
    shots: tuple[int, ...]
    reason: str


def propose(shots: list[Taken]) -> list[Proposed]:
    """Families in the order of their first shots.

    Clips that name their place go by scene and place. Those that do not are laid together
    within their scene by level and cast of their mids, camera by camera: another camera's
    white setting says nothing of the light.
    """
    named: dict[tuple[str, str], list[Taken]] = {}
    unnamed: dict[str, list[Taken]] = {}
    for shot in shots:
        if shot.place:
            named.setdefault((shot.scene, shot.place), []).append(shot)
        else:
            unnamed.setdefault(shot.scene, []).append(shot)
    several = {place for scene, place in named if sum(place == other for _, other in named) > 1}
    found = []
    for (scene, place), members in named.items():
        name = f"{place}, scene {scene}" if place in several and scene else place
        reason = f"scene {scene} and place, as the clips say" if scene else "place, as the clips say"
        found.append(Proposed(name, tuple(s.id for s in members), reason))
    for scene, members in unnamed.items():
        found += _by_light(scene, members)
    order = {shot.id: position for position, shot in enumerate(shots)}
    return sorted(found, key=lambda one: order[one.shots[0]])


def _by_light(scene: str, shots: list[Taken]) -> list[Proposed]:
    title = f"Scene {scene}" if scene else "Not sorted yet"
    groups: list[list[Taken]] = []
    for shot in shots:
        home = next((group for group in groups if any(_one_light(shot, other) for other in group)), None)
        if home is None:
            groups.append([shot])
        else:
            home.append(shot)
    if len(groups) == 1:
        return [Proposed(title, tuple(s.id for s in shots), "scene, as the clips say" if scene else "nothing known")]
    return [
        Proposed(f"{title}, light {number}", tuple(s.id for s in group), "alike in level and cast as recorded")
        for number, group in enumerate(groups, 1)
    ]


def _one_light(a: Taken, b: Taken) -> bool:
    """Whether two shots may be of one light. Different cameras, and shots not measured, may."""
    if a.readings is None or b.readings is None or a.camera != b.camera:
        return True
    one, other = np.array(a.readings), np.array(b.readings)
    mids, others = one[[1, 4, 7]], other[[1, 4, 7]]
    level = abs(mids.mean() - others.mean())
    cast = abs((mids[0] - mids[2]) - (others[0] - others[2]))
    return bool(level <= LEVEL_APART and cast <= CAST_APART)
