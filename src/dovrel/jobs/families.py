"""A family solved as one: its shots, their links, and an answer for each."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache, partial
from pathlib import Path

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from dovrel.core.colour import tables
from dovrel.core.develop.frame import display_of
from dovrel.core.match.along import looked_at
from dovrel.core.match.cameras import Cameras, extend_cameras
from dovrel.core.match.chains import trust_of
from dovrel.core.match.family import COLOURS, Member, Solved, camera_needs, solve_family
from dovrel.core.match.fit import blend
from dovrel.core.match.link import Ends
from dovrel.core.match.match import OBLIQUE_TOLERANCE, TOLERANCE, Match
from dovrel.core.measure.readings import readings_of_display
from dovrel.core.measure.sampled import take_sample
from dovrel.core.steps.chain import Chain, apply_in_order
from dovrel.core.steps.correction import BALANCE
from dovrel.core.steps.primary import Primary
from dovrel.errors import Refused
from dovrel.jobs.linking import Relative, Told, find_links, over_bridges
from dovrel.jobs.subject import kept_subject, subject_of
from dovrel.machine.newest import Newest
from dovrel.media.faults import MediaFault
from dovrel.media.frames import FrameStore
from dovrel.store import corrections
from dovrel.store.models import Family, Shot

KEPT_SOLUTIONS = 4
FURTHER = 0.05, 0.95
"""Parts of a shot's length at which it is looked at further: places change most towards its ends."""
MOST_BRIDGES = 8
"""Shots of other families that are asked for a shot that is hardly linked to the reference in its own."""


@dataclass(frozen=True)
class Solution:
    """A family solved, and what its links amount to: how many points are shared, and how far that is trusted, 0..1.

    `relatives` are its shots, and frames of other families' shots that some of them are linked to, `members` the same as they were solved;
    `cameras` finds the extended steps of its cameras, once they are asked for.
    """

    relatives: tuple[Relative, ...]
    members: tuple[Member, ...]
    solved: Solved
    shared: dict[Ends, tuple[int, float]]
    cameras: Callable[[], Cameras]


_solutions: Newest[Solution] = Newest(KEPT_SOLUTIONS)


def relatives_of(session: Session, family: Family, versions: Mapping[int, int] | None = None) -> list[Relative]:
    """The reference's frame, then all measured shots of a family in the order of their numbers, with their corrections, those whose
    balance has keyframes at several of these; behind them the nearest shots of other families, those whose light or view changes
    first.

    `versions` are the corrections' versions, by shot, where they are not those of now: 0 is what a shot started with.

    Raises
    ------
    Refused
        If the family has no reference.
    """
    kept = family.reference
    if kept is None:
        raise Refused(f"{family.name} has no reference yet; choose one on the Wall or Desk")
    there = kept_subject(kept)
    first = Relative(
        kept.shot_id, kept.shot.name, kept.shot.camera.name, there, kept.frame, kept.shot.checksum, there.levels.shot
    )
    shots = session.scalars(
        select(Shot)
        .where(Shot.family_id == family.id, Shot.id != kept.shot_id, Shot.progress == "ready", ~Shot.off)
        .order_by(Shot.id)
    ).all()
    known = versions or {}
    found = [
        first,
        *(one for shot in shots for one in _along(_relative(session, shot, known, further=_is_steady(shot)))),
    ]
    return [*found, *(_relative(session, shot, known, bridge=True) for shot in _bridges(session, family, found))]


def _bridges(session: Session, family: Family, relatives: Sequence[Relative]) -> list[Shot]:
    """Shots of other families that may see what a family's shots see: those that change, then those that were shot nearest."""
    others = session.scalars(
        select(Shot).where(
            Shot.production_id == family.production_id,
            Shot.family_id.is_not(None),
            Shot.family_id != family.id,
            Shot.progress == "ready",
            ~Shot.off,
        )
    ).all()
    numbers = [one.shot_id for one in relatives]

    def rank(shot: Shot) -> tuple[bool, int, int]:
        return _is_steady(shot), min(abs(shot.id - number) for number in numbers), shot.id

    return sorted(others, key=rank)[:MOST_BRIDGES]


def _is_steady(shot: Shot) -> bool:
    return ((shot.measured or {}).get("course") or {}).get("steadiness") == "steady"


def _relative(
    session: Session, shot: Shot, versions: Mapping[int, int], *, further: bool = True, bridge: bool = False
) -> Relative:
    subject = subject_of(shot)
    version = versions.get(shot.id)
    start = subject.levels.shot if version is None else corrections.correction_as_of(session, shot, version)
    last = subject.last
    places = {int(part * last) for part in FURTHER} - {subject.middle}
    more = tuple(sorted(places)) if further else ()
    changing = bridge and not _is_steady(shot)
    return Relative(
        shot.id, shot.name, shot.camera.name, subject, subject.middle, shot.checksum, start, bridge, more, changing
    )


def _along(one: Relative) -> list[Relative]:
    """A shot at the keyframes at which it is matched, if its balance has any."""
    if not one.start.step(BALANCE).keyframes:
        return [one]
    return [one.at(frame) for frame in looked_at(one.start, one.frame, one.subject.last)]


