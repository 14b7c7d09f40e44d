"""Kept frames and references."""

from __future__ import annotations

from dataclasses import replace

import simplejpeg
from fastapi import APIRouter, Response

from dovrel.core.colour import tables
from dovrel.core.colour.cdl import TenNumbers
from dovrel.core.measure.frame import Measured, render
from dovrel.core.measure.meter import WHOLE, Meter
from dovrel.service.context import Context, ContextDep, percentiles_of, the_shot
from dovrel.service.frames import source_of
from dovrel.service.packing import pack, pack_scopes
from dovrel.service.schemas import KeepIn, KeptOut, KeptScopesIn
from dovrel.store import corrections
from dovrel.store.models import KeptFrame

router = APIRouter(prefix="/api", tags=["references"])


@router.post("/shots/{shot_id}/keep")
def keep(shot_id: int, order: KeepIn, context: ContextDep) -> KeptOut:
    """Keep a frame with its correction; as the family's reference if asked."""
    with context.session() as session:
        shot = the_shot(session, shot_id)
        source = source_of(shot)
        numbers = corrections.numbers_of(shot)
        picture = context.frames.preview(source, order.frame)
        measured = render(
            picture.packed,
            [numbers],
            tables.output_table(source.output),
            percentiles=percentiles_of(shot.production),
        )
        kept = KeptFrame(
            shot_id=shot.id,
            frame=min(order.frame, source.info.frames - 1),
            numbers=numbers.as_array().tolist(),
            readings=measured.readings.tolist(),
        )
        session.add(kept)
        session.flush()
        if order.as_reference:
            if shot.family is None:
                raise ValueError(f"{shot.name} belongs to no family; sort it into one first")
            shot.family.reference_id = kept.id
        return KeptOut.model_validate(kept)


def _measured(context: Context, kept_id: int, meter: Meter) -> Measured:
    with context.session() as session:
        kept = session.get(KeptFrame, kept_id)
        if kept is None:
            raise LookupError(f"there is no kept frame {kept_id}")
        source, percentiles = source_of(kept.shot), percentiles_of(kept.shot.production)
        numbers = TenNumbers.from_array(kept.numbers)
        frame = kept.frame
    picture, table = context.frames.preview(source, frame), tables.output_table(source.output)
    # What was skin or neutral in the kept frame is judged under its own correction.
    mask = replace(meter, numbers=numbers).mask(picture.packed, table)
    return render(picture.packed, [numbers], table, mask, percentiles)


@router.get("/kept/{kept_id}/picture.jpg")
def read_picture(kept_id: int, context: ContextDep) -> Response:
    """The kept frame, corrected."""
    picture = _measured(context, kept_id, WHOLE).picture
    return Response(simplejpeg.encode_jpeg(picture, 90, colorsubsampling="444"), media_type="image/jpeg")


@router.post("/kept/{kept_id}/scopes")
def read_scopes(kept_id: int, context: ContextDep, order: KeptScopesIn) -> Response:
    """Densities and readings of a kept frame, packed as on the live channel, within its meter."""
    measured = _measured(context, kept_id, order.meter.meter() if order.meter else WHOLE)
    header = {"readings": measured.readings.tolist(), "pixels": measured.scopes.pixels}
    return Response(pack(header, pack_scopes(measured.scopes)), media_type="application/octet-stream")
