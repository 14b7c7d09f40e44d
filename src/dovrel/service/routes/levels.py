"""Corrections of the other levels: a camera's trim, a family's look, the show's finish."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from itertools import islice
from typing import Literal

import numpy as np
from fastapi import APIRouter
from sqlalchemy.orm import Session

from dovrel.core.match.trim import colours_of, describe, solve_trim
from dovrel.core.steps import documents
from dovrel.core.steps.correction import PLAIN, checked
from dovrel.errors import InConflict, NotFound, Refused
from dovrel.jobs import deciding, queue
from dovrel.jobs.subject import subject_of
from dovrel.service.context import Context, ContextDep
from dovrel.service.fields import Id
from dovrel.service.schemas import LevelChange, TrimOut
from dovrel.store import operations
from dovrel.store.models import Camera, Family, Production, Shot
from dovrel.store.production import the_production

router = APIRouter(prefix="/api", tags=["levels"])
MOST_PAIRS = 8
_MODELS = {"camera": Camera, "family": Family, "show": Production}
_NAMES = {"camera": "camera trim", "family": "family look", "show": "show finish"}


@router.put("/levels/{level}/{row_id}")
def save_level(
    level: Literal["camera", "family", "show"], row_id: Id, change: LevelChange, context: ContextDep
) -> list[int]:
    """Save a level's correction, made from `base`; gives the shots that it is in force on. They are measured again."""
    correction = checked(level, change.correction)
    with context.session() as session:
        row = session.get(_MODELS[level], row_id, with_for_update=True)
        if row is None:
            raise NotFound(f"there is no {level} {row_id}")
        name = f"{_NAMES[level]} of {row.letter if isinstance(row, Camera) else row.name}"
        if documents.read(row.correction) not in (change.base or PLAIN[level], correction):
            raise InConflict(f"the {name} was changed in another window; look at it and try again")
        operation = operations.begin(session, the_production(session), "level", f"{name}: {change.change or 'changed'}")
        operations.change(session, operation, row, correction=documents.written(correction))
        touched = [shot.id for shot in operations.shots_under(session, row)]
        queue.defer_measure_again(session, touched)
        return touched


@router.post("/cameras/{camera_id}/trim")
def propose_trim(camera_id: Id, against: Id, context: ContextDep) -> TrimOut:
    """Solve a camera's trim from shots of families that it shares with another camera."""
    with context.session() as session:
        camera, other = session.get(Camera, camera_id), session.get(Camera, against)
        if camera is None or other is None:
            raise NotFound("there is no such camera")
        if camera is other:
            raise Refused("choose another camera to compare with")
        names, found = [], []
        for shot, partner in islice(_pairs(session, camera, other), MOST_PAIRS):
            colours = _colours(context, shot, partner)
            if colours is not None:
                names.append(f"{shot.name} and {partner.name}")
                found.append(colours)
        if not found:
            raise Refused(
                f"cameras {camera.letter} and {other.letter} share no family in which two of their shots "
                "show the same things; sort shots into families first"
            )
        trim = solve_trim(found)
        return TrimOut(
            numbers=trim.numbers.as_array().tolist(),
            against=other.letter,
            pairs=names,
            before=trim.before,
            after=trim.after,
            reason=describe(trim),
        )


def _pairs(session: Session, camera: Camera, other: Camera) -> Iterator[tuple[Shot, Shot]]:
    """Shots of two cameras in one family, the family's reference first among the other's."""
    shots = the_production(session).shots
    for mine in (s for s in shots if s.camera_id == camera.id and s.progress == "ready" and s.family):
        theirs = [
            s for s in shots if s.camera_id == other.id and s.family_id == mine.family_id and s.progress == "ready"
        ]
        reference = mine.family.reference.shot_id if mine.family and mine.family.reference else None
        for partner in sorted(theirs, key=lambda s: s.id != reference)[:2]:
            yield mine, partner


def _colours(context: Context, shot: Shot, partner: Shot) -> tuple[np.ndarray, np.ndarray] | None:
    """Corresponding colours of two shots' middle frames, uncorrected but for the partner's trim."""
    here, there = subject_of(shot), subject_of(partner)
    untrimmed = here.levels.replaced("camera", PLAIN["camera"])
    evidence = deciding.gather(
        context.frames,
        replace(there, levels=there.levels.replaced("shot", PLAIN["shot"])),
        there.middle,
        replace(here, levels=untrimmed),
        here.middle,
    )
    return colours_of(evidence)
