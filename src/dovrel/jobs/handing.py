"""The items of a handover: each written by a task, as its shot was when it was ordered, and sealed once all have ended."""

from __future__ import annotations

import contextlib
import shutil
import time
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy.orm import Session, sessionmaker

from dovrel.core.steps.levels import FourLevels
from dovrel.errors import Cancelled, Refused
from dovrel.formats import day_report
from dovrel.formats.checksum_list import MHL_FOLDER, Listed, Sum, write_asc_mhl
from dovrel.jobs import footage_state, handing_numbers, queue, reporting
from dovrel.jobs.handing_numbers import Handed, Numbers, Written
from dovrel.jobs.picturing import Pictures
from dovrel.jobs.rendering import render
from dovrel.jobs.sources import source_of
from dovrel.machine.files import files_aside, says_no_room, sweep
from dovrel.machine.logs import report_mistake
from dovrel.media.checksums import sums_of
from dovrel.media.clip import ClipInfo, Reading
from dovrel.media.faults import Offline
from dovrel.media.footage import missing_said
from dovrel.media.frames import FrameStore, Source
from dovrel.media.identity import check_contents
from dovrel.media.writing import KINDS, Kind
from dovrel.store import corrections
from dovrel.store.database import AWAY
from dovrel.store.models import HandedShot, Handover, HandoverItem
from dovrel.store.texts import storable

TOLD_EVERY = 1.0
"""Seconds between two notes of how far a file is."""

ENDED = ("done", "differs", "failed", "cancelled")
"""States of an item that is worked on no more."""

Told = Callable[[float], None]


@dataclass(frozen=True)
class Came:
    """What came of an item: files that carry numbers, or by how much a rendered one differs from the Desk, what is to be said, and a state of those ended."""

    files: Sequence[Written] = ()
    difference: float | None = None
    said: str = ""
    state: str = "done"


Work = Callable[[Told], Came]
"""What is left to do of an item once its rows are read: it needs no database, and takes longer than a transaction may."""


def hand_over(factory: sessionmaker[Session], frames: FrameStore, item_id: int) -> None:
    """Write an item of a handover, once; it is noted what came of it.

    A task whose worker was killed runs again from the start: a file that is there is whole, and is of the killed one.
    """
    try:
        work = _begun(factory, frames, item_id)
        if work is None:
            return
        came = work(_Telling(factory, item_id))
    except Cancelled:
        _note(factory, item_id, "cancelled")
    except AWAY:
        raise
    except Refused as fault:
        _note_footage(factory, item_id, fault)
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
        give_up(factory, item_id, report_mistake(error))
    else:
        _note(factory, item_id, came.state, came, came.said)


def _note_footage(factory: sessionmaker[Session], item_id: int, fault: ValueError) -> None:
    with factory() as session:
        item = session.get(HandoverItem, item_id)
        shot_id = item.handed.shot_id if item and item.handed else None
    if shot_id is not None:
        footage_state.note_fault(factory, shot_id, fault)


def _begun(factory: sessionmaker[Session], frames: FrameStore, item_id: int) -> Work | None:
    """What is to be done for an item, noted as begun; None if there is nothing to do any more.

    Raises
    ------
    Cancelled
        If it was cancelled before.
    Refused
        If a shot cannot be read any more.
    """
    with factory.begin() as session:
        item = session.get(HandoverItem, item_id, with_for_update=True)
        if item is None or item.state in ENDED:
            return None
        if item.handover.cancelled and item.kind != "checksums":
            raise Cancelled
        item.state, item.part = "working", 0.0
        return _work_of(session, item, frames)


