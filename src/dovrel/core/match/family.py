"""A family of shots solved as one: every link between two of them counts, and each is linked to the reference by its neighbours.

Shots are first placed in turn, the most trusted first, each by its links to those that have their numbers; then all are moved
together (`together`). A part of every link's pairs is left out of both, and says whether a shot's answer is better than none.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import STOP
from dovrel.core.develop.frame import display_of
from dovrel.core.match.chains import Hanging, chains_to, ends_of, trust_of
from dovrel.core.match.cue import agreed
from dovrel.core.match.fit import LIGHT, SHAPE, Pairs, blend, differences, fit, to_numbers, to_vector
from dovrel.core.match.link import Ends, Link
from dovrel.core.match.match import AS_NEAR, SURE_BY_LIGHT
from dovrel.core.match.oblique import SHAPE_PULL, beyond_angle, cautious
from dovrel.core.match.residuals import Residuals, of_pairs
from dovrel.core.match.together import solve_together
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.primary import IDENTITY, Primary
from dovrel.errors import Refused

COLOURS = 300
"""Of each shot, that stand for all of its colours."""
MOST_PAIRS = 400
"""Of all links of a shot; more say the same more slowly."""
MOST_NEIGHBOURS = 8
"""Shots, the most trusted, to which one is fitted when it is placed."""
HELD = 0.15
"""What all colours of a shot, held to what the light alone makes of them, count beside all pairs."""
JUDGING, LEAST_JUDGED = 3, 60
"""One of so many parts of a link's pairs judges answers, if it has that many pairs; a smaller one is fitted and judges too."""
ALIKE_STOPS, ALIKE = 0.06, 1.2
"""Stops of each channel, and CIEDE2000, within which two shots of one camera over one another were recorded alike."""
CONTRARY, TIMES_USUAL = 3.0, 2.0
"""A link is contrary that is left farther off than so many CIEDE2000 and so many times what links are usually left off."""
LEAST_CHAINED = 0.1
"""Sureness below which an answer along a chain is offered and not applied: trust falls with each link, but what the pairs that were
left out say is asked too."""
SURE = 0.5
"""Sureness from which on an answer that gains too little is not worth a look either."""
DOUBT = 2.0
"""What an answer must gain, beside what is left along its chain, for each part of it that is not sure."""
SET_ANEW = 0.15
"""Stops of a channel from which on a camera's settings, or its light, changed, between two of its shots."""


@dataclass(frozen=True)
class Member:
    """A shot of a family. Members stand in the order they were shot.

    Attributes
    ----------
    start : the balance it has now
    camera : if that is known
    colours : float32 (n, 3), some of all its colours, working values before the balance: what they ask for where nothing is
        compared is no more than the light
    after : what follows its ten numbers and stays: the reference's, beyond its balance
    frame_of : the shot whose light changes, if it is one of several frames of one: what these needed is their own
    """

    name: str
    start: Primary
    camera: str | None = None
    colours: np.ndarray | None = None
    after: Chain = ()
    frame_of: str | None = None


@dataclass(frozen=True)
class Placed:
    """A shot's answer.

    Attributes
    ----------
    numbers : its ten numbers; those it had, where nothing better can be shown
    offered : an answer that is too little sure to be given unasked
    chain : the link path to the reference, from itself on; empty where it does not
    distance_before, distance_after : CIEDE2000 that lie between it and the reference along the chain, as it was and now
    confidence : 0..1
    basis : ``reference``, ``chain``, ``light`` or ``none``: what the answer rests on
    notes : sentences
    residuals : what stays different on the first link of its chain, under its answer
    found, overlies : points that it shares with the next shot of its chain, and whether one view lies over the other
    """

    numbers: Primary
    offered: Primary | None
    chain: tuple[int, ...]
    distance_before: float | None
    distance_after: float | None
    confidence: float
    basis: str
    notes: tuple[str, ...]
    residuals: Residuals | None = None
    found: int = 0
    overlies: bool = False


@dataclass(frozen=True)
class Solved:
    """A family's answers in the order of its members, and the links that the others contradict."""

    shots: list[Placed]
    contrary: list[Ends]


ByLight = Callable[[int, np.ndarray | None], tuple[Primary, float]]
"""What the light and neutrals of a shot that nothing links say, and how sure that is; told, too, what the other shots of its
camera needed, where these agree: gains in stops (3,)."""


