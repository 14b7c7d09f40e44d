"""The live channel: one WebSocket per desk, newest request first, overtaken ones dropped."""

from __future__ import annotations

import asyncio
import json

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import ValidationError

from dovrel.media.faults import MediaFault
from dovrel.service.desk import Desk, Point, Show

router = APIRouter()
MAX_MESSAGE = 32 * 1024


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
                        if desk.searching:
                            further = await asyncio.to_thread(desk.search_on, lambda: "show" in newest)
                            if further is not None:
                                await socket.send_bytes(further)
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
