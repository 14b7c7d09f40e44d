"""Fixtures: a day of its own for every test that changes one, and one that tests share while none does."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import httpx
import pytest

from tests.helpers.databases import MEASURED, Databases
from tests.helpers.kept_day import kept_day
from tests.helpers.within import Within, copy_of_data


@dataclass(frozen=True)
class Beginning:
    """What each test of a module begins with: a database that is copied, files of the data folder, clips."""

    database: str
    data: Path
    media: Path


class Days:
    """Runs Dovrel on copies of a beginning; a copy that a test has changed serves no other test."""

    def __init__(self, databases: Databases, folder: Path) -> None:
        self.databases, self._folder = databases, folder
        self._now: tuple[Beginning, Within, str, int] | None = None
        self._number = 0

    def run_on(self, beginning: Beginning) -> Within:
        """The running Dovrel with nothing done since the beginning."""
        if self._now:
            before, run, _, changes = self._now
            if before == beginning and run.changes == changes:
                return run
            self.close()
        self._number += 1
        name = self.databases.copy_of(beginning.database)
        data = self._folder / f"data{self._number}"
        copy_of_data(beginning.data, data)
        run = Within(data, beginning.media, self.databases.url(name))
        run.start()
        self._now = (beginning, run, name, run.changes)
        return run

    def close(self) -> None:
        if self._now:
            _, run, name, _ = self._now
            self._now = None
            run.stop()
            self.databases.drop(name)
            shutil.rmtree(run.data, ignore_errors=True)

    def after(self, beginning: Beginning, prepare: Callable[[Within], object]) -> Beginning:
        """A beginning at which something has been done already, and all work that came of it."""
        run = self.run_on(beginning)
        prepare(run)
        run.wait_idle()
        assert self._now is not None
        name = self._now[2]
        self._now = None
        run.stop()
        return Beginning(name, run.data, beginning.media)


@pytest.fixture(scope="session")
def measured() -> Path:
    """The data folder of a stopped Dovrel with the demo measured and nothing else done."""
    return kept_day()


@pytest.fixture(scope="session")
def databases(measured: Path) -> Iterator[Databases]:
    folder = Path(tempfile.mkdtemp(prefix="dovrel-tests-"))
    found = Databases(measured, folder)
    yield found
    found.stop()
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="session", autouse=True)
def server_started_first(request: pytest.FixtureRequest) -> None:
    """Start the database server before any test, if one needs it: a process with many threads may stand still when it starts one."""
    if any("databases" in getattr(item, "fixturenames", ()) for item in request.session.items):
        request.getfixturevalue("databases")


@pytest.fixture(scope="session")
def days(databases: Databases) -> Iterator[Days]:
    folder = Path(tempfile.mkdtemp(prefix="dovrel-days-"))
    found = Days(databases, folder)
    yield found
    found.close()
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="module")
def beginning(request: pytest.FixtureRequest, measured: Path, days: Days) -> Iterator[Beginning]:
    """The measured demo day; only the shots that the module's mark `shots` names, if it has one."""
    marker = request.node.get_closest_marker("shots")
    media = Path(tempfile.mkdtemp(prefix="dovrel-media-"))
    name = days.databases.copy_of(MEASURED, marker.args if marker else ())
    yield Beginning(name, measured, media)
    # No application outlives its module: while it runs, this process reads footage below its folders alone.
    days.close()
    days.databases.drop(name)
    shutil.rmtree(media, ignore_errors=True)


@pytest.fixture
def running(days: Days, beginning: Beginning) -> Within:
    """Dovrel on the module's beginning, with nothing done since."""
    return days.run_on(beginning)


@pytest.fixture
def api(running: Within) -> Iterator[httpx.Client]:
    with running.client() as client:
        yield client


@pytest.fixture
def shot_named(running: Within) -> Callable[[str], dict]:
    return running.shot
