"""Where the footage of the shooting day's shots is: here, offline, or replaced by other files; kept with each shot."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any, Literal

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from dovrel.jobs import queue
from dovrel.jobs.anew import measure_anew
from dovrel.media.faults import MediaFault, Offline
from dovrel.media.identity import KnownFile, Replaced, check_files, known_files, looks_the_same, status_of
from dovrel.store.models import Shot

Footage = Literal["here", "offline", "replaced"]

_FIRST_FILE = Shot.clip["files"][0]


def footage_of(fault: Exception) -> Footage | None:
    """What a fault says of a shot's footage; None where it is of the file itself."""
    if isinstance(fault, Replaced):
        return "replaced"
    return "offline" if isinstance(fault, Offline) else None


def note(session: Session, shot: Shot, footage: Footage) -> None:
    """Note with a shot where its footage is; one whose footage has come back is measured if that could not be done meanwhile."""
    if shot.footage == footage:
        return
    shot.footage = footage
    if footage == "here" and (shot.progress == "waiting" or shot.measured.get("outdated")):
        measure_anew(session, [shot])


def note_fault(factory: sessionmaker[Session], shot_id: int, fault: Exception) -> None:
    """Note with a shot what a fault of work on it says of its footage, if it does."""
    footage = footage_of(fault)
    if footage is not None:
        with factory.begin() as session:
            shot = session.get(Shot, shot_id, with_for_update=True)
            # A fault may be of another shot that was compared with it.
            if shot is not None and fault_is_of(fault, shot):
                note(session, shot, footage)


def fault_is_of(fault: Exception, shot: Shot) -> bool:
    """Whether a fault is of a shot's own files."""
    names = {Path(shot.path).name, *(one["name"] for one in shot.clip.get("files", ()))}
    return isinstance(fault, MediaFault) and fault.file in names


def look(factory: sessionmaker[Session]) -> None:
    """Look at every shot's first file, by size and time of change; where only its contents can tell, have a worker read it.

    All files of a shot are looked at before its footage is said to be back.
    """
    seen = select(Shot.id, Shot.path, Shot.footage, _FIRST_FILE).where(Shot.progress.in_(("ready", "waiting")))
    with factory() as session:
        rows = session.execute(seen).all()
    found: dict[int, Footage] = {}
    unsure: list[int] = []
    for shot_id, path, before, first in rows:
        now = _looked_at(Path(path), first)
        if now is None:
            if before != "replaced":  # that was found by its contents
                unsure.append(shot_id)
        elif now != before and (now != "here" or _is_whole(factory, shot_id)):
            found[shot_id] = now
    if found or unsure:
        with factory.begin() as session:
            queue.defer_footage_checks(session, unsure)
            for shot in session.scalars(select(Shot).where(Shot.id.in_(found)).with_for_update()):
                note(session, shot, found[shot.id])


def _is_whole(factory: sessionmaker[Session], shot_id: int) -> bool:
    """Whether all files of a shot are there, and none is another by its size."""
    with factory() as session:
        shot = session.get_one(Shot, shot_id)
        path, files, parts = Path(shot.path), known_files(shot.clip), shot.reading.get("parts", ())
    try:
        for name in parts:
            status_of(path.with_name(name))
        return all(looks_the_same(path.with_name(one.name), one) is not False for one in files)
    except Offline:
        return False


def _looked_at(path: Path, first: dict[str, Any] | None) -> Footage | None:
    try:
        if first is None:
            status_of(path)
            return "here"
        same = looks_the_same(path, KnownFile.of(first))
    except Offline:
        return "offline"
    return None if same is None else "here" if same else "replaced"


def check(factory: sessionmaker[Session], shot_id: int) -> None:
    """Read a shot's files where their time of change is another, and keep it where their contents are not."""
    with factory() as session:
        shot = session.get(Shot, shot_id)
        if shot is None:
            return
        folder, files = Path(shot.path).parent, known_files(shot.clip)
    footage: Footage = "here"
    try:
        check_files(folder, files)
    except (Offline, Replaced) as fault:
        footage = footage_of(fault) or "here"
    with factory.begin() as session:
        shot = session.get_one(Shot, shot_id, with_for_update=True)
        if footage == "here":
            shot.clip = {**shot.clip, "files": _touched(folder, shot.clip.get("files", []))}
        note(session, shot, footage)


def _touched(folder: Path, records: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """Records of files with their times of change as they are now."""
    return [{**one, "modified": (folder / one["name"]).stat().st_mtime_ns} for one in records]
