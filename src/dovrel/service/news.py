"""News of the day: every page hears at once when anything of the day was changed, by whomever, or a part is in trouble."""

from __future__ import annotations

import asyncio
import contextlib
import json
from pathlib import Path

import psycopg
from fastapi import APIRouter, WebSocket, WebSocketDisconnect

from dovrel.machine.folder import TROUBLE
from dovrel.store.database import CHANGES

router = APIRouter()
RETRY = 0.5
LOOK = 0.5
"""Seconds between two looks at what the start command says of its parts."""


class News:
    """Counts changes of the day as the database tells of them; wakes whoever waits for more."""

    def __init__(self) -> None:
        self.number = 0
        self.troubles: list[str] = []
        self._turned = asyncio.Event()

    def turn(self) -> None:
        """Wake all who wait."""
        self.number += 1
        self._turned.set()
        self._turned = asyncio.Event()

    async def more(self) -> None:
        await self._turned.wait()

    async def listen(self, database: str) -> None:
        """Hear of changes until cancelled; after a break in the line anything may have changed."""
        while True:
            with contextlib.suppress(psycopg.Error, OSError):
                async with await psycopg.AsyncConnection.connect(database, autocommit=True) as line:
                    await line.execute(f"LISTEN {CHANGES}")
                    self.turn()
                    async for _ in line.notifies():
                        self.turn()
            await asyncio.sleep(RETRY)

    async def watch_parts(self, data: Path) -> None:
        """Pass on what the start command says is wrong with a part, until cancelled."""
        while True:
            with contextlib.suppress(OSError, ValueError):
                troubles = json.loads((data / TROUBLE).read_text())
                if troubles != self.troubles:
                    self.troubles = troubles
                    self.turn()
            await asyncio.sleep(LOOK)


@router.websocket("/api/news")
async def news(socket: WebSocket) -> None:
    """Say that there is news, whenever there is."""
    await socket.accept()
    told: News = socket.app.state.news

    async def tell() -> None:
        while True:
            more = asyncio.ensure_future(told.more())
            await socket.send_json({"number": told.number, "troubles": told.troubles})
            await more

    telling = asyncio.create_task(tell())
    try:
        while True:
            await socket.receive()
            if telling.done():
                return
    except (WebSocketDisconnect, RuntimeError):
        return
    finally:
        telling.cancel()
        await asyncio.gather(telling, return_exceptions=True)
