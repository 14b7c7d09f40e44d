"""The live channel: one WebSocket per desk, newest request first, overtaken ones dropped."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Callable
from concurrent.futures import Executor
from typing import TypeVar

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import ValidationError
from starlette.types import Message

from dovrel.errors import Overtaken, Refused
from dovrel.service.desk import Desk
from dovrel.service.faults import is_for_now, said_of
from dovrel.service.live_schemas import Point, Show
from dovrel.service.pools import Pools

router = APIRouter()
MAX_MESSAGE = 128 * 1024
Answer = TypeVar("Answer")


def _parse(message: Message) -> Show | Point:
    """A request as it came.

    Raises
    ------
    Refused
        If it is none; the message says what is wrong.
    """
    text = message.get("text")
    if text is None:
        raise Refused("it is not text")
    if len(text) > MAX_MESSAGE:
        raise Refused(f"it is longer than {MAX_MESSAGE} characters")
    try:
        raw = json.loads(text)
        kind = raw.get("kind") if isinstance(raw, dict) else None
        return Point.model_validate(raw) if kind == "point" else Show.model_validate(raw)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part)[:60] for part in first["loc"])
        raise Refused(f"{where or 'it'}: {first['msg']}") from error
    except RecursionError:
        raise Refused("it is nested too deep") from None


class _Line:
    """One desk's requests and answers."""

    def __init__(self, socket: WebSocket, desk: Desk, pools: Pools) -> None:
        self.socket, self.desk, self.pools = socket, desk, pools
        self.newest: dict[str, Show | Point] = {}
        self.arrived = asyncio.Event()

    async def listen(self) -> None:
        while True:
            message = await self.socket.receive()
            if message["type"] == "websocket.disconnect":
                raise WebSocketDisconnect(message.get("code", 1000))
            try:
                request = _parse(message)
            except ValueError as error:
                await self._fault(None, f"request not understood: {error}"[:400], again=False)
                continue
            self.newest[request.kind] = request
            self.arrived.set()

    async def answer(self) -> None:
        while True:
            await self.arrived.wait()
            self.arrived.clear()
            for kind in ("show", "point"):
                request = self.newest.pop(kind, None)
                if request is not None:
                    await self._answered(request)

    async def _answered(self, request: Show | Point) -> None:
        try:
            if isinstance(request, Point):
                loop = asyncio.get_running_loop()
                named = await loop.run_in_executor(self.pools.hand, self.desk.point, request)
                await self.socket.send_text(named)
                return
            pool = self.pools.rest if request.full and request.aim is None else self.pools.hand
            await self._send(await self._run(pool, lambda: self.desk.show(request, self._is_overtaken)))
            if self.desk.searching:
                await self._send(await self._run(self.pools.rest, lambda: self.desk.search_on(self._is_overtaken)))
        except (WebSocketDisconnect, asyncio.CancelledError):
            raise
        except Overtaken:
            return
        except Exception as error:
            # Whatever it is: the desk gets a sentence, and its channel goes on.
            self.desk.viewing.forget()
            await self._fault(request.number, said_of(error), again=is_for_now(error))

    def _is_overtaken(self) -> bool:
        return "show" in self.newest

    async def _run(self, pool: Executor, work: Callable[[], Answer]) -> Answer:
        """Do work on a pool; what has not begun when something newer comes is not begun at all."""
        job = asyncio.get_running_loop().run_in_executor(pool, self._unless_overtaken, work)
        return await job

    def _unless_overtaken(self, work: Callable[[], Answer]) -> Answer:
        if self._is_overtaken():
            raise Overtaken
        return work()

    async def _send(self, answer: bytes | None) -> None:
        if answer is not None:
            await self.socket.send_bytes(answer)

    async def _fault(self, number: int | None, detail: str, *, again: bool) -> None:
        told = {"kind": "fault", "detail": detail, "again": again} | ({} if number is None else {"number": number})
        await self.socket.send_text(json.dumps(told))


@router.websocket("/api/live")
async def live(socket: WebSocket) -> None:
    """Answer the newest request; a fault is answered with a sentence, and the channel goes on."""
    await socket.accept()
    context = socket.app.state.context
    line = _Line(socket, Desk(context), context.pools)
    both = [asyncio.create_task(line.listen()), asyncio.create_task(line.answer())]
    try:
        done, _ = await asyncio.wait(both, return_when=asyncio.FIRST_COMPLETED)
        for task in done:
            if (error := task.exception()) and not isinstance(error, WebSocketDisconnect | RuntimeError):
                raise error
    finally:
        for task in both:
            task.cancel()
        await asyncio.gather(*both, return_exceptions=True)
