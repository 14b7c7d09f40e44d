"""What is on one desk, and what of it is kept from one request to the next: caches only."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from dovrel.core.colour import codes, tables
from dovrel.core.develop import lattice
from dovrel.core.develop.frame import develop
from dovrel.core.develop.masks import share_of
from dovrel.core.measure.readings import Percentiles
from dovrel.core.measure.sampled import take_sample
from dovrel.core.steps.chain import apply_in_order
from dovrel.core.steps.controls import pushed
from dovrel.core.steps.denoise import Denoise
from dovrel.core.steps.levels import AtFrame
from dovrel.core.steps.selection import Side
from dovrel.core.steps.treatment import Treatment
from dovrel.errors import NotFound
from dovrel.jobs.sources import percentiles_of, source_of
from dovrel.jobs.subject import kept_subject, seen_under
from dovrel.machine.newest import Newest, Same
from dovrel.media.frames import Source
from dovrel.media.picture import PREVIEW_WIDTH, Picture, Seen
from dovrel.service.context import Context, the_shot
from dovrel.service.live_schemas import PIVOTS, Show
from dovrel.store.models import KeptFrame

KEPT_READINGS = 32
KEPT_MASKS = 4


@dataclass(frozen=True)
class View:
    """A request with its shot's source, the frame as it was recorded and as it is treated, and which pixels are metered."""

    request: Show
    source: Source
    percentiles: Percentiles
    recorded: Picture | Seen
    picture: Picture | Seen
    mask: np.ndarray | None
    located: lattice.Located | None
    share: np.ndarray | None = None
    """How far each pixel is part of the current selection, 0..1."""

    @property
    def selected(self) -> float | None:
        """The part of the picture that the current selection selects; None if the current step is none."""
        return None if self.share is None else float(self.share.mean())

    @cached_property
    def pivot(self) -> float:
        """What exposure, white and contrast turn about, working value: the level of what is selected, where the current step is a
        selection, so that a small change of it has small numbers; else the desk's own."""
        request = self.request
        if request.selection is None or self.mask is None or not self.mask.any():
            return request.pivot
        reaching = codes.unpack(take_sample(self.picture.packed[self.mask != 0]))
        level = apply_in_order(reaching, request.here.before(request.level, request.step)).mean()
        return float(np.clip(level, *PIVOTS))

    @property
    def table(self) -> tables.Table:
        return tables.output_table(self.source.output)

    def developed(self, levels: AtFrame, stops: float = 0.0) -> np.ndarray:
        """Display codes uint16 (3, H, W) under four levels, and then pushed by some stops."""
        changing = self.request.playing and bool(self.request.levels.frames)
        chain = [*levels.in_order, *pushed(stops)]
        return develop(self.picture.packed, chain, self.table, self.located, changing=changing)


