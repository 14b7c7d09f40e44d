"""A running service with the demo loaded and measured, on a real database."""

from __future__ import annotations

import shutil
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from dovrel.bench.demo_run import DemoRun, demo_run


@pytest.fixture(scope="session")
def measured() -> Iterator[Path]:
    """A data folder with the demo measured and nothing else done; every demo of the tests begins with a copy."""
    folder = Path(tempfile.mkdtemp(prefix="dovrel-measured-"))
    with demo_run(workers=2) as run:
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


def hand_over(client: httpx.Client, order: dict, seconds: float = 120) -> dict:
    """Order a handover, and wait until the workers have written all of it; its record."""
    answer = client.post("/handovers", json=order)
    assert answer.status_code == 200, answer.text
    return all_ended(client, answer.json()["id"], seconds)


def all_ended(client: httpx.Client, handover: int, seconds: float = 120) -> dict:
    """A handover's record once nothing of it is written any more."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        record = client.get(f"/handovers/{handover}").json()
        if all(item["state"] in ("done", "failed", "cancelled") for item in record["items"]):
            return record
        time.sleep(0.2)
    raise TimeoutError(record)
