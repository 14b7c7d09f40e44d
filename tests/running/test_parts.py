"""Watching parts: what is started anew, after what pause, and when it is given up. With made-up processes and clock."""

import asyncio
import os
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from dovrel.demo import cards
from dovrel.errors import NoRoom
from dovrel.machine import alive
from dovrel.machine.files import folder_aside, sweep, written_aside
from dovrel.machine.folder import AlreadyRuns, DataFolder
from dovrel.media.checksums import sums_of
from dovrel.media.footage import read_recorded
from dovrel.running import parts
from dovrel.running.parts import GaveUp, Part, Watch


class Process:
    """Ends when it is asked to."""

    def __init__(self) -> None:
        self.status: int | None = None

    def poll(self):
        return self.status

    def terminate(self):
        self.status = -15

    def kill(self):
        self.status = -9

    def wait(self, timeout=None):
        return self.status or 0


class Clock:
    now = 1000.0

    def monotonic(self):
        return self.now


@pytest.fixture
def clock(monkeypatch):
    clock = Clock()
    monkeypatch.setattr(parts, "time", clock)
    return clock


@pytest.fixture
def watched(clock):
    said, told = [], []
    watch = Watch(said.append, lambda troubles: told.append(list(troubles)))
    started = []

    def start():
        started.append(Process())
        return started[-1]

    watch.add(Part("worker", start))
    return watch, started, said, told


def test_a_part_that_ends_is_started_anew_after_a_pause_and_told(watched, clock):
    watch, started, said, told = watched
    started[0].status = -11
    assert watch.look() == []
    assert said == ["The worker ended (signal SIGSEGV); it is started anew."]
    assert told[-1] == ["The worker ended (signal SIGSEGV) and is being started anew."]
    clock.now += 0.6
    assert [part.name for part in watch.look()] == ["worker"]
    assert len(started) == 2
    assert told[-1] == ["The worker ended (signal SIGSEGV) and was started anew."]
    clock.now += 30
    watch.look()
    assert told[-1] == []


def test_pauses_grow_and_a_part_that_never_settles_is_given_up(watched, clock):
    watch, started, _, _ = watched
    pauses = []
    with pytest.raises(GaveUp, match=r"worker ended \d+ times in a row \(exit code 3\)"):
        while len(started) < 50:
            started[-1].status = 3
            ended = clock.now
            watch.look()
            while not watch.look():
                clock.now += 0.25
            pauses.append(clock.now - ended)
    assert pauses == sorted(pauses)
    assert pauses[-1] > 4 * pauses[0]
    assert len(started) < 12


def test_kills_now_and_then_are_never_given_up(watched, clock):
    watch, started, _, _ = watched
    for _ in range(60):
        started[-1].status = -9
        watch.look()
        while not watch.look():
            clock.now += 0.25
        clock.now += 25
        watch.look()
    assert len(started) == 61


def test_a_full_disc_is_waited_for(watched, clock):
    watch, started, _, _ = watched
    for _ in range(30):
        started[-1].status = 1
        watch.look(excused=lambda: True)
        while not watch.look(excused=lambda: True):
            clock.now += 1
    assert len(started) == 31


def test_a_part_that_cannot_be_started_is_tried_again(clock):
    said = []
    watch = Watch(said.append, lambda _: None)
    tries = iter([Process(), OSError("port taken"), Process()])

    def start():
        found = next(tries)
        if isinstance(found, OSError):
            raise found
        return found

    watch.add(Part("database", start))
    first = watch.parts[0].process
    first.status = 1
    watch.look()
    clock.now += 1
    assert watch.look() == []
    assert said[-1] == "The database does not start: port taken"
    clock.now += 5
    assert [part.name for part in watch.look()] == ["database"]


def test_a_part_that_hangs_is_killed_and_started_anew(clock, tmp_path):
    """A start takes as long as it takes; once it has shown life, a minute without is too long."""
    said, started, sign = [], [], tmp_path / "worker"
    watch = Watch(said.append, lambda _: None)

    def start():
        started.append(Process())
        return started[-1]

    def stamp(second: int) -> None:
        sign.touch()
        os.utime(sign, (second, second))

    watch.add(Part("worker", start, sign))
    clock.now += 600
    watch.look()
    for second in range(5):
        stamp(1000 + second)
        clock.now += 50
        watch.look()
    assert started[0].status is None
    clock.now += 61
    watch.look()
    assert started[0].status == -9
    watch.look()
    assert said == ["The worker ended (it hung); it is started anew."]
    clock.now += 1
    assert [part.name for part in watch.look()] == ["worker"]
    # The sign of the one before is none of the new one.
    assert not sign.exists()
    clock.now += 600
    watch.look()
    assert started[1].status is None


