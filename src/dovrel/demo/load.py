"""Load the demo production into an empty database."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from dovrel.demo.cards import CAMERA_ENCODINGS, CAMERA_NAMES, CARDS
from dovrel.demo.day import DAY, PRODUCTION
from dovrel.jobs.intake import clips_below, list_clip
from dovrel.store.models import Camera, Production


def load_demo(factory: sessionmaker[Session]) -> list[int]:
    """List the demo day's clips; returns the shots to be measured, none if it is there already."""
    with factory.begin() as session:
        if session.scalars(select(Production).limit(1)).first() is not None:
            return []
        production = Production(name=PRODUCTION, day=DAY)
        session.add(production)
        session.flush()
        for letter, name in CAMERA_NAMES.items():
            session.add(
                Camera(production_id=production.id, letter=letter, name=name, encoding=CAMERA_ENCODINGS[letter])
            )
        session.flush()
        paths, _ = clips_below(CARDS)
        return [list_clip(session, production, path).id for path in paths]
