"""What a page that is left open all night sees of parts that die and of other windows; nothing done on it is lost."""

import re
import signal
import time

import psutil
import pytest
from playwright.sync_api import Page, expect

from dovrel.bench.orders import numbers_of, ten
from tests.browser.test_desk import settled


@pytest.fixture
def desk(page: Page, own, enter):
    def open_shot(name: str) -> Page:
        enter(own, f"desk/{shot(own, name)['id']}")
        expect(page.get_by_test_id("reading-2")).to_have_text(re.compile(r"\d"))
        settled(page)
        return page

    return open_shot


def shot(own, name: str) -> dict:
    return next(s for s in own.day()["shots"] if s["name"] == name)


def brighter(page: Page) -> None:
    page.get_by_role("spinbutton", name="Exposure").focus()
    page.keyboard.press("ArrowUp")


def saved_since(own, name: str, before: dict) -> dict:
    own.wait(lambda: shot(own, name)["version_id"] != before["version_id"], 60)
    return shot(own, name)


def test_an_edit_made_while_the_database_is_away_is_saved_when_it_is_back(desk, own):
    page, before = desk("22A-1"), shot(own, "22A-1")
    launcher = psutil.Process(own.process.pid)
    launcher.suspend()  # so that nothing starts the database anew before the edit is made
    try:
        next(p for p in launcher.children() if p.name() == "postgres").kill()
        brighter(page)
        expect(page.get_by_test_id("status")).to_contain_text("not saved yet; trying again")
        expect(page.get_by_role("alert")).to_contain_text("the database does not answer")
    finally:
        launcher.resume()
    expect(page.get_by_test_id("status")).to_have_text("all saved")
    after = saved_since(own, "22A-1", before)
    assert numbers_of(after)[3] > numbers_of(before)[3]
    expect(page.get_by_role("alert")).to_have_count(0)


def test_a_page_left_open_goes_on_after_a_full_restart_with_what_was_done_meanwhile(desk, own):
    page, before = desk("22B-1"), shot(own, "22B-1")
    own.stop()
    expect(page.get_by_test_id("status")).to_contain_text("the server is away")
    brighter(page)
    expect(page.get_by_test_id("status")).to_contain_text("saving")
    own.start()
    expect(page.get_by_test_id("status")).to_have_text("all saved")
    assert numbers_of(saved_since(own, "22B-1", before))[3] > numbers_of(before)[3]


def test_a_part_that_ends_is_said_on_the_page(desk, own):
    page = desk("22A-1")
    worker = next(p for p in psutil.Process(own.process.pid).children() if "worker" in p.cmdline())
    worker.send_signal(signal.SIGKILL)
    expect(page.locator(".troubles")).to_contain_text("The worker ended (signal SIGKILL)")
    expect(page.locator(".troubles")).to_have_count(0)


def test_what_another_window_did_is_seen_within_two_seconds(page: Page, own, enter, context):
    enter(own, "wall")
    card = page.locator(f"[data-shot='{shot(own, '12A-1')['id']}']")
    expect(card).to_be_visible()
    other = context.new_page()
    other.goto(f"{own.address}/wall")
    other.locator(f"[data-shot='{shot(own, '12A-1')['id']}']").focus()
    other.keyboard.press("k")
    began = time.monotonic()
    expect(page.get_by_label(re.compile("12A-1, camera A, checked"))).to_be_visible(timeout=2000)
    print(f"seen after {time.monotonic() - began:.2f} s")
    page.bring_to_front()
    card.focus()
    page.keyboard.press("n")
    page.get_by_role("textbox", name="note").fill("mine")
    with own.client() as client:
        theirs = {"shots": [shot(own, "12A-1")["id"]], "note": "theirs", "notes_before": [""]}
        assert client.patch("/shots", json=theirs).status_code == 200
    page.keyboard.press("Enter")
    expect(
        page.get_by_role("status").filter(has_text="the note of 12A-1 was changed in another window")
    ).to_be_visible()
    assert shot(own, "12A-1")["note"] == "theirs"


def test_a_desk_takes_over_what_another_window_made_of_its_shot(desk, own):
    page, before = desk("14A-1"), shot(own, "14A-1")
    numbers = [1, 1, 1, 0.06, 0.06, 0.06, 1, 1, 1, 1]
    with own.client() as client:
        order = {"correction": ten(numbers), "base": before["version_id"]}
        assert client.put(f"/shots/{before['id']}/correction", json=order).status_code == 200
    expect(page.get_by_role("alert")).to_contain_text("14A-1 was changed elsewhere", timeout=2000)
    settled(page)
    expect(page.get_by_role("spinbutton", name="Exposure")).to_have_text("+1.05")
    brighter(page)
    settled(page)
    expect(page.get_by_role("alert")).to_have_count(0)
    assert numbers_of(shot(own, "14A-1"))[3] > 0.06


def test_a_browser_that_is_not_let_in_is_told_how(page: Page, own):
    page.goto(f"{own.address}/wall")
    expect(page.get_by_text("Open the address that Dovrel printed when it started")).to_be_visible()


def test_no_policy_is_broken_on_any_screen(page: Page, own, enter):
    complaints: list[str] = []
    page.on("console", lambda message: complaints.append(message.text) if message.type == "error" else None)
    for screen in ("intake", "wall", f"desk/{shot(own, '12A-1')['id']}", "line-up", "handover", "settings"):
        enter(own, screen)
        expect(page.locator("main")).to_be_visible()
        page.wait_for_timeout(400)
    assert complaints == []
