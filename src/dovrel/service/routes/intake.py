"""Taking in: folders, clips below them, checksum lists, stopping and going on."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from fastapi import APIRouter
from sqlalchemy import select
from sqlalchemy.orm import Session

from dovrel.errors import Refused
from dovrel.formats import checksum_list
from dovrel.formats.checksum_list import Listed, Sum
from dovrel.jobs import queue, taking_in
from dovrel.jobs.taking_in import Taken
from dovrel.media.identity import KEPT_SUM
from dovrel.service.context import ContextDep
from dovrel.service.intake_schemas import IntakeIn, IntakeOut, TakingInOut, WrittenOut
from dovrel.store.models import Shot, TakingIn
from dovrel.store.production import the_production

router = APIRouter(prefix="/api", tags=["intake"])


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
        raise Refused(f"{order.folder}: there is no such folder")
    return _answer(taking_in.take_in(context.sessions, folder))


def _answer(taken: Taken) -> IntakeOut:
    return IntakeOut(
        added=taken.added,
        already=taken.already,
        ignored=taken.passed,
        stopped=taken.stopped,
        replaced=list(taken.replaced),
    )


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
        return _answer(taking_in.take_in(context.sessions, context.settings.allowed(folder)))
    return IntakeOut(added=0, already=0, ignored=0)


@router.post("/intake/checksums")
def write_checksums(context: ContextDep) -> WrittenOut:
    """Write an ASC MHL of every file that was taken in and read, below the data folder."""
    with context.session() as session:
        shots = [shot for shot in the_production(session).shots if shot.progress == "ready" and shot.clip.get("files")]
        if not shots:
            raise Refused("nothing is measured yet; Dovrel computes checksums when it measures clips")
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
    checksum_list.write_asc_mhl(path, listed, f"taken in from {root}")
    return WrittenOut(path=str(path), files=len(listed))
