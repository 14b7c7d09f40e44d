"""All shots of a family moved together: one sparse robust least-squares problem over their numbers.

Every link asks that its pairs look alike under the numbers of both its ends. The reference is fixed. What a link from another
angle says of exposure is doubted: it has an exposure of its own, which is held to none.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence

import numpy as np
from scipy.linalg import cho_factor, cho_solve
from scipy.sparse import csr_matrix, vstack

from dovrel.core.colour.tables import Table
from dovrel.core.colour.working import STOP
from dovrel.core.develop.frame import display_of
from dovrel.core.match.chains import trust_of
from dovrel.core.match.fit import SCALE, SHAPE, to_numbers, to_vector
from dovrel.core.match.link import Ends, Link
from dovrel.core.measure.difference import lab_of_display
from dovrel.core.steps.chain import Chain
from dovrel.core.steps.primary import Primary

ROUNDS = 3
"""How often pairs and links are weighed anew by how far they are off."""
STEPS, ENOUGH = 6, 1e-4
"""Steps of a round, and the part of what is left that a step must take off for another one to follow."""
PAIRS_A_LINK, LEAST_A_LINK, PAIRS_A_SHOT = 120, 30, 1200
"""Pairs that are looked at of a link, and about how many of all links of a shot: where there are many, fewer of each say as much."""
OBLIQUE_SHARE = 0.3
"""What a link from another angle counts beside one that lies over."""
OUTLYING, CONTRARY = 4.0, 5.0
"""Differences from which on a pair, and a link as a whole, count by their size and no longer by their square."""

PULL, ANGLE_PULL = 0.5, 2.0
"""How strongly numbers are held to where they were placed in turn, as of :func:`fit`: of shots over which another's view lies, and
of those that are seen from another angle only."""
CAMERA_PULL = 0.2
"""How strongly contrast and saturation of a camera's shots are held to each other."""
_ANGLE_STOPS, _ANGLE_COST = 0.15, 1.5
"""Stops of exposure that an angle commonly makes by itself, and what they cost beside a mean difference of one."""
_STEP = 0.02
_NUMBERS = 10


