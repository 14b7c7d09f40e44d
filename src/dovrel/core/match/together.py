"""All shots of a family moved together: one sparse robust least-squares problem over their numbers.

Every link asks that its pairs look alike under the numbers of both its ends. The reference is fixed. What a link from another
angle says of exposure is doubted: it has an exposure of its own, which is held to none.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from scipy.optimize import least_squares
from scipy.sparse import csr_matrix

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
PAIRS_A_LINK = 120
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
        self.stands_for = _alike(placed, reference, links)
        self.links = {
            ends: link for ends, link in links.items() if self.stands_for.get(ends[0]) != self.stands_for.get(ends[1])
        }
        self.links = {ends: link for ends, link in self.links.items() if ends[0] in placed and ends[1] in placed}
        self.free = sorted({*self.stands_for.values()} - {reference})
        self.at = {n: _NUMBERS * k for k, n in enumerate(self.free)}
        self.start = {n: to_vector(numbers) for n, numbers in placed.items()}
        oblique = [ends for ends, link in self.links.items() if not link.overlies]
        self.angles = {ends: len(self.free) * _NUMBERS + k for k, ends in enumerate(oblique)}
        self.size = len(self.free) * _NUMBERS + len(oblique)
        self.pairs, self.rows = {}, {}
        row = 0
        for ends, link in self.links.items():
            chosen = np.linspace(0, len(link) - 1, min(PAIRS_A_LINK, len(link))).astype(int)
            weight = link.weight[chosen]
            self.pairs[ends] = (
                link.one[chosen],
                link.other[chosen],
                weight / weight.sum() * trust_of(link) * (1.0 if link.overlies else OBLIQUE_SHARE),
            )
            self.rows[ends] = slice(row, row := row + 3 * len(chosen))
        self.apart = row
        met = [self.links[ends].overlies for ends in self.links]
        dense = {self.stands_for[n] for ends, over in zip(self.links, met, strict=True) if over for n in ends}
        self.pull = {n: self._pulls(n in dense) for n in self.free}
        self.cameras = _of_one_camera([reference, *self.free], cameras)

    def _pulls(self, dense: bool) -> np.ndarray:
        return np.full(_NUMBERS, PULL if dense else ANGLE_PULL) / SCALE

    def vectors(self, moved: np.ndarray) -> dict[int, np.ndarray]:
        """Numbers of every shot as of :func:`to_vector`."""
        free = {n: self.start[n] + moved[k : k + _NUMBERS] * SCALE for n, k in self.at.items()}
        free[self.reference] = self.start[self.reference]
        return {n: free[one] for n, one in self.stands_for.items()}

    def lab(self, ends: Ends, side: int, vector: np.ndarray, moved: np.ndarray) -> np.ndarray:
        """One side of a link's pairs as shown: L*a*b* (n, 3)."""
        colours = self.pairs[ends][side]
        if side and ends in self.angles:
            colours = colours + np.float32(moved[self.angles[ends]] * _ANGLE_STOPS * STOP)
        after = self.after if ends[side] == self.reference else ()
        return lab_of_display(display_of(colours, [to_numbers(vector), *after], self.table))

    def sides(self, moved: np.ndarray) -> dict[Ends, tuple[np.ndarray, np.ndarray]]:
        vectors = self.vectors(moved)
        return {
            ends: (self.lab(ends, 0, vectors[ends[0]], moved), self.lab(ends, 1, vectors[ends[1]], moved))
            for ends in self.links
        }

    def weights(self, moved: np.ndarray) -> dict[Ends, np.ndarray]:
        """What every row of a link weighs (n, 3): as its pair and link do, less the farther they are off."""
        found = {}
        for ends, (one, other) in self.sides(moved).items():
            chroma = 1 / (1 + 0.045 * np.hypot(*(one[:, 1:] + other[:, 1:]).T / 2))
            by = np.stack([np.ones(len(one)), chroma, chroma], axis=1)
            off = np.linalg.norm((one - other) * by, axis=1)
            pair = (1 + (off / OUTLYING) ** 2) ** -0.25
            whole = (1 + (np.median(off) / CONTRARY) ** 2) ** -0.5
            found[ends] = by * (np.sqrt(self.pairs[ends][2]) * pair * whole)[:, None]
        return found

    def residual(self, moved: np.ndarray, weights: Mapping[Ends, np.ndarray]) -> np.ndarray:
        apart = [((one - other) * weights[ends]).ravel() for ends, (one, other) in self.sides(moved).items()]
        return np.concatenate([*apart, *self._held(moved)])

    def _held(self, moved: np.ndarray) -> list[np.ndarray]:
        vectors = self.vectors(moved)
        to_start = [self.pull[n] * (vectors[n] - self.start[n]) for n in self.free]
        alike = [
            CAMERA_PULL / SCALE[SHAPE] * (vectors[n] - np.mean([vectors[k] for k in group], axis=0))[SHAPE]
            for group in self.cameras
            for n in group
            if n != self.reference
        ]
        return [*to_start, *alike, moved[len(self.free) * _NUMBERS :] * _ANGLE_COST]

    def derivatives(self, moved: np.ndarray, weights: Mapping[Ends, np.ndarray]) -> csr_matrix:
        """Of :meth:`residual` at fixed weights; of a link's rows only those by its ends' numbers are not nought."""
        vectors, here = self.vectors(moved), self.sides(moved)
        rows, columns, values = [], [], []

        def put(row: np.ndarray, column: int, value: np.ndarray) -> None:
            rows.append(row)
            columns.append(np.full(len(row), column))
            values.append(value)

        for ends in self.links:
            row = np.arange(self.rows[ends].start, self.rows[ends].stop)
            for side, sign in ((0, 1), (1, -1)):
                free = self.stands_for[ends[side]]
                if free == self.reference:
                    continue
                for number in range(_NUMBERS):
                    vector = vectors[ends[side]].copy()
                    vector[number] += _STEP * SCALE[number]
                    there = self.lab(ends, side, vector, moved)
                    put(
                        row, self.at[free] + number, (sign * (there - here[ends][side]) * weights[ends] / _STEP).ravel()
                    )
            if ends in self.angles:
                step = np.zeros(len(moved))
                step[self.angles[ends]] = _STEP
                there = self.lab(ends, 1, vectors[ends[1]], moved + step)
                put(row, self.angles[ends], (-(there - here[ends][1]) * weights[ends] / _STEP).ravel())
        held = np.concatenate(self._held(moved))
        # What holds the numbers is linear in them, so its derivatives are had by whole moves.
        nothing = np.concatenate(self._held(np.zeros(len(moved))))
        for column in range(len(moved)):
            unit = np.zeros(len(moved))
            unit[column] = 1.0
            change = np.concatenate(self._held(unit)) - nothing
            row = np.flatnonzero(change)
            put(self.apart + row, column, change[row])
        shape = (self.apart + len(held), len(moved))
        return csr_matrix((np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), shape=shape)


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
    placed : where the search begins, and what the numbers are loosely held to: of the shots that hang on the reference
    cameras : of all shots by their number, None where it is not known
    after : what follows the reference's numbers
    """
    problem = _Problem(placed, reference, links, cameras, table, after)
    moved = np.zeros(problem.size)
    for _ in range(ROUNDS if problem.size else 0):
        weights = problem.weights(moved)
        solved = least_squares(
            problem.residual,
            moved,
            jac=problem.derivatives,  # type: ignore[arg-type]
            args=(weights,),
            method="trf",
            tr_solver="lsmr",
            max_nfev=6,
            ftol=1e-4,
        )
        moved = solved.x
    return {n: to_numbers(vector) for n, vector in problem.vectors(moved).items()}
