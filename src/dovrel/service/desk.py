"""What one open desk is shown: answers to its requests."""

from __future__ import annotations

import json
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import asdict, dataclass, replace

import numpy as np
import simplejpeg

from dovrel.core.colour import codes, tables
from dovrel.core.correct.solve import Effort, Solution, solve
from dovrel.core.develop import lattice
from dovrel.core.develop.frame import develop, display_of, picture_of
from dovrel.core.match.ties import compare
from dovrel.core.measure import counting, familiar, limits, marking
from dovrel.core.measure.brush import brushed
from dovrel.core.measure.frame import measure
from dovrel.core.measure.meter import WHOLE
from dovrel.core.measure.point import name_point
from dovrel.core.measure.readings import readings_of_display
from dovrel.core.measure.sampled import take_sample
from dovrel.core.steps import controls
from dovrel.core.steps.chain import apply_in_order
from dovrel.core.steps.levels import Levels, ShotBalance
from dovrel.core.steps.primary import IDENTITY, Primary
from dovrel.jobs import automatic
from dovrel.jobs.automatic import Subject
from dovrel.jobs.sources import percentiles_of, source_of
from dovrel.media.frames import Source
from dovrel.media.picture import Picture, Seen
from dovrel.service.context import Context, the_shot
from dovrel.service.live_schemas import Aim, Asked, Extra, Point, Show, Turn
from dovrel.service.packing import pack, pack_scopes
from dovrel.store.models import KeptFrame

JPEG_QUALITY = 88
PLAYING_COLUMNS = 160
"""Columns of waveform and parade while playing: half the message, and half the page's drawing."""
KEPT_READINGS = 32
KEPT_MASKS = 4
_LOOKS, _NEAR_ENOUGH = 2, 0.1
"""How often a solution found on a sample is looked at on the frame, and how near it then is enough, percent."""
_encoders = ThreadPoolExecutor(2, thread_name_prefix="jpeg")
_full_encoders = ThreadPoolExecutor(2, thread_name_prefix="full jpeg")


class Overtaken(Exception):
    """Something newer is wanted in the place of an answer under way."""


@dataclass(frozen=True)
class _Search:
    """How far to search for aims, and what says that they are no longer wanted."""

    effort: Effort
    overtaken: Callable[[], bool] = lambda: False


@dataclass(frozen=True)
class _View:
    """What is on the desk: the request, its shot, the frame's pixels and which of them are metered."""

    request: Show
    source: Source
    picture: Picture | Seen
    mask: np.ndarray | None


