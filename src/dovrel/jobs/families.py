"""A family solved as one: its links, kept on disc once they are found, and the answers for its shots.

Only what two frames share is kept, whatever is done to either, so a shot that comes later costs its own links alone, and several
workers find those of one family between them.
"""

from __future__ import annotations

import contextlib
import hashlib
import itertools
import os
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache, partial
from pathlib import Path

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from dovrel.core.colour import tables
from dovrel.core.develop.frame import display_of
from dovrel.core.match.cameras import Cameras, extend_cameras
from dovrel.core.match.chains import chains_to, ends_of, trust_of
from dovrel.core.match.family import COLOURS, Member, Solved, solve_family
from dovrel.core.match.fit import blend
from dovrel.core.match.link import Ends, Link, link
from dovrel.core.match.match import OBLIQUE_TOLERANCE, TOLERANCE, Match
from dovrel.core.match.side import side_of
from dovrel.core.match.view import View, view_of
from dovrel.core.measure.readings import readings_of_display
from dovrel.core.measure.sampled import take_sample
from dovrel.core.steps.chain import Chain, apply_in_order
from dovrel.core.steps.correction import BALANCE, Correction
from dovrel.core.steps.primary import Primary
from dovrel.jobs.subject import Subject, kept_subject, subject_of
from dovrel.machine.files import written_aside
from dovrel.machine.newest import Newest
from dovrel.media.faults import MediaFault
from dovrel.media.frames import FrameStore
from dovrel.store import corrections
from dovrel.store.models import Family, KeptFrame, Shot

_MADE = "1"
"""Of links: another one has all found anew."""
_APART = 7919
"""Places of the list of links that workers whose numbers follow each other begin apart."""
KEPT_VIEWS, KEPT_SOLUTIONS = 24, 4
_views: Newest[View] = Newest(KEPT_VIEWS)

Told = Callable[[float], None]


@dataclass(frozen=True)
class Solution:
    """A family solved, and what its links amount to: how many points are shared, and how far that is trusted, 0..1.

    `cameras` finds the extended steps of its cameras, once they are asked for.
    """

    solved: Solved
    shared: dict[Ends, tuple[int, float]]
    cameras: Callable[[], Cameras]


_solutions: Newest[Solution] = Newest(KEPT_SOLUTIONS)


@dataclass(frozen=True)
class Relative:
    """A frame of a family: the reference's kept one, or a shot's middle one."""

    shot_id: int
    name: str
    camera: str
    subject: Subject
    frame: int
    checksum: str
    start: Correction
    further: tuple[int, ...] = ()
    """Frames that are looked at where the first shares nothing that leads to the reference; none where its light changes."""

    @property
    def before(self) -> Chain:
        """What is applied before its balance."""
        return self.subject.levels.at(self.frame).before_balance

    @property
    def key(self) -> str:
        """What its links rest on."""
        source = self.subject.source
        seen = source.path, self.checksum, source.info.read_as, source.encoding, source.output, self.frame, self.before
        return hashlib.sha256(repr((_MADE, seen)).encode()).hexdigest()[:20]


