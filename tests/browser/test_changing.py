"""A shot whose light changes, from its first frame to handing it over: seen, held, mended by hand, named by frame."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.helpers.pages import settled, until

pytestmark = pytest.mark.shots("22B-1", "23A-1")

HELD_IN = 8
"""Actions, from the opened shot to the files: any more, and something has become harder."""


def test_a_changing_shot_is_held_and_handed_over_in_few_actions(page: Page, running, shot_named, enter):
    shot = shot_named("23A-1")
    actions = 0

    def press(*keys: str) -> None:
        nonlocal actions
        for key in keys:
            page.keyboard.press(key)
            actions += 1

    enter(running, f"desk/{shot['id']}")
    settled(page)
    expect(page.get_by_role("img", name="Its light changes inside").first).to_be_visible()
    picture = page.get_by_test_id("picture").bounding_box()
    assert picture
    page.mouse.move(picture["x"] + 0.51 * picture["width"], picture["y"] + 0.19 * picture["height"])
    page.mouse.down()
    page.mouse.move(picture["x"] + 0.60 * picture["width"], picture["y"] + 0.43 * picture["height"], steps=4)
    page.mouse.up()
    actions += 1
    press("Shift+T", "Shift+H")
    flags = page.locator(".open-lane .flag")
    expect(flags.first).to_be_visible(timeout=60_000)
    expect(page.locator(".open-lane .left")).to_contain_text(re.compile(r"left \d"))
    settled(page)
    page.goto(page.url.split("/desk")[0] + "/handover")
    actions += 1
    expect(page.get_by_label("A shot with keyframes gives a file for each")).to_be_visible()
    page.get_by_label("all listed shots").uncheck()
    page.get_by_label("23A-1").check()
    page.get_by_role("button", name="Hand over 1 shot").click()
    actions += 3
    expect(page.locator(".records summary").first).to_contain_text(re.compile(r"^\d+ files$"))
    expect(page.get_by_text(re.compile(r"23A-1\.frame\d{4}\.cdl")).first).to_be_visible()
    assert actions <= HELD_IN


def test_keyframes_are_set_moved_and_taken_away_by_keys_and_by_their_flags(page: Page, running, shot_named, enter):
    enter(running, f"desk/{shot_named('22B-1')['id']}")
    settled(page)
    flags = page.locator(".time-lane .flag")
    expect(flags).to_have_count(0)
    page.keyboard.press("f")
    expect(flags).to_have_count(1)
    page.get_by_label("frame", exact=True).press("End")
    page.keyboard.press("f")
    expect(flags).to_have_count(2)
    settled(page)
    page.keyboard.press("[")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    expect(page.get_by_text(re.compile(r"Between keyframe 1 .* F sets one here"))).to_be_visible()
    exposure = page.get_by_label("Exposure", exact=True)
    exposure.focus()
    exposure.press("ArrowUp")
    expect(page.get_by_role("alert")).to_contain_text("none at this one: F sets one here and goes on")
    exposure.blur()
    page.keyboard.press("f")
    expect(flags).to_have_count(3)
    until(page, lambda: "+0" in exposure.inner_text() or "+0" in (exposure.get_attribute("aria-valuetext") or ""))
    settled(page)
    flags.nth(1).focus()
    page.keyboard.press("ArrowRight")
    expect(flags.nth(1)).to_have_attribute("aria-label", re.compile("keyframe 2 of balance"))
    page.keyboard.press("Delete")
    expect(flags).to_have_count(2)
    page.keyboard.press("Shift+Backspace")
    expect(flags).to_have_count(0)
