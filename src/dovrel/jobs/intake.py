"""Listing clips: guesses of camera, family and name from what the files say of themselves."""

from __future__ import annotations

import os
import re
from pathlib import Path

import av
import av.error
from sqlalchemy import select
from sqlalchemy.orm import Session

from dovrel.media.limits import MAX_FOLDER_FILES, VIDEO_SUFFIXES
from dovrel.store.models import Camera, Family, Production, Shot

UNSORTED = "Not sorted yet"


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


def _tags(path: Path) -> dict[str, str]:
    try:
        with av.open(str(path), metadata_errors="replace") as container:
            return {k.lower(): v[:200] for k, v in container.metadata.items()}
    except (av.error.FFmpegError, OSError, ValueError):
        return {}


def guess_camera(path: Path, tags: dict[str, str]) -> str:
    """The camera letter, by tag, or by the first lone letter A to F in the file's name."""
    letter = tags.get("camera", "").strip().upper()[:4]
    if letter:
        return letter
    found = re.match(r"^(?:\d+)?([A-F])(?=[\d_\-])", path.stem.upper())
    return found.group(1) if found else "A"


def list_clip(session: Session, production: Production, path: Path) -> Shot:
    """Add a clip to the day's list, with a guess of its camera, family and name."""
    tags = _tags(path)
    letter = guess_camera(path, tags)
    camera = session.scalars(
        select(Camera).where(Camera.production_id == production.id, Camera.letter == letter)
    ).first()
    if camera is None:
        camera = Camera(production_id=production.id, letter=letter, name=tags.get("make", ""))
        session.add(camera)
    family_name = tags.get("place") or (f"Scene {tags['scene']}" if tags.get("scene") else UNSORTED)
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
        name=tags.get("slate") or path.stem,
        path=str(path),
        clip={},
    )
    session.add(shot)
    session.flush()
    return shot