class _Problem:
    """The residuals and derivatives of a family's numbers.

    What is moved is, of every free shot in turn, its ten numbers in common moves from where it was placed, and then, of every link
    from another angle, an exposure of its own. Shots that were placed alike are one: `stands_for` says which stands for each.
    """

    def __init__(
        self,
        placed: Mapping[int, Primary],
        reference: int,
        links: Mapping[Ends, Link],
        cameras: Sequence[str | None],
        table: Table,
        after: Chain,
    ) -> None:
        self.table, self.reference, self.after = table, reference, after
        self.stands_for = stands_for = _alike(placed, reference, links)
        self.start = {n: to_vector(numbers) for n, numbers in placed.items()}
        between = {
            ends: link
            for ends, link in links.items()
            if ends[0] in placed and ends[1] in placed and stands_for[ends[0]] != stands_for[ends[1]]
        }
        self.free = sorted({*stands_for.values()} - {reference})
        self.at = {n: _NUMBERS * k for k, n in enumerate(self.free)}
        oblique = [ends for ends, link in between.items() if not link.overlies]
        self.angles = {ends: len(self.free) * _NUMBERS + k for k, ends in enumerate(oblique)}
        self.size = len(self.free) * _NUMBERS + len(oblique)
        self.weight: dict[Ends, np.ndarray] = {}
        self.rows: dict[Ends, np.ndarray] = {}
        self.shown: dict[int, list[tuple[Ends, int, np.ndarray]]] = {n: [] for n in {*stands_for.values()}}
        met = Counter(n for ends in between for n in ends)
        row = 0
        for ends, link in between.items():
            most = int(np.clip(PAIRS_A_SHOT // max(met[n] for n in ends), LEAST_A_LINK, PAIRS_A_LINK))
            chosen = np.linspace(0, len(link) - 1, min(most, len(link))).astype(int)
            for side, colours in enumerate((link.one, link.other)):
                self.shown[stands_for[ends[side]]].append((ends, side, colours[chosen]))
            weight = link.weight[chosen]
            self.weight[ends] = weight / weight.sum() * trust_of(link) * (1.0 if link.overlies else OBLIQUE_SHARE)
            self.rows[ends] = np.arange(row, row := row + 3 * len(chosen))
        self.apart = row
        self._hold(between, cameras)

    def _hold(self, between: Mapping[Ends, Link], cameras: Sequence[str | None]) -> None:
        """What holds numbers, linear in what is moved: `holding` times that, and `held`."""
        dense = {self.stands_for[n] for ends, link in between.items() if link.overlies for n in ends}
        pull = {n: np.full(_NUMBERS, PULL if n in dense else ANGLE_PULL) / SCALE for n in self.free}
        groups = _of_one_camera([self.reference, *self.free], cameras)

        def held(moved: np.ndarray) -> np.ndarray:
            vectors = self.vectors(moved)
            to_start = [pull[n] * (vectors[n] - self.start[n]) for n in self.free]
            alike = [
                CAMERA_PULL / SCALE[SHAPE] * (vectors[n] - np.mean([vectors[k] for k in group], axis=0))[SHAPE]
                for group in groups
                for n in group
                if n != self.reference
            ]
            return np.concatenate([*to_start, *alike, moved[len(self.free) * _NUMBERS :] * _ANGLE_COST])

        self.held = held(np.zeros(self.size))
        slopes = [held(unit) - self.held for unit in np.eye(self.size)]
        self.holding = csr_matrix(np.array(slopes).reshape(self.size, len(self.held)).T)

    def vectors(self, moved: np.ndarray) -> dict[int, np.ndarray]:
        """Numbers of every shot as of :func:`to_vector`."""
        free = {n: self.start[n] + moved[k : k + _NUMBERS] * SCALE for n, k in self.at.items()}
        free[self.reference] = self.start[self.reference]
        return {n: free[one] for n, one in self.stands_for.items()}

    def labs(self, shot: int, vector: np.ndarray, moved: np.ndarray) -> list[np.ndarray]:
        """All colours of a shot that links compare, as shown under its numbers: L*a*b* (n, 3) of each of its sides of links."""
        sides = []
        for ends, side, colours in self.shown[shot]:
            lit = moved[self.angles[ends]] * _ANGLE_STOPS * STOP if side and ends in self.angles else 0.0
            sides.append(colours + np.float32(lit))
        chain = [to_numbers(vector), *(self.after if shot == self.reference else ())]
        lab = lab_of_display(display_of(np.concatenate(sides), chain, self.table))
        return np.split(lab, np.cumsum([len(colours) for colours in sides])[:-1])

    def sides(self, moved: np.ndarray) -> dict[Ends, dict[int, np.ndarray]]:
        """Both sides of every link as shown."""
        vectors = self.vectors(moved)
        found: dict[Ends, dict[int, np.ndarray]] = {ends: {} for ends in self.rows}
        for shot, its in self.shown.items():
            if its:
                for (ends, side, _), lab in zip(its, self.labs(shot, vectors[shot], moved), strict=True):
                    found[ends][side] = lab
        return found

    def weights(self, moved: np.ndarray) -> dict[Ends, np.ndarray]:
        """What every row of a link weighs (n, 3): as its pair and link do, less the farther they are off."""
        found = {}
        for ends, sides in self.sides(moved).items():
            chroma = 1 / (1 + 0.045 * np.hypot(*(sides[0][:, 1:] + sides[1][:, 1:]).T / 2))
            by = np.stack([np.ones(len(chroma)), chroma, chroma], axis=1)
            off = np.linalg.norm((sides[0] - sides[1]) * by, axis=1)
            pair = (1 + (off / OUTLYING) ** 2) ** -0.25
            whole = (1 + (np.median(off) / CONTRARY) ** 2) ** -0.5
            found[ends] = by * (np.sqrt(self.weight[ends]) * pair * whole)[:, None]
        return found

    def residual(self, moved: np.ndarray, weights: Mapping[Ends, np.ndarray]) -> np.ndarray:
        apart = [((sides[0] - sides[1]) * weights[ends]).ravel() for ends, sides in self.sides(moved).items()]
        return np.concatenate([*apart, self.holding @ moved + self.held])

    def derivatives(self, moved: np.ndarray, weights: Mapping[Ends, np.ndarray]) -> csr_matrix:
        """Of :meth:`residual` at fixed weights; of a link's rows only those by its ends' numbers are not nought."""
        vectors, here = self.vectors(moved), self.sides(moved)
        rows, columns, values = [], [], []

        def put(ends: Ends, side: int, column: int, there: np.ndarray) -> None:
            change = (there - here[ends][side]) * weights[ends] / _STEP
            rows.append(self.rows[ends])
            columns.append(np.full(change.size, column))
            values.append((-change if side else change).ravel())

        for shot in self.free:
            for number in range(_NUMBERS):
                vector = vectors[shot].copy()
                vector[number] += _STEP * SCALE[number]
                for (ends, side, _), lab in zip(self.shown[shot], self.labs(shot, vector, moved), strict=True):
                    put(ends, side, self.at[shot] + number, lab)
        lit = moved.copy()
        lit[len(self.free) * _NUMBERS :] += _STEP
        for ends, sides in self.sides(lit).items() if self.angles else ():
            if ends in self.angles:
                put(ends, 1, self.angles[ends], sides[1])
        entries = np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))
        return csr_matrix(vstack([csr_matrix(entries, shape=(self.apart, self.size)), self.holding]))


