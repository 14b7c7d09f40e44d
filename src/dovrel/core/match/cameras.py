"""What ten numbers leave between a family's cameras: one extended step for all shots of a camera, from all its links."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from dovrel.core.colour.tables import Table
from dovrel.core.develop.frame import display_of
from dovrel.core.match.chains import ends_of
from dovrel.core.match.extend import NO_EXTENSION, Extension, extend_shots
from dovrel.core.match.family import Member, Placed, Solved, judged_part, left_off, pairs_with
from dovrel.core.match.fit import Pairs
from dovrel.core.match.link import Ends, Link
from dovrel.core.match.match import AS_NEAR
from dovrel.core.match.residuals import of_pairs
from dovrel.core.steps.chain import Chain


@dataclass(frozen=True)
class Cameras:
    """A solved family with an extended step for each camera that gains by one.

    Attributes
    ----------
    extensions : by camera; the reference's own has none
    shots : how many shots of a camera lie over one of the reference's camera
    """

    members: Sequence[Member]
    reference: int
    solved: Solved
    links: Mapping[Ends, Link]
    extensions: Mapping[str, Extension]
    shots: Mapping[str, int]

    def under(self, shot: int) -> Chain:
        """What a shot is shown by: its ten numbers, its camera's extended step, and what stays after the reference's."""
        extended = self.extensions.get(self.members[shot].camera or "", NO_EXTENSION).extended
        after = self.members[shot].after
        return (self.solved.shots[shot].numbers, *([extended] if extended and shot != self.reference else []), *after)

    def extended(self, shot: int, table: Table) -> tuple[Extension, Placed]:
        """A shot's extended step, and its answer with the distance and what is left under it; a note says why there is none."""
        placed, camera = self.solved.shots[shot], self.members[shot].camera or ""
        found = self.extensions.get(camera, NO_EXTENSION)
        if found.extended is None or len(placed.chain) < 2 or placed.offered is not None:
            return NO_EXTENSION, replace(placed, notes=(*placed.notes, self._none(camera)))
        along = [self._apart(ends_of(one, other), table) for one, other in pairwise(placed.chain)]
        after = float(np.linalg.norm(along))
        if after > (placed.distance_after or 0.0) + AS_NEAR or not self._brings_nearer(shot, table):
            note = f"the extended step of camera {camera} brings it no nearer, and is left out"
            return NO_EXTENSION, replace(placed, notes=(*placed.notes, note))
        first = ends_of(*placed.chain[:2])
        pairs = pairs_with(judged_part(self.links[first]), first, shot, self.under(placed.chain[1]), table)
        many = self.shots[camera]
        shots = f"{many} shots of it lie" if many > 1 else "one shot of it lies"
        note = (
            f"the extended step of camera {camera} takes {found.gained:.0%} off the difference where it was not fitted, "
            f"{shots} over the reference's camera; CDLs do not carry it"
        )
        return found, replace(
            placed,
            distance_after=after,
            residuals=of_pairs(pairs, display_of(pairs.shot, self.under(shot), table)),
            notes=(*placed.notes, note),
        )

    def _brings_nearer(self, shot: int, table: Table) -> bool:
        """Whether the step does so where the shot lies over one of the reference's camera, which says more of it than another angle;
        if it lies over none, on the first link of its chain."""
        chain = self.solved.shots[shot].chain
        over = _lies_over(shot, self.members, self.reference, self.solved, self.links)
        plain = (self.solved.shots[shot].numbers, *self.members[shot].after)
        met = [ends_of(shot, other) for other in over] or [ends_of(*chain[:2])]
        gains = [self._apart(ends, table, {shot: plain}) - self._apart(ends, table) for ends in met]
        return float(np.mean(gains)) >= AS_NEAR

    def _none(self, camera: str) -> str:
        if camera == (self.members[self.reference].camera or ""):
            return "no extended step: it is of the reference's own camera"
        if not self.shots.get(camera):
            return "no extended step: no shot of its camera lies over one of the reference's camera"
        return "no extended step: for its camera a matrix and curves gain nothing on what they were not fitted to"

    def _apart(self, ends: Ends, table: Table, chains: Mapping[int, Chain] | None = None) -> float:
        """Mean CIEDE2000 between a link's pairs that judge, under the chains of its ends; `chains` are in the place of theirs."""
        link, known = judged_part(self.links[ends]), chains or {}
        left = left_off(link, ends, [known.get(n) or self.under(n) for n in ends], table)
        return float(np.average(left, weights=link.weight))


def extend_cameras(
    members: Sequence[Member], reference: int, solved: Solved, links: Mapping[Ends, Link], table: Table
) -> Cameras:
    """Fit an extended step for every other camera than the reference's, to all its shots that lie over one of that.

    Parameters are those of :func:`dovrel.core.match.family.solve_family`, and what it made of them.
    """
    own = members[reference].camera
    cameras = dict.fromkeys(one.camera for one in members if one.camera is not None and one.camera != own)
    parts = {camera: _over(camera, members, reference, solved, links, table) for camera in cameras}
    return Cameras(
        members,
        reference,
        solved,
        links,
        {camera: extend_shots(shots, table) if shots else NO_EXTENSION for camera, shots in parts.items()},
        {camera: len(shots) for camera, shots in parts.items()},
    )


def _over(
    camera: str,
    members: Sequence[Member],
    reference: int,
    solved: Solved,
    links: Mapping[Ends, Link],
    table: Table,
) -> list[Pairs]:
    """For each of a camera's shots that has an answer and does not change, under its ten numbers, what it shares with the
    reference's camera."""
    found = []
    for shot, (member, placed) in enumerate(zip(members, solved.shots, strict=True)):
        if member.camera != camera or member.frame_of is not None or not placed.chain or placed.offered is not None:
            continue
        met = []
        for other in _lies_over(shot, members, reference, solved, links):
            ends, under = ends_of(shot, other), (solved.shots[other].numbers, *members[other].after)
            met.append(pairs_with(links[ends], ends, shot, under, table))
        if met:
            pairs = Pairs.of_all(met)
            balanced = placed.numbers.apply(pairs.shot).astype(np.float32)
            found.append(replace(pairs, shot=balanced))
    return found


def _lies_over(
    shot: int, members: Sequence[Member], reference: int, solved: Solved, links: Mapping[Ends, Link]
) -> list[int]:
    """Shots of the reference's camera over which a shot lies, that have an answer which is given."""
    return [
        other
        for other in range(len(members))
        if (ends := ends_of(shot, other)) in links
        and _settled(members, reference, solved, other)
        and links[ends].overlies
        and ends not in solved.contrary
    ]


def _settled(members: Sequence[Member], reference: int, solved: Solved, shot: int) -> bool:
    """Whether a shot is of the reference's camera, and has an answer that is given."""
    placed = solved.shots[shot]
    return members[shot].camera == members[reference].camera and bool(placed.chain) and placed.offered is None
