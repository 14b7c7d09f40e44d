"""Steps that act on colour alone: spokes that are to find their aim, what of a recording can be rescued."""

from __future__ import annotations

import numpy as np
from fastapi import APIRouter

from dovrel.core.colour import codes, tables
from dovrel.core.correct.hue_aims import Hand, as_reference, on_skin_line
from dovrel.core.develop.frame import develop
from dovrel.core.steps.chain import apply_in_order
from dovrel.core.steps.hue_turns import HueTurns
from dovrel.errors import Refused
from dovrel.jobs.rescuing import SAMPLED, rescues_of
from dovrel.jobs.subject import kept_subject, reference_for, subject_of
from dovrel.service.colour_schemas import HueAimIn, HueAimOut, RescueOut
from dovrel.service.context import ContextDep, the_shot
from dovrel.service.fields import Frame, Id

router = APIRouter(prefix="/api/shots/{shot_id}", tags=["colour"])


@router.post("/hue-aim")
def aim_hue(shot_id: Id, order: HueAimIn, context: ContextDep) -> HueAimOut:
    """Set a spoke so that its colours are where they are wanted; nothing is saved."""
    values = order.values
    if not isinstance(values, HueTurns) or order.spoke >= len(values.spokes):
        raise Refused(f"“{order.step}” has no such spoke; set one first")
    with context.session() as session:
        shot = the_shot(session, shot_id)
        subject = subject_of(shot)
        reference = reference_for(shot) if order.aim == "reference" else None
        there = (kept_subject(reference), reference.frame) if reference else None
    levels, table = order.here, tables.output_table(subject.source.output)
    picture = context.frames.treated_preview(subject.source, order.frame, levels.treatment)
    packed = picture.packed[::SAMPLED, ::SAMPLED].reshape(-1, 3)
    reaching = apply_in_order(codes.unpack(packed), levels.before(order.level, order.step))
    hand = Hand(reaching, values, order.spoke, levels.after(order.level, order.step), table)
    if there is None:
        return HueAimOut(values=on_skin_line(hand))
    kept, frame = there
    shown = develop(context.frames.preview(kept.source, frame).packed, kept.levels.at(frame).in_order, table)
    display = codes.decode_signal(shown[:, ::SAMPLED, ::SAMPLED]).reshape(3, -1).T.astype(np.float64)
    return HueAimOut(values=as_reference(hand, display))


@router.get("/rescues")
def find_rescues(shot_id: Id, frame: Frame, context: ContextDep) -> list[RescueOut]:
    """What of a frame can be rescued before it is balanced: steps that are proposed, with the reason; nothing for most."""
    with context.session() as session:
        subject = subject_of(the_shot(session, shot_id))
    found = rescues_of(context.frames, subject, frame)
    return [RescueOut(name=one.name, values=one.values, reason=one.reason) for one in found]