def answers_for(
    shot_id: int,
    relatives: Sequence[Relative],
    frames: FrameStore,
    folder: Path,
    strength: float = 1.0,
    told: Told | None = None,
    *,
    extended: bool = False,
) -> dict[int, Match]:
    """A shot's matches in its family by frame: one for its middle frame, with its camera's extended step if that is wanted, or one
    for each of its keyframes that is matched. Frames that are linked to nothing have none."""
    numbers = _frames_of(shot_id, relatives)
    if not numbers:
        return {}
    solution = solution_of(relatives, frames, folder, told)
    found = {relatives[n].frame: _answer(solution, n, frames, strength, extended=extended) for n in numbers}
    return {frame: answer for frame, answer in found.items() if answer}


def _frames_of(shot_id: int, relatives: Sequence[Relative]) -> list[int]:
    """The places of a shot among its relatives; none of the reference's."""
    return [n for n, one in enumerate(relatives) if n and one.shot_id == shot_id and not one.bridge]


def _answer(solution: Solution, number: int, frames: FrameStore, strength: float, *, extended: bool) -> Match | None:
    """The match of a frame of a solved family; None where it is linked to nothing."""
    relatives = solution.relatives
    placed, part = solution.solved.shots[number], None
    if extended and not relatives[number].changing:
        table = tables.output_table(relatives[0].subject.source.output)
        found, placed = solution.cameras().extended(number, table)
        part = found.extended.at_strength(strength) if found.extended else None
    if not placed.chain or placed.residuals is None:
        return None
    relative, reference = relatives[number], relatives[0]
    start = _numbers(relative)
    numbers = blend(start, placed.offered or placed.numbers, strength)
    then = reference.subject.levels.at(reference.frame)
    return Match(
        numbers=numbers,
        extended=part,
        distance_before=placed.distance_before or 0.0,
        distance_after=placed.distance_after or 0.0,
        residuals=placed.residuals,
        left=_readings(frames, reference, then.balanced)
        - _readings(frames, relative, (*relative.before, numbers, *([part] if part else []))),
        confidence=placed.confidence,
        basis="chain",
        notes=placed.notes,
        correspondences=placed.found,
        tolerance=TOLERANCE if len(placed.chain) == 2 and placed.overlies else OBLIQUE_TOLERANCE,
        chain=tuple(relatives[n].name for n in placed.chain),
        offered=placed.offered is not None,
    )


def camera_needs_of(shot_id: int, relatives: Sequence[Relative], frames: FrameStore, folder: Path) -> np.ndarray | None:
    """What the other shots of a shot's camera needed in its family, where they agree: see :func:`camera_needs`."""
    numbers = _frames_of(shot_id, relatives)
    if not numbers:
        return None
    solution = solution_of(relatives, frames, folder)
    linked = {n: placed for n, placed in enumerate(solution.solved.shots) if placed.chain}
    return camera_needs(solution.members, linked, numbers[0])


def solution_of(relatives: Sequence[Relative], frames: FrameStore, folder: Path, told: Told | None = None) -> Solution:
    """A family solved: the last ones are remembered."""
    key = tuple((one.key, one.start) for one in relatives)
    known = _solutions.get(key)
    if known is not None:
        return known
    own = [one for one in relatives if not one.bridge]
    found = find_links(own, frames, folder, told)
    everyone, links = over_bridges(own, found, [one for one in relatives if one.bridge], frames, folder)
    members = tuple(_member(one, frames, reference=n == 0) for n, one in enumerate(everyone))
    table = tables.output_table(relatives[0].subject.source.output)
    solved = solve_family(members, 0, links, table)
    shared = {ends: (one.found, trust_of(one)) for ends, one in links.items()}
    cameras = cache(partial(extend_cameras, members, 0, solved, links, table))
    return _solutions.keep(key, Solution(tuple(everyone), members, solved, shared, cameras))


def _member(one: Relative, frames: FrameStore, *, reference: bool) -> Member:
    frame_of = str(one.shot_id) if one.changing else None
    try:
        working = frames.preview(one.subject.source, one.frame).working
    except MediaFault:
        return Member(one.name, _numbers(one), one.camera, frame_of=frame_of)
    colours = np.ascontiguousarray(apply_in_order(take_sample(working, COLOURS), one.before), np.float32)
    chain = one.subject.levels.at(one.frame).from_balance
    after = tuple(chain[1:]) if reference and chain and isinstance(chain[0], Primary) else ()
    return Member(one.name, _numbers(one), one.camera, colours, after, frame_of)


def _numbers(one: Relative) -> Primary:
    return one.start.at(one.frame).numbers_of(BALANCE)


def _readings(frames: FrameStore, one: Relative, chain: Chain) -> np.ndarray:
    picture = frames.preview(one.subject.source, one.frame)
    table = tables.output_table(one.subject.source.output)
    thin = np.ascontiguousarray(picture.working[::3, ::3], np.float32).reshape(-1, 3)
    return readings_of_display(display_of(thin, chain, table), one.subject.percentiles)
