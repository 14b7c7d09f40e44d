"""A running service with the demo loaded and measured, on a real database."""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import httpx
import pytest

from dovrel.store.ports import free_port


class Running:
    """`./dovrel demo` as a user starts it, on a folder and port of its own."""

    def __init__(self, data: Path, media: Path) -> None:
        self.data, self.media, self.port = data, media, free_port()
        self.process: subprocess.Popen[bytes] | None = None

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        command = [sys.executable, "-m", "dovrel.cli", "demo", "--no-browser", "--port", str(self.port),
                   "--data", str(self.data), "--media", str(self.media)]  # fmt: skip
        self.process = subprocess.Popen(command, start_new_session=True)
        self.wait(lambda: urllib.request.urlopen(f"{self.address}/api/folders", timeout=2).status == 200, 180)

    def wait(self, reached, seconds: float) -> None:
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            try:
                if reached():
                    return
            except (OSError, httpx.HTTPError):
                pass
            time.sleep(0.2)
        raise AssertionError("not reached in time")

    def wait_measured(self, seconds: float = 480) -> None:
        def done() -> bool:
            day = json.load(urllib.request.urlopen(f"{self.address}/api/day", timeout=30))
            return all(shot["progress"] in ("ready", "faulty") for shot in day["shots"])

        self.wait(done, seconds)

    def stop(self) -> None:
        if self.process:
            self.process.terminate()
            self.process.wait(30)


@contextmanager
def started() -> Iterator[Running]:
    """A demo on a folder of its own, measured; gone afterwards."""
    folder = Path(tempfile.mkdtemp(prefix="dovrel-run-"))
    folder.chmod(0o755)
    (folder / "media").mkdir()
    running = Running(folder / "data", folder / "media")
    try:
        running.start()
        running.wait_measured()
        yield running
    finally:
        running.stop()
        shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="session")
def running() -> Iterator[Running]:
    with started() as demo:
        yield demo


@pytest.fixture(scope="module")
def own() -> Iterator[Running]:
    """A demo of a module's own: what is done to the whole day disturbs no other test."""
    with started() as demo:
        yield demo


@pytest.fixture
def api(running) -> Iterator[httpx.Client]:
    with httpx.Client(base_url=running.address + "/api", timeout=60) as client:
        yield client


@pytest.fixture
def shot_named(api):
    def find(name: str) -> dict:
        return next(s for s in api.get("/day").json()["shots"] if s["name"] == name)

    return find
