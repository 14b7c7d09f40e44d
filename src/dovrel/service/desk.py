"""What one open desk is shown: answers to its requests."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import asdict

import numpy as np

from dovrel.core.colour import tables
from dovrel.core.develop.frame import develop
from dovrel.core.match.ties import compare
from dovrel.core.measure import counting, limits, marking
from dovrel.core.measure.brush import brushed
from dovrel.core.measure.frame import measure
from dovrel.core.measure.meter import WHOLE
from dovrel.core.measure.noise import noise_of
from dovrel.core.measure.point import name_point
from dovrel.core.measure.shown_as import greys_shown, hues_shown
from dovrel.core.steps import controls
from dovrel.core.steps.curves import Curves
from dovrel.core.steps.denoise import Denoise
from dovrel.core.steps.hue_turns import HueTurns
from dovrel.core.steps.levels import AtFrame
from dovrel.core.steps.look import lost
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.selection import Selection
from dovrel.core.steps.steady_picture import SteadyPicture
from dovrel.errors import Overtaken
from dovrel.jobs.subject import Subject
from dovrel.service.context import Context
from dovrel.service.live_schemas import Point, Show
from dovrel.service.packing import pack, pack_scopes
from dovrel.service.seeking import Search, met, turned
from dovrel.service.showing import encoded, extra_blobs, survey
from dovrel.service.viewing import View, Viewing

PLAYING_COLUMNS = 160
"""Columns of waveform and parade while playing: half the message, and half the page's drawing."""


class Desk:
    """What one open desk is looking at; caches only, so it may be forgotten at any time."""

    def __init__(self, context: Context) -> None:
        self.context = context
        self.viewing = Viewing(context)
        self._unmet: Show | None = None

    def show(self, request: Show, overtaken: Callable[[], bool] = lambda: False) -> bytes:
        """Solve or turn as asked, develop, measure, mark and pack; aims are searched for quickly first.

        Raises
        ------
        Overtaken
            If `overtaken` says on the way to a full frame that something newer is wanted.
        """
        effort = "drag" if request.aim and request.aim.dragged else "quick"
        return self._answer(request, Search(effort), overtaken if request.full and not request.aim else None)

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
        answer = self._answer(request, Search("thorough", overtaken))
        return None if overtaken() else answer

    def numbers_for(self, request: Show) -> Primary:
        """The numbers that a request's aims or turn come to, searched for thoroughly where that is needed; nothing is shown."""
        view = self.viewing.view(request)
        levels = _turned(view)
        if request.aim:
            solution = met(view, request.aim, levels, self.viewing, Search("quick"))
            if solution.missed:
                solution = met(view, request.aim, levels, self.viewing, Search("thorough"))
            return solution.numbers
        return request.numbers_in(levels)

    def _answer(self, request: Show, search: Search, given_up: Callable[[], bool] | None = None) -> bytes:
        def go_on() -> None:
            if given_up and given_up():
                raise Overtaken

        view = self.viewing.view(request)
        go_on()
        levels = _turned(view)
        missed: list[dict] = []
        self._unmet = None
        if request.aim:
            solution = met(view, request.aim, levels, self.viewing, search)
            levels = request.with_numbers(levels, solution.numbers)
            missed = [asdict(one) for one in solution.missed]
            if missed and search.effort == "quick":
                self._unmet, missed = request, []
        shown = request.seen(levels)
        display = view.developed(shown)
        go_on()
        brushes = [one.brush() for one in request.brushes]
        inside = brushed(display, brushes, view.mask) if brushes else None
        pictured = view.developed(shown, request.peek) if request.peek else display
        jpeg = encoded(view, pictured, shown, inside)
        columns = PLAYING_COLUMNS if request.playing else counting.WAVE_COLUMNS
        scopes, readings = measure(display, view.mask, view.percentiles, columns)
        self.viewing.remember(view, shown, readings)
        blobs = extra_blobs(request.extra, display, view.mask)
        if inside is not None:
            blobs |= pack_scopes(counting.count(display, inside, columns), "brushed ")
        header = {
            "number": request.number,
            "shot": request.shot,
            "frame": request.frame,
            **_current_step(view, levels),
            **_current_treatment(request, view, shown, display),
            "readings": readings.tolist(),
            "missed": missed,
            "searching": self.searching,
            "full": request.full,
            "playing": request.playing,
            "before": request.before,
            "peek": request.peek,
            "width": display.shape[2],
            "height": display.shape[1],
            "pixels": scopes.pixels,
            "selected": view.selected,
            "brushed": int(inside.sum()) if inside is not None else None,
            "limits": asdict(limits.tally(display, view.picture.flags, view.mask)),
            "familiar": survey(display) if request.extra.familiar else None,
            "bands": marking.band_colours().tolist() if request.mark == "false colour" else None,
            "distance": self._distance(view, shown),
            "ties": self._ties(request, display),
            "lost_looks": [look.name for look in lost(shown.in_order)],
        }
        if request.full:
            self.context.frames.make_ready(view.source, request.frame)
        return pack(header, {**pack_scopes(scopes), **blobs, "picture": jpeg.result()})

    def _distance(self, view: View, levels: AtFrame) -> float | None:
        """Distance to the reference, if its comparison has been gathered already."""
        request = view.request
        if request.reference is None:
            return None
        meters = (
            request.reference_meter.meter() if request.reference_meter else WHOLE,
            request.meter.meter() if request.meter else WHOLE,
        )
        subject = Subject(view.source, levels, view.percentiles)
        evidence = self.context.gathered(subject, request.frame, request.reference, meters)
        return evidence.distance(*levels.from_balance) if evidence else None

    def _ties(self, request: Show, display: np.ndarray) -> list[dict | None]:
        """What each tie's two patches measure, percent, and how far apart they are; None of one that this frame lacks."""
        if not request.ties or request.reference is None:
            return []
        there = self.viewing.reference_display(request.reference, request.here)
        ties = [one.at(request.frame) for one in request.ties]
        return [asdict(compare(tie, there, display)) if tie else None for tie in ties]

    def point(self, request: Point) -> str:
        """Name the colour at a point, the mean of 3 × 3 preview pixels."""
        source, _ = self.viewing.source(request.shot)
        treatment = request.seen(request.here).treatment
        picture = self.context.frames.treated_preview(source, request.frame, treatment)
        chain = request.seen(request.here).in_order
        reaching = request.here.before(request.level, request.step)
        table = tables.output_table(source.output)
        named = name_point(picture.packed, request.x, request.y, chain, table, reaching)
        return json.dumps({"kind": "point", "number": request.number, **named})


