"""Parts of a picture: colours taken, ranges kept to, a subject followed, what is selected led where it is wanted."""

from __future__ import annotations

import numpy as np
from fastapi import APIRouter

from dovrel.core.colour import codes, tables
from dovrel.core.correct import parts
from dovrel.core.develop.frame import develop
from dovrel.core.develop.masks import share_of
from dovrel.core.measure.brush import LevelBrush, brushed
from dovrel.core.steps.chain import Chain, apply_in_order
from dovrel.errors import Refused
from dovrel.jobs import along
from dovrel.jobs.subject import Subject, subject_of
from dovrel.media.picture import Picture, Seen
from dovrel.service.context import Context, ContextDep, the_shot
from dovrel.service.fields import Id
from dovrel.service.live_schemas import Asked
from dovrel.service.selection_schemas import (
    FollowIn,
    FollowOut,
    HeldDownIn,
    NarrowIn,
    NarrowOut,
    NumbersOut,
    OfSelection,
    SamplesIn,
    SamplesOut,
)
from dovrel.service.viewing import selected_of
from dovrel.store import tracks

router = APIRouter(prefix="/api/shots/{shot_id}", tags=["selections"])

SAMPLED = 20_000
"""Pixels that are looked at to lead what is selected."""


@router.post("/samples")
def take_samples(shot_id: Id, order: SamplesIn, context: ContextDep) -> SamplesOut:
    """The samples that stand for the colours of a box of a frame."""
    _, picture = _picture(context, shot_id, order)
    height, width = picture.packed.shape[:2]
    (left, top), (right, bottom) = np.sort([order.corner, order.other], axis=0)
    rows = slice(max(round(top * height) - 1, 0), round(bottom * height) + 2)
    columns = slice(max(round(left * width) - 1, 0), round(right * width) + 2)
    box = codes.unpack(picture.packed[rows, columns].reshape(-1, 3))
    reaching = order.here.through(order.level, order.step) if order.new else _reaching(order)
    colours = apply_in_order(box[:: max(1, len(box) // SAMPLED)], reaching)
    samples = parts.samples_of(colours, 1 if order.corner == order.other else 3)
    reach, soft = parts.fitted(samples, colours)
    return SamplesOut(samples=samples, reach=reach, soft=soft)


@router.post("/narrowed")
def narrow(shot_id: Id, order: NarrowIn, context: ContextDep) -> NarrowOut:
    """The current pick, kept to the range of level, or of depth and hue, of what is brushed."""
    subject, picture = _picture(context, shot_id, order)
    display = develop(picture.packed, order.here.in_order, tables.output_table(subject.source.output))
    inside = brushed(display, [one.brush() for one in order.brushes]) != 0
    colours = apply_in_order(codes.unpack(picture.packed[inside]), _reaching(order))
    by_colour = not any(isinstance(one.brush(), LevelBrush) for one in order.brushes)
    assert order.selection
    assert order.selection.pick
    return NarrowOut(pick=parts.narrowed(order.selection.pick, colours, by_colour=by_colour))


@router.post("/skin-line")
def lead_to_skin_line(shot_id: Id, order: OfSelection, context: ContextDep) -> NumbersOut:
    """The ten numbers with which the selected pixels' mean hue lies on the skin's line."""
    subject, reaching, _ = _selected(context, shot_id, order)
    table = tables.output_table(subject.source.output)
    numbers = parts.on_skin_line(reaching, order.numbers_in(order.here), order.after_numbers(order.here), table)
    return NumbersOut(numbers=numbers.as_array().tolist())


@router.post("/held-down")
def hold_down(shot_id: Id, order: HeldDownIn, context: ContextDep) -> NumbersOut:
    """The ten numbers with which the highs of the selected pixels read so much."""
    subject, reaching, share = _selected(context, shot_id, order)
    table = tables.output_table(subject.source.output)
    numbers, after = order.numbers_in(order.here), order.after_numbers(order.here)
    numbers = parts.held_down(reaching, numbers, after, table, order.most / 100, subject.percentiles, share)
    return NumbersOut(numbers=numbers.as_array().tolist())


def _selected(context: Context, shot_id: int, order: OfSelection) -> tuple[Subject, np.ndarray, np.ndarray]:
    """The working values (N, 3) of selected pixels that reach the current numbers, and how far each is selected, (N, 1)."""
    subject, picture = _picture(context, shot_id, order)
    table = tables.output_table(subject.source.output)
    assert order.selection
    share = share_of(picture.packed, _reaching(order), order.selection, table)
    chosen = selected_of(share, order.side, None)
    if chosen is None or chosen.mean() < parts.LEAST_SHARE:
        raise Refused(f"“{order.step}” selects hardly anything on this frame")
    pixels = codes.unpack(picture.packed[chosen != 0])
    every = max(1, len(pixels) // SAMPLED)
    on_side = share if order.side == "inside" else 1 - share
    return subject, apply_in_order(pixels[::every], _reaching(order)), on_side[chosen != 0][::every, None]


@router.post("/follow")
def follow(shot_id: Id, order: FollowIn, context: ContextDep) -> FollowOut:
    """Follow the subject within shapes through the shot."""
    work = context.works.begin(order.work)
    with context.session() as session:
        subject = subject_of(the_shot(session, shot_id))
    run = along.as_steadied(along.run_of_shot(subject.source, work.stage(0, 0.4)), subject.levels)
    track, notes = along.tracked(run, order.shapes, order.frame, work.stage(0.4, 1))
    if order.onto:
        track = order.onto.going_on(track)
    with context.session() as session:
        tracks.keep(session, track)
    return FollowOut(track=track, notes=notes)


def _picture(context: Context, shot_id: int, order: Asked) -> tuple[Subject, Picture | Seen]:
    with context.session() as session:
        subject = subject_of(the_shot(session, shot_id))
    return subject, context.frames.treated_preview(subject.source, order.frame, order.here.treatment)


def _reaching(order: Asked) -> Chain:
    return order.here.before(order.level, order.step)
