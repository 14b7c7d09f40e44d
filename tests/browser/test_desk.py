"""The Desk's numbers and steps by mouse and by keys, a connection that is cut, and the picture looked into."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.helpers.pages import picture_mean, reading, settled, until

pytestmark = pytest.mark.shots("21C-1", "22A-1", "22B-1")


def test_numbers_grips_and_steps_are_worked_by_mouse_and_keys(desk, shot_named):
    page = desk("22A-1")
    numbers_are_dragged_nudged_typed_and_reset(page)
    grips_are_moved_with_keys_on_the_scope_itself(page)
    steps_are_added_made_current_switched_named_and_removed(page, shot_named)
    readings_as_level_and_cast(page)


def readings_as_level_and_cast(page: Page) -> None:
    red, green, blue = (reading(page, c * 3 + 1) for c in range(3))
    page.get_by_role("button", name="show level, warm–cool, green–magenta").click()

    def cell(row: int) -> float:
        return float(page.get_by_test_id(f"reading-{row * 3 + 1}").inner_text().replace("−", "-").replace("±", ""))

    assert cell(0) == pytest.approx(0.2126 * red + 0.7152 * green + 0.0722 * blue, abs=0.11)
    assert cell(1) == pytest.approx(red - blue, abs=0.11)
    warm = cell(1)
    page.locator("[data-reading='4']").focus()
    page.keyboard.press("ArrowUp")
    until(page, lambda: cell(1) == pytest.approx(warm + 1, abs=0.3))
    page.keyboard.press("Control+z")


def grips_are_moved_with_keys_on_the_scope_itself(page: Page) -> None:
    before = [reading(page, i) for i in range(10)]
    page.get_by_test_id("parade").focus()
    page.keyboard.press("ArrowUp")
    until(page, lambda: reading(page, 0) == pytest.approx(before[0] + 1, abs=0.15))
    page.keyboard.press("ArrowRight")  # across the scale: the next grip, red's mids
    page.keyboard.press("Shift+ArrowDown")
    until(page, lambda: reading(page, 1) == pytest.approx(before[1] - 0.1, abs=0.06))
    page.get_by_test_id("vectorscope").focus()
    page.keyboard.press("Control+ArrowRight")  # the saturation, beside the cast
    page.keyboard.press("ArrowUp")
    until(page, lambda: reading(page, 9) == pytest.approx(before[9] + 1, abs=0.15))
    frame = page.get_by_test_id("frame").inner_text()
    page.keyboard.press("Escape")
    page.keyboard.press("ArrowRight")  # off the scope, arrows step frames again
    expect(page.get_by_test_id("frame")).not_to_have_text(frame)
    settled(page)


def steps_are_added_made_current_switched_named_and_removed(page: Page, shot_named) -> None:
    """By mouse and by keys; each is a version, and the readings are those of all steps."""
    strip = page.get_by_role("list", name="steps of the shot")
    before = reading(page, 4)
    page.keyboard.press("Shift+N")
    expect(page.get_by_role("button", name="ten numbers readings")).to_be_focused()
    page.keyboard.press("Enter")
    expect(strip.get_by_role("button", name="step", exact=True)).to_have_attribute("aria-pressed", "true")
    settled(page)
    exposure = page.get_by_role("spinbutton", name="Exposure")
    exposure.focus()
    page.keyboard.type("0.5")
    page.keyboard.press("Enter")
    settled(page)
    assert reading(page, 4) > before + 3
    saved = {step["id"]: step for step in shot_named("22A-1")["correction"]["steps"]}
    assert set(saved) == {"balance", "step"}
    assert saved["step"]["values"]["offset"][0] > 0.02
    strip.get_by_role("switch", name="apply step").click()
    settled(page)
    assert reading(page, 4) == pytest.approx(before, abs=0.2)
    assert [step["on"] for step in shot_named("22A-1")["correction"]["steps"]] == [True, False]
    named = strip.get_by_role("button", name="step", exact=True)
    named.focus()
    page.keyboard.press("F2")
    page.get_by_label("new name of step").fill("warmer end")
    page.keyboard.press("Enter")
    settled(page)
    again = strip.get_by_role("button", name="warmer end", exact=True)
    again.focus()
    page.keyboard.press("Shift+ArrowLeft")
    settled(page)
    assert [step["id"] for step in shot_named("22A-1")["correction"]["steps"]] == ["warmer end", "balance"]
    page.keyboard.press("Delete")
    settled(page)
    assert [step["id"] for step in shot_named("22A-1")["correction"]["steps"]] == ["balance"]
    expect(strip.get_by_role("button", name="balance")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Control+z")
    settled(page)
    expect(again).to_be_visible()


def numbers_are_dragged_nudged_typed_and_reset(page: Page) -> None:
    exposure = page.get_by_role("spinbutton", name="Exposure")
    exposure.focus()
    page.keyboard.type("-0.5")
    page.keyboard.press("Enter")
    expect(exposure).to_have_text("−0.50")
    exposure.focus()
    page.keyboard.press("ArrowUp")
    expect(exposure).to_have_text("−0.48")
    box = exposure.bounding_box()
    page.mouse.move(box["x"] + 20, box["y"] + 8)
    page.mouse.down()
    page.mouse.move(box["x"] + 60, box["y"] + 8, steps=6)
    page.mouse.up()
    expect(exposure).to_have_text(re.compile(r"−0\.(28|29|30)"))
    page.get_by_role("button", name="Exposure").dblclick()
    expect(exposure).to_have_text("±0.00")
    settled(page)
    warmth = page.get_by_role("spinbutton", name="Warmth")
    before = picture_mean(page)
    warmth.focus()
    page.keyboard.type("9000")
    page.keyboard.press("Enter")
    expect(warmth).to_have_text("9000")
    settled(page)
    after = picture_mean(page)
    assert after[0] - before[0] > 2 > after[2] - before[2]
    page.get_by_role("button", name="Warmth").dblclick()
    settled(page)


def test_a_cut_connection_is_said_and_resumes_with_nothing_lost(page: Page, running, shot_named, enter):
    """The channel is really cut on the way; what is done meanwhile is shown and saved afterwards."""
    routes = []
    page.route_web_socket(re.compile("/api/live"), lambda route: (routes.append(route), route.connect_to_server()))
    shot = shot_named("22A-1")
    enter(running, f"desk/{shot['id']}")
    settled(page)
    before, start = picture_mean(page), reading(page, 4)
    routes[-1].close(code=1011, reason="cut")
    expect(page.get_by_test_id("status")).to_contain_text("the server is away")
    exposure = page.get_by_role("spinbutton", name="Exposure")
    exposure.focus()
    page.keyboard.press("ArrowUp")
    until(page, lambda: reading(page, 4) > start)
    settled(page)
    assert len(routes) >= 2
    expect(exposure).not_to_have_text("±0.00")
    assert picture_mean(page)[1] > before[1]
    assert shot_named("22A-1")["version_id"] != shot["version_id"]
    page.keyboard.press("Control+z")


def test_wall_opens_shots_and_chooses_references(page: Page, running, enter):
    enter(running, "wall")
    row = page.get_by_role("region", name="Yard, low sun")
    expect(row).to_contain_text("no reference yet")
    row.get_by_role("button", name="select 22A-1").click()
    page.get_by_role("button", name="Make reference").click()
    expect(row).to_contain_text("reference 22A-1")
    row.get_by_role("button", name="open 22B-1").click()
    expect(page).to_have_url(re.compile(r"/desk/\d+"))
    expect(page.locator(".shot-head b")).to_have_text("22B-1")


def test_the_picture_is_looked_into_and_versions_are_compared_and_brought_back(desk, shot_named):
    page = desk("21C-1")
    frame = page.get_by_test_id("picture")
    narrow, mean = frame.bounding_box()["width"], sum(picture_mean(page))
    page.keyboard.press("p")
    until(page, lambda: frame.bounding_box()["width"] > narrow + 100)
    expect(page.get_by_role("table")).to_have_count(0)
    page.keyboard.press("p")
    expect(page.get_by_role("button", name="Balance", exact=True)).to_be_visible()

    page.keyboard.press("+")
    expect(frame.get_by_text("0 shows all")).to_be_visible()
    page.keyboard.press("0")
    expect(frame.get_by_text("0 shows all")).to_have_count(0)

    page.keyboard.down("d")
    until(page, lambda: sum(picture_mean(page)) < mean - 60)
    page.wait_for_timeout(300)  # the key is held: a short press would leave the picture pushed
    page.keyboard.up("d")
    until(page, lambda: abs(sum(picture_mean(page)) - mean) < 10)
    page.keyboard.press("a")
    until(page, lambda: max(picture_mean(page)) - min(picture_mean(page)) < 1.5)
    page.keyboard.press("a")

    was = shot_named("21C-1")["correction"]
    exposure = page.get_by_role("spinbutton", name="Exposure")
    exposure.focus()
    page.keyboard.type("-1")
    page.keyboard.press("Enter")
    settled(page)
    page.keyboard.press("h")
    versions = page.get_by_role("list", name="versions of 21C-1")
    earlier = versions.get_by_role("listitem").nth(1)
    earlier.get_by_role("button").first.click()
    expect(page.get_by_role("button", name="split")).to_have_class(re.compile("active"))
    expect(frame.get_by_role("img", name="reference")).to_be_visible()
    earlier.get_by_role("button", name="bring back").click()
    settled(page)
    assert shot_named("21C-1")["correction"] == was
    page.keyboard.press("h")
    page.keyboard.press("Shift+R")
    expect(page.get_by_role("complementary", name="Kept").get_by_role("button", name="21C-1")).to_be_visible()
