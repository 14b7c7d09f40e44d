"""Matching several files to one, as a family."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from dovrel.core.colour import tables
from dovrel.core.match import Evidence, match
from dovrel.core.match.family import COLOURS, Member, Placed, solve_family
from dovrel.core.match.fit import blend
from dovrel.core.match.link import links_between
from dovrel.core.match.side import side_of
from dovrel.core.match.view import view_of
from dovrel.core.measure.sampled import take_sample
from dovrel.core.steps.correction import PLAIN, Correction
from dovrel.core.steps.levels import FourLevels
from dovrel.core.steps.primary import IDENTITY, Primary
from dovrel.errors import Refused
from dovrel.headless.files import Input, encoding_record, encodings_said
from dovrel.headless.writing import Targets, write_results
from dovrel.media.picture import PREVIEW_WIDTH


@dataclass(frozen=True)
class Folders:
    """Where pictures and CDL files are written, each called as its shot; nowhere if None."""

    pictures: Path | None = None
    cdls: Path | None = None


def match_family(
    reference: Input,
    shots: Sequence[Input],
    output: str,
    strength: float = 1.0,
    *,
    cameras: Sequence[str] | None = None,
    reference_camera: str | None = None,
) -> tuple[dict, list[Correction]]:
    """Match several files to one, seen as large as on the Desk, through each other.

    Returns
    -------
    the report, and the correction of each shot

    Raises
    ------
    Refused
        If two shots are called alike, or there are not as many cameras as shots.
    """
    names = [shot.file.stem for shot in shots]
    if twice := sorted({name for name in names if names.count(name) > 1}):
        raise Refused(f"two shots are named {twice[0]}; rename one, since files are named after shots")
    if cameras is not None and len(cameras) != len(shots):
        raise Refused(f"{len(shots)} shots and {len(cameras)} cameras; give one for each shot, in their order")
    table = tables.output_table(output)
    pictures = [one.read(output, PREVIEW_WIDTH) for one in (reference, *shots)]
    known = [reference_camera, *(cameras or [None] * len(shots))]
    members = [
        Member(one.file.stem, IDENTITY, camera, take_sample(picture.working, COLOURS))
        for one, camera, picture in zip((reference, *shots), known, pictures, strict=True)
    ]

    def by_light(number: int, camera: np.ndarray | None) -> tuple[Primary, float]:
        there, here = pictures[0], pictures[number]
        finished = reference.finished, shots[number - 1].finished
        found = match(Evidence(there.working, here.working, here.reach, table, finished=finished), camera=camera)
        return found.numbers, found.confidence

    views = [view_of(side_of(picture.working, picture.reach, None), table) for picture in pictures]
    solved = solve_family(members, 0, links_between(views), table, by_light)
    answers = [blend(IDENTITY, placed.numbers, strength) for placed in solved.shots[1:]]
    named = [members[n].name for n in range(len(members))]
    report = {
        "reference": reference.file.name,
        "encodings": [encoding_record(one) for one in (reference, *shots)],
        "shots": [
            _record(shot, placed, numbers, named)
            for shot, placed, numbers in zip(shots, solved.shots[1:], answers, strict=True)
        ],
        "contrary": [[named[one], named[other]] for one, other in solved.contrary],
    }
    return report, [PLAIN["shot"].balanced(numbers) for numbers in answers]


def _record(shot: Input, placed: Placed, numbers: Primary, names: Sequence[str]) -> dict:
    return {
        "shot": shot.file.name,
        "numbers": numbers.as_array().tolist(),
        "offered": None if placed.offered is None else placed.offered.as_array().tolist(),
        "distance_before": placed.distance_before,
        "distance_after": placed.distance_after,
        "confidence": placed.confidence,
        "basis": placed.basis,
        "chain": [names[n] for n in placed.chain],
        "notes": list(placed.notes),
    }


def write_family(shots: Sequence[Input], corrections: Sequence[Correction], output: str, folders: Folders) -> None:
    """Write each shot's picture and CDL file into folders, which are made if they are not there.

    Raises
    ------
    Refused
        If a file cannot be written.
    """
    for folder in filter(None, (folders.pictures, folders.cdls)):
        folder.mkdir(parents=True, exist_ok=True)
    for shot, correction in zip(shots, corrections, strict=True):
        name = shot.file.stem
        write_results(
            shot,
            FourLevels(shot=correction),
            output,
            Targets(
                cdl=folders.cdls and folders.cdls / f"{name}.cdl",
                picture=folders.pictures and folders.pictures / f"{name}.png",
            ),
        )


def describe_family(report: dict) -> str:
    """A report as lines for people."""
    lines = encodings_said(report["encodings"])
    for one in report["shots"]:
        before, after = one["distance_before"], one["distance_after"]
        distance = "" if before is None else f"distance {before:.2f} → {after:.2f}, "
        lines.append(f"{one['shot']} to {report['reference']}: {distance}confidence {one['confidence']:.2f}")
        lines += [f"  {note}" for note in one["notes"]]
    return "\n".join(lines)
