"""Starting and stopping all parts: database, worker, server."""

from __future__ import annotations

import asyncio
import os
import subprocess
import sys
import time
import urllib.error
import urllib.request
from pathlib import Path
from types import TracebackType

from dovrel.store.cluster import Cluster
from dovrel.store.database import engine_for, migrate, sessions

PAGE = Path(__file__).resolve().parents[2] / "frontend" / "dist"
START_TIMEOUT = 90.0


class Running:
    """The database, the workers and the server; everything started is stopped on leaving."""

    def __init__(self, data: Path, port: int, media: list[Path], workers: int = 1, *, with_demo: bool) -> None:
        self.workers = workers
        self.data = data
        self.port = port
        self.media = [folder.resolve() for folder in media]
        self.with_demo = with_demo
        self.cluster = Cluster(data / "postgres")
        self.processes: list[subprocess.Popen[bytes]] = []

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def __enter__(self) -> Running:
        for folder in self.media:
            if not folder.is_dir():
                raise ValueError(f"{folder}: there is no such folder")
        self.data.mkdir(parents=True, exist_ok=True)
        try:
            self._start()
        except BaseException:
            self.__exit__(None, None, None)
            raise
        return self

    def _start(self) -> None:
        from dovrel.jobs import queue
        from dovrel.jobs.cores import threads_each

        url = self.cluster.start()
        migrate(url)
        queue.prepare(url)
        folders = list(self.media)
        if self.with_demo:
            folders += self._load_demo(url)
        environment = {
            **os.environ,
            # Large blocks go back to the system when freed, and threads share two heaps.
            "MALLOC_MMAP_THRESHOLD_": str(1 << 20),
            "MALLOC_ARENA_MAX": "2",
            "DOVREL_DATABASE": url,
            "DOVREL_DATA": str(self.data),
            "DOVREL_MEDIA": os.pathsep.join(map(str, folders)),
            "DOVREL_PAGE": str(PAGE),
        }
        server = ["-m", "uvicorn", "dovrel.service.main:app", "--host", "127.0.0.1", "--port", str(self.port),
                  "--log-level", "warning", "--ws-max-size", "65536",
                  "--ws-per-message-deflate", "false"]  # fmt: skip
        worker = ["-m", "dovrel.cli", "worker", "--threads", str(threads_each(self.workers))]
        for arguments in (server, *[worker] * self.workers):
            self.processes.append(
                subprocess.Popen([sys.executable, *arguments], env=environment, start_new_session=True)
            )

    def _load_demo(self, url: str) -> list[Path]:
        from dovrel.demo.cards import CARDS, ENCODINGS
        from dovrel.demo.load import load_demo
        from dovrel.jobs.queue import defer_measures

        engine = engine_for(url)
        shots = load_demo(sessions(engine))
        engine.dispose()
        asyncio.run(defer_measures(url, shots))
        return [CARDS, ENCODINGS]

    def wait_until_ready(self) -> None:
        """Wait until the server answers.

        Raises
        ------
        ValueError
            If a part stopped instead; the message names it.
        """
        until = time.monotonic() + START_TIMEOUT
        while time.monotonic() < until:
            if self.processes[0].poll() is not None:
                raise ValueError(f"the server did not start; is port {self.port} in use? choose another with --port")
            try:
                with urllib.request.urlopen(f"{self.address}/api/folders", timeout=2):
                    return
            except (urllib.error.URLError, OSError):
                time.sleep(0.1)
        raise ValueError("the server did not answer in time")

    def wait(self) -> None:
        """Until a part stops, or the caller is interrupted."""
        while all(process.poll() is None for process in self.processes):
            time.sleep(0.3)

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        for process in reversed(self.processes):
            process.terminate()
        for process in self.processes:
            try:
                process.wait(10)
            except subprocess.TimeoutExpired:
                process.kill()
        self.cluster.stop()
