"""The mixed card of odd clips, encoded once and kept; whole, or a few of its clips."""

from __future__ import annotations

import shutil
from pathlib import Path

from dovrel.bench import mixed_card
from dovrel.demo.cards import cards_folder
from tests.helpers.kept import digest_of, kept

FEW = 9
"""Clips of :func:`few`."""
_FEW = (
    "C001.mp4",
    "C005.mp4",
    "S001.mp4",
    "S002.mp4",
    "X_boxed.mov",
    "F002.mov",
    "C001.xml",
    "C004.mov",
    "card.md5",
    "plate.1001.png",
    "plate.1002.png",
    "plate.1003.png",
)


def _kept() -> Path:
    return kept("card", digest_of([Path(mixed_card.__file__), cards_folder()]), mixed_card.make)


def whole(media: Path) -> Path:
    """The card as a folder below `media`."""
    return shutil.copytree(_kept(), media / "card")


def few(media: Path) -> Path:
    """:data:`FEW` clips with what lies beside them, two of them of one name, as two cards may hold."""
    folder = media / "card"
    (folder / "again").mkdir(parents=True)
    for name in _FEW:
        shutil.copy2(_kept() / name, folder)
    shutil.copy2(folder / "C004.mov", folder / "again")
    return folder
