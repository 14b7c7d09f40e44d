"""The demo's clips as they ship: card folders, cameras, and each camera's encoding."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

from dovrel.demo.day import TAKES, Take

SHIPPED = Path(__file__).parent / "cards"
ELSEWHERE = "DOVREL_DEMO_CARDS"
"""The variable of the environment that names another folder with the demo's cards."""
ENCODINGS = Path(__file__).parent / "encodings"

CAMERA_NAMES = {"A": "Alderney L4", "B": "Corvane 12", "C": "Petrel Mini"}
CAMERA_ENCODINGS = {
    "A": f"file:{ENCODINGS / 'alderney-l4.clf'}",
    "B": f"file:{ENCODINGS / 'corvane-12.clf'}",
    "C": "rec709",
}


@dataclass(frozen=True)
class DemoClip:
    take: Take
    path: Path
    encoding: str


def cards_folder() -> Path:
    """Where the demo's cards are: those that ship, or the same at another size."""
    return Path(os.environ.get(ELSEWHERE) or SHIPPED)


def card_path(take: Take) -> Path:
    """Where each camera's maker puts a clip, by roll and number."""
    number = 1 + [t.name for t in TAKES if t.camera == take.camera].index(take.name)
    if take.camera == "A":
        return Path(f"ALDERNEY_{int(take.scene):03d}", "REELS", f"AL4_{int(take.scene):03d}_{number:04d}.mov")
    if take.camera == "B":
        return Path(f"CV12-{take.scene}B", "TAKE", f"cv{take.scene}b{number:03d}.mov")
    return Path(f"PETREL{take.scene}", "MOVIE", f"PTL{number:05d}.MP4")


def find(name: str, folder: Path | None = None) -> DemoClip:
    """The demo's clip called `name` (slate, camera, take), in a folder of cards; by default :func:`cards_folder`.

    Raises
    ------
    KeyError
        If the day has no such take.
    """
    for take in TAKES:
        if take.name == name:
            return DemoClip(take, (folder or cards_folder()) / card_path(take), CAMERA_ENCODINGS[take.camera])
    raise KeyError(name)