class Desk:
    """What one open desk is looking at; caches only, so it may be forgotten at any time."""

    def __init__(self, context: Context) -> None:
        self.context = context
        self._source: Source | None = None
        self._measured: OrderedDict[tuple, np.ndarray] = OrderedDict()
        self._masks: OrderedDict[tuple, np.ndarray | None] = OrderedDict()
        self._last: tuple | None = None
        self._reference: tuple[tuple, np.ndarray] | None = None
        self._located: lattice.Located | None = None
        self._unmet: Show | None = None

    def source(self, shot_id: int) -> Source:
        if self._source is None or self._source.shot_id != shot_id:
            with self.context.session() as session:
                shot = the_shot(session, shot_id)
                self._source = source_of(shot)
                self._percentiles = percentiles_of(shot.production)
        return self._source

    def forget(self) -> None:
        self._source = None

    def show(self, request: Show, overtaken: Callable[[], bool] = lambda: False) -> bytes:
        """Solve or turn as asked, develop, measure, mark and pack; aims are searched for quickly first.

        Raises
        ------
        Overtaken
            If `overtaken` says on the way to a full frame that something newer is wanted.
        """
        effort = "drag" if request.aim and request.aim.dragged else "quick"
        return self._answer(request, _Search(effort), overtaken if request.full and not request.aim else None)

    @property
    def searching(self) -> bool:
        """Whether the last answer's aims are not met yet, and :meth:`search_on` would look further."""
        return self._unmet is not None

    def search_on(self, overtaken: Callable[[], bool]) -> bytes | None:
        """The last request's answer after a thorough search, if the quick one did not meet its aims.

        None if it did, or if `overtaken` said meanwhile that something newer is wanted.
        """
        request, self._unmet = self._unmet, None
        if request is None or overtaken():
            return None
        answer = self._answer(request, _Search("thorough", overtaken))
        return None if overtaken() else answer

    def numbers_for(self, request: Show) -> Primary:
        """The numbers that a request's aims or turn come to, searched for thoroughly where that is needed; nothing is shown."""
        numbers = Primary.from_array(request.numbers)
        if request.turn:
            numbers = turned(numbers, request.turn, request.pivot)
        if request.aim:
            source = self.source(request.shot)
            read = self.context.frames.full if request.full else self.context.frames.preview
            picture = read(source, request.frame)
            mask = self._mask(request, picture, tables.output_table(source.output))
            levels = request.levels.levels().replaced(request.level, numbers)
            view = _View(request, source, picture, mask)
            solution = self._met(view, request.aim, levels, _Search("quick"))
            if solution.missed:
                solution = self._met(view, request.aim, levels, _Search("thorough"))
            numbers = solution.numbers
        return numbers

    def _answer(self, request: Show, search: _Search, given_up: Callable[[], bool] | None = None) -> bytes:
        def go_on() -> None:
            if given_up and given_up():
                raise Overtaken

        source = self.source(request.shot)
        frames = self.context.frames
        read = frames.playing if request.playing else frames.full if request.full else frames.preview
        if not request.playing:
            frames.hold()
        picture = read(source, request.frame)
        go_on()
        table = tables.output_table(source.output)
        mask = self._mask(request, picture, table)
        numbers = Primary.from_array(request.numbers)
        others = request.levels.levels()
        missed: list[dict] = []
        self._unmet = None
        if request.turn:
            numbers = turned(numbers, request.turn, request.pivot)
        if request.aim:
            levels = others.replaced(request.level, numbers)
            solution = self._met(_View(request, source, picture, mask), request.aim, levels, search)
            numbers = solution.numbers
            missed = [asdict(one) for one in solution.missed]
            if missed and search.effort == "quick":
                self._unmet, missed = request, []
        shown = _in_force(request, numbers)
        display = develop(picture.packed, shown.in_order, table, self._locate(request, picture))
        go_on()
        brushes = [one.brush() for one in request.brushes]
        inside = brushed(display, brushes, mask) if brushes else None
        jpeg = self._encoded(request, picture, display, shown, inside)
        columns = PLAYING_COLUMNS if request.playing else counting.WAVE_COLUMNS
        scopes, readings = measure(display, mask, self._percentiles, columns)
        self._remember(self._key(request, shown), readings)
        blobs = _extra_blobs(request.extra, display, mask)
        if inside is not None:
            blobs |= pack_scopes(counting.count(display, inside, columns), "brushed ")
        header = {
            "number": request.number,
            "shot": request.shot,
            "frame": request.frame,
            "numbers": numbers.as_array().tolist(),
            "readings": readings.tolist(),
            "controls": asdict(controls.read(numbers, request.pivot)),
            "missed": missed,
            "searching": self.searching,
            "full": request.full,
            "playing": request.playing,
            "before": request.before,
            "width": display.shape[2],
            "height": display.shape[1],
            "pixels": scopes.pixels,
            "brushed": int(inside.sum()) if inside is not None else None,
            "limits": asdict(limits.tally(display, picture.flags, mask)),
            "familiar": _survey(display) if request.extra.familiar else None,
            "bands": marking.band_colours().tolist() if request.mark == "false colour" else None,
            "distance": self._distance(request, source, shown),
            "ties": self._ties(request, display),
        }
        if request.full:
            frames.make_ready(source, request.frame)
        blobs = pack_scopes(scopes) | blobs
        return pack(header, {**blobs, "picture": jpeg.result()})

    def _locate(self, request: Show, picture: Picture | Seen) -> lattice.Located | None:
        """The frame in its lattice from the second time on that it is asked for."""
        if request.full or request.playing:
            return None
        this = (request.shot, request.frame)
        if this != self._last:
            self._last, self._located = this, None
        elif self._located is None:
            self._located = lattice.locate(picture.packed)
        return self._located

    def _mask(self, request: Show, picture: Picture | Seen, table: tables.Table) -> np.ndarray | None:
        if request.meter is None:
            return None
        meter = replace(request.meter.meter(), earlier=request.levels.levels().before("shot"))
        key = (request.shot, request.frame, picture.packed.shape, meter)
        if key not in self._masks:
            self._masks[key] = meter.mask(picture.packed, table)
            while len(self._masks) > KEPT_MASKS:
                self._masks.popitem(last=False)
        return self._masks[key]

    def _encoded(
        self,
        request: Show,
        picture: Picture | Seen,
        display: np.ndarray,
        levels: Levels,
        inside: np.ndarray | None,
    ) -> Future[bytes]:
        """The picture with its marks as a JPEG, made while the scopes are counted."""
        shown = marking.false_colour(picture.packed, levels.in_order) if request.mark == "false colour" else None
        shown = picture_of(display) if shown is None else shown
        if request.mark == "clipping":
            shown = marking.clipping(shown, limits.flag(display, picture.flags))
        elif request.mark == "legality":
            shown = marking.legality(shown, limits.flag(display, picture.flags))
        elif request.mark in familiar.ZONES:
            shown = marking.only(shown, familiar.find(display, request.mark))
        if inside is not None:
            shown = marking.only(shown, inside)
        # A full frame's is made where no other desk's waits behind it.
        encoders = _full_encoders if request.full else _encoders
        return encoders.submit(
            simplejpeg.encode_jpeg, np.ascontiguousarray(shown), JPEG_QUALITY, colorsubsampling="444", fastdct=True
        )

    def _key(self, request: Show, levels: Levels) -> tuple:
        meter = request.meter.meter() if request.meter else None
        return (request.shot, request.frame, request.full, meter, levels)

    def _remember(self, key: tuple, readings: np.ndarray) -> None:
        self._measured[key] = readings
        while len(self._measured) > KEPT_READINGS:
            self._measured.popitem(last=False)

    def _met(self, view: _View, aim: Aim, levels: Levels, search: _Search) -> Solution:
        """Solve for the aims; what is no drag is looked at on the frame itself, and solved on from there."""
        request, picture = view.request, view.picture
        solution = self._solve(view, aim, levels, search)
        if search.effort == "drag":
            return solution
        table = tables.output_table(view.source.output)
        for _ in range(_LOOKS):
            if solution.missed or search.overtaken():
                break
            levels = levels.replaced(request.level, solution.numbers)
            display = develop(picture.packed, levels.in_order, table, self._locate(request, picture))
            _, readings = measure(display, view.mask, self._percentiles)
            self._remember(self._key(request, levels), readings)
            if np.abs(readings - aim.values)[: 10 if 9 in aim.moved else 9].max() < _NEAR_ENOUGH:
                break
            solution = self._solve(view, aim, levels, search)
        return solution

    def _solve(self, view: _View, aim: Aim, levels: Levels, search: _Search) -> Solution:
        """Solve on a sample; what the sample reads beside the whole is taken off the aims."""
        request, packed, mask = view.request, view.picture.packed, view.mask
        table = tables.output_table(view.source.output)
        numbers, after = levels.of(request.level), levels.after(request.level)
        sample = codes.unpack(take_sample(packed if mask is None else packed[mask != 0]))
        sample = apply_in_order(sample, levels.before(request.level)).astype(np.float32)
        aims = np.array(aim.values)
        whole = self._measured.get(self._key(request, levels))
        if whole is not None:
            shown = display_of(sample, [numbers, *after], table)
            aims = aims - whole + readings_of_display(shown, self._percentiles)
        return solve(
            sample,
            numbers,
            aims,
            table,
            output_id=view.source.output,
            after=after,
            percentiles=self._percentiles,
            moved=aim.moved or None,
            effort=search.effort,
            overtaken=search.overtaken,
        )

    def _distance(self, request: Show, source: Source, levels: Levels) -> float | None:
        """Distance to the reference, if its comparison has been gathered already."""
        if request.reference is None:
            return None
        meters = (
            request.reference_meter.meter() if request.reference_meter else WHOLE,
            request.meter.meter() if request.meter else WHOLE,
        )
        subject = Subject(source, levels, self._percentiles)
        evidence = self.context.gathered(subject, request.frame, request.reference, meters)
        return evidence.distance(*levels.balanced[1:]) if evidence else None

    def _ties(self, request: Show, display: np.ndarray) -> list[dict]:
        """What each tie's two patches measure, percent, and how far apart they are."""
        if not request.ties or request.reference is None:
            return []
        there = self._reference_display(request.reference, request.levels.levels())
        return [asdict(compare(one.tie(), there, display)) for one in request.ties]

    def _reference_display(self, kept_id: int, levels: Levels) -> np.ndarray:
        key = (kept_id, levels.camera, levels.family, levels.show)
        if self._reference is None or self._reference[0] != key:
            with self.context.session() as session:
                kept = session.get(KeptFrame, kept_id)
                if kept is None:
                    raise LookupError(f"there is no kept frame {kept_id}")
                subject, frame = automatic.kept_subject(kept), kept.frame
            packed = self.context.frames.preview(subject.source, frame).packed
            table = tables.output_table(subject.source.output)
            self._reference = (key, develop(packed, subject.levels.in_order, table))
        return self._reference[1]

    def point(self, request: Point) -> str:
        """Name the colour at a point, the mean of 3 × 3 preview pixels."""
        source = self.source(request.shot)
        picture = self.context.frames.preview(source, request.frame)
        chain = _in_force(request, Primary.from_array(request.numbers)).in_order
        named = name_point(picture.packed, request.x, request.y, chain, tables.output_table(source.output))
        return json.dumps({"kind": "point", "number": request.number, **named})