class Viewing:
    """Puts requests' shots and frames on the desk."""

    def __init__(self, context: Context) -> None:
        self.context = context
        self._source: tuple[Source, Percentiles] | None = None
        self._masks: Newest[np.ndarray | None] = Newest(KEPT_MASKS)
        self._readings: Newest[np.ndarray] = Newest(KEPT_READINGS)
        self._references: Newest[np.ndarray] = Newest(1)
        self._last: tuple | None = None
        self._located: tuple[Picture | Seen, lattice.Located] | None = None

    def source(self, shot_id: int) -> tuple[Source, Percentiles]:
        if self._source is None or self._source[0].shot_id != shot_id:
            with self.context.session() as session:
                shot = the_shot(session, shot_id)
                self._source = source_of(shot), percentiles_of(shot.production)
        return self._source

    def forget(self) -> None:
        """Look the shot up anew: something went wrong with it."""
        self._source = None

    def view(self, request: Show) -> View:
        source, percentiles = self.source(request.shot)
        recorded = self._recorded(request, source)
        treatment = self._treatment(request, source, recorded)
        picture = self.context.frames.treated(source, request.frame, recorded, treatment)
        table = tables.output_table(source.output)
        mask, located = self._mask(request, picture, table), self._locate(request, picture)
        share = None
        if request.selection:
            before = request.here.before(request.level, request.step)
            share = share_of(picture.packed, before, request.selection, table, located)
            mask = selected_of(share, request.side, mask)
        return View(request, source, percentiles, recorded, picture, mask, located, share)

    def _recorded(self, request: Show, source: Source) -> Picture | Seen:
        frames = self.context.frames
        if not request.playing:
            frames.hold()
        if request.playing:
            return frames.playing(source, request.frame)
        if request.full:
            return frames.full(source, request.frame)
        # A hand that steps from frame to frame wants the next at once; one that stays on a frame wants it sharp.
        width = request.width if self._last == (request.shot, request.frame) else PREVIEW_WIDTH
        return frames.preview(source, request.frame, width)

    def _treatment(self, request: Show, source: Source, picture: Picture | Seen) -> list[Treatment]:
        """What is done to the frame before all colour. While it is played, noise is reduced where that is done already."""
        treatment = list(request.seen(request.here).treatment)
        width = picture.packed.shape[1]
        if request.playing and not self.context.frames.is_treated(source, request.frame, width, treatment):
            return [values for values in treatment if not isinstance(values, Denoise)]
        return treatment

    def _mask(self, request: Show, picture: Picture | Seen, table: tables.Table) -> np.ndarray | None:
        if request.meter is None:
            return None
        meter = seen_under(request.meter.meter(), request.here)
        key = (Same(picture.packed), meter)
        if key not in self._masks:
            self._masks.keep(key, meter.mask(picture.packed, table))
        return self._masks.get(key)

    def _locate(self, request: Show, picture: Picture | Seen) -> lattice.Located | None:
        """The frame in its lattice from the second time on that it is asked for."""
        if request.full or request.playing:
            return None
        this = (request.shot, request.frame)
        if this != self._last:
            self._last, self._located = this, None
            return None
        if self._located is None or self._located[0] is not picture:
            self._located = picture, lattice.locate(picture.packed)
        return self._located[1]

    def readings_under(self, view: View, levels: AtFrame) -> np.ndarray | None:
        """What the frame read under four levels when it was last measured so."""
        return self._readings.get(_key(view, levels))

    def remember(self, view: View, levels: AtFrame, readings: np.ndarray) -> None:
        self._readings.keep(_key(view, levels), readings)

    def reference_display(self, kept_id: int, levels: AtFrame) -> np.ndarray:
        """A kept frame's display codes, under the look and finish that are in force now."""
        key = (kept_id, levels.camera, levels.family, levels.show)
        known = self._references.get(key)
        if known is not None:
            return known
        with self.context.session() as session:
            kept = session.get(KeptFrame, kept_id)
            if kept is None:
                raise NotFound(f"there is no kept frame {kept_id}")
            subject, frame = kept_subject(kept), kept.frame
        here = subject.levels.at(frame)
        packed = self.context.frames.treated_preview(subject.source, frame, here.treatment).packed
        table = tables.output_table(subject.source.output)
        return self._references.keep(key, develop(packed, here.in_order, table))


def selected_of(share: np.ndarray, side: Side, mask: np.ndarray | None) -> np.ndarray | None:
    """The metered pixels that belong to a side of a selection more than by half; all that are metered where none does."""
    return within(share >= _HALF, side, mask)


def within(chosen: np.ndarray, side: Side, mask: np.ndarray | None) -> np.ndarray | None:
    """The metered pixels among those chosen, or, outside, among all others; all that are metered where there are none."""
    there = chosen if side == "inside" else ~chosen
    metered = there if mask is None else there & (mask != 0)
    return metered.astype(np.uint8) if metered.any() else mask


_HALF = 0.5


def _key(view: View, levels: AtFrame) -> tuple:
    request = view.request
    meter = request.meter and request.meter.meter()
    part = request.selection and (request.level, request.step, request.side)
    return (request.shot, request.frame, view.picture.packed.shape, meter, part, levels)
