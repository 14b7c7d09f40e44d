"""Debian's Chromium, driven as a user would."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import expect

from tests.running_demo import Running, started

# A machine that is busy with other things is slow, not wrong.
expect.set_options(timeout=60_000)


@pytest.fixture(scope="package")
def running() -> Iterator[Running]:
    """A demo of the browser tests' own: they count on shots that no other test has worked on."""
    with started() as demo:
        yield demo


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
    """A page that fails its test if a script on it fails."""
    faults: list[str] = []
    page.on("pageerror", lambda error: faults.append(str(error)))
    yield page
    assert faults == []
