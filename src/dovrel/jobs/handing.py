"""What of a handover is rendered in the background: one shot as one kind of file at a time."""

from __future__ import annotations

import shutil
import time
import traceback
from pathlib import Path

from sqlalchemy.orm import Session, sessionmaker

from dovrel.jobs.rendering import Rendered, render
from dovrel.jobs.subject import subject_of
from dovrel.machine.files import says_no_room
from dovrel.media.writing import KINDS
from dovrel.store import corrections
from dovrel.store.database import AWAY
from dovrel.store.models import Handover, HandoverItem
from dovrel.store.texts import storable

TOLD_EVERY = 1.0
"""Seconds between two notes of how far a file is."""


class _Cancelled(Exception):
    """Nobody wants it any more."""


def hand_over(factory: sessionmaker[Session], item_id: int) -> None:
    """Render an item of a handover, once; it is noted what came of it.

    A task whose worker was killed runs again from the start: a file that is there is whole, and is of the killed one.
    """
    with factory.begin() as session:
        item = session.get(HandoverItem, item_id)
        handover = session.get(Handover, item.handover_id) if item else None
        if item is None or handover is None or item.state in ("done", "failed", "cancelled"):
            return
        if handover.cancelled:
            item.state = "cancelled"
            return
        item.state, item.part = "working", 0.0
        subject, kind, width = subject_of(item.shot), KINDS[item.kind], item.width
        levels, path = corrections.kept_levels(item), Path(handover.folder) / item.name
    try:
        _remove(path)
        path.parent.mkdir(parents=True, exist_ok=True)
        found = render(subject.source, levels, path, kind, _Telling(factory, item_id), width)
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
        traceback.print_exc()
        give_up(factory, item_id, f"it failed ({type(error).__name__}: {error})")
    else:
        _note(factory, item_id, "done", found)


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
