"""Tracks in the database: each kept once, by its digest."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, sessionmaker

from dovrel.core.steps.track import Track, tracks_in
from dovrel.store.models import StoredTrack


def keep(session: Session, part: object) -> None:
    """Keep every track of a correction, or of any part of one."""
    for track in tracks_in(part):
        row = {
            "digest": track.digest,
            "drawn": track.drawn,
            "first": track.first,
            "aspect": track.aspect,
            "places": np.asarray(track.places, "<f8").tobytes(),
        }
        session.execute(insert(StoredTrack).values(row).on_conflict_do_nothing())


def loader(factory: sessionmaker[Session]) -> Callable[[str], Track | None]:
    """What finds a track by its digest."""

    def load(digest: str) -> Track | None:
        with factory.begin() as session:
            row = session.get(StoredTrack, digest)
            if row is None:
                return None
            return Track(row.drawn, row.first, np.frombuffer(row.places, "<f8").reshape(-1, 4), row.aspect)

    return load
