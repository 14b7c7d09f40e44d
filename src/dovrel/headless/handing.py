"""Corrections of a day handed over, from the database of a Dovrel that runs."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from dovrel.core.steps.carried import FORMATS, Format
from dovrel.errors import Refused
from dovrel.headless.day import measured_day
from dovrel.jobs import handing_numbers, naming
from dovrel.jobs.handing import seal
from dovrel.jobs.handing_numbers import Numbers
from dovrel.machine.files import folder_aside
from dovrel.media.frames import FrameStore


def asked(names: Sequence[str]) -> tuple[Format, ...]:
    """The formats called so, each once.

    Raises
    ------
    Refused
        If there is none of a name; the message lists those there are.
    """
    if unknown := set(names) - set(FORMATS):
        raise Refused(f"there is no format {', '.join(sorted(unknown))}; choose from {', '.join(FORMATS)}")
    return tuple(form for form in FORMATS if form in names)


def hand_over(address: str, data: Path, to: Path, numbers: Numbers, names: str, only: Sequence[str]) -> list[Path]:
    """Write the formats that are asked for of measured shots, all or those of some names, into a new folder; gives its files.

    Raises
    ------
    Refused
        If the folder is there already, a name is no shot's, the pattern of file names cannot be filled in, or no shot is
        measured yet.
    NoRoom
        If the disc is full.
    """
    if to.exists():
        raise Refused(f"{to}: is there already; name a folder that is not")
    with measured_day(address, data) as (production, shots):
        if unknown := set(only) - {shot.name for shot in shots}:
            raise Refused(f"{', '.join(sorted(unknown))}: no measured shot has this name")
        chosen = [shot for shot in shots if not only or shot.name in only]
        handed = handing_numbers.handed(naming.stems(chosen, names), FrameStore(reads_ahead=False))
        title = production.name
    with folder_aside(to) as aside:
        written = handing_numbers.write(aside, handed, numbers, title)
    seal(to)
    return [to / one.name for one in written]
