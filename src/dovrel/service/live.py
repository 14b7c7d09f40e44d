"""The live channel: one WebSocket per desk, newest request first, overtaken ones dropped."""

from __future__ import annotations

import asyncio
import json
from collections import OrderedDict
from typing import Annotated, Literal

import numpy as np
import simplejpeg
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, Field, ValidationError

from dovrel.core.colour import controls, tables
from dovrel.core.colour.cdl import IDENTITY, TenNumbers
from dovrel.core.correct.solve import Solution, solve, take_sample
from dovrel.core.measure import kernels
from dovrel.core.measure.frame import WHOLE, Meter, display_of, render
from dovrel.core.measure.point import name_point
from dovrel.core.measure.readings import readings_of_display
from dovrel.media.faults import MediaFault
from dovrel.service.context import Context, percentiles_of, the_shot
from dovrel.service.frames import Source, source_of
from dovrel.service.packing import pack_measured
from dovrel.service.schemas import Numbers

router = APIRouter()
JPEG_QUALITY = 88
MAX_MESSAGE = 16 * 1024
_DRAGGED_WEIGHT = 3.0
KEPT_READINGS = 32
Fraction = Annotated[float, Field(ge=0, le=1)]


class Aim(BaseModel):
    """Readings to meet: the ten aims, and which of them were moved by hand."""

    values: Numbers
    moved: list[Annotated[int, Field(ge=0, le=9)]]


class Turn(BaseModel):
    """One control set to a value; the ten numbers follow."""

    control: Literal["exposure", "warmth", "tint", "contrast", "saturation"]
    value: Annotated[float, Field(ge=-1e6, le=1e6)]


class Show(BaseModel):
    """What the page wants to see."""

    kind: Literal["show"] = "show"
    number: int
    shot: int
    frame: Annotated[int, Field(ge=0)]
    numbers: Numbers
    pivot: Annotated[float, Field(ge=0.05, le=0.9)] = 0.4135884
    aim: Aim | None = None
    turn: Turn | None = None
    meter: tuple[Fraction, Fraction, Fraction, Fraction] | None = None
    before: bool = False
    full: bool = False
    reference: int | None = None


class Point(BaseModel):
    """A point of the picture to be named, in parts of its width and height."""

    kind: Literal["point"]
    number: int
    shot: int
    frame: Annotated[int, Field(ge=0)]
    numbers: Numbers
    x: Fraction
    y: Fraction


