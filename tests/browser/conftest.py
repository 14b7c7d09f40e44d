"""Debian's Chromium, driven as a user would."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import expect

from dovrel.bench.demo_run import DemoRun, demo_run

# A machine that is busy with other things is slow, not wrong.
expect.set_options(timeout=60_000)


@pytest.fixture(scope="package")
def running(measured) -> Iterator[DemoRun]:
    """A demo of the browser tests' own: they count on shots that no other test has worked on."""
    with demo_run(measured) as demo:
        yield demo


@pytest.fixture
def enter(page):
    """Come in as a user does, by the address that Dovrel prints, and go to a screen."""

    def at(demo: DemoRun, screen: str) -> None:
        page.goto(demo.entrance)
        page.goto(f"{demo.address}/{screen}")

    return at


@pytest.fixture(scope="session")
def browser_type_launch_args():
    quiet = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update",
             "--disable-sync", "--no-first-run"]  # fmt: skip
    return {"executable_path": "/usr/bin/chromium", "args": quiet, "headless": True}


@pytest.fixture(scope="session")
def browser_context_args():
    return {"viewport": {"width": 1280, "height": 800}}


@pytest.fixture
def page(page):
    """A page that fails its test if a script on it fails; the walk through the day was seen before."""
    page.add_init_script("window.localStorage.setItem('dovrel.walked', 'yes')")
    faults: list[str] = []
    page.on("pageerror", lambda error: faults.append(str(error)))
    yield page
    assert faults == []
