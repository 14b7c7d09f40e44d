"""Taking a folder in: listing its clips some at a time, with the checksums that came with them."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import islice
from pathlib import Path

from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from dovrel.formats import checksum_list
from dovrel.formats.checksum_list import Sum
from dovrel.jobs import footage_state, queue
from dovrel.jobs.finding import Below, FoundClip, find_below
from dovrel.jobs.intake import list_clips, stored_path
from dovrel.media.opening import allowed
from dovrel.media.sequence import file_of
from dovrel.store.models import Shot, TakingIn
from dovrel.store.production import the_production
from dovrel.store.texts import storable

AT_ONCE = 20
"""Clips that are listed in one transaction; the page sees them arrive."""
NAMED = 50
"""Files of a checksum list that are not there, by name."""


@dataclass(frozen=True)
class Taken:
    """How many clips were listed, how many were there already and how many files are none; whether somebody stopped it.

    `replaced` are the names of shots whose files are others than were taken in.
    """

    added: int
    already: int
    passed: int
    stopped: bool
    replaced: tuple[str, ...] = ()


def take_in(factory: sessionmaker[Session], folder: Path) -> Taken:
    """List the clips below a folder that are not listed yet, and have them measured.

    Raises
    ------
    Refused
        If there are more clips than a day can hold.
    """
    below = find_below(folder)
    footage_state.look(factory)
    lists, sums = _read_lists(below)
    passed = [{"name": storable(one.name, 200), "reason": one.reason} for one in below.passed]
    if below.more_passed:
        passed.append({"name": f"{below.more_passed} more files", "reason": "no clips either"})
    with factory.begin() as session:
        known = _known(session)
        new = [clip for clip in below.clips if stored_path(clip.path) not in known]
        there = {stored_path(clip.path) for clip in below.clips} & known
        replaced = session.scalars(select(Shot.name).where(Shot.path.in_(there), Shot.footage == "replaced")).all()
        production = the_production(session)
        row = TakingIn(
            production_id=production.id,
            folder=stored_path(folder),
            total=len(below.clips),
            done=len(below.clips) - len(new),
            passed=passed,
            lists=lists,
        )
        session.add(row)
        session.flush()
        row_id = row.id
    added, stopped = 0, False
    clips = iter(new)
    while not stopped and (some := list(islice(clips, AT_ONCE))):
        count, stopped = _list_some(factory, row_id, some, sums)
        added += count
    return Taken(added, len(below.clips) - len(new), len(below.passed) + below.more_passed, stopped, tuple(replaced))


def stop_unfinished(factory: sessionmaker[Session]) -> None:
    """Mark what a killed server left in the middle of listing as stopped, so that it can be gone on with."""
    with factory.begin() as session:
        session.execute(update(TakingIn).where(TakingIn.done < TakingIn.total).values(stopped=True))


def _list_some(
    factory: sessionmaker[Session], row_id: int, some: list[FoundClip], sums: dict[Path, tuple[Sum, str]]
) -> tuple[int, bool]:
    """List some clips; how many were, and whether somebody has stopped it."""
    with factory.begin() as session:
        production = the_production(session)
        # One at a time, so that a card that two windows take in at once is listed once.
        session.refresh(production, with_for_update=True)
        row = session.get_one(TakingIn, row_id, with_for_update=True)
        if row.stopped:
            return 0, True
        known = _known(session)
        new = [clip for clip in some if stored_path(clip.path) not in known]
        added = list_clips(session, production, new)
        for shot, clip in zip(added, new, strict=True):
            shot.listed = _listed(clip, sums)
        queue.defer_measures(session, [shot.id for shot in added if shot.progress == "waiting"])
        row.done += len(some)
        return len(added), False


def _known(session: Session) -> set[str]:
    """The paths of everything that is listed, later files of long takes included."""
    known = set()
    for path, reading in session.execute(select(Shot.path, Shot.reading)):
        known.add(path)
        known.update(str(Path(path).parent / name) for name in reading.get("parts", ()))
    return known


def _read_lists(below: Below) -> tuple[list[dict], dict[Path, tuple[Sum, str]]]:
    """What is reported of the checksum lists found, and every file's checksum with the list it stands in."""
    told, sums = [], {}
    for path in below.lists:
        one = {"name": storable(path.name, 200), "files": 0, "missing": [], "fault": ""}
        told.append(one)
        try:
            found = checksum_list.read(allowed(path))
        except (ValueError, OSError) as error:
            one["fault"] = storable(str(error), 300)
            continue
        one["files"] = len(found.sums)
        gone = [file.name for file in found.sums if not _is_there(file)]
        one["missing"] = [storable(name, 200) for name in gone[:NAMED]]
        sums.update({file.resolve(): (value, path.name) for file, value in found.sums.items()})
    return told, sums


def _is_there(file: Path) -> bool:
    """Whether there is a file of this name; a name that no file can have is none."""
    try:
        return file.is_file()
    except OSError:
        return False


def _listed(clip: FoundClip, sums: dict[Path, tuple[Sum, str]]) -> dict:
    """The checksums that came with a clip's files, as :attr:`Shot.listed`."""
    files = [clip.path, *clip.others]
    for first, last in clip.reading.numbers:
        files += [file_of(clip.path, number) for number in range(first, last + 1)]
    found = {file.name: sums[file] for file in files if file in sums}
    if not found:
        return {}
    name = storable(next(iter(found.values()))[1], 200)
    return {"list": name, "files": {storable(file, 300): [s.kind, s.value] for file, (s, _) in found.items()}}
