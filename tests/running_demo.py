"""A running service with the demo loaded and measured, on a real database."""

from __future__ import annotations

import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from dovrel.bench.demo_run import DemoRun, demo_run


@pytest.fixture(scope="session")
def measured() -> Iterator[Path]:
    """A data folder with the demo measured and nothing else done; every demo of the tests begins with a copy."""
    folder = Path(tempfile.mkdtemp(prefix="dovrel-measured-"))
    with demo_run() as run:
        run.stop()
        run.process = None
        subprocess.run(["cp", "-a", str(run.data), str(folder / "data")], check=True)
    yield folder / "data"
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="session")
def running(measured) -> Iterator[DemoRun]:
    with demo_run(measured) as demo:
        yield demo


@pytest.fixture(scope="module")
def own(measured) -> Iterator[DemoRun]:
    """A demo of a module's own: what is done to the whole day disturbs no other test."""
    with demo_run(measured) as demo:
        yield demo


@pytest.fixture
def api(running) -> Iterator[httpx.Client]:
    with running.client() as client:
        yield client


@pytest.fixture
def shot_named(api):
    def find(name: str) -> dict:
        return next(s for s in api.get("/day").json()["shots"] if s["name"] == name)

    return find
