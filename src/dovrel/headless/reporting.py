"""The report of a day, from the database of a Dovrel that runs."""

from __future__ import annotations

from pathlib import Path

from dovrel.formats import day_report
from dovrel.headless.day import measured_day
from dovrel.jobs import reporting
from dovrel.media.frames import FrameStore


def report(address: str, data: Path, to: Path) -> list[Path]:
    """Write the report of all measured shots into a folder; gives its files, see :func:`day_report.write_all`.

    Raises
    ------
    Refused
        If no shot is measured yet.
    NoRoom
        If the disc is full.
    """
    with measured_day(address, data) as (production, shots):
        day = reporting.listed(production, shots)
    told = reporting.told(day, FrameStore(reads_ahead=False))
    to.mkdir(parents=True, exist_ok=True)
    return day_report.write_all(to, told)
