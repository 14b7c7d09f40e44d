"""What every request may need: sessions, frames, comparisons."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from typing import Annotated

import numpy as np
from fastapi import Depends, Request
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from dovrel.core.colour import cdl, tables
from dovrel.core.colour.cdl import TenNumbers
from dovrel.core.match import Evidence
from dovrel.core.measure.frame import render
from dovrel.core.measure.meter import WHOLE, Meter
from dovrel.core.measure.readings import Percentiles
from dovrel.media.faults import MediaFault
from dovrel.service.frames import FrameStore, Source, source_of
from dovrel.service.settings import Settings
from dovrel.store.models import KeptFrame, Production, Shot

KEPT_COMPARISONS = 6
THINNED = 3
"""A saved version is measured on every third pixel and row of the preview."""


class Context:
    def __init__(self, settings: Settings, factory: sessionmaker[Session]) -> None:
        self.settings = settings
        self.sessions = factory
        self.frames = FrameStore()
        self._evidence: OrderedDict[tuple, Evidence] = OrderedDict()
        self._gathering = threading.Lock()

    @contextmanager
    def session(self) -> Iterator[Session]:
        with self.sessions.begin() as session:
            yield session

    def evidence(
        self,
        source: Source,
        frame: int,
        kept: KeptFrame,
        percentiles: Percentiles,
        meters: tuple[Meter, Meter] = (WHOLE, WHOLE),
    ) -> Evidence:
        """What a shot's frame and a kept frame share; gathered once for each pair.

        `meters` are the reference's and the shot's.
        """
        reference = source_of(kept.shot)
        key = (source, frame, kept.id, meters)
        with self._gathering:
            if key in self._evidence:
                self._evidence.move_to_end(key)
                return self._evidence[key]
            there = self.frames.preview(reference, kept.frame)
            here = self.frames.preview(source, frame)
            table = tables.output_table(source.output)
            corrected = TenNumbers.from_array(kept.numbers)
            found = Evidence(
                cdl.apply(there.working, corrected),
                here.working,
                here.recorded,
                table,
                output_id=source.output,
                percentiles=percentiles,
                reference_mask=replace(meters[0], numbers=corrected).mask(there.packed, table),
                shot_mask=meters[1].mask(here.packed, table),
            )
            self._evidence[key] = found
            while len(self._evidence) > KEPT_COMPARISONS:
                self._evidence.popitem(last=False)
            return found

    def gathered(
        self, source: Source, frame: int, kept_id: int, meters: tuple[Meter, Meter] = (WHOLE, WHOLE)
    ) -> Evidence | None:
        """The comparison of a pair, if it has been gathered already."""
        return self._evidence.get((source, frame, kept_id, meters))

    def readings_under(self, shot_id: int, numbers: TenNumbers) -> list[float] | None:
        """What a shot's middle frame measures under a correction; None if it cannot be read."""
        with self.session() as session:
            shot = the_shot(session, shot_id)
            source, percentiles = source_of(shot), percentiles_of(shot.production)
        try:
            picture = self.frames.preview(source, source.info.frames // 2)
        except MediaFault:
            return None
        thin = np.ascontiguousarray(picture.packed[::THINNED, ::THINNED])
        return render(thin, [numbers], tables.output_table(source.output), percentiles=percentiles).readings.tolist()


def context_of(request: Request) -> Context:
    return request.app.state.context


ContextDep = Annotated[Context, Depends(context_of)]


def the_production(session: Session) -> Production:
    """The production that this database holds, made when first asked for."""
    production = session.scalars(select(Production).order_by(Production.id).limit(1)).first()
    if production is None:
        production = Production(name="Untitled production")
        session.add(production)
        session.flush()
    return production


def percentiles_of(production: Production) -> Percentiles:
    return Percentiles(*production.percentiles)


def the_shot(session: Session, shot_id: int) -> Shot:
    shot = session.get(Shot, shot_id)
    if shot is None:
        raise LookupError(f"there is no shot {shot_id}")
    return shot