def solve_family(
    members: Sequence[Member],
    reference: int,
    links: Mapping[Ends, Link],
    table: Table,
    by_light: ByLight | None = None,
) -> Solved:
    """Numbers for all shots of a family.

    Parameters
    ----------
    reference : the number of the shot that stays as it is
    links : between any two of them that share something, the lower number first
    by_light : asked for shots that are linked to nothing; these stay as they are if there is none

    Raises
    ------
    Refused
        If the reference is none of the members.
    """
    if not 0 <= reference < len(members):
        raise Refused("the reference must be one of the family's shots")
    chains = chains_to(reference, len(members), links)
    fitted = {ends: _part(link, judging=False) for ends, link in links.items()}
    judging = {ends: judged_part(link) for ends, link in links.items()}
    turn = _placed_in_turn(members, reference, fitted, chains, table)
    contrary = _contrary(members, turn, judging, chains, table)
    kept = {ends: link for ends, link in fitted.items() if ends not in contrary}
    if contrary:
        misled = {n for ends in contrary for n in ends} - {reference}
        turn = _placed_in_turn(members, reference, kept, chains, table, {n: turn[n] for n in turn if n not in misled})
    cameras = [one.camera for one in members]
    together = solve_together(turn, reference, kept, cameras, table, members[reference].after)
    judge = _Judge(members, judging, chains, contrary, table)
    answers = judge.kept_if_better(together)
    linked = {
        shot: judge.answer(shot, answers, _notes(members, shot, answers, chains, contrary))
        for shot in range(len(members))
        if chains[shot]
    }
    shots = [
        linked.get(shot) or _unlinked(member, shot, by_light, camera_needs(members, linked, shot))
        for shot, member in enumerate(members)
    ]
    return Solved(shots, sorted(contrary))


def camera_needs(members: Sequence[Member], linked: Mapping[int, Placed], shot: int) -> np.ndarray | None:
    """What the other shots of a shot's camera needed, of those that are linked to the reference and whose light does not change: gains in
    stops (3,); None where they do not agree."""
    camera = members[shot].camera
    needs = [
        (to_vector(placed.numbers) - to_vector(IDENTITY))[LIGHT] / STOP
        for n, placed in linked.items()
        if n != shot and camera is not None and members[n].camera == camera and members[n].frame_of is None
        if placed.offered is None
    ]
    return agreed(np.array(needs).reshape(-1, 3))


def _part(link: Link, *, judging: bool) -> Link:
    """The pairs of a link that are fitted, or those that judge: fields of the picture, each wholly one or the other."""
    if len(link) < LEAST_JUDGED:
        return link
    across, down = (link.places * 5).astype(int).T
    judges = (across + 2 * down) % JUDGING == 0
    if min(judges.sum(), (~judges).sum()) < LEAST_JUDGED // JUDGING:
        judges = np.arange(len(link)) % JUDGING == 0
    return link.where(judges if judging else ~judges)


def judged_part(link: Link) -> Link:
    """The pairs of a link that judge answers."""
    return _part(link, judging=True)


def pairs_with(link: Link, ends: Ends, shot: int, other: Chain, table: Table) -> Pairs:
    """A link's pairs, the other shot's colours as they are shown under its chain."""
    here, there = (link.one, link.other) if shot == ends[0] else (link.other, link.one)
    return Pairs(here, display_of(there, other, table), link.weight, link.places)


def _placed_in_turn(
    members: Sequence[Member],
    reference: int,
    links: Mapping[Ends, Link],
    chains: Sequence[Hanging | None],
    table: Table,
    known: Mapping[int, Primary] | None = None,
) -> dict[int, Primary]:
    """Every shot that is linked to the reference, fitted to those that were placed before it; `known` are placed already."""
    placed = {**(known or {}), reference: members[reference].start}
    trusted = {n: chain.trust for n, chain in enumerate(chains) if chain and n not in placed}
    for shot in sorted(trusted, key=lambda n: -trusted[n]):
        met = {other: links[ends] for other in placed if (ends := ends_of(shot, other)) in links}
        nearest = sorted(met, key=lambda other: -trust_of(met[other]))[:MOST_NEIGHBOURS]
        met = {other: met[other] for other in nearest}
        placed[shot] = _placed(members, shot, met, placed, table)
    return placed


