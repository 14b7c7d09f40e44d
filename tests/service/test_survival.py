"""Killing the server at any moment loses no saved correction."""

import os
import signal

import httpx
import psutil


def test_a_killed_server_keeps_every_saved_version(running):
    with httpx.Client(base_url=running.address + "/api", timeout=60) as api:
        shot = next(s for s in api.get("/day").json()["shots"] if s["name"] == "23A-1")
        base = shot["version_id"]
        for step in range(5):
            numbers = [1, 1, 1, step / 100, 0, 0, 1, 1, 1, 1]
            saved = api.put(f"/shots/{shot['id']}/correction", json={"numbers": numbers, "base": base})
            base = saved.json()["version_id"]
    children = python_children(running.process.pid)
    assert children
    for pid in children:
        os.kill(pid, signal.SIGKILL)
    running.process.wait(30)
    running.start()
    with httpx.Client(base_url=running.address + "/api", timeout=60) as api:
        again = next(s for s in api.get("/day").json()["shots"] if s["name"] == "23A-1")
        assert again["version_id"] == base
        assert again["numbers"][3] == 0.04
        assert len(api.get(f"/shots/{shot['id']}/versions").json()) == 5


def python_children(parent: int) -> list[int]:
    """Server and worker, the start command's own children (the database is left to run on)."""
    return [p.pid for p in psutil.Process(parent).children() if "python" in p.name()]