def _current_step(view: View, levels: AtFrame) -> dict:
    """What the header says of the current step: its ten numbers and controls, or where its points and hues are shown."""
    request, table = view.request, view.table
    values = levels.of(request.level).step(request.step).values
    said: dict = {"numbers": None, "controls": None, "greys": None, "hues": None}
    if isinstance(values, Primary | Selection):
        numbers = request.numbers_in(levels)
        said |= {"numbers": numbers.as_array().tolist(), "controls": asdict(controls.read(numbers, view.pivot))}
    elif isinstance(values, Curves):
        said["greys"] = greys_shown(levels.after(request.level, request.step), table).round(3).tolist()
    elif isinstance(values, HueTurns):
        said["hues"] = hues_shown(levels.after(request.level, request.step), table).round(2).tolist()
    return said


def _current_treatment(request: Show, view: View, shown: AtFrame, display: np.ndarray) -> dict:
    """What the current step does to the recorded picture: its noise before and after, or what is lost at its edges."""
    said: dict = {"noise": None, "crop": None}
    if isinstance(request.values, SteadyPicture):
        said["crop"] = request.values.crop
    elif isinstance(request.values, Denoise) and not request.playing:
        before = develop(view.recorded.packed, shown.in_order, view.table)
        said["noise"] = {"before": noise_of(before), "after": noise_of(display)}
    return said


def _turned(view: View) -> AtFrame:
    """The levels of a request, with its control turned if one is."""
    request = view.request
    if request.turn is None:
        return request.here
    return request.with_numbers(request.here, turned(request.numbers_in(request.here), request.turn, view.pivot))
