"""Versions of a shot's correction: saving, undo, redo."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from dovrel.core.steps import documents
from dovrel.core.steps.correction import LEVELS, PLAIN, Correction, checked
from dovrel.core.steps.levels import FourLevels
from dovrel.errors import InConflict, NotFound
from dovrel.store import tracks
from dovrel.store.database import hold_no_longer
from dovrel.store.models import HandedShot, KeptFrame, Shot, Version


def locked(session: Session, shot_id: int) -> Shot:
    """The shot, locked until the transaction ends, or whoever locked it has stopped answering for too long.

    Raises
    ------
    NotFound
        If there is no such shot.
    """
    hold_no_longer(session)
    shot = session.execute(select(Shot).where(Shot.id == shot_id).with_for_update()).scalar_one_or_none()
    if shot is None:
        raise NotFound(f"there is no shot {shot_id}")
    return shot


def correction_of(shot: Shot) -> Correction:
    """The shot's own correction: of its current version, or what it starts with."""
    return documents.read(shot.version.correction if shot.version else shot.start)


def levels_of(shot: Shot) -> FourLevels:
    """All that is in force on a shot."""
    return FourLevels(
        camera=documents.read(shot.camera.correction),
        shot=correction_of(shot),
        family=documents.read(shot.family.correction) if shot.family else PLAIN["family"],
        show=documents.read(shot.production.correction),
    )


def correction_as_of(session: Session, shot: Shot, version: int) -> Correction:
    """The shot's correction as one of its versions has it; 0 is what it started with.

    Raises
    ------
    NotFound
        If the shot has no such version.
    """
    if version == 0:
        return documents.read(shot.start)
    found = session.get(Version, version)
    if found is None or found.shot_id != shot.id:
        raise NotFound(f"{shot.name} has no version {version}")
    return documents.read(found.correction)


def is_corrected(shot: Shot) -> bool:
    """Whether anything is done to a shot at any level."""
    return not levels_of(shot).is_identity


def kept_levels(kept: KeptFrame | HandedShot) -> FourLevels:
    """All that was in force when a frame was kept, or a shot handed over."""
    return FourLevels(**{level: documents.read(kept.levels[level]) for level in LEVELS})


def kept_columns(levels: FourLevels) -> dict[str, dict]:
    """Four levels as a kept frame's column holds them."""
    return {level: documents.written(levels.of(level)) for level in LEVELS}


def save(
    session: Session,
    shot: Shot,
    correction: Correction,
    change: str,
    *,
    base: int | None,
    state: str | None = None,
    distance: float | None = None,
    readings: list[float] | None = None,
    report: dict | None = None,
) -> Version:
    """Make a new version, current from now on.

    Raises
    ------
    InConflict
        If the shot's current version is not `base`, the one the edit was made from.
    Refused
        If the correction may not stand at a shot.
    """
    checked("shot", correction)
    refuse_overtaken(shot, base)
    tracks.keep(session, correction)
    version = Version(
        shot_id=shot.id,
        parent_id=shot.version_id,
        correction=documents.written(correction),
        change=change[:200],
        state=state or shot.state,
        distance=distance,
        readings=readings,
        report=report,
    )
    session.add(version)
    session.flush()
    make_current(shot, version)
    return version


def refuse_overtaken(shot: Shot, base: int | None) -> None:
    """Raise :class:`InConflict` if the shot's current version is not `base`."""
    if shot.version_id != base:
        raise InConflict(f"{shot.name} was changed in another window; look at it and try again")


def make_current(shot: Shot, version: Version | None) -> None:
    """Put a version in force, with the state and the distance that it was saved with."""
    shot.version_id = version.id if version else None
    shot.version = version
    shot.state = version.state if version else "new"
    shot.distance = version.distance if version else None
    shot.left_by = None


def undo(session: Session, shot: Shot) -> bool:
    """Go back to what the current version was made from; False at the beginning."""
    if shot.version is None:
        return False
    parent = session.get(Version, shot.version.parent_id) if shot.version.parent_id else None
    make_current(shot, parent)
    return True


def redo(session: Session, shot: Shot) -> bool:
    """Go on to the newest version made from the current one; False if there is none."""
    newest = session.scalars(
        select(Version)
        .where(Version.shot_id == shot.id, Version.parent_id.is_not_distinct_from(shot.version_id))
        .order_by(Version.id.desc())
        .limit(1)
    ).first()
    if newest is None:
        return False
    make_current(shot, newest)
    return True


def versions(session: Session, shot: Shot, limit: int = 200) -> list[Version]:
    """The shot's versions, newest first."""
    return list(
        session.scalars(select(Version).where(Version.shot_id == shot.id).order_by(Version.id.desc()).limit(limit))
    )