@pytest.mark.parametrize("asked", [True, False])
def test_a_sign_of_life_is_renewed_where_one_is_asked_for(monkeypatch, tmp_path, asked):
    sign = tmp_path / "server"
    monkeypatch.setattr(alive, "EVERY", 0.001)
    if asked:
        monkeypatch.setenv(alive.SIGN, str(sign))
    else:
        monkeypatch.delenv(alive.SIGN, raising=False)

    async def shown() -> list[int]:
        life = asyncio.create_task(alive.show_life())
        times = []
        for _ in range(3):
            while asked and (not sign.exists() or sign.stat().st_mtime_ns in times):
                await asyncio.sleep(0.001)
            times += [sign.stat().st_mtime_ns] if asked else []
        life.cancel()
        await asyncio.gather(life, return_exceptions=True)
        return times

    # On a thread: a browser that this process drives has an event loop on the main one.
    with ThreadPoolExecutor(1) as other:
        assert len(other.submit(asyncio.run, shown()).result()) == (3 if asked else 0)
    assert sign.exists() == asked


def test_a_task_gets_on_by_its_steps(monkeypatch, clock):
    monkeypatch.setattr(alive, "time", clock)
    alive.step_made()
    assert alive.still_for() == 0
    with alive.task_under_way():
        clock.now += 40
        assert alive.still_for() == 40
        alive.step_made()
        clock.now += 2
        assert alive.still_for() == 2
    clock.now += 500
    assert alive.still_for() == 0


def test_a_checksum_a_decoded_frame_and_an_opened_file_are_steps(monkeypatch, clock):
    monkeypatch.setattr(alive, "time", clock)
    clip = cards.find("12A-1").path
    with alive.task_under_way():
        for work in (lambda: sums_of([clip], ["md5"]), lambda: read_recorded(clip, 3)):
            clock.now += 40
            assert alive.still_for() == 40
            work()
            assert alive.still_for() == 0


STANDS_STILL = """
import asyncio, time
from dovrel.jobs import worker
from dovrel.machine.alive import task_under_way

worker.STILL_AFTER, worker.HEARTBEAT = 0.1, 0.05
def turn():
    with task_under_way():
        while True:
            time.sleep(0.01)

async def both():
    await asyncio.gather(worker._end_when_still(), asyncio.to_thread(turn))

asyncio.run(both())
"""


def test_a_worker_whose_task_stands_still_ends_and_says_why():
    ended = subprocess.run([sys.executable, "-c", STANDS_STILL], timeout=120, check=False)
    assert parts.how_it_ended(ended.returncode) == "its task stood still"


def test_a_folder_is_held_by_one_at_a_time(tmp_path):
    first, second = DataFolder(tmp_path / "data"), DataFolder(tmp_path / "data")
    assert first.hold("http://127.0.0.1:1") == ""
    with pytest.raises(AlreadyRuns, match=r"already runs on .*/data, at http://127\.0\.0\.1:1;"):
        second.hold("http://127.0.0.1:2")
    first.leave()
    assert second.hold("http://127.0.0.1:2") == "http://127.0.0.1:1"


def test_a_folder_of_an_older_dovrel_is_closed_to_others(tmp_path):
    folder = tmp_path / "data"
    (folder / "thumbnails").mkdir(parents=True)
    (folder / "thumbnails" / "1.jpg").write_bytes(b"x")
    for path in (folder, folder / "thumbnails"):
        path.chmod(0o755)
    DataFolder(folder).hold("")
    assert folder.stat().st_mode & 0o777 == 0o700
    assert (folder / "thumbnails" / "1.jpg").stat().st_mode & 0o077 == 0


def test_a_file_is_whole_or_not_there(tmp_path):
    target = tmp_path / "shot.cdl"
    target.write_text("before")
    with pytest.raises(RuntimeError), written_aside(target) as aside:
        aside.write_text("half")
        raise RuntimeError
    assert target.read_text() == "before"
    assert list(tmp_path.iterdir()) == [target]
    with written_aside(target) as aside:
        aside.write_text("after")
    assert target.read_text() == "after"


def test_a_full_disc_is_a_sentence_that_names_the_file(tmp_path):
    with (
        pytest.raises(NoRoom, match=r"shot\.cdl: there is no room left"),
        written_aside(tmp_path / "shot.cdl") as aside,
    ):
        aside.write_bytes(b"x")
        Path("/dev/full").write_bytes(b"x")
    assert list(tmp_path.iterdir()) == []


def test_a_folder_is_whole_or_not_there_and_what_killed_writers_left_is_swept(tmp_path):
    with pytest.raises(RuntimeError), folder_aside(tmp_path / "handover" / "now") as aside:
        (aside / "a.cdl").write_text("x")
        raise RuntimeError
    assert not (tmp_path / "handover" / "now").exists()
    with folder_aside(tmp_path / "handover" / "now") as aside:
        (aside / "a.cdl").write_text("x")
    assert [p.name for p in (tmp_path / "handover" / "now").iterdir()] == ["a.cdl"]
    (tmp_path / "handover" / ".ab12.partial").mkdir()
    (tmp_path / "handover" / ".ab12.partial" / "b.cdl").write_text("half")
    (tmp_path / ".cd34.partial.jpg").write_text("half")
    assert sweep(tmp_path) >= 2
    assert [p.name for p in tmp_path.rglob("*")] == ["handover", "now", "a.cdl"]
