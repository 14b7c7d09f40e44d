"""A handover ordered: the shots as they are now, and an item for each part that a task will write."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import asdict, dataclass, field
from datetime import datetime
from pathlib import Path

from sqlalchemy.orm import Session

from dovrel.jobs import handing_numbers, naming, queue
from dovrel.jobs.handing_numbers import LISTS, Handed, Numbers, sum_of
from dovrel.jobs.picturing import Pictures
from dovrel.media.frames import FrameStore
from dovrel.media.writing import KINDS
from dovrel.store import corrections
from dovrel.store.models import HandedShot, Handover, HandoverItem, Production, Shot


@dataclass(frozen=True)
class Order:
    """What is to be handed over of some shots.

    Attributes
    ----------
    numbers : the formats that carry corrections
    clips : kinds of rendered files, keys of :data:`dovrel.media.writing.KINDS`
    report : whether a report of the day goes with them
    pictures : how rendered pictures are made
    burnt : whether the shot's words stand in them
    names : the pattern of file names, see :mod:`dovrel.jobs.naming`
    """

    numbers: Numbers
    clips: Sequence[str] = ()
    report: bool = False
    pictures: Pictures = field(default_factory=Pictures)
    burnt: bool = False
    names: str = naming.PATTERN


def place_order(
    session: Session, production: Production, shots: Sequence[Shot], order: Order, below: Path, frames: FrameStore
) -> Handover:
    """Note a new handover and queue its items; its folder, named by the time, will lie in `below`.

    Everything is handed over as it is in this transaction, whatever becomes of it before a worker takes it up.
    """
    stamp = datetime.now().strftime("%Y-%m-%d_%H%M%S_%f")[:-3]
    row = Handover(production_id=production.id, folder=str(below / stamp), order=asdict(order.numbers))
    of_shot = dict(zip(shots, handing_numbers.handed(naming.stems(shots, order.names), frames), strict=True))
    kept = {shot: _kept(shot, handed) for shot, handed in of_shot.items()}
    row.shots = list(kept.values())
    row.items = [*_numbers(row, order), *_rendered(kept, order), HandoverItem(kind="checksums", name="checksums")]
    session.add(row)
    session.flush()
    queue.defer_handing(session, row.items[:-1])
    return row


def _kept(shot: Shot, handed: Handed) -> HandedShot:
    return HandedShot(
        shot=shot,
        version_id=handed.version_id,
        name=handed.name,
        stem=handed.stem,
        family=handed.family,
        sum=sum_of(shot),
        uses=[list(use) for use in handed.uses],
        levels=corrections.kept_columns(handed.levels),
    )


def _numbers(row: Handover, order: Order) -> Iterator[HandoverItem]:
    """Items that are written rather than rendered; these come first, since they take no time to speak of."""
    if set(order.numbers.formats) - LISTS:
        for kept in row.shots:
            yield HandoverItem(handed=kept, kind="numbers", name=kept.stem)
    if set(order.numbers.formats) & LISTS:
        yield HandoverItem(kind="lists", name="lists")
    if order.report:
        yield HandoverItem(kind="report", name="report")


def _rendered(kept: dict[Shot, HandedShot], order: Order) -> Iterator[HandoverItem]:
    for shot, row in kept.items():
        pictures = asdict(order.pictures) | ({"burnt": _burnt(shot)} if order.burnt else {})
        for kind in order.clips:
            as_file = KINDS[kind]
            name = f"{row.stem}_{kind}{'' if as_file.is_sequence else as_file.suffix}"
            yield HandoverItem(handed=row, kind=kind, name=name, pictures=pictures)


def _burnt(shot: Shot) -> str:
    """What is burnt into a shot's pictures beside the timecode."""
    words = naming.words_of(shot)
    return "  ".join(word for word in (shot.name, words["camera"], words["roll"], words["clip"]) if word)
