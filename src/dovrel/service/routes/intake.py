"""Taking in: folders, clips below them, checksum lists, stopping and going on."""

from __future__ import annotations

from datetime import datetime
from itertools import islice
from pathlib import Path

from fastapi import APIRouter
from sqlalchemy import select
from sqlalchemy.orm import Session

from dovrel.formats import checksum_list
from dovrel.formats.checksum_list import Listed, Sum
from dovrel.jobs import queue
from dovrel.jobs.finding import Below, FoundClip, find_below
from dovrel.jobs.first_measure import KEPT_SUM
from dovrel.jobs.intake import list_clips, stored_path
from dovrel.media.opening import allowed
from dovrel.media.sequence import file_of
from dovrel.service.context import Context, ContextDep, the_production
from dovrel.service.intake_schemas import IntakeIn, IntakeOut, TakingInOut, WrittenOut
from dovrel.store.models import Shot, TakingIn
from dovrel.store.texts import storable

router = APIRouter(prefix="/api", tags=["intake"])
AT_ONCE = 20
"""Clips that are listed in one transaction; the page sees them arrive."""
NAMED = 50


@router.get("/folders")
def read_folders(context: ContextDep) -> list[str]:
    """The folders clips may be taken in from."""
    return [str(folder) for folder in context.settings.folders]


@router.get("/intake")
def read_last(context: ContextDep) -> TakingInOut | None:
    """The folder that was taken in last; null if none was."""
    with context.session() as session:
        last = _last(session)
        return TakingInOut.model_validate(last) if last else None


def _last(session: Session) -> TakingIn | None:
    return session.scalars(select(TakingIn).order_by(TakingIn.id.desc()).limit(1)).first()


@router.post("/intake")
def take_in(order: IntakeIn, context: ContextDep) -> IntakeOut:
    """List the clips below a folder and measure them in the background; what is listed already is left as it is."""
    folder = context.settings.allowed(Path(order.folder))
    if not folder.is_dir():
        raise ValueError(f"{order.folder}: there is no such folder")
    return _take_in(context, folder)


def _take_in(context: Context, folder: Path) -> IntakeOut:
    below = find_below(folder)
    lists, sums = _read_lists(below)
    passed = [{"name": storable(one.name, 200), "reason": one.reason} for one in below.passed]
    if below.more_passed:
        passed.append({"name": f"{below.more_passed} more files", "reason": "no clips either"})
    with context.session() as session:
        known = _known(session)
        new = [clip for clip in below.clips if stored_path(clip.path) not in known]
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
        count, stopped = _list_some(context, row_id, some, sums)
        added += count
    return IntakeOut(
        added=added,
        already=len(below.clips) - len(new),
        ignored=len(below.passed) + below.more_passed,
        stopped=stopped,
    )


def _list_some(
    context: Context, row_id: int, some: list[FoundClip], sums: dict[Path, tuple[Sum, str]]
) -> tuple[int, bool]:
    """List some clips; how many were, and whether somebody has stopped it."""
    with context.session() as session:
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
    """What is told of the checksum lists found, and every file's checksum with the list it stands in."""
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
        gone = [file.name for file in found.sums if not file.is_file()]
        one["missing"] = [storable(name, 200) for name in gone[:NAMED]]
        sums.update({file.resolve(): (value, path.name) for file, value in found.sums.items()})
    return told, sums


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


@router.post("/intake/stop")
def stop(context: ContextDep) -> int:
    """Stop taking in: what is measured stays, the rest waits until it goes on. Gives how many shots wait."""
    with context.session() as session:
        if (last := _last(session)) is not None:
            last.stopped = True
        waiting = list(session.scalars(select(Shot).where(Shot.progress == "waiting").with_for_update()))
        for shot in waiting:
            shot.progress = "stopped"
        return len(waiting)


@router.post("/intake/go-on")
def go_on(context: ContextDep) -> IntakeOut:
    """Go on with what was stopped: with the folder's other clips, and with measuring."""
    with context.session() as session:
        stopped = list(session.scalars(select(Shot).where(Shot.progress == "stopped").with_for_update()))
        for shot in stopped:
            shot.progress = "waiting"
        queue.defer_measures(session, [shot.id for shot in stopped])
        last = _last(session)
        folder = Path(last.folder) if last and last.stopped and last.done < last.total else None
        if last is not None:
            last.stopped = False
    if folder is not None:
        return _take_in(context, context.settings.allowed(folder))
    return IntakeOut(added=0, already=0, ignored=0)


@router.post("/intake/checksums")
def write_checksums(context: ContextDep) -> WrittenOut:
    """Write an ASC MHL of every file that was taken in and read, below the data folder."""
    with context.session() as session:
        shots = [shot for shot in the_production(session).shots if shot.progress == "ready" and shot.clip.get("files")]
        if not shots:
            raise ValueError("nothing is measured yet; checksums are taken when clips are measured")
        folders = [Path(shot.path).parent for shot in shots]
        root = folders[0]
        while not all(folder.is_relative_to(root) for folder in folders):
            root = root.parent
        listed = [
            Listed(str(folder.relative_to(root) / file["name"]), file["size"], Sum(KEPT_SUM, file[KEPT_SUM]))
            for shot, folder in zip(shots, folders, strict=True)
            for file in shot.clip["files"]
        ]
    path = context.settings.data / "checksums" / f"{datetime.now().strftime('%Y-%m-%d_%H%M%S')}.mhl"
    path.parent.mkdir(parents=True, exist_ok=True)
    checksum_list.write_asc_mhl(path, listed, str(root))
    return WrittenOut(path=str(path), files=len(listed))
