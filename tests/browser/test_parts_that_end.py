"""What a page that is left open all night sees of parts that die, with all parts started as a user starts them; nothing is lost."""

import re
import signal

import psutil
import pytest
from playwright.sync_api import Page, expect

from dovrel.bench.demo_run import demo_run
from dovrel.bench.orders import numbers_of
from tests.helpers.pages import brighter, settled


@pytest.fixture(scope="module")
def night(measured):
    with demo_run(measured) as run:
        yield run


@pytest.fixture
def desk(page: Page, night, enter):
    def open_shot(name: str) -> Page:
        enter(night, f"desk/{night.shot(name)['id']}")
        expect(page.get_by_test_id("reading-2")).to_have_text(re.compile(r"\d"))
        settled(page)
        return page

    return open_shot


def saved_since(night, name: str, before: dict) -> dict:
    night.wait(lambda: night.shot(name)["version_id"] != before["version_id"], 60)
    return night.shot(name)


def test_an_edit_made_while_the_database_is_away_is_saved_when_it_is_back(desk, night):
    page, before = desk("22A-1"), night.shot("22A-1")
    launcher = psutil.Process(night.process.pid)
    launcher.suspend()  # so that nothing starts the database anew before the edit is made
    try:
        next(p for p in launcher.children() if p.name() == "postgres").kill()
        brighter(page)
        expect(page.get_by_test_id("status")).to_contain_text("not saved yet; trying again")
        expect(page.get_by_role("alert")).to_contain_text("the database does not answer")
    finally:
        launcher.resume()
    expect(page.get_by_test_id("status")).to_have_text("all saved")
    after = saved_since(night, "22A-1", before)
    assert numbers_of(after)[3] > numbers_of(before)[3]
    expect(page.get_by_role("alert")).to_have_count(0)


def test_a_page_left_open_goes_on_after_a_full_restart_with_what_was_done_meanwhile(desk, night):
    page, before = desk("22B-1"), night.shot("22B-1")
    night.stop()
    expect(page.get_by_test_id("status")).to_contain_text("the server is away")
    brighter(page)
    expect(page.get_by_test_id("status")).to_contain_text("saving")
    night.start()
    expect(page.get_by_test_id("status")).to_have_text("all saved")
    assert numbers_of(saved_since(night, "22B-1", before))[3] > numbers_of(before)[3]


def test_a_part_that_ends_is_said_on_the_page(desk, night):
    page = desk("22A-1")
    worker = next(p for p in psutil.Process(night.process.pid).children() if "worker" in p.cmdline())
    worker.send_signal(signal.SIGKILL)
    expect(page.locator(".troubles")).to_contain_text("The worker ended (signal SIGKILL)")
    expect(page.locator(".troubles")).to_have_count(0)
