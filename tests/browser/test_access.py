"""What assistive technology finds on every screen, by the rules of axe-core."""

from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.helpers.pages import frame_shown

pytestmark = pytest.mark.shots("12A-1", "12A-2", "21A-1")

AXE = Path(__file__).parents[2] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
FOUND = """async () => (await axe.run(document, {resultTypes: ["violations"]})).violations
  .map((one) => `${one.id}: ${one.nodes[0].html.slice(0, 160)}`)"""


def violations(page: Page) -> list[str]:
    page.evaluate(AXE.read_text())
    return page.evaluate(FOUND)


def test_nothing_stands_in_the_way_on_any_screen(page: Page, running, enter):
    found = {}
    for screen in ("Intake", "Wall", "Desk", "Line-up", "Handover", "Settings"):
        enter(running, screen.lower())
        expect(page.get_by_role("heading", name=screen, exact=True)).to_have_count(1)
        page.wait_for_load_state("networkidle")
        found[screen] = violations(page)
    assert not any(found.values()), found


def test_nothing_stands_in_the_way_in_the_desk_s_sheets(page: Page, running, enter):
    enter(running, "desk")
    expect(page.get_by_test_id("measured-on")).to_contain_text("full frame", timeout=30_000)
    for keys in (["?"], ["h"], ["h"], ["p"]):
        for key in keys:
            page.keyboard.press(key)
        frame_shown(page)
        assert violations(page) == [], keys
        page.keyboard.press("Escape")
        frame_shown(page)