def _in_force(request: Asked, numbers: Primary) -> Levels:
    """All levels with these numbers at the edited one; under "before" without all that this level does.

    A shot's balance goes with its extended part.
    """
    levels = request.levels.levels()
    if not request.before:
        return levels.replaced(request.level, numbers)
    return levels.with_balance(ShotBalance()) if request.level == "shot" else levels.replaced(request.level, IDENTITY)


def turned(numbers: Primary, turn: Turn, pivot: float) -> Primary:
    """The ten numbers with one control at a new value, within its limits."""
    now = controls.read(numbers, pivot)
    if turn.control == "exposure":
        return controls.set_exposure(numbers, float(np.clip(turn.value, -12, 12)), pivot)
    if turn.control == "warmth":
        return controls.set_white(numbers, float(np.clip(turn.value, 2001, 24900)), now.tint, pivot)
    if turn.control == "tint":
        return controls.set_white(numbers, now.warmth, float(np.clip(turn.value, -60, 60)), pivot)
    if turn.control == "contrast":
        return controls.set_contrast(numbers, float(np.clip(turn.value, 0.05, 8)), pivot)
    return controls.set_saturation(numbers, float(np.clip(turn.value, 0, 4)))


def _extra_blobs(extra: Extra, display: np.ndarray, mask: np.ndarray | None) -> dict[str, np.ndarray | bytes]:
    blobs: dict[str, np.ndarray | bytes] = {}
    if extra.chroma:
        blobs["chroma"] = counting.count_chroma(display, mask)
    if extra.cast:
        blobs["cast"] = counting.count_cast(display, mask)
    if extra.vector_levels:
        blobs["limited vector"] = counting.count_vector(display, *extra.vector_levels, mask)
    return blobs


def _survey(display: np.ndarray) -> list[dict]:
    """Familiar colours; figures of those that are not there are left out."""
    return [{name: value for name, value in asdict(one).items() if value == value} for one in familiar.survey(display)]