def _alike(placed: Mapping[int, Primary], reference: int, links: Mapping[Ends, Link]) -> dict[int, int]:
    """Which shot stands for each: those that meet and were placed alike have one answer, the reference's if it is among them."""
    stands_for = {n: n for n in placed}

    def first(n: int) -> int:
        return n if stands_for[n] == n else first(stands_for[n])

    for one, other in links:
        if one in placed and other in placed and placed[one] == placed[other]:
            ends = sorted({first(one), first(other)}, key=lambda n: (n != reference, n))
            stands_for[ends[-1]] = ends[0]
    return {n: first(n) for n in placed}


def _of_one_camera(shots: Sequence[int], cameras: Sequence[str | None]) -> list[list[int]]:
    groups: dict[str, list[int]] = {}
    for n in shots:
        camera = cameras[n]
        if camera is not None:
            groups.setdefault(camera, []).append(n)
    return [group for group in groups.values() if len(group) > 1]


def solve_together(
    placed: Mapping[int, Primary],
    reference: int,
    links: Mapping[Ends, Link],
    cameras: Sequence[str | None],
    table: Table,
    after: Chain = (),
) -> dict[int, Primary]:
    """The numbers under which all links of a family agree best.

    Parameters
    ----------
    placed : where the search begins, and what the numbers are loosely held to: of the shots that are linked to the reference
    cameras : of all shots by their number, None where it is not known
    after : what follows the reference's numbers
    """
    problem = _Problem(placed, reference, links, cameras, table, after)
    moved = np.zeros(problem.size)
    for _ in range(ROUNDS if problem.rows else 0):
        moved = _nearer(problem, moved, problem.weights(moved))
    return {n: to_numbers(vector) for n, vector in problem.vectors(moved).items()}


def _nearer(problem: _Problem, moved: np.ndarray, weights: Mapping[Ends, np.ndarray]) -> np.ndarray:
    """Where least squares at fixed weights lead: steps by Gauss and Newton, each halved until it takes something off.

    The equations of a step are few, ten a shot, however many pairs they rest on, and what holds numbers makes them regular.
    """
    left = problem.residual(moved, weights)
    for _ in range(STEPS):
        slopes = problem.derivatives(moved, weights)
        step = np.asarray(cho_solve(cho_factor((slopes.T @ slopes).toarray()), -(slopes.T @ left)))
        for part in (1.0, 0.5, 0.25, 0.125):
            there = problem.residual(moved + part * step, weights)
            if there @ there < left @ left:
                break
        else:
            return moved
        gained = 1 - (there @ there) / (left @ left)
        moved, left = moved + part * step, there
        if gained < ENOUGH:
            break
    return moved
