"""Listing clips: guesses of camera, family and name from what the files say of themselves."""

from __future__ import annotations

import os
import re
from collections.abc import Sequence
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.exc import DataError
from sqlalchemy.orm import Session

from dovrel.media.limits import MAX_FOLDER_FILES, VIDEO_SUFFIXES
from dovrel.media.video import read_tags
from dovrel.store.models import Camera, Family, Production, Shot
from dovrel.store.texts import storable

UNSORTED = "Not sorted yet"
LONGEST_PATH = 2000
_ENCODINGS = {"HLG": "hlg", "PQ": "pq", "sRGB": "srgb"}
"""Of a new camera, by the transfer that its first clip is tagged with."""
ASSUMED_ENCODING = "rec709"


def clips_below(folder: Path) -> tuple[list[Path], int]:
    """Clips below a folder in order, and how many other files were passed over.

    Links are not followed. The list is bounded.

    Raises
    ------
    ValueError
        If there are more files than a day can hold.
    """
    clips: list[Path] = []
    ignored = 0
    for root, folders, files in os.walk(folder, followlinks=False):
        folders.sort()
        for name in sorted(files):
            path = Path(root, name)
            if path.suffix.lower() in VIDEO_SUFFIXES and not path.is_symlink() and not name.startswith("."):
                clips.append(path.resolve())
            else:
                ignored += 1
            if len(clips) + ignored > MAX_FOLDER_FILES:
                raise ValueError(
                    f"{folder.name}: more than {MAX_FOLDER_FILES} files; take in one card or day at a time"
                )
    return clips, ignored


def guess_camera(path: Path, tags: dict[str, str]) -> str:
    """The camera letter, by tag, or by the first lone letter A to F in the file's name."""
    letter = tags.get("camera", "").strip().upper()[:4]
    if letter:
        return letter
    found = re.match(r"^(?:\d+)?([A-F])(?=[\d_\-])", path.stem.upper())
    return found.group(1) if found else "A"


def stored_path(path: Path) -> str:
    """A path as the day's list keeps it."""
    return storable(str(path), LONGEST_PATH)


def list_clips(session: Session, production: Production, paths: Sequence[Path]) -> list[Shot]:
    """Add clips to the day's list; one that cannot be listed as it is stands there as faulty, and the rest goes on."""
    return [_listed(session, production, path) for path in paths]


def _listed(session: Session, production: Production, path: Path) -> Shot:
    fault = ""
    if stored_path(path) != str(path):
        fault = "its name or the way to it is too long, or no UTF-8 text; rename it and take it in again"
    try:
        tags = {} if fault else {k: storable(v, 200).strip() for k, v in read_tags(path).items()}
        with session.begin_nested():
            return list_clip(session, production, path, tags, fault)
    except (DataError, ValueError, OSError) as error:
        with session.begin_nested():
            return list_clip(session, production, path, {}, f"it cannot be listed ({type(error).__name__})")


def list_clip(session: Session, production: Production, path: Path, tags: dict[str, str], fault: str = "") -> Shot:
    """Add a clip to the day's list, with a guess of its camera, family and name."""
    letter = guess_camera(path, tags)
    camera = session.scalars(
        select(Camera).where(Camera.production_id == production.id, Camera.letter == letter)
    ).first()
    if camera is None:
        camera = Camera(
            production_id=production.id,
            letter=letter,
            name=storable(tags.get("make", ""), 100),
            encoding=_ENCODINGS.get(tags.get("transfer", ""), ASSUMED_ENCODING),
        )
        session.add(camera)
    family_name = storable(tags.get("place") or (f"Scene {tags['scene']}" if tags.get("scene") else UNSORTED), 200)
    family = session.scalars(
        select(Family).where(Family.production_id == production.id, Family.name == family_name)
    ).first()
    if family is None:
        position = len(production.families)
        family = Family(production_id=production.id, name=family_name, position=position)
        session.add(family)
    session.flush()
    session.expire(production, ["families", "cameras"])
    shot = Shot(
        production_id=production.id,
        family_id=family.id,
        camera_id=camera.id,
        name=storable(tags.get("slate") or path.stem, 200),
        path=stored_path(path),
        clip={},
        fault=storable(f"{path.name}: {fault}", 1000) if fault else "",
        progress="faulty" if fault else "waiting",
    )
    session.add(shot)
    session.flush()
    return shot
