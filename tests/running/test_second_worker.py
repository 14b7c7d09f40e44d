"""A worker on another data folder, as on another machine."""

import subprocess
import sys

import psutil
import pytest

from dovrel.bench.demo_run import demo_run
from dovrel.demo import cards
from tests.helpers.asking import done, shots


@pytest.fixture
def night(measured):
    with demo_run(measured) as run:
        yield run


@pytest.fixture
def api(night):
    with night.client() as client:
        yield client


@pytest.mark.thorough
def test_a_second_worker_joins_and_a_killed_one_s_task_is_done_by_another(night, api):
    """The worker that came with the server is killed in the middle of a batch; another, with a data
    folder of its own, brings it to its end."""
    address = next(
        word.split("=", 1)[1]
        for process in psutil.Process(night.process.pid).children()
        for word in [f"{k}={v}" for k, v in process.environ().items()]
        if word.startswith("DOVREL_DATABASE=")
    )
    found = shots(api)
    # All of them, so that there is work left for the other, however quick the first was.
    names = [name for name, shot in found.items() if shot["progress"] == "ready"]
    operation = api.post("/batches", json={"kind": "balance", "shots": [found[n]["id"] for n in names]}).json()
    night.wait(lambda: api.get(f"/operations/{operation['id']}").json()["done"] >= 1, 120)
    launcher = psutil.Process(night.process.pid)
    worker = next(p for p in launcher.children() if "worker" in p.cmdline())
    launcher.suspend()  # so that it does not start another in its place
    worker.kill()
    other_data = night.data.parent / "elsewhere"
    other_data.mkdir()
    kept = other_data / "address"
    kept.write_text(address)
    command = [sys.executable, "-m", "dovrel.cli", "worker", "--database-file", str(kept), "--data", str(other_data),
               "--media", str(cards.cards_folder()), "--media", str(cards.ENCODINGS)]  # fmt: skip
    other = subprocess.Popen(command)
    try:
        ended = done(api, operation, 240)
        assert (ended["done"], ended["failed"]) == (len(names), [])
        assert len({shots(api)[n]["version_id"] for n in names}) == len(names)
        assert list((other_data / "thumbnails").iterdir())
    finally:
        other.terminate()
        other.wait(20)
        launcher.resume()
