"""What assistive technology finds on every screen, by the rules of axe-core."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.helpers.pages import add, frame_shown, settled

pytestmark = pytest.mark.shots("12A-1", "12A-2", "21A-1")

AXE = Path(__file__).parents[2] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
FOUND = """async () => (await axe.run(document, {resultTypes: ["violations"], rules: {"target-size": {enabled: true}}})).violations
  .map((one) => `${one.id}: ${one.nodes[0].html.slice(0, 160)}`)"""


OUT_OF_REACH = """() => {
  const gone = [];
  for (const one of document.querySelectorAll("button, a[href], input, select, [tabindex='0']")) {
    if (one.disabled || !one.checkVisibility()) continue;
    one.scrollIntoView({block: "nearest", inline: "nearest"});
    const {left, top, right, bottom} = one.getBoundingClientRect();
    const [x, y] = [(left + right) / 2, (top + bottom) / 2];
    if (x < 0 || y < 0 || x > innerWidth || y > innerHeight) gone.push(one.outerHTML.slice(0, 160));
  }
  return gone;
}"""
"""Controls whose middle is outside the window even after it was scrolled for."""
SMALLEST_TEXT = """() => {
  const small = [];
  const texts = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  while (texts.nextNode()) {
    const {parentElement: within, textContent: text} = texts.currentNode;
    if (text.trim() && within.checkVisibility() && parseFloat(getComputedStyle(within).fontSize) < 12) small.push(text);
  }
  return small;
}"""


def violations(page: Page) -> list[str]:
    page.evaluate(AXE.read_text())
    return page.evaluate(FOUND)


def test_nothing_stands_in_the_way_on_any_screen(page: Page, running, enter):
    found = {}
    for screen in ("Intake", "Wall", "Desk", "Line-up", "Handover", "Settings"):
        enter(running, screen.lower())
        expect(page.get_by_role("heading", name=screen, exact=True)).to_have_count(1)
        page.wait_for_load_state("networkidle")
        found[screen] = violations(page) + page.evaluate(SMALLEST_TEXT)
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


def test_nothing_stands_in_the_way_of_the_desk_s_controls(desk):
    """Every kind of step with its controls, a drawn area, the CDL values, the lane drawn out, the wide picture, the lists."""
    page = desk("12A-1")
    found = {}

    def look(name: str) -> None:
        frame_shown(page)
        found[name] = violations(page) + page.evaluate(SMALLEST_TEXT)

    for kind in ("curves", "hues", "density", "zone tints"):
        add(page, kind)
        look(kind)
    page.keyboard.press("q")
    page.keyboard.press("Shift+N")
    page.get_by_role("button", name=re.compile("^area ")).click()
    settled(page)
    look("area")
    for key in ("n", "Shift+T", "p", "h"):
        page.keyboard.press(key)
        look(key)
        if key != "h":
            page.keyboard.press(key)
    page.get_by_role("button", name="how the histogram is drawn").click()
    look("histogram")
    assert not any(found.values()), found
    # The current step of a line that is longer than its room is seen.
    page.keyboard.press("1")
    assert page.locator(".step.held").evaluate(
        "(one) => one.offsetLeft >= one.parentElement.scrollLeft + one.parentElement.offsetLeft"
    )


@pytest.mark.parametrize(("width", "height"), [(1024, 700), (640, 400), (2560, 1440)])
def test_all_can_be_reached_and_the_picture_has_its_place(desk, running, width, height):
    """640 by 400 is a window of 1280 by 800 enlarged twice."""
    page = desk("12A-1")
    page.set_viewport_size({"width": width, "height": height})
    frame_shown(page)
    picture = page.locator(".frame").bounding_box()
    assert picture["width"] > 0.33 * width and picture["height"] > 0.27 * height
    assert page.evaluate(OUT_OF_REACH) == []
    found = {}
    for screen in ("wall", "line-up", "handover", "settings", "intake"):
        page.goto(f"{running.address}/{screen}")
        page.wait_for_load_state("networkidle")
        found[screen] = page.evaluate(OUT_OF_REACH)
    assert not any(found.values()), found
