"""Handing over: CDL files and tables, and a list of what was handed over."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import numpy as np
from fastapi import APIRouter
from fastapi.responses import FileResponse
from sqlalchemy import select

from dovrel.core.colour import encodings, outputs
from dovrel.core.develop import whole
from dovrel.core.steps.carried import Sampling, as_cdls, frames_to_carry, point_wise
from dovrel.core.steps.levels import AtFrame
from dovrel.formats import asc_cdl, clf, cube, cut_list, day_report
from dovrel.formats.day_report import DayTold
from dovrel.jobs import queue, reporting
from dovrel.jobs.handing import ENDED, seal
from dovrel.jobs.sources import source_of
from dovrel.machine.files import folder_aside
from dovrel.media.frames import FrameStore
from dovrel.media.writing import KINDS
from dovrel.service.context import Context, ContextDep, the_shot
from dovrel.service.fields import Id
from dovrel.service.schemas import HandedFile, HandoverIn, HandoverOut
from dovrel.store import corrections
from dovrel.store.models import Handover, HandoverItem, Shot
from dovrel.store.production import the_production

router = APIRouter(prefix="/api/handovers", tags=["handover"])


def safe_name(name: str) -> str:
    """A file name from a shot's or family's: letters, digits, dot, dash and underscore only."""
    return re.sub(r"[^\w.-]+", "_", name, flags=re.ASCII).strip("._")[:150] or "shot"


COLOURS_A_FRAME = 6000


def recorded_colours(shot: Shot, frames: FrameStore) -> np.ndarray:
    """Recorded colours from the shot's start, middle and end, float32 (N, 3)."""
    source = source_of(shot)
    last = source.info.frames - 1
    pixels = [frames.preview(source, frame).recorded.reshape(-1, 3) for frame in sorted({0, last // 2, last})]
    return np.concatenate([p[:: max(1, len(p) // COLOURS_A_FRAME)] for p in pixels]).astype(np.float32)


@dataclass(frozen=True)
class _AtFrame:
    """What is handed over of a shot at one frame: `part` names the frame in file names, and is empty where nothing changes."""

    levels: AtFrame
    part: str


def _along(shot: Shot, sampling: Sampling) -> list[_AtFrame]:
    levels = corrections.levels_of(shot)
    frames = frames_to_carry(levels, source_of(shot).info.frames, sampling)
    return [_AtFrame(levels.at(frame), f".frame{frame + 1:04d}" if levels.frames else "") for frame in frames]


def _corrections(shot: Shot, sampling: Sampling) -> list[tuple[str, asc_cdl.NamedCorrection]]:
    """The shot's ten numbers at each frame in as few CDLs as carry them exactly, to be applied one after another.

    Each with what its file's name ends in.
    """
    viewing = outputs.find(shot.production.output).name
    found = []
    for here in _along(shot, sampling):
        chain = as_cdls(here.levels)
        for place, numbers in enumerate(chain, 1):
            part = here.part if len(chain) == 1 else f"{here.part}.{place}of{len(chain)}"
            found.append((part, asc_cdl.NamedCorrection(f"{shot.name}{part}", numbers, viewing)))
    return found


def _write_shot(
    folder: Path, shot: Shot, stem: str, order: HandoverIn, output: str, colours: Callable[[Shot], np.ndarray]
) -> list[HandedFile]:
    written = []
    for kind in order.formats:
        paths = []
        if kind in ("cdl", "cc"):
            write = asc_cdl.write_cdl if kind == "cdl" else asc_cdl.write_cc
            for part, correction in _corrections(shot, order.sampling):
                paths.append(folder / f"{stem}{part}.{kind}")
                write(paths[-1], correction)
        elif kind == "cube":
            for here in _along(shot, order.sampling):
                nodes = whole.bake(shot.camera.encoding, here.levels.in_order, output, colours=colours(shot))
                paths.append(folder / f"{stem}{here.part}.cube")
                cube.write(paths[-1], nodes, f"{shot.name}{here.part}: recorded to {outputs.find(output).name}")
        elif kind == "clf":
            for here in _along(shot, order.sampling):
                paths.append(folder / f"{stem}{here.part}.clf")
                reaching = encodings.to_working(colours(shot), shot.camera.encoding, output)
                clf.write(paths[-1], point_wise(here.levels.in_order), f"{shot.name}{here.part}", reaching)
        written += [
            HandedFile(name=path.name, format=kind, shot=shot.name, version_id=shot.version_id) for path in paths
        ]
    return written


@router.post("")
def hand_over(order: HandoverIn, context: ContextDep) -> HandoverOut:
    """Write the asked formats of the asked shots into a new folder, which is there whole or not at all."""
    day = _report_of(order, context) if order.report else None
    stamp = datetime.now().strftime("%Y-%m-%d_%H%M%S_%f")[:-3]
    folder = context.settings.data / "handover" / stamp
    with context.session() as session:
        production = the_production(session)
        shots = [the_shot(session, shot_id) for shot_id in dict.fromkeys(order.shots)]
        for shot in shots:
            if shot.progress != "ready":
                raise ValueError(f"{shot.name} cannot be handed over: {shot.fault or 'it is not measured yet'}")
        stems = _stems(shots)
        with folder_aside(folder) as aside:
            files = _write_all(aside, stems, order, production.output, context.frames)
            if day:
                files += _write_report(aside, day)
        if not order.clips:
            seal(folder)
        row = Handover(production_id=production.id, folder=str(folder), files=[file.model_dump() for file in files])
        row.items = [_item(shot, stem, kind, order.width) for shot, stem in stems.items() for kind in order.clips]
        session.add(row)
        session.flush()
        queue.defer_renders(session, [item.id for item in row.items])
        return HandoverOut.model_validate(row)


def _cuts(shots: list[Shot]) -> list[cut_list.Cut]:
    """The shots in the order of the line-up, as it uses them; without one, each whole."""
    chosen = {shot.id: shot for shot in shots}
    uses = [use for use in shots[0].production.line_up if use["shot"] in chosen]
    return [_cut(chosen[use["shot"]], use.get("span")) for use in uses] or [_cut(shot, None) for shot in shots]


def _cut(shot: Shot, span: list[int] | None) -> cut_list.Cut:
    info, levels = source_of(shot).info, corrections.levels_of(shot)
    first, last = span or (0, info.frames - 1)
    frame = (first + last) // 2
    chain = as_cdls(levels.at(frame))
    notes = [f"ten numbers of frame {frame + 1}"] if levels.frames else []
    if len(chain) > 1:
        notes.append(f"{len(chain)} CDLs one after another carry it; they are files of their own")
    reel = info.tags.get("reel_name", info.tags.get("roll", ""))
    return cut_list.Cut(
        shot.name,
        Path(shot.path).name,
        reel,
        info.rate,
        info.timecode,
        info.frames,
        first,
        min(last, info.frames - 1),
        chain[0] if len(chain) == 1 else None,
        "; ".join(notes),
    )


def _report_of(order: HandoverIn, context: Context) -> DayTold:
    with context.session() as session:
        shots = [the_shot(session, shot_id) for shot_id in dict.fromkeys(order.shots)]
        listed = reporting.listed(the_production(session), shots)
    return reporting.told(listed, context.frames)


def _write_report(folder: Path, told: DayTold) -> list[HandedFile]:
    day_report.write_html(folder / "report.html", told)
    day_report.write_csv(folder / "measurements.csv", told)
    return [
        HandedFile(name=name, format="report", shot="", version_id=None) for name in ("report.html", "measurements.csv")
    ]


def _item(shot: Shot, stem: str, kind: str, width: int | None) -> HandoverItem:
    """A shot to be rendered, under all that is in force now."""
    as_file = KINDS[kind]
    name = f"{stem}_{kind}{'' if as_file.is_sequence else as_file.suffix}"
    levels = corrections.kept_columns(corrections.levels_of(shot))
    return HandoverItem(
        shot_id=shot.id,
        version_id=shot.version_id,
        levels=levels,
        kind=kind,
        name=name,
        width=width,
        state="waiting",
        part=0.0,
        said="",
    )


def _stems(shots: list[Shot]) -> dict[Shot, str]:
    """What each shot's files are called; of two of one name the second has its number."""
    stems: dict[Shot, str] = {}
    for shot in shots:
        stem = safe_name(shot.name)
        stems[shot] = stem if stem not in stems.values() else f"{stem}_{shot.id}"
    return stems


@router.post("/{handover_id}/cancel")
def cancel(handover_id: Id, context: ContextDep) -> HandoverOut:
    """End what is still being rendered; what is done stays."""
    with context.session() as session:
        row = session.get(Handover, handover_id, with_for_update=True)
        if row is None:
            raise LookupError("there is no such handover")
        row.cancelled = True
        for item in row.items:
            if item.state == "waiting":
                item.state = "cancelled"
        session.flush()
        if all(item.state in ENDED for item in row.items):
            seal(Path(row.folder))
        return HandoverOut.model_validate(row)


def _write_all(
    folder: Path, stems: dict[Shot, str], order: HandoverIn, output: str, frames: FrameStore
) -> list[HandedFile]:
    files: list[HandedFile] = []
    for shot, stem in stems.items():
        files += _write_shot(folder, shot, stem, order, output, lambda shot: recorded_colours(shot, frames))
    cuts = _cuts(list(stems)) if {"otio", "edl"} & set(order.formats) else []
    for kind, write in (("otio", cut_list.write_otio), ("edl", cut_list.write_edl)):
        if kind in order.formats:
            path = folder / f"line-up.{kind}"
            write(path, next(iter(stems)).production.name, cuts)
            files.append(HandedFile(name=path.name, format=kind, shot="", version_id=None))
    if "ccc" in order.formats:
        by_family: dict[str, list[Shot]] = {}
        for shot in stems:
            by_family.setdefault(shot.family.name if shot.family else "unsorted", []).append(shot)
        for family, members in by_family.items():
            path = folder / f"{safe_name(family)}.ccc"
            asc_cdl.write_ccc(path, [one for shot in members for _, one in _corrections(shot, order.sampling)])
            files.append(HandedFile(name=path.name, format="ccc", shot=family, version_id=None))
    return files


@router.get("")
def read_handovers(context: ContextDep) -> list[HandoverOut]:
    """What was handed over, newest first."""
    with context.session() as session:
        rows = session.scalars(select(Handover).order_by(Handover.id.desc()).limit(100))
        return [HandoverOut.model_validate(row) for row in rows]


@router.get("/{handover_id}/{name}", response_class=FileResponse)
def read_file(handover_id: Id, name: str, context: ContextDep) -> FileResponse:
    """One handed-over file."""
    with context.session() as session:
        row = session.get(Handover, handover_id)
        rendered = {item.name for item in row.items if item.state == "done"} if row else set()
        if row is None or name not in {file["name"] for file in row.files} | rendered:
            raise LookupError("there is no such file in that handover")
        path = Path(row.folder) / name
    if path.is_dir():
        raise ValueError(f"{name} is a folder of stills; it lies at {path}")
    if not path.is_file():
        raise LookupError(f"{name} has been moved or deleted since it was handed over")
    return FileResponse(path, filename=name)
