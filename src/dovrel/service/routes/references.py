"""Kept frames and references."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import simplejpeg
from fastapi import APIRouter, Response
from sqlalchemy import select

from dovrel.core.colour import codes, tables
from dovrel.core.colour.tables import Table
from dovrel.core.correct.parts import nearest_in
from dovrel.core.develop.frame import develop, picture_with_grain
from dovrel.core.develop.masks import share_of
from dovrel.core.measure.frame import Measured, render
from dovrel.core.measure.meter import WHOLE, Meter
from dovrel.core.steps.chain import Chain, apply_in_order
from dovrel.core.steps.controls import pushed
from dovrel.core.steps.levels import AtFrame
from dovrel.errors import NotFound, Refused
from dovrel.jobs.subject import Subject, kept_subject, subject_of
from dovrel.media.picture import PREVIEW_WIDTH
from dovrel.service.context import Context, ContextDep, the_shot
from dovrel.service.correction_schemas import KeepIn, KeptScopesIn, SelectedIn
from dovrel.service.fields import Id, Peek, PreviewWidth
from dovrel.service.packing import pack, pack_scopes
from dovrel.service.schemas import KeptOut
from dovrel.service.viewing import within
from dovrel.store import corrections, operations
from dovrel.store.models import KeptFrame, Shot
from dovrel.store.production import the_production

MOST_KEPT = 60
router = APIRouter(prefix="/api", tags=["references"])


@router.post("/shots/{shot_id}/keep")
def keep(shot_id: Id, order: KeepIn, context: ContextDep) -> KeptOut:
    """Keep a frame with its correction; as the family's reference if asked."""
    with context.session() as session:
        shot = the_shot(session, shot_id)
        subject = subject_of(shot)
        frame = min(order.frame, subject.source.info.frames - 1)
        measured = _rendered(context, subject, frame, WHOLE)
        kept = KeptFrame(
            shot_id=shot.id,
            frame=frame,
            levels=corrections.kept_columns(subject.levels),
            readings=measured.readings.tolist(),
        )
        session.add(kept)
        session.flush()
        if order.as_reference:
            if shot.family is None:
                raise Refused(f"{shot.name} has no family; sort it into one first")
            production = the_production(session)
            operation = operations.begin(session, production, "reference", f"{shot.name} made reference")
            operations.change(session, operation, shot.family, reference_id=kept.id)
        return KeptOut.model_validate(kept)


def _rendered(
    context: Context, subject: Subject, frame: int, meter: Meter, selected: SelectedIn | None = None
) -> Measured:
    """A frame measured within its meter, and of that what a selection finds."""
    levels, table = subject.levels.at(frame), tables.output_table(subject.source.output)
    picture = context.frames.treated_preview(subject.source, frame, levels.treatment)
    # What was skin or neutral in the kept frame is judged under its own correction.
    mask = replace(meter, under=levels.balanced).mask(picture.packed, table)
    if selected:
        mask = within(_found(picture.packed, levels, selected, table), selected.side, mask)
    return render(picture.packed, levels.in_order, table, mask, subject.percentiles)


def _found(packed: np.ndarray, levels: AtFrame, selected: SelectedIn, table: Table) -> np.ndarray:
    """The pixels of another picture that a selection finds, bool (H, W)."""
    before = _before(levels, selected)
    share = share_of(packed, before, selected.values, table)
    reaching = apply_in_order(codes.unpack(packed), before)
    try:
        return nearest_in(selected.values, reaching, share, selected.covers)
    except ValueError as error:
        raise Refused(f"{error}: nothing to compare with what “{selected.step}” selects") from None


def _before(levels: AtFrame, selected: SelectedIn) -> Chain:
    """What is applied in another picture before a selection: up to the step of its name, or all of its level if it has none."""
    if levels.of(selected.level).has(selected.step):
        return levels.before(selected.level, selected.step)
    return levels.balanced if selected.level == "shot" else (*levels.balanced, *levels.family.chain)


def _kept(context: Context, kept_id: Id) -> tuple[Subject, int]:
    with context.session() as session:
        kept = session.get(KeptFrame, kept_id)
        if kept is None:
            raise NotFound(f"there is no kept frame {kept_id}")
        return kept_subject(kept), kept.frame


@router.get("/families/{family_id}/kept")
def read_kept(family_id: Id, context: ContextDep) -> list[KeptOut]:
    """The frames kept of a family's shots, newest first."""
    with context.session() as session:
        query = select(KeptFrame).join(Shot, KeptFrame.shot_id == Shot.id).where(Shot.family_id == family_id)
        rows = session.scalars(query.order_by(KeptFrame.id.desc()).limit(MOST_KEPT))
        return [KeptOut.model_validate(row) for row in rows]


@router.get("/kept/{kept_id}/picture.jpg")
def read_picture(kept_id: Id, context: ContextDep, peek: Peek = 0.0, width: PreviewWidth = PREVIEW_WIDTH) -> Response:
    """The kept frame, corrected, and pushed by some stops."""
    subject, frame = _kept(context, kept_id)
    levels = subject.levels.at(frame)
    packed = context.frames.treated_preview(subject.source, frame, levels.treatment, width).packed
    chain = [*levels.in_order, *pushed(peek)]
    picture = picture_with_grain(develop(packed, chain, tables.output_table(subject.source.output)), chain, frame)
    return Response(simplejpeg.encode_jpeg(picture, 90, colorsubsampling="444"), media_type="image/jpeg")


@router.post("/kept/{kept_id}/scopes")
def read_scopes(kept_id: Id, context: ContextDep, order: KeptScopesIn) -> Response:
    """Densities and readings of a kept frame, packed as on the live channel, within its meter."""
    meter = order.meter.meter() if order.meter else WHOLE
    measured = _rendered(context, *_kept(context, kept_id), meter, order.selected)
    header = {"readings": measured.readings.tolist(), "pixels": measured.scopes.pixels}
    return Response(pack(header, pack_scopes(measured.scopes)), media_type="application/octet-stream")
