"""Through the night: parts are killed, started twice, shut in; no saved correction is lost and nobody is let in."""

import json
import os
import re
import signal
import subprocess
import sys
import time
from pathlib import Path

import httpx
import psutil
import psycopg
import pytest

from dovrel.bench.demo_run import DemoRun, demo_run
from dovrel.bench.orders import numbers_of, ten
from dovrel.store.cluster import Cluster


@pytest.fixture(scope="module")
def night(measured):
    with demo_run(measured) as run:
        yield run


def parts(run, name: str) -> list[psutil.Process]:
    """Processes that the start command started: the server, the worker or the database."""
    said = {"server": "dovrel.service.main", "worker": "worker", "database": "postgres"}[name]
    children = psutil.Process(run.process.pid).children()
    # A child that has ended and is not yet seen to have has no command line.
    alive = [child for child in children if child.status() != psutil.STATUS_ZOMBIE]
    return [child for child in alive if any(said in word for word in child.cmdline())]


def second_start(data: Path, port: int) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "dovrel.cli", "demo", "--no-browser", "--data", str(data), "--port", str(port)]
    return subprocess.run(command, capture_output=True, text=True, timeout=120)


def shot(run, name: str = "23A-1") -> dict:
    return next(s for s in run.day()["shots"] if s["name"] == name)


def save(run, offset: float) -> dict:
    now = shot(run)
    body = {"correction": ten([1, 1, 1, offset, 0, 0, 1, 1, 1, 1]), "base": now["version_id"]}
    with run.client() as client:
        return client.put(f"/shots/{now['id']}/correction", json=body).raise_for_status().json()


def test_a_second_start_on_the_same_folder_says_so_and_leaves_the_first_alone(night, free_port):
    saved = save(night, 0.01)
    again = second_start(night.data, free_port)
    assert again.returncode == 2
    assert again.stdout == ""
    assert again.stderr.strip().endswith("or choose another folder with --data")
    assert f"already runs on {night.data}, at {night.address}" in again.stderr
    assert shot(night)["version_id"] == saved["version_id"]
    assert night.process.poll() is None


def test_a_second_start_on_the_same_port_says_so_and_leaves_the_first_alone(night, tmp_path):
    again = second_start(tmp_path / "data", night.port)
    assert again.returncode == 2
    assert (
        again.stderr.strip()
        == f"Dovrel already runs at {night.address}; stop it first, or choose another port with --port"
    )
    assert not (tmp_path / "data" / "postgres").exists()
    assert shot(night)["name"] == "23A-1"


@pytest.mark.parametrize("part", ["server", "worker", "database"])
def test_a_part_that_is_killed_is_started_anew_and_nothing_saved_is_lost(night, part):
    saved = save(night, {"server": 0.02, "worker": 0.03, "database": 0.04}[part])
    before = {p.pid for p in parts(night, part)}
    assert before
    for pid in before:
        os.kill(pid, signal.SIGKILL)
    night.wait(lambda: {p.pid for p in parts(night, part)} - before != set(), 60)
    night.wait(lambda: shot(night)["version_id"] == saved["version_id"], 60)
    assert numbers_of(save(night, 0.05))[3] == 0.05


def test_a_clip_whose_worker_is_killed_is_rendered_by_the_next(night):
    """Two handovers at once; the one that is under way is begun again, and nothing half-written is left."""
    shots = [shot(night, name)["id"] for name in ("22A-1", "21A-1")]
    with night.client() as client:
        orders = [{"shots": [one], "clips": ["prores-4444"], "width": 640} for one in shots]
        ids = [client.post("/handovers", json=order).raise_for_status().json()["id"] for order in orders]

        def items() -> list[dict]:
            given = [one for one in client.get("/handovers").json() if one["id"] in ids]
            return [item for one in given for item in one["items"] if item["kind"] == "prores-4444"]

        night.wait(lambda: any(item["state"] == "working" and item["part"] > 0.1 for item in items()), 60)
        for process in parts(night, "worker"):
            process.kill()
        night.wait(lambda: all(item["state"] == "done" for item in items()), 120)
        assert all(0 < item["difference"] < 0.3 for item in items())
        folders = [Path(one["folder"]) for one in client.get("/handovers").json() if one["id"] in ids]
    # The checksum list is written last, when what was left half-written has gone.
    night.wait(lambda: all(any(folder.glob("ascmhl/*.mhl")) for folder in folders), 30)
    assert [sorted(path.name for path in folder.iterdir() if path.name != "ascmhl") for folder in folders] == [
        ["21A-1_prores-4444.mov"],
        ["22A-1_prores-4444.mov"],
    ]


def test_what_is_wrong_with_a_part_is_told_on_every_screen(night):
    with night.live("/api/news") as line:
        for worker in parts(night, "worker"):
            worker.kill()
        told = []
        until = time.monotonic() + 20
        while not told and time.monotonic() < until:
            told = json.loads(line.recv(timeout=20))["troubles"]
    assert any(re.match(r"The worker ended \(signal SIGKILL\) and", sentence) for sentence in told)


def test_a_request_while_the_database_is_away_is_a_sentence(night):
    # Stopped, not killed: it holds its clients, as a machine out of breath does.
    database = parts(night, "database")[0]
    database.kill()
    statuses = {}
    until = time.monotonic() + 20
    with night.client() as client:
        while time.monotonic() < until:
            answer = client.get("/day")
            statuses[answer.status_code] = answer.json().get("detail", "")
            if answer.status_code == 200:
                break
            time.sleep(0.05)
    assert set(statuses) <= {200, 503}
    assert 200 in statuses
    assert all("database does not answer" in said for status, said in statuses.items() if status == 503)


