"""Dovrel within this process: the very application and worker on threads of their own, without a start of parts."""

from __future__ import annotations

import asyncio
import contextlib
import os
import shutil
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import cast

import psycopg
from fastapi import FastAPI
from sqlalchemy.orm import Session, sessionmaker
from starlette.datastructures import State

from dovrel.bench.visiting import STILL_SECONDS, Visit
from dovrel.core.colour import look_files
from dovrel.core.steps import track
from dovrel.demo.cards import ENCODINGS, SHIPPED, cards_folder
from dovrel.jobs import tasks
from dovrel.jobs.worker import work_off
from dovrel.media import opening
from dovrel.media.frames import FrameStore
from dovrel.running import PAGE
from dovrel.service import main
from dovrel.service.settings import Settings
from dovrel.store.ports import free_port

FRAMES = FrameStore(512 << 20, reads_ahead=False)
"""Decoded frames of clips, which no test changes: one that has been decoded serves every day of this process. Frames that no
test asks for are not decoded: reading ahead has tests of its own."""
_UNMEASURED = "SELECT count(*) FROM shot WHERE progress NOT IN ('ready', 'faulty')"
_LEFT = "SELECT count(*) FROM procrastinate_jobs WHERE status IN ('todo', 'doing')"


class _Worker(threading.Thread):
    """A worker's loop on a thread; one at a time, since tasks go by the environment."""

    def __init__(self, url: str) -> None:
        super().__init__(name="worker", daemon=True)
        self._url = url
        self._begun = threading.Event()
        self.start()
        self._begun.wait()

    def run(self) -> None:
        with contextlib.suppress(asyncio.CancelledError):
            asyncio.run(self._work())

    async def _work(self) -> None:
        self._loop, self._task = asyncio.get_running_loop(), cast(asyncio.Task, asyncio.current_task())
        self._begun.set()
        await work_off(self._url, own_process=False)

    def stop(self) -> None:
        """Have it end: its task, and then whatever of its loop lives on, since a pool of connections may miss one request."""
        until = time.monotonic() + STILL_SECONDS
        while self.is_alive():
            if time.monotonic() > until:
                raise RuntimeError("the worker does not end")
            for task in asyncio.all_tasks(self._loop) if self._task.done() else [self._task]:
                with contextlib.suppress(RuntimeError):  # the loop has just ended by itself
                    self._loop.call_soon_threadsafe(task.cancel)
            self.join(0.5)


class Within(Visit):
    """A day's Dovrel as the page and scripts meet it, on a database and a data folder; clips may be taken in from `media`."""

    def __init__(self, data: Path, media: Path, database: str) -> None:
        super().__init__(data, free_port())
        self.media, self.database = media, database
        folders = (media, cards_folder(), SHIPPED, ENCODINGS)
        self._settings = Settings(database, data, folders, PAGE if (PAGE / "index.html").is_file() else None, self.port)
        self._before = opening._below

    def start(self) -> None:
        """Start, and wait until it answers."""
        os.environ["DOVREL_DATABASE"], os.environ["DOVREL_DATA"] = self.database, str(self.data)
        tasks._sessions.cache_clear()
        self._server = main.server(self._settings)
        self._serving = threading.Thread(target=self._server.run, name="server", daemon=True)
        self._serving.start()
        while not self._server.started:
            if not self._serving.is_alive():
                raise RuntimeError("the application did not start")
            time.sleep(0.005)
        self._state.context.frames = FRAMES
        self.wake_worker()

    @property
    def _state(self) -> State:
        return cast(FastAPI, self._server.config.app).state

    @property
    def changes(self) -> int:
        """How many changes of the day the database has told of."""
        return self._state.news.number

    @property
    def sessions(self) -> sessionmaker[Session]:
        """Of the application's own database."""
        return self._state.context.sessions

    def wait_idle(self, seconds: float = 240) -> None:
        """Until the worker has nothing left to do."""
        with psycopg.connect(self.database, autocommit=True) as line:
            self.wait(lambda: line.execute(_LEFT).fetchone() == (0,), seconds)

    def wait_measured(self) -> None:
        """Until every shot is measured; the database is asked, which costs the application nothing."""
        with psycopg.connect(self.database, autocommit=True) as line:
            self.wait(lambda: line.execute(_UNMEASURED).fetchone() == (0,), STILL_SECONDS)

    def rest_worker(self) -> None:
        """Have nothing begun that is ordered from now on."""
        self._worker.stop()

    def wake_worker(self) -> None:
        """Go on with what was ordered."""
        self._worker = _Worker(self.database)

    def check_alive(self) -> None:
        if not self._serving.is_alive():
            raise RuntimeError("the application ended")

    def stop(self) -> None:
        self._worker.stop()
        self._server.should_exit = True
        self._serving.join(30)
        tasks._sessions().kw["bind"].dispose()
        opening._below = self._before
        look_files.keep_in(None)
        track.load_from(None)


@contextlib.contextmanager
def reading_anywhere() -> Iterator[None]:
    """Within, the test itself reads files that the running Dovrel may not."""
    below, opening._below = opening._below, None
    try:
        yield
    finally:
        opening._below = below


def copy_of_data(source: Path, target: Path) -> None:
    """What a data folder holds besides its database, as a folder of its own."""
    shutil.copytree(source, target, ignore=shutil.ignore_patterns("postgres", "lock", "address", "secret"))
