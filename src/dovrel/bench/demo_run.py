"""Dovrel started with its demo as a user starts it, on a folder and port of its own: for benchmarks and tests."""

from __future__ import annotations

import json
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import httpx
from websockets.sync.client import ClientConnection, connect

from dovrel.machine.secret import Secret
from dovrel.store.ports import free_port

START_SECONDS = 180.0
MEASURED_SECONDS = 480.0


class DemoRun:
    """`./dovrel demo`, or another command that starts all parts, on `data`; clips may be taken in from `media`."""

    def __init__(
        self, data: Path, media: Path, command: str = "demo", *, names_media: bool = True, workers: int = 1
    ) -> None:
        self.command, self.names_media, self.workers = command, names_media, workers
        self.data, self.media, self.port = data, media, free_port()
        self.secret = Secret(data)
        self.process: subprocess.Popen[bytes] | None = None

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    @property
    def entrance(self) -> str:
        """Where a browser comes in."""
        return self.secret.address(self.address)

    def client(self, timeout: float = 60) -> httpx.Client:
        """A client of the service that is let in."""
        return httpx.Client(base_url=f"{self.address}/api", headers=self.secret.headers, timeout=timeout)

    def live(self, path: str = "/api/live") -> ClientConnection:
        """A desk's live channel."""
        address = f"ws://127.0.0.1:{self.port}{path}"
        return connect(address, origin=self.address, additional_headers=self.secret.headers, max_size=2**25)  # type: ignore[arg-type]

    def start(self, **options) -> None:
        """Start, and wait until it answers; `options` are those of :class:`subprocess.Popen`."""
        media = ["--media", str(self.media)] if self.names_media else []
        command = [sys.executable, "-m", "dovrel.cli", self.command, "--no-browser", "--port", str(self.port),
                   "--data", str(self.data), "--workers", str(self.workers), *media]  # fmt: skip
        self.process = subprocess.Popen(command, start_new_session=True, **options)
        self.wait_until_answering()

    def wait_until_answering(self, seconds: float = START_SECONDS) -> None:
        self.wait(lambda: self.day() is not None, seconds)

    def day(self) -> dict:
        with self.client() as client:
            return client.get("/day").raise_for_status().json()

    def wait(self, reached: Callable[[], bool], seconds: float) -> None:
        """Until `reached`; a server that does not answer meanwhile is waited for.

        Raises
        ------
        TimeoutError
            If that takes longer.
        """
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            try:
                if reached():
                    return
            except (OSError, httpx.HTTPError, json.JSONDecodeError):
                if self.process and self.process.poll() is not None:
                    raise RuntimeError(f"Dovrel ended with exit code {self.process.returncode}") from None
            time.sleep(0.2)
        raise TimeoutError("not reached in time")

    def wait_measured(self, seconds: float = MEASURED_SECONDS) -> None:
        def done() -> bool:
            return all(shot["progress"] in ("ready", "faulty") for shot in self.day()["shots"])

        self.wait(done, seconds)

    def stop(self) -> int | None:
        """Stop as Ctrl-C does; the exit code."""
        if self.process is None:
            return None
        self.process.send_signal(signal.SIGINT)
        try:
            return self.process.wait(60)
        except subprocess.TimeoutExpired:
            self.process.kill()
            raise


@contextmanager
def demo_run(measured: Path | None = None, workers: int = 1) -> Iterator[DemoRun]:
    """A demo on a folder of its own, measured; gone afterwards. `measured` is a data folder to begin with a copy of."""
    folder = Path(tempfile.mkdtemp(prefix="dovrel-run-"))
    (folder / "media").mkdir()
    run = DemoRun(folder / "data", folder / "media", workers=workers)
    try:
        if measured:
            # With owners, so that the database's account finds its own.
            subprocess.run(["cp", "-a", str(measured), str(run.data)], check=True)
        run.start()
        run.wait_measured()
        yield run
    finally:
        run.stop()
        shutil.rmtree(folder, ignore_errors=True)
