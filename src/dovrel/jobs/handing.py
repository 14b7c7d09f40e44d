"""What of a handover is rendered in the background: one shot as one kind of file at a time."""

from __future__ import annotations

import shutil
import time
import traceback
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy.orm import Session, sessionmaker

from dovrel.core.steps.levels import FourLevels
from dovrel.formats.checksum_list import MHL_FOLDER, Listed, Sum, write_asc_mhl
from dovrel.jobs.picturing import Pictures
from dovrel.jobs.rendering import Rendered, render
from dovrel.jobs.subject import subject_of
from dovrel.machine.files import says_no_room, sweep
from dovrel.media.checksums import sums_of
from dovrel.media.frames import Source
from dovrel.media.writing import KINDS, Kind
from dovrel.store import corrections
from dovrel.store.database import AWAY
from dovrel.store.models import HandoverItem
from dovrel.store.texts import storable

TOLD_EVERY = 1.0
"""Seconds between two notes of how far a file is."""


ENDED = ("done", "failed", "cancelled")
"""States of an item that is worked on no more."""


class _Cancelled(Exception):
    """Nobody wants it any more."""


def hand_over(factory: sessionmaker[Session], item_id: int) -> None:
    """Render an item of a handover, once; it is noted what came of it.

    A task whose worker was killed runs again from the start: a file that is there is whole, and is of the killed one.
    """
    try:
        order = _begun(factory, item_id)
        if order is None:
            return
        _remove(order.path)
        order.path.parent.mkdir(parents=True, exist_ok=True)
        telling = _Telling(factory, item_id)
        found = render(order.source, order.levels, order.path, order.kind, telling, order.pictures)
    except _Cancelled:
        _note(factory, item_id, "cancelled")
    except AWAY:
        raise
    except ValueError as fault:
        give_up(factory, item_id, str(fault))
    except Exception as error:
        if says_no_room(error):
            give_up(factory, item_id, "the disc is full; make room and hand it over again")
            return
        if isinstance(error, OSError) and error.strerror:
            give_up(
                factory, item_id, f"it cannot be written ({error.strerror}); see to its folder and hand it over again"
            )
            return
        traceback.print_exc()
        give_up(factory, item_id, f"it failed ({type(error).__name__}: {error})")
    else:
        _note(factory, item_id, "done", found)


@dataclass(frozen=True)
class _Order:
    source: Source
    levels: FourLevels
    path: Path
    kind: Kind
    pictures: Pictures


def _begun(factory: sessionmaker[Session], item_id: int) -> _Order | None:
    """What is to be rendered, noted as begun; None if there is nothing to do any more.

    Raises
    ------
    _Cancelled
        If it was cancelled before.
    ValueError
        If the shot cannot be read any more.
    """
    with factory.begin() as session:
        item = session.get(HandoverItem, item_id)
        if item is None or item.state in ENDED:
            return None
        if item.handover.cancelled:
            raise _Cancelled
        item.state, item.part = "working", 0.0
        path = Path(item.handover.folder) / item.name
        source, levels = subject_of(item.shot).source, corrections.kept_levels(item)
        return _Order(source, levels, path, KINDS[item.kind], Pictures(**item.pictures))


def give_up(factory: sessionmaker[Session], item_id: int, why: str) -> None:
    """Note why an item is not there."""
    _note(factory, item_id, "failed", said=why)


def _note(
    factory: sessionmaker[Session], item_id: int, state: str, found: Rendered | None = None, said: str = ""
) -> None:
    with factory.begin() as session:
        item = session.get(HandoverItem, item_id)
        if item is None:
            return
        item.state, item.said = state, storable(said, 1000)
        if found:
            item.part, item.difference = 1.0, found.difference
        session.flush()
        finished = all(one.state in ENDED for one in item.handover.items)
        folder = Path(item.handover.folder)
    if finished:
        seal(folder)


def seal(folder: Path) -> None:
    """Write a checksum list (ASC MHL) of all that lies in a handover's folder, once nobody writes there any more.

    What killed workers left half-written goes first.
    """
    sweep(folder)
    files = sorted(path for path in folder.rglob("*") if path.is_file() and MHL_FOLDER not in path.parts)
    listed = []
    for path in files:
        _, (found,) = sums_of([path], ["xxh128"])
        listed.append(Listed(path.relative_to(folder).as_posix(), found.size, Sum("xxh128", found.sums["xxh128"])))
    target = folder / MHL_FOLDER / f"0001_{folder.name}.mhl"
    target.parent.mkdir(exist_ok=True)
    write_asc_mhl(target, listed, "handed over")


def _remove(path: Path) -> None:
    if path.is_dir():
        shutil.rmtree(path)
    else:
        path.unlink(missing_ok=True)


class _Telling:
    """Notes how far an item is, now and then, and ends its work once it is cancelled."""

    def __init__(self, factory: sessionmaker[Session], item_id: int) -> None:
        self._factory, self._item_id = factory, item_id
        self._told = time.monotonic()

    def __call__(self, part: float) -> None:
        if time.monotonic() - self._told < TOLD_EVERY:
            return
        self._told = time.monotonic()
        with self._factory.begin() as session:
            item = session.get(HandoverItem, self._item_id)
            if item is None or item.handover.cancelled:
                raise _Cancelled
            item.part = part
