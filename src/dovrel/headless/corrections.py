"""Corrections that a command is given: a shot's, and with it a family's look and the show's finish."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from dovrel.core.steps.correction import PLAIN, Correction, Level, checked
from dovrel.core.steps.levels import FourLevels
from dovrel.errors import Refused
from dovrel.formats import asc_cdl, correction_file


def read_correction(path: Path, name: str | None, level: Level = "shot") -> Correction:
    """A correction file's, for a level, or one correction of a CDL file: the one called `name`, or the only one.

    Raises
    ------
    Refused
        If the file is missing or unreadable, or the choice is not clear.
    """
    if path.suffix.lower() == correction_file.SUFFIX:
        return checked(level, correction_file.read(path))
    found = asc_cdl.read(path)
    if name is not None:
        found = [c for c in found if c.name == name]
    if len(found) != 1:
        raise Refused(f"{path.name}: has {len(found)} such corrections; choose one with --name")
    return PLAIN["shot"].balanced(found[0].numbers)


def with_levels(
    shot: Correction, family: Path | None = None, show: Path | None = None, looks: Sequence[Path] = ()
) -> FourLevels:
    """A shot's correction with a family's look and the show's finish, of correction files; `looks` are files that these go by.

    Raises
    ------
    Refused
        If one of the files is missing or unreadable.
    """
    levels = FourLevels(shot=shot)
    if family:
        levels = levels.replaced("family", read_correction(family, None, "family"))
    if show:
        levels = levels.replaced("show", read_correction(show, None, "show"))
    if looks:
        from dovrel.core.colour import look_files

        for file in looks:
            look_files.keep(file, file.name)
    return levels