class Desk:
    """What one open desk is looking at."""

    def __init__(self, context: Context) -> None:
        self.context = context
        self._source: Source | None = None
        self._measured: OrderedDict[tuple, np.ndarray] = OrderedDict()

    def source(self, shot_id: int) -> Source:
        if self._source is None or self._source.shot_id != shot_id:
            with self.context.session() as session:
                shot = the_shot(session, shot_id)
                self._source = source_of(shot)
                self._percentiles = percentiles_of(shot.production)
        return self._source

    def forget(self) -> None:
        self._source = None

    def show(self, request: Show) -> bytes:
        """Solve or turn as asked, render, measure and pack."""
        source = self.source(request.shot)
        frames = self.context.frames
        picture = (frames.full if request.full else frames.preview)(source, request.frame)
        table = tables.output_table(source.output)
        meter = Meter(*request.meter) if request.meter else WHOLE
        numbers = TenNumbers.from_array(request.numbers)
        missed: list[dict] = []
        if request.turn:
            numbers = turned(numbers, request.turn, request.pivot)
        if request.aim:
            solution = self._solve(request, picture.packed, numbers, meter, source)
            numbers = solution.numbers
            missed = [{"reading": m.reading, "difference": m.difference, "reason": m.reason} for m in solution.missed]
        shown = IDENTITY if request.before else numbers
        measured = render(picture.packed, [shown], table, meter, self._percentiles)
        self._remember(self._key(request, shown), measured.readings)
        jpeg = simplejpeg.encode_jpeg(measured.picture, JPEG_QUALITY, colorsubsampling="444", fastdct=True)
        state = controls.read(numbers, request.pivot)
        header = {
            "number": request.number,
            "shot": request.shot,
            "frame": request.frame,
            "numbers": numbers.as_array().tolist(),
            "readings": measured.readings.tolist(),
            "controls": {
                "exposure": state.exposure,
                "warmth": state.warmth,
                "tint": state.tint,
                "contrast": state.contrast,
                "saturation": state.saturation,
            },
            "missed": missed,
            "full": request.full,
            "before": request.before,
            "width": measured.picture.shape[1],
            "height": measured.picture.shape[0],
            "distance": self._distance(request, source, shown),
        }
        return pack_measured(header, measured, jpeg)

    def _key(self, request: Show, numbers: TenNumbers) -> tuple:
        return (request.shot, request.frame, request.meter, numbers)

    def _remember(self, key: tuple, readings: np.ndarray) -> None:
        self._measured[key] = readings
        while len(self._measured) > KEPT_READINGS:
            self._measured.popitem(last=False)

    def _solve(self, request: Show, packed: np.ndarray, numbers: TenNumbers, meter: Meter, source: Source) -> Solution:
        """Solve on a sample; what the sample reads beside the whole is taken off the aims."""
        assert request.aim
        table = tables.output_table(source.output)
        x0, y0, x1, y1 = meter.pixels(packed.shape[1], packed.shape[0])
        sample = kernels.unpack(take_sample(packed[y0:y1, x0:x1]))
        aims = np.array(request.aim.values)
        whole = self._measured.get(self._key(request, numbers))
        if whole is not None:
            aims = aims - whole + readings_of_display(display_of(sample, [numbers], table), self._percentiles)
        weights = np.ones(10)
        weights[request.aim.moved] = _DRAGGED_WEIGHT
        return solve(
            sample,
            numbers,
            aims,
            table,
            output_id=source.output,
            percentiles=self._percentiles,
            weights=weights,
        )

    def _distance(self, request: Show, source: Source, numbers: TenNumbers) -> float | None:
        """Distance to the reference, if its comparison has been gathered already."""
        if request.reference is None:
            return None
        evidence = self.context.gathered(source, request.frame, request.reference)
        return evidence.distance(numbers) if evidence else None

    def point(self, request: Point) -> str:
        """Name the colour at a point, the mean of 3 × 3 preview pixels."""
        source = self.source(request.shot)
        picture = self.context.frames.preview(source, request.frame)
        named = name_point(
            picture.packed,
            request.x,
            request.y,
            TenNumbers.from_array(request.numbers),
            tables.output_table(source.output),
        )
        return json.dumps({"kind": "point", "number": request.number, **named})


def turned(numbers: TenNumbers, turn: Turn, pivot: float) -> TenNumbers:
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


def _parse(text: str) -> Show | Point:
    if len(text) > MAX_MESSAGE:
        raise ValueError("the request is too large")
    raw = json.loads(text)
    kind = raw.get("kind") if isinstance(raw, dict) else None
    return Point.model_validate(raw) if kind == "point" else Show.model_validate(raw)


@router.websocket("/api/live")
async def live(socket: WebSocket) -> None:
    """Answer the newest request; a fault is answered with a sentence, and the channel goes on."""
    await socket.accept()
    desk = Desk(socket.app.state.context)
    newest: dict[str, Show | Point] = {}
    arrived = asyncio.Event()

    async def listen() -> None:
        while True:
            text = await socket.receive_text()
            try:
                request = _parse(text)
            except (ValueError, ValidationError) as error:
                await socket.send_text(
                    json.dumps({"kind": "fault", "detail": f"request not understood: {error}"[:400]})
                )
                continue
            newest[request.kind] = request
            arrived.set()

    async def answer() -> None:
        while True:
            await arrived.wait()
            arrived.clear()
            for kind in ("show", "point"):
                request = newest.pop(kind, None)
                if request is None:
                    continue
                try:
                    if isinstance(request, Show):
                        await socket.send_bytes(await asyncio.to_thread(desk.show, request))
                    else:
                        await socket.send_text(await asyncio.to_thread(desk.point, request))
                except (ValueError, LookupError, MediaFault) as error:
                    desk.forget()
                    fault = {"kind": "fault", "number": request.number, "detail": str(error)}
                    await socket.send_text(json.dumps(fault))

    both = [asyncio.create_task(listen()), asyncio.create_task(answer())]
    try:
        done, _ = await asyncio.wait(both, return_when=asyncio.FIRST_COMPLETED)
        for task in done:
            if (error := task.exception()) and not isinstance(error, WebSocketDisconnect):
                raise error
    finally:
        for task in both:
            task.cancel()
        await asyncio.gather(*both, return_exceptions=True)
