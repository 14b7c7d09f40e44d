"""What every request may need: sessions, frames, comparisons."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from typing import Annotated

from fastapi import Depends, Request
from sqlalchemy.orm import Session, joinedload, sessionmaker

from dovrel.core.match import Evidence
from dovrel.core.match.ties import Tie
from dovrel.core.measure.meter import WHOLE, Meter
from dovrel.core.steps import track
from dovrel.core.steps.correction import Correction
from dovrel.errors import NotFound
from dovrel.jobs import deciding, measuring
from dovrel.jobs.subject import Reference, Subject, subject_of
from dovrel.media.frames import FrameStore
from dovrel.service.pools import Pools
from dovrel.service.settings import Settings
from dovrel.service.works import Works
from dovrel.store import tracks
from dovrel.store.models import Shot

KEPT_COMPARISONS = 6
Meters = tuple[Meter, Meter]
"""The reference's and the shot's."""
EVERYTHING: Meters = (WHOLE, WHOLE)


class Context:
    def __init__(self, settings: Settings, factory: sessionmaker[Session]) -> None:
        self.settings = settings
        self.sessions = factory
        self.frames = FrameStore()
        self.pools = Pools()
        self.works = Works()
        track.load_from(tracks.loader(factory))
        self._evidence: OrderedDict[tuple, tuple[Evidence, tuple]] = OrderedDict()
        self._gathering = threading.Lock()

    @contextmanager
    def session(self) -> Iterator[Session]:
        with self.sessions.begin() as session:
            yield session

    def evidence(
        self,
        subject: Subject,
        frame: int,
        reference: Reference,
        meters: Meters = EVERYTHING,
        ties: tuple[Tie, ...] = (),
        *,
        alone: bool = False,
    ) -> Evidence:
        """What a shot's frame and a kept frame share; gathered once for each pair and its ties."""
        there, at = reference.subject, reference.frame
        key = _key(subject, frame, reference.kept_id, meters)
        with self._gathering:
            kept_before = self._evidence.get(key)
            by = (there.levels.at(at).balanced, ties, alone)
            if kept_before is None or kept_before[1] != by:
                found = deciding.gather(self.frames, there, at, subject, frame, meters, ties, alone=alone)
                self._evidence[key] = (found, by)
            self._evidence.move_to_end(key)
            while len(self._evidence) > KEPT_COMPARISONS:
                self._evidence.popitem(last=False)
            return self._evidence[key][0]

    def gathered(self, subject: Subject, frame: int, kept_id: int, meters: Meters = EVERYTHING) -> Evidence | None:
        """The comparison of a pair, if it has been gathered already."""
        found = self._evidence.get(_key(subject, frame, kept_id, meters))
        return found[0] if found else None

    def readings_under(self, shot_id: int, correction: Correction) -> list[float] | None:
        """What a shot's middle frame measures under another correction; None if it cannot be read."""
        with self.session() as session:
            subject = subject_of(the_shot(session, shot_id))
        corrected = replace(subject, levels=subject.levels.replaced("shot", correction))
        return measuring.readings_of(self.frames, corrected)


def _key(subject: Subject, frame: int, kept_id: int, meters: Meters) -> tuple:
    return (subject.source, subject.levels.at(frame).before_balance, frame, kept_id, meters)


def context_of(request: Request) -> Context:
    return request.app.state.context


ContextDep = Annotated[Context, Depends(context_of)]


_IN_ONE_QUERY = [joinedload(part) for part in (Shot.camera, Shot.family, Shot.production, Shot.version)]


def the_shot(session: Session, shot_id: int) -> Shot:
    """A shot by its number, with all that its four levels are read from.

    Raises
    ------
    NotFound
        If there is none.
    """
    shot = session.get(Shot, shot_id, options=_IN_ONE_QUERY)
    if shot is None:
        raise NotFound(f"there is no shot {shot_id}")
    return shot
