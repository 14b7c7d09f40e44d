"""Taking a card in on Intake: what needs a decision stands first."""

import re

import pytest
from playwright.sync_api import Page, expect

from dovrel.demo import cards
from dovrel.media.footage import probe
from tests.helpers import mixed
from tests.helpers.within import reading_anywhere

pytestmark = pytest.mark.shots("12A-1", "12B-1", "12C-2")


def test_a_card_is_taken_in_and_what_needs_a_decision_stands_first(page: Page, running, enter):
    card = mixed.few(running.media)
    enter(running, "intake")
    expect(page.locator("[data-clip]").first).to_be_visible()
    the_day_is_listed(page)
    page.get_by_label("Folder or card").fill(str(card))
    page.keyboard.press("Enter")
    expect(page.locator(".bar .told")).to_contain_text("9 clips taken in")
    running.wait_measured()
    first = page.locator("[data-clip]").first
    expect(first).to_contain_text("the file is empty")
    page.get_by_label("which clips").get_by_role("button", name="warned").click()
    expect(page.locator("[data-clip]")).to_have_count(1)
    expect(page.locator("[data-clip]")).to_contain_text("not the one in card.md5")
    page.get_by_label("which clips").get_by_role("button", name="skipped").click()
    expect(page.get_by_text(".xml is no kind of clip")).to_be_visible()
    expect(page.get_by_text("not there: ")).to_contain_text("C099.mp4")


def the_day_is_listed(page: Page) -> None:
    row = page.get_by_role("row", name=re.compile("12C-2 PTL00001"))
    with reading_anywhere():
        width, height = probe(cards.find("12C-2").path).size
    expect(row).to_contain_text(f"{width}×{height}")
    expect(row).to_contain_text("measured")
    expect(page.get_by_role("row", name=re.compile("12B-1"))).to_contain_text("assumed matrix")
    page.get_by_label("Folder or card").fill("/etc")
    page.get_by_role("button", name="Take in").click()
    expect(page.get_by_role("status").filter(has_text="may read")).to_be_visible()
