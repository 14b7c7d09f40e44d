"""Corrections as the service takes and gives them, made of and read as ten numbers."""

from __future__ import annotations

from collections.abc import Sequence

from dovrel.core.steps import documents
from dovrel.core.steps.correction import EXTENDED, LEVELS, OWN, PLAIN, Correction, Level, Step
from dovrel.core.steps.extended import Extended
from dovrel.core.steps.primary import Primary


def ten(
    numbers: Sequence[float], level: Level = "shot", extended: Sequence[float] | None = None, *, on: bool = True
) -> dict:
    """A correction of a level's own ten numbers, and of the 24 of an extended step if given."""
    steps = [_own(level, numbers)]
    if extended is not None:
        values = [list(extended[first : first + 3]) for first in (0, 3, 6)]
        curves = [list(extended[first : first + 5]) for first in (9, 14, 19)]
        steps.append({"id": EXTENDED, "values": {"kind": "extended", "matrix": values, "curves": curves}, "on": on})
    return {"steps": steps}


def _own(level: Level, numbers: Sequence[float]) -> dict:
    n = list(numbers)
    values = {"kind": "primary", "slope": n[0:3], "offset": n[3:6], "power": n[6:9], "saturation": n[9]}
    return {"id": OWN[level], "values": values, "on": True, "keyframes": []}


def levels(**numbers: Sequence[float] | dict) -> dict:
    """Four levels, of ten numbers or of a correction each; those left out do nothing."""
    made = {level: documents.written(PLAIN[level]) for level in LEVELS}
    for level in LEVELS:
        made[level].pop("schema")
        if level in numbers:
            given = numbers[level]
            made[level] = given if isinstance(given, dict) else ten(given, level)
    return made


def correction_of(row: dict) -> Correction:
    """What a row of the day holds, or a version."""
    return documents.read({"schema": documents.SCHEMA, **row["correction"]})


def numbers_of(row: dict) -> list[float]:
    """The ten numbers of a row's own step."""
    own = next(step for step in correction_of(row).steps if step.id in OWN.values())
    assert isinstance(own.values, Primary)
    return own.values.as_array().tolist()


def extended_of(row: dict) -> Step | None:
    """A row's extended step, if it has one."""
    return correction_of(row).extended


def extended_values(row: dict) -> Extended:
    """What a row's extended step holds; it must have one."""
    step = extended_of(row)
    assert step is not None
    assert isinstance(step.values, Extended)
    return step.values