def _work_of(session: Session, item: HandoverItem, frames: FrameStore) -> Work:
    row, folder = item.handover, Path(item.handover.folder)
    if item.kind == "checksums":
        return lambda _: seal(folder)
    if item.kind == "report":
        shots = [kept.shot for kept in row.shots]
        day = reporting.listed(shots[0].production, shots)
        return lambda told: _report(folder, day, frames, told)
    numbers = Numbers.of(row.order)
    if item.kind == "lists":
        of_all, title = [_handed(kept, frames) for kept in row.shots], row.shots[0].shot.production.name
        return lambda _: _written(folder, lambda aside: handing_numbers.write_lists(aside, of_all, numbers, title))
    if item.handed is None:
        raise Refused(f"{item.name}: its shot is not known; hand it over again")
    if item.kind == "numbers":
        one = _handed(item.handed, frames)
        with contextlib.suppress(Offline):  # numbers are what they are, wherever the footage is
            one.source.check_files()
        return lambda _: _written(folder, lambda aside: handing_numbers.write_shot(aside, one, numbers))
    shot, levels, pictures = item.handed.shot, corrections.kept_levels(item.handed), Pictures(**item.pictures)
    source, info = source_of(shot), ClipInfo.of(shot.clip)
    reading, first = Reading.of(shot.reading), str(shot.clip.get("first", ""))

    def work(told: Told) -> Came:
        source.check_files()
        check_contents(source.path, info, reading, first)
        return rendered(folder / item.name, source, levels, KINDS[item.kind], pictures, told)

    return work


def _handed(kept: HandedShot, frames: FrameStore) -> Handed:
    return Handed(
        kept.name,
        kept.stem,
        kept.family,
        kept.version_id,
        corrections.kept_levels(kept),
        source_of(kept.shot),
        frames,
        tuple((place, first, last) for place, first, last in kept.uses),
    )


def rendered(path: Path, source: Source, levels: FourLevels, kind: Kind, pictures: Pictures, told: Told) -> Came:
    """A shot rendered to a path, in the place of what lies there; what is raised is what :func:`render` raises."""
    if path.is_dir():
        shutil.rmtree(path)
    else:
        path.unlink(missing_ok=True)
    path.parent.mkdir(parents=True, exist_ok=True)
    made = render(source, levels, path, kind, told, pictures)
    said = [made.differs, missing_said(made.missing) if made.missing else ""]
    return Came(
        difference=made.difference,
        said="; ".join(part for part in said if part),
        state="differs" if made.differs else "done",
    )


def _written(folder: Path, write: Callable[[Path], Sequence[Written]]) -> Came:
    with files_aside(folder) as aside:
        return Came(write(aside))


def _report(folder: Path, day: reporting.Listed, frames: FrameStore, told: Told) -> Came:
    looked_at = reporting.told(day, frames, told)
    return _written(
        folder, lambda aside: [Written(path.name, "report") for path in day_report.write_all(aside, looked_at)]
    )


def seal(folder: Path) -> Came:
    """Write a checksum list (ASC MHL) of all that lies in a handover's folder, once nobody writes there any more.

    What killed workers left half-written goes first. Where nothing lies there, there is no list.
    """
    sweep(folder)
    files = sorted(path for path in folder.rglob("*") if path.is_file() and MHL_FOLDER not in path.parts)
    if not files:
        return Came()
    listed = []
    for path in files:
        _, (found,) = sums_of([path], ["xxh128"])
        listed.append(Listed(path.relative_to(folder).as_posix(), found.size, Sum("xxh128", found.sums["xxh128"])))
    # A list of a worker that was killed goes: there is one generation.
    shutil.rmtree(folder / MHL_FOLDER, ignore_errors=True)
    target = folder / MHL_FOLDER / f"0001_{folder.name}_{datetime.now(UTC):%Y-%m-%d_%H%M%SZ}.mhl"
    target.parent.mkdir()
    write_asc_mhl(target, listed, "handed over")
    return Came()


def give_up(factory: sessionmaker[Session], item_id: int, why: str) -> None:
    """Note why an item is not there."""
    _note(factory, item_id, "failed", said=why)


def _note(factory: sessionmaker[Session], item_id: int, state: str, came: Came | None = None, said: str = "") -> None:
    with factory.begin() as session:
        item = session.get(HandoverItem, item_id)
        if item is None:
            return
        # Of two items that end at once, the second sees that the first has ended.
        handover = session.get_one(Handover, item.handover_id, with_for_update=True)
        item.state, item.said = state, storable(said, 1000)
        if came:
            item.part, item.difference, item.files = 1.0, came.difference, [asdict(file) for file in came.files]
        session.flush()
        seal_if_ended(session, handover)


def seal_if_ended(session: Session, handover: Handover) -> None:
    """Queue the checksum list of a handover all of whose other items have ended; its row must be locked."""
    *others, last = handover.items
    if last.state == "waiting" and all(item.state in ENDED for item in others):
        queue.defer_handing(session, [last])


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
                raise Cancelled
            item.part = part