def _placed(
    members: Sequence[Member], shot: int, met: Mapping[int, Link], placed: Mapping[int, Primary], table: Table
) -> Primary:
    """A shot fitted to its neighbours that have their numbers."""
    most = max(MOST_PAIRS // len(met), LEAST_JUDGED)
    parts = []
    for other, link in met.items():
        pairs = pairs_with(link, ends_of(shot, other), shot, (placed[other], *members[other].after), table)
        pairs = pairs.thinned(most)
        parts.append((pairs, trust_of(link) / pairs.weight.sum()))
    pairs = Pairs.of_all([replace(pairs, weight=pairs.weight * by) for pairs, by in parts])

    def error(numbers: Primary) -> float:
        return float(np.median(differences(pairs, [numbers], table)))

    nearest = max(met, key=lambda other: trust_of(met[other]))
    alike = placed[nearest]
    if _recorded_alike(members, shot, nearest, met[nearest]) and error(alike) < ALIKE:
        return alike
    shapes = [alike, members[shot].start, *_of_camera(members, shot, placed)]
    numbers = min((fit(pairs, shape, table, "light") for shape in shapes), key=error)
    if any(link.overlies for link in met.values()):
        held = Pairs.of_all([pairs, _held(members[shot], numbers, pairs, table)])
        numbers = fit(held, numbers, table, "contrast")
        return fit(held, numbers, table, "all", pull=0.1, outlying=30.0)
    if (share := beyond_angle(error(numbers))) > 0:
        numbers = blend(numbers, fit(pairs, numbers, table, "contrast", pull=SHAPE_PULL), share)
    return cautious(alike, numbers, error(numbers))


def _held(member: Member, numbers: Primary, pairs: Pairs, table: Table) -> Pairs:
    """All colours of a shot, held a little to what the light alone makes of them: nothing else is known where nothing is shared."""
    colours = np.zeros((0, 3), np.float32) if member.colours is None else member.colours
    weight = np.full(len(colours), HELD * pairs.weight.sum() / max(len(colours), 1))
    return Pairs(colours, display_of(colours, [numbers], table), weight, np.zeros((len(colours), 2)))


def _recorded_alike(members: Sequence[Member], one: int, other: int, link: Link) -> bool:
    """Whether a camera was left as it was between two of its shots, by what they recorded of the same things."""
    camera = members[one].camera
    alike = link.overlies and bool(np.abs(link.stops).max() < ALIKE_STOPS)
    return alike and camera is not None and camera == members[other].camera


def _of_camera(members: Sequence[Member], shot: int, placed: Mapping[int, Primary]) -> list[Primary]:
    """The shot with its camera's usual contrast and saturation, which are the camera's more than a shot's, if they are known."""
    camera = members[shot].camera
    found = [to_vector(placed[n]) for n in placed if camera is not None and members[n].camera == camera]
    if not found:
        return []
    vector = to_vector(members[shot].start)
    vector[SHAPE] = np.median(found, axis=0)[SHAPE]
    return [to_numbers(vector)]


def left_off(link: Link, ends: Ends, under: Sequence[Chain], table: Table) -> np.ndarray:
    """CIEDE2000 between a link's pairs (n,) under the chains of its two shots."""
    return differences(pairs_with(link, ends, ends[0], under[1], table), under[0], table)


def _contrary(
    members: Sequence[Member],
    placed: Mapping[int, Primary],
    links: Mapping[Ends, Link],
    chains: Sequence[Hanging | None],
    table: Table,
) -> set[Ends]:
    """Links that the more trusted ones contradict: light that changed between two shots, or things that only look the same."""
    chained = {ends for chain in chains if chain for ends in chain.links}
    off = {}
    for ends, link in links.items():
        if ends[0] in placed and ends[1] in placed:
            under = [(placed[n], *members[n].after) for n in ends]
            off[ends] = float(np.median(left_off(link, ends, under, table)))
    most = CONTRARY + TIMES_USUAL * float(np.median([*off.values(), 0.0]))
    return {ends for ends, left in off.items() if left > most and ends not in chained}


class _Judge:
    """Says by pairs that nothing was fitted to what answers are worth."""

    def __init__(
        self,
        members: Sequence[Member],
        links: Mapping[Ends, Link],
        chains: Sequence[Hanging | None],
        contrary: set[Ends],
        table: Table,
    ) -> None:
        self._members, self._links, self._chains, self._table = members, links, chains, table
        self._contrary = contrary

    def _apart(self, ends: Ends, numbers: Mapping[int, Primary]) -> float:
        """Mean CIEDE2000 between a link's pairs under both shots' numbers."""
        link, under = self._links[ends], [(numbers[n], *self._members[n].after) for n in ends]
        return float(np.average(left_off(link, ends, under, self._table), weights=link.weight))

    def kept_if_better(self, answers: Mapping[int, Primary]) -> dict[int, Primary]:
        """The answers, but where a shot as it was lies as near to its neighbours under theirs, as it was."""
        kept = dict(answers)
        for shot, numbers in answers.items():
            start = self._members[shot].start
            met = [
                ends
                for ends in self._links
                if shot in ends and ends not in self._contrary and self._known(ends, answers)
            ]
            if numbers == start or not met:
                continue
            trust = [trust_of(self._links[ends]) for ends in met]
            as_it_was = {**answers, shot: start}
            before, after = (
                np.average([self._apart(ends, under) for ends in met], weights=trust) for under in (as_it_was, answers)
            )
            if after > before - AS_NEAR:
                kept[shot] = start
        return kept

    def _known(self, ends: Ends, answers: Mapping[int, Primary]) -> bool:
        return ends[0] in answers and ends[1] in answers

    def answer(self, shot: int, answers: Mapping[int, Primary], notes: list[str]) -> Placed:
        """A linked shot's answer with its distance along its chain."""
        chain, numbers, start = self._chains[shot], answers[shot], self._members[shot].start
        assert chain
        if len(chain.shots) == 1:
            return Placed(numbers, None, chain.shots, 0.0, 0.0, 1.0, "reference", ("it is the reference",))
        first, *others = chain.links
        rest = [self._apart(ends, answers) for ends in others]
        before = float(np.linalg.norm([self._apart(first, {**answers, shot: start}), *rest]))
        after = float(np.linalg.norm([self._apart(first, answers), *rest]))
        if before - after < AS_NEAR:
            numbers, after = start, before
            notes.append("what it has brings it as near as anything found; nothing was changed")
        link, next_one = self._links[first], chain.shots[1]
        pairs = pairs_with(link, first, shot, (answers[next_one], *self._members[next_one].after), self._table)
        left = of_pairs(pairs, display_of(pairs.shot, [numbers], self._table))
        confidence = chain.trust * float(np.clip(1.25 - after / 8, 0.2, 1.0))
        placed = Placed(
            numbers,
            None,
            chain.shots,
            before,
            after,
            confidence,
            "chain",
            tuple(notes),
            left,
            link.found,
            link.overlies,
        )
        if numbers == start or (confidence >= LEAST_CHAINED and before - after >= DOUBT * (1 - confidence) * after):
            return placed
        as_it_was = replace(placed, numbers=start, distance_after=before)
        if confidence >= SURE:
            said = "what an answer would gain is less than what may be wrong with it; nothing was changed"
            return replace(as_it_was, notes=(*placed.notes, said))
        said = f"only {confidence:.0%} sure, which is too little for what it gains; it is offered and not applied"
        return replace(as_it_was, offered=numbers, basis="none", notes=(*placed.notes, said))


def _notes(
    members: Sequence[Member],
    shot: int,
    answers: Mapping[int, Primary],
    chains: Sequence[Hanging | None],
    contrary: set[Ends],
) -> list[str]:
    """What an answer rests on, in words."""
    chain = chains[shot]
    assert chain
    between = [members[n].name for n in chain.shots[1:-1]]
    notes = [f"through {' and '.join(between)}" if between else "by what it shares with the reference itself"]
    for ends in sorted(contrary):
        if shot in ends:
            other = ends[0] if ends[1] == shot else ends[1]
            if not _of_one_shot(members, shot, other):
                name = members[other].name
                notes.append(f"what it seems to share with {name} contradicts all others, and was left out")
    if (before := _last_of_camera(members, shot, answers)) is not None:
        moved = np.abs(to_vector(answers[shot]) - to_vector(answers[before]))[LIGHT].max() / STOP
        if moved > SET_ANEW:
            notes.append(
                f"its camera's settings, or its light, changed after {members[before].name}: {moved:.1f} stops at most"
            )
    return notes


def _last_of_camera(members: Sequence[Member], shot: int, answers: Mapping[int, Primary]) -> int | None:
    """The shot that the same camera recorded before it, of those that have an answer."""
    camera = members[shot].camera
    earlier = [
        n
        for n in range(shot)
        if n in answers and camera is not None and members[n].camera == camera and not _of_one_shot(members, shot, n)
    ]
    return earlier[-1] if earlier else None


def _of_one_shot(members: Sequence[Member], one: int, other: int) -> bool:
    """Whether both are frames of one shot whose light changes."""
    return members[one].frame_of is not None and members[one].frame_of == members[other].frame_of


def _unlinked(member: Member, shot: int, by_light: ByLight | None, camera: np.ndarray | None) -> Placed:
    """A shot that shares nothing with any that is linked to the reference."""
    notes = ["it shares nothing with any shot that is linked to the reference"]
    if by_light is None:
        return Placed(member.start, None, (), None, None, 0.0, "none", (*notes, "it is left as it was"))
    if camera is not None:
        notes.append("what the other shots of its camera needed was used with its light")
    numbers, confidence = by_light(shot, camera)
    if numbers == member.start:
        return Placed(
            member.start, None, (), None, None, confidence, "none", (*notes, "its light asks for nothing else")
        )
    if confidence < SURE_BY_LIGHT:
        notes.append(f"by light and neutrals alone an answer is {confidence:.0%} sure; it is offered and not applied")
        return Placed(member.start, numbers, (), None, None, confidence, "none", tuple(notes))
    return Placed(numbers, None, (), None, None, confidence, "light", (*notes, "matched by light and neutrals alone"))
