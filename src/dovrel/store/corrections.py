"""Versions of a shot's balance: saving, undo, redo."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from dovrel.core.steps.extended import Extended
from dovrel.core.steps.levels import Levels, ShotBalance
from dovrel.core.steps.primary import IDENTITY, Primary
from dovrel.store.database import hold_no_longer
from dovrel.store.models import KeptFrame, Shot, Version


class Overtaken(Exception):
    """The shot was changed elsewhere since the version an edit was made from."""


def locked(session: Session, shot_id: int) -> Shot:
    """The shot, locked until the transaction ends, or whoever locked it has stopped answering for too long.

    Raises
    ------
    LookupError
        If there is no such shot.
    """
    hold_no_longer(session)
    shot = session.execute(select(Shot).where(Shot.id == shot_id).with_for_update()).scalar_one_or_none()
    if shot is None:
        raise LookupError(f"there is no shot {shot_id}")
    return shot


def _balance(row: Version | KeptFrame, *, on: bool = True) -> ShotBalance:
    extended = None if row.extended is None else Extended.from_array(row.extended)
    return ShotBalance(Primary.from_array(row.numbers), extended, on)


def balance_of(shot: Shot) -> ShotBalance:
    """The shot's own correction."""
    return _balance(shot.version, on=shot.version.extended_on) if shot.version else ShotBalance()


def kept_balance(kept: KeptFrame) -> ShotBalance:
    """The balance that a kept frame was kept with."""
    return _balance(kept)


def levels_of(shot: Shot, balance: ShotBalance | None = None) -> Levels:
    """All levels in force on a shot, with `balance` in place of its own if given."""
    levels = Levels(
        camera=Primary.from_array(shot.camera.numbers),
        family=Primary.from_array(shot.family.numbers) if shot.family else IDENTITY,
        show=Primary.from_array(shot.production.numbers),
    )
    return levels.with_balance(balance or balance_of(shot))


def columns_of(balance: ShotBalance) -> dict:
    """A balance as its columns hold it."""
    extended = None if balance.extended is None else balance.extended.as_array().tolist()
    return {"numbers": balance.numbers.as_array().tolist(), "extended": extended}


def save(
    session: Session,
    shot: Shot,
    balance: ShotBalance,
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
    Overtaken
        If the shot's current version is not `base`, the one the edit was made from.
    """
    refuse_overtaken(shot, base)
    version = Version(
        shot_id=shot.id,
        parent_id=shot.version_id,
        **columns_of(balance),
        extended_on=balance.extended_on,
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
    """Raise :class:`Overtaken` if the shot's current version is not `base`."""
    if shot.version_id != base:
        raise Overtaken(f"{shot.name} was changed in another window; look at it and do this again")


def make_current(shot: Shot, version: Version | None) -> None:
    """Put a version in force, with the state and the distance that it was saved with."""
    shot.version_id = version.id if version else None
    shot.version = version
    shot.state = version.state if version else "new"
    shot.distance = version.distance if version else None


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