def test_parts_end_with_a_killed_launcher_and_the_next_start_goes_on(night):
    saved = save(night, 0.06)
    names = ("server", "worker", "database")
    night.wait(lambda: all(parts(night, name) for name in names), 60)
    all_parts = [p for name in names for p in parts(night, name)]
    night.process.kill()
    night.process.wait()
    _, alive = psutil.wait_procs(all_parts, timeout=20)
    assert [p.cmdline() for p in alive] == []
    began = time.monotonic()
    night.start()
    assert shot(night)["version_id"] == saved["version_id"]
    print(f"started again in {time.monotonic() - began:.1f} s")


def test_a_termination_signal_stops_all_that_was_started(measured):
    with demo_run(measured) as run:
        started = [p for name in ("server", "worker", "database") for p in parts(run, name)]
        run.process.terminate()
        assert run.process.wait(60) == 0
        assert psutil.wait_procs(started, timeout=5)[1] == []
        assert not (run.data / "address").exists()
        run.process = None


def test_a_start_without_any_footage_runs_with_all_its_parts(tmp_path):
    run = DemoRun(tmp_path / "data", tmp_path, "serve", names_media=False)
    try:
        run.start()
        workers = parts(run, "worker")
        with psycopg.connect(Cluster(run.data / "postgres").address(), autocommit=True) as line:
            run.wait(lambda: line.execute("SELECT count(*) FROM procrastinate_workers").fetchone() == (1,), 60)
        assert parts(run, "worker") == workers
        assert run.day()["shots"] == []
        with run.client() as client:
            assert client.get("/folders").json() == []
    finally:
        run.stop()


def test_only_the_owner_can_read_what_dovrel_writes(night):
    assert night.data.stat().st_mode & 0o777 == 0o700
    open_to_others = [
        str(path) for path in night.data.rglob("*") if not path.is_symlink() and path.stat().st_mode & 0o077
    ]
    assert open_to_others == []


def test_no_secret_stands_in_the_list_of_processes(night):
    password = (night.data / "postgres" / "password").read_text().strip()
    lines = [" ".join(p.info["cmdline"] or []) for p in psutil.process_iter(["cmdline"])]
    assert any("postgres" in line for line in lines)
    assert not any(password in line or night.secret.value in line for line in lines)


@pytest.mark.parametrize(
    "path", ["/api/day", "/api/shots/1/thumbnail.jpg", "/", "/wall", "/assets/index.js", "/api/openapi.json"]
)
@pytest.mark.parametrize("headers", [{}, {"Authorization": "Bearer guess"}, {"Cookie": "dovrel-1=guess"}])
def test_nobody_comes_in_without_the_secret(night, path, headers):
    answer = httpx.get(night.address + path, headers=headers)
    assert answer.status_code == 401
    assert "Open the address that Dovrel printed" in answer.text
    change = httpx.patch(f"{night.address}/api/shots", json={"shots": [1], "note": "x"}, headers=headers)
    assert change.status_code == 401


def test_the_printed_address_lets_a_browser_in_and_a_renewed_secret_shuts_it_out(night):
    address = (night.data / "address").read_text().strip()
    assert address == night.entrance
    with (
        httpx.Client(base_url=night.address, follow_redirects=True) as browser,
        httpx.Client(base_url=night.address) as second,
    ):
        assert browser.get("/api/day").status_code == 401
        assert browser.get("/enter/guess").status_code == 401
        page = browser.get(address)
        assert page.status_code == 200
        set_cookie = page.history[0].headers["set-cookie"]
        assert "HttpOnly" in set_cookie
        assert "SameSite=Strict" in set_cookie
        assert night.secret.value not in set_cookie
        assert browser.get("/api/day").status_code == 200
        assert second.get(address).status_code == 303
        assert second.get("/api/day").status_code == 200
        renewed = subprocess.run(
            [sys.executable, "-m", "dovrel.cli", "address", "--data", str(night.data), "--renew"],
            capture_output=True, text=True, check=True,
        )  # fmt: skip
        assert renewed.stdout.strip() != address
        assert browser.get("/api/day").status_code == 401
        assert browser.get(renewed.stdout.strip()).status_code == 200


def test_answers_carry_headers_that_shut_others_out(night):
    with night.client() as client:
        headers = client.get("/day").headers
    assert "script-src 'self';" in headers["content-security-policy"]
    assert headers["x-content-type-options"] == "nosniff"
    assert headers["x-frame-options"] == "DENY"
    assert headers["referrer-policy"] == "no-referrer"


@pytest.mark.parametrize("site", ["cross-site", "same-site"])
def test_other_sites_pages_are_refused(night, site):
    with night.client() as client:
        assert client.get("/day", headers={"Sec-Fetch-Site": site}).status_code == 403
        assert client.get("/day", headers={"Sec-Fetch-Site": "same-origin"}).status_code == 200


def test_bodies_are_bounded_as_they_arrive(night):
    def endless():
        for _ in range(40):
            yield b"x" * (1 << 16)

    with night.client() as client:
        assert client.post("/intake", content=endless()).status_code == 413
        answer = client.post("/intake", content=b"x" * (2 << 20))
        assert answer.status_code == 413
        assert answer.json()["detail"] == "The request is larger than 1 MB; send less at once."
