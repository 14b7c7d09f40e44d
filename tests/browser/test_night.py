"""What a page that is left open all night sees of other windows; nothing done on it is lost."""

import re
import time

import pytest
from playwright.sync_api import Page, expect

from dovrel.bench.orders import numbers_of, ten
from tests.helpers.pages import brighter, settled

pytestmark = pytest.mark.shots("12A-1", "12A-2", "14A-1")


def test_what_another_window_did_is_seen_within_two_seconds(page: Page, running, enter, context):
    enter(running, "wall")
    card = page.locator(f"[data-shot='{running.shot('12A-1')['id']}']")
    expect(card).to_be_visible()
    other = context.new_page()
    other.goto(f"{running.address}/wall")
    other.locator(f"[data-shot='{running.shot('12A-1')['id']}']").focus()
    other.keyboard.press("Shift+V")
    began = time.monotonic()
    expect(page.get_by_label(re.compile("12A-1, camera A, checked"))).to_be_visible(timeout=2000)
    print(f"seen after {time.monotonic() - began:.2f} s")
    page.bring_to_front()
    card.focus()
    page.keyboard.press("Shift+W")
    page.get_by_role("textbox", name="note").fill("mine")
    with running.client() as client:
        theirs = {"shots": [running.shot("12A-1")["id"]], "note": "theirs", "notes_before": [""]}
        assert client.patch("/shots", json=theirs).status_code == 200
    page.keyboard.press("Enter")
    expect(
        page.get_by_role("status").filter(has_text="the note of 12A-1 was changed in another window")
    ).to_be_visible()
    assert running.shot("12A-1")["note"] == "theirs"


def test_a_desk_takes_over_what_another_window_made_of_its_shot(desk, running):
    page, before = desk("14A-1"), running.shot("14A-1")
    numbers = [1, 1, 1, 0.06, 0.06, 0.06, 1, 1, 1, 1]
    with running.client() as client:
        order = {"correction": ten(numbers), "base": before["version_id"]}
        assert client.put(f"/shots/{before['id']}/correction", json=order).status_code == 200
    expect(page.get_by_role("alert")).to_contain_text("14A-1 was changed elsewhere", timeout=2000)
    settled(page)
    expect(page.get_by_role("spinbutton", name="Exposure")).to_have_text("+1.05")
    brighter(page)
    settled(page)
    expect(page.get_by_role("alert")).to_have_count(0)
    assert numbers_of(running.shot("14A-1"))[3] > 0.06


def test_a_browser_is_let_in_by_its_address_alone_and_no_screen_breaks_a_policy(page: Page, running, enter):
    page.goto(f"{running.address}/wall")
    expect(page.get_by_text("Open the address that Dovrel printed when it started")).to_be_visible()
    complaints: list[str] = []
    hosts: set[str] = set()
    page.on("console", lambda message: complaints.append(message.text) if message.type == "error" else None)
    page.on("request", lambda request: hosts.add(request.url.split("/")[2]))
    for screen in ("intake", "wall", f"desk/{running.shot('12A-1')['id']}", "line-up", "handover", "settings"):
        enter(running, screen)
        expect(page.locator("main")).to_be_visible()
        page.wait_for_load_state("networkidle")
    assert complaints == []
    assert {host for host in hosts if host} == {f"127.0.0.1:{running.port}"}, "something is loaded from elsewhere"
