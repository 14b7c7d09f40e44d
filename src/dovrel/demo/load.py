"""Load the demo production into an empty database."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from dovrel.demo.cards import CAMERA_ENCODINGS, CAMERA_NAMES, cards_folder
from dovrel.demo.day import DAY, PRODUCTION
from dovrel.jobs.finding import find_below
from dovrel.jobs.intake import list_clips
from dovrel.jobs.queue import defer_measures
from dovrel.store.models import Camera, Production


def load_demo(factory: sessionmaker[Session]) -> None:
    """List the demo day's clips and queue them to be measured; nothing if a production is there already."""
    with factory.begin() as session:
        if session.scalars(select(Production).limit(1)).first() is not None:
            return
        production = Production(name=PRODUCTION, day=DAY)
        session.add(production)
        session.flush()
        for letter, name in CAMERA_NAMES.items():
            session.add(
                Camera(
                    production_id=production.id,
                    letter=letter,
                    name=name,
                    make=name,
                    encoding=CAMERA_ENCODINGS[letter],
                    reason="the camera's own description",
                )
            )
        session.flush()
        clips = find_below(cards_folder()).clips
        defer_measures(session, [shot.id for shot in list_clips(session, production, clips)])
