"""What a page that is left open all night sees of parts that die, with all parts started as a user starts them; nothing is lost."""

import signal

import psutil
import pytest
from playwright.sync_api import expect

from dovrel.bench.demo_run import demo_run
from dovrel.bench.orders import numbers_of
from tests.helpers.pages import brighter


@pytest.fixture(scope="module")
def running(measured):
    """All parts, as the start command starts them."""
    with demo_run(measured) as run:
        yield run


def saved_since(running, name: str, before: dict) -> dict:
    running.wait(lambda: running.shot(name)["version_id"] != before["version_id"], 60)
    return running.shot(name)


def test_an_edit_made_while_the_database_is_away_is_saved_when_it_is_back(desk, running):
    page, before = desk("22A-1"), running.shot("22A-1")
    launcher = psutil.Process(running.process.pid)
    launcher.suspend()  # so that nothing starts the database anew before the edit is made
    try:
        next(p for p in launcher.children() if p.name() == "postgres").kill()
        brighter(page)
        expect(page.get_by_test_id("status")).to_contain_text("not saved yet; trying again")
        expect(page.get_by_role("alert")).to_contain_text("the database does not answer")
    finally:
        launcher.resume()
    expect(page.get_by_test_id("status")).to_have_text("all saved")
    after = saved_since(running, "22A-1", before)
    assert numbers_of(after)[3] > numbers_of(before)[3]
    expect(page.get_by_role("alert")).to_have_count(0)


def test_a_page_left_open_goes_on_after_a_full_restart_with_what_was_done_meanwhile(desk, running):
    page, before = desk("22B-1"), running.shot("22B-1")
    running.stop()
    expect(page.get_by_test_id("status")).to_contain_text("the server is away")
    brighter(page)
    expect(page.get_by_test_id("status")).to_contain_text("saving")
    running.start()
    expect(page.get_by_test_id("status")).to_have_text("all saved")
    assert numbers_of(saved_since(running, "22B-1", before))[3] > numbers_of(before)[3]


def test_a_part_that_ends_is_said_on_the_page(desk, running):
    page = desk("22A-1")
    worker = next(p for p in psutil.Process(running.process.pid).children() if "worker" in p.cmdline())
    worker.send_signal(signal.SIGKILL)
    expect(page.locator(".troubles")).to_contain_text("The worker ended (signal SIGKILL)")
    expect(page.locator(".troubles")).to_have_count(0)
