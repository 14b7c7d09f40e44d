"""The report of a day, from the database of a Dovrel that runs."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import select

from dovrel.core.colour import look_files, tables
from dovrel.formats import day_report
from dovrel.jobs import reporting
from dovrel.media.frames import FrameStore
from dovrel.store.database import engine_for, sessions
from dovrel.store.models import Shot
from dovrel.store.production import the_production


def report(address: str, data: Path, to: Path) -> list[Path]:
    """Write the report of all measured shots into a folder; gives its files, see :func:`day_report.write_all`.

    Raises
    ------
    ValueError
        If no shot is measured yet.
    NoRoom
        If the disc is full.
    """
    tables.keep_in(data / "tables")
    look_files.keep_in(data / "looks")
    engine = engine_for(address)
    try:
        with sessions(engine).begin() as session:
            production = the_production(session)
            query = select(Shot).where(Shot.production_id == production.id, Shot.progress == "ready", ~Shot.off)
            shots = list(session.scalars(query))
            if not shots:
                raise ValueError("no shot is measured yet; there is nothing to report")
            day = reporting.listed(production, shots)
    finally:
        engine.dispose()
    told = reporting.told(day, FrameStore(reads_ahead=False))
    to.mkdir(parents=True, exist_ok=True)
    return day_report.write_all(to, told)
