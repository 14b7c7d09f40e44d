"""The day of a Dovrel that runs, as commands without a browser get at it."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import select

from dovrel.core.colour import look_files, tables
from dovrel.errors import Refused
from dovrel.store.database import engine_for, sessions
from dovrel.store.models import Production, Shot
from dovrel.store.production import the_production


@contextmanager
def measured_day(address: str, data: Path) -> Iterator[tuple[Production, list[Shot]]]:
    """The production and its measured shots, in one transaction: what takes long is done after it.

    Raises
    ------
    Refused
        If no shot is measured yet.
    """
    tables.keep_for_all()
    look_files.keep_in(data / "looks")
    engine = engine_for(address)
    try:
        with sessions(engine).begin() as session:
            production = the_production(session)
            query = select(Shot).where(Shot.production_id == production.id, Shot.progress == "ready", ~Shot.off)
            shots = list(session.scalars(query))
            if not shots:
                raise Refused("no shot is measured yet; there is nothing to report or to hand over")
            yield production, shots
    finally:
        engine.dispose()
