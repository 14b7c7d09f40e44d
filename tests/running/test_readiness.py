"""Waiting for a start: as long as it gets on, and no longer. With a made-up server and clock."""

import pytest

from dovrel.machine.starting import StartNote
from dovrel.running import readiness
from dovrel.running.parts import GaveUp


class Clock:
    """A clock that goes on by what is slept."""

    now = 1000.0

    def monotonic(self):
        return self.now

    def sleep(self, seconds):
        self.now += seconds


@pytest.fixture
def clock(monkeypatch):
    clock = Clock()
    monkeypatch.setattr(readiness, "time", clock)
    return clock


def test_a_start_that_gets_on_is_waited_for_however_long_it_takes(clock):
    began, said = clock.now, []

    def doing() -> str:
        return f"kernels {int(clock.now - began) // 200} of 40"

    readiness.wait_until_ready(lambda: clock.now - began > 8000, doing, lambda: None, said.append)
    assert clock.now - began > 8000
    assert said[:3] == [f"Starting: kernels {n} of 40" for n in range(3)]
    assert len(said) == len(set(said)) == 40


def test_a_start_that_stands_still_for_minutes_has_failed(clock):
    began = clock.now
    with pytest.raises(ValueError, match=r"stood still at tables 1 of 2 for 5 minutes"):
        readiness.wait_until_ready(lambda: False, lambda: "tables 1 of 2", lambda: None, lambda _: None)
    assert clock.now - began == pytest.approx(readiness.STILL_AFTER, abs=1)


def test_a_part_that_ended_for_good_ends_the_wait(clock):
    def look() -> None:
        if clock.now > 1005:
            raise GaveUp("The server ended 9 times in a row")

    with pytest.raises(GaveUp):
        readiness.wait_until_ready(lambda: False, lambda: "", look, lambda _: None)
    assert clock.now < 1006


def test_what_a_start_does_is_written_down_and_cleared(tmp_path):
    note = StartNote(tmp_path)
    assert note.read() == ""
    note.write("kernels 12 of 40")
    assert StartNote(tmp_path).read() == "kernels 12 of 40"
    note.clear()
    note.clear()
    assert note.read() == ""
    StartNote(tmp_path / "nowhere").write("lost")  # a folder that is not there, as a full disc, stops no start