def relatives_of(
    session: Session, kept: KeptFrame, family: Family, versions: Mapping[int, int] | None = None
) -> list[Relative]:
    """The reference's frame, then all measured shots of a family in the order of their numbers, with their corrections.

    `versions` are the corrections' versions, by shot, where they are not those of now: 0 is what a shot started with.
    """
    there = kept_subject(kept)
    first = Relative(
        kept.shot_id, kept.shot.name, kept.shot.camera.name, there, kept.frame, kept.shot.checksum, there.levels.shot
    )
    shots = session.scalars(
        select(Shot)
        .where(Shot.family_id == family.id, Shot.id != kept.shot_id, Shot.progress == "ready", ~Shot.off)
        .order_by(Shot.id)
    ).all()
    found = [first]
    for shot in shots:
        subject = subject_of(shot)
        known = (versions or {}).get(shot.id)
        start = subject.levels.shot if known is None else corrections.correction_as_of(session, shot, known)
        last = subject.source.info.frames - 1
        steady = ((shot.measured or {}).get("course") or {}).get("steadiness") == "steady"
        further = tuple(sorted({last // 4, 3 * last // 4} - {subject.middle})) if steady else ()
        found.append(
            Relative(shot.id, shot.name, shot.camera.name, subject, subject.middle, shot.checksum, start, further)
        )
    return found


def find_links(
    relatives: Sequence[Relative], frames: FrameStore, folder: Path, told: Told | None = None
) -> dict[Ends, Link]:
    """The links between any two frames of a family: those kept in a folder, and the others found and kept there.

    Workers begin at different places, so that they find what is missing between them. A shot that hangs on nothing by its middle
    frame is looked at on further ones.
    """
    ends = list(itertools.combinations(range(len(relatives)), 2))
    first = os.getpid() * _APART % max(len(ends), 1)
    found: dict[Ends, Link] = {}
    for number, (one, other) in enumerate([*ends[first:], *ends[:first]], 1):
        if there := _kept_link(relatives[one], relatives[other], frames, folder):
            found[one, other] = there
        if told:
            told(number / len(ends))
    _look_further(relatives, found, frames, folder)
    _views.clear()
    # In one order, so that all who solve the family come to the same numbers.
    return dict(sorted(found.items()))


def _look_further(relatives: Sequence[Relative], found: dict[Ends, Link], frames: FrameStore, folder: Path) -> None:
    """Links of shots that hang on nothing, by the first of their further frames that has some."""
    chains = chains_to(0, len(relatives), dict(sorted(found.items())))
    hanging = [n for n, chain in enumerate(chains) if chain]
    for lonely in (n for n, chain in enumerate(chains) if not chain):
        for frame in relatives[lonely].further:
            moved = {lonely: replace(relatives[lonely], frame=frame)}
            for other in hanging:
                ends = ends_of(lonely, other)
                one, two = (moved.get(n, relatives[n]) for n in ends)
                if there := _kept_link(one, two, frames, folder):
                    found[ends] = there
            if any(lonely in ends for ends in found):
                break


def _kept_link(one: Relative, other: Relative, frames: FrameStore, folder: Path) -> Link | None:
    path = folder / "links" / f"{one.key}.{other.key}.npz"
    if path.is_file():
        try:
            if time.time() - path.stat().st_mtime > _DAY:
                path.touch()
            return _read(path)
        except (ValueError, OSError, KeyError):
            path.unlink(missing_ok=True)
    try:
        found = link(_view(one, frames), _view(other, frames))
    except MediaFault:
        return None
    _write(path, found)
    return found


def forget_links(folder: Path) -> None:
    """Throw away links that nobody has asked for lately: of days that are handed over, and of shots that are read otherwise now."""
    for path in (folder / "links").glob("*.npz"):
        with contextlib.suppress(OSError):
            if time.time() - path.stat().st_mtime > KEPT_DAYS * _DAY:
                path.unlink()


KEPT_DAYS = 30
_DAY = 24 * 3600.0


def _view(relative: Relative, frames: FrameStore) -> View:
    key = relative.key
    known = _views.get(key)
    if known is not None:
        return known
    picture = frames.preview(relative.subject.source, relative.frame)
    table = tables.output_table(relative.subject.source.output)
    return _views.keep(
        key, view_of(side_of(apply_in_order(picture.working, relative.before), picture.reach, None), table)
    )


def _write(path: Path, found: Link | None) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    with written_aside(path) as aside, aside.open("wb") as file:
        if found is None:
            np.savez(file, found=0)
        else:
            sides = {name: getattr(found, name) for name in ("one", "other", "places")}
            weight = found.weight.astype(np.float32)
            np.savez(file, found=found.found, overlies=found.overlies, weight=weight, **sides)


def _read(path: Path) -> Link | None:
    with np.load(path) as kept:
        if not int(kept["found"]):
            return None
        weight = kept["weight"].astype(np.float64)
        return Link(kept["one"], kept["other"], weight, kept["places"], int(kept["found"]), bool(kept["overlies"]))


def answer_for(
    shot_id: int,
    relatives: Sequence[Relative],
    frames: FrameStore,
    folder: Path,
    strength: float = 1.0,
    told: Told | None = None,
    *,
    extended: bool = False,
) -> Match | None:
    """A shot's match in its family, with its camera's extended step if that is wanted; None where it hangs on nothing there, or
    where its balance changes along it."""
    number = next((n for n, one in enumerate(relatives) if n and one.shot_id == shot_id), 0)
    if not number or relatives[number].start.step(BALANCE).keyframes:
        return None
    solution = solution_of(relatives, frames, folder, told)
    placed, part = solution.solved.shots[number], None
    if extended:
        table = tables.output_table(relatives[0].subject.source.output)
        found, placed = solution.cameras().extended(number, table)
        part = found.extended.at_strength(strength) if found.extended else None
    if not placed.chain or placed.residuals is None:
        return None
    relative, reference = relatives[number], relatives[0]
    start = _numbers(relative)
    numbers = blend(start, placed.offered or placed.numbers, strength)
    shown = partial(_readings, frames)
    then = reference.subject.levels.at(reference.frame)
    return Match(
        numbers=numbers,
        extended=part,
        distance_before=placed.distance_before or 0.0,
        distance_after=placed.distance_after or 0.0,
        residuals=placed.residuals,
        left=shown(reference, then.balanced) - shown(relative, (*relative.before, numbers, *([part] if part else []))),
        sureness=placed.sureness,
        basis="chain",
        notes=placed.notes,
        correspondences=placed.found,
        tolerance=TOLERANCE if len(placed.chain) == 2 and placed.overlies else OBLIQUE_TOLERANCE,
        chain=tuple(relatives[n].name for n in placed.chain),
        offered=placed.offered is not None,
    )


def solution_of(relatives: Sequence[Relative], frames: FrameStore, folder: Path, told: Told | None = None) -> Solution:
    """A family solved: the last ones are remembered."""
    key = tuple((one.key, one.start) for one in relatives)
    known = _solutions.get(key)
    if known is not None:
        return known
    links = find_links(relatives, frames, folder, told)
    members = [_member(one, frames, reference=n == 0) for n, one in enumerate(relatives)]
    table = tables.output_table(relatives[0].subject.source.output)
    solved = solve_family(members, 0, links, table)
    shared = {ends: (one.found, trust_of(one)) for ends, one in links.items()}
    cameras = cache(partial(extend_cameras, members, 0, solved, links, table))
    return _solutions.keep(key, Solution(solved, shared, cameras))


def _member(one: Relative, frames: FrameStore, *, reference: bool) -> Member:
    try:
        working = frames.preview(one.subject.source, one.frame).working
    except MediaFault:
        return Member(one.name, _numbers(one), one.camera)
    colours = np.ascontiguousarray(apply_in_order(take_sample(working, COLOURS), one.before), np.float32)
    chain = one.subject.levels.at(one.frame).from_balance
    after = tuple(chain[1:]) if reference and chain and isinstance(chain[0], Primary) else ()
    return Member(one.name, _numbers(one), one.camera, colours, after)


def _numbers(one: Relative) -> Primary:
    return one.start.at(one.frame).numbers_of(BALANCE)


def _readings(frames: FrameStore, one: Relative, chain: Chain) -> np.ndarray:
    picture = frames.preview(one.subject.source, one.frame)
    table = tables.output_table(one.subject.source.output)
    thin = np.ascontiguousarray(picture.working[::3, ::3], np.float32).reshape(-1, 3)
    return readings_of_display(display_of(thin, chain, table), one.subject.percentiles)
