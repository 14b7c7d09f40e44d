"""Debian's Chromium, driven as a user would."""

import re

import pytest
from playwright.sync_api import Page, expect

from dovrel.bench.visiting import Visit
from tests.helpers.pages import settled

# A machine that is busy with other things is slow, not wrong.
expect.set_options(timeout=60_000)


@pytest.fixture
def enter(page):
    """Come in as a user does, by the address that Dovrel prints, and go to a screen."""

    def at(demo: Visit, screen: str) -> None:
        # The entrance gives the browser its cookie; the screen is loaded once.
        page.context.request.get(demo.entrance, max_redirects=0)
        page.goto(f"{demo.address}/{screen}")

    return at


@pytest.fixture(scope="session")
def browser_type_launch_args():
    quiet = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update",
             "--disable-sync", "--no-first-run"]  # fmt: skip
    return {"executable_path": "/usr/bin/chromium-headless-shell", "args": quiet, "headless": True}


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


@pytest.fixture
def desk(page: Page, running, shot_named, enter):
    def open_shot(name: str) -> Page:
        enter(running, f"desk/{shot_named(name)['id']}")
        expect(page.get_by_test_id("reading-2")).to_have_text(re.compile(r"\d"))
        settled(page)
        return page

    return open_shot


@pytest.fixture
def wall(page: Page, running, enter):
    enter(running, "wall")
    expect(page.locator("[data-shot]").first).to_be_visible()
    expect(page.locator("[data-shot]:focus")).to_have_count(1)
    return page
