"""Keys and the picture's place, as a hand that works a night relies on them."""

import json
import re

import pytest
from playwright.sync_api import Page, Route, expect

from tests.helpers.pages import add, settled, steps

pytestmark = pytest.mark.shots("12A-1", "12A-2", "12B-1")


def pressed(page: Page, key: str, code: str, **more: bool) -> None:
    """A key of a keyboard of another country, on what has the focus."""
    page.evaluate(
        "([key, code, more]) => document.activeElement.dispatchEvent("
        "new KeyboardEvent('keydown', { key, code, bubbles: true, cancelable: true, ...more }))",
        [key, code, more],
    )


def test_keys_act_whatever_has_the_focus_and_as_they_are_printed(desk, shot_named):
    page = desk("12A-1")
    keys_act_after_a_number_was_dragged(page)
    space_belongs_to_what_has_the_focus(page)
    nothing_acts_behind_the_list_of_keys(page)
    keys_of_other_countries_are_those_printed(page, shot_named)
    an_action_is_found_by_its_name(page)


def exposure(page: Page):
    return page.get_by_role("spinbutton", name="Exposure")


def view(page: Page):
    return page.get_by_role("group", name="View").locator(".active")


def keys_act_after_a_number_was_dragged(page: Page) -> None:
    box = exposure(page).bounding_box()
    page.mouse.move(box["x"] + 20, box["y"] + 8)
    page.mouse.down()
    page.mouse.move(box["x"] + 70, box["y"] + 8, steps=6)
    page.mouse.up()
    settled(page)
    expect(exposure(page)).not_to_have_text("±0.00")
    page.keyboard.press("Control+z")
    expect(exposure(page)).to_have_text("±0.00")
    expect(page.get_by_text("Taken back; Ctrl Shift Z does it again.")).to_be_visible()
    settled(page)


def space_belongs_to_what_has_the_focus(page: Page) -> None:
    add(page, "ten numbers")
    switch = page.get_by_role("switch", name="apply step")
    switch.focus()
    page.keyboard.press("Space")
    expect(switch).to_have_attribute("aria-checked", "false")
    settled(page)
    page.locator("body").press("Control+z")
    expect(switch).to_have_attribute("aria-checked", "true")
    settled(page)


def nothing_acts_behind_the_list_of_keys(page: Page) -> None:
    page.keyboard.press("?")
    keys = page.get_by_role("dialog")
    expect(keys.get_by_text("Balance and match")).to_be_visible()
    for key in ("v", "r", "b"):
        page.keyboard.press(key)
    page.keyboard.press("Escape")
    expect(keys).to_have_count(0)
    expect(view(page)).to_have_text("shot")
    expect(page.get_by_test_id("status")).to_have_text("all saved")


def keys_of_other_countries_are_those_printed(page: Page, shot_named) -> None:
    version = shot_named("12A-1")["version_id"]
    # A comma where M is on a US keyboard, and V where it is.
    pressed(page, ",", "KeyM")
    pressed(page, "v", "KeyV")
    expect(view(page)).to_have_text("reference")
    assert shot_named("12A-1")["version_id"] == version
    # Z where Y is: undo takes the step away, and does not bring anything back.
    pressed(page, "z", "KeyY", ctrlKey=True)
    expect(page.get_by_role("switch", name="apply step")).to_have_count(0)
    settled(page)
    assert len(steps(shot_named("12A-1"))) == 1
    for name in ("pair", "split", "shot"):
        page.keyboard.press("v")
        expect(view(page)).to_have_text(name)


def an_action_is_found_by_its_name(page: Page) -> None:
    page.keyboard.press("Shift+Space")
    field = page.get_by_role("combobox", name="what to do, or where to go")
    field.fill("black and white")
    found = page.get_by_role("listbox", name="what was found").get_by_role("option")
    expect(found.first).to_contain_text("tone only")
    page.keyboard.press("Enter")
    expect(page.locator(".picture.tone")).to_have_count(1)
    page.keyboard.press("a")
    page.keyboard.press("Shift+Space")
    field.fill("12B-1")
    page.keyboard.press("Enter")
    expect(page.locator(".shot-head")).to_contain_text("12B-1")
    settled(page)


def test_the_picture_has_one_place_and_size(desk):
    page = desk("12A-1")

    def place() -> dict:
        return page.locator(".picture .frame").bounding_box()

    found = place()
    assert found["width"] >= 640
    for name in ("12A-2", "12B-1"):
        page.keyboard.press("PageDown")
        expect(page.locator(".shot-head")).to_contain_text(name)
        settled(page)
        assert place() == found
    for kind in ("ten numbers", "curves", "hues", "density"):
        add(page, kind)
        assert place() == found
    page.keyboard.press("b")
    settled(page)
    assert place() == found
    links = page.get_by_role("navigation", name="Screens").bounding_box()
    page.keyboard.press("Control+z")
    settled(page)
    assert (place(), page.get_by_role("navigation", name="Screens").bounding_box()) == (found, links)


def test_what_cannot_be_matched_is_said_before_it_begins(wall):
    told = wall.get_by_role("status").filter(has_text="no reference yet")
    wall.keyboard.press("Control+a")
    wall.keyboard.press("m")
    expect(told).to_be_visible()
    wall.keyboard.press("Shift+W")
    wall.keyboard.press("Escape")
    wall.get_by_role("button", name="Match", exact=True).click()
    expect(told).to_be_visible()
    expect(wall.get_by_test_id("batch")).to_have_count(0)


def test_long_work_says_at_once_how_far_it_is_and_can_be_ended(desk):
    page = desk("12A-1")
    held: list[Route] = []
    page.route(re.compile("/steady$"), lambda route: held.append(route))
    page.keyboard.press("Shift+S")
    work = page.get_by_role("status").filter(has_text="Steady light: 0 %")
    expect(work).to_be_visible()
    expect(work.get_by_role("progressbar", name="Steady light")).to_be_visible()
    expect(work.get_by_role("button", name="cancel")).to_be_visible()
    held[0].continue_()
    expect(work).to_have_count(0)


def test_a_key_is_changed_in_settings_and_acts_at_once(page: Page, running, enter):
    enter(running, "settings")
    page.get_by_label("search keys").fill("balance the selected")
    key = page.get_by_role("button", name="key of: balance the selected shots, or the current one")
    key.click()
    page.keyboard.press("m")
    said = page.locator(".own-keys").get_by_role("status")
    expect(said).to_contain_text("M is “match the selected shots")
    expect(said).to_contain_text("Give that action another key first.")
    expect(key).to_have_text("B")
    key.click()
    page.keyboard.press(",")
    expect(said).to_contain_text("cannot be given away")
    key.click()
    page.keyboard.press(";")
    expect(key).to_have_text(";")
    with page.expect_download() as saved:
        page.get_by_role("button", name="Export").click()
    assert json.loads(saved.value.path().read_text()) == {"b": ";"}
    page.get_by_role("link", name="Wall").click()
    page.locator("[data-shot]").first.focus()
    page.keyboard.press("b")
    page.keyboard.press(";")
    running.wait(lambda: running.shot("12A-1")["state"] == "balanced", 60)
    page.keyboard.press("!")
    notices = page.get_by_role("dialog", name="Tonight’s notices")
    page.keyboard.press("Escape")
    expect(notices).to_have_count(0)
    page.keyboard.press("Control+z")
    expect(page.get_by_role("status").filter(has_text="Undone: balance 1 shot")).to_be_visible()
    page.keyboard.press("!")
    expect(notices).to_contain_text("Undone: balance 1 shot")
    page.keyboard.press("Escape")
    page.get_by_role("link", name="Settings").click()
    page.get_by_role("button", name="All as shipped").click()
    page.get_by_label("search keys").fill("balance the selected")
    expect(key).to_have_text("B")


def test_the_next_shot_that_needs_the_user_is_one_key_away_on_every_screen(page: Page, running, enter):
    enter(running, "wall")
    page.locator("[data-shot]").first.focus()
    page.keyboard.press("Shift+V")
    expect(page.get_by_label(re.compile("12A-1, camera A, checked"))).to_be_visible()
    page.keyboard.press("Shift+PageDown")
    expect(page.get_by_role("toolbar")).to_contain_text("12A-2")
    page.keyboard.press("Enter")
    expect(page.locator(".shot-head")).to_contain_text("12A-2")
    settled(page)
    page.keyboard.press("Shift+PageDown")
    expect(page.locator(".shot-head")).to_contain_text("12B-1")
    settled(page)
    page.keyboard.press("Shift+PageDown")
    expect(page.locator(".shot-head")).to_contain_text("12A-2")
    settled(page)
    page.keyboard.press("Shift+V")
    expect(page.get_by_text("Marked as checked.")).to_be_visible()
    page.keyboard.press("Shift+W")
    page.get_by_role("textbox", name="note").fill("the lamp flickers")
    page.keyboard.press("Enter")
    expect(page.get_by_text("The note is saved.")).to_be_visible()
    assert (running.shot("12A-2")["state"], running.shot("12A-2")["note"]) == ("checked", "the lamp flickers")
    page.get_by_role("link", name="Line-up").click()
    expect(page.get_by_test_id("cut")).to_have_text("12A-1 → 12A-2")
    page.get_by_role("link", name="Wall").click()
    expect(page.get_by_role("toolbar")).to_contain_text("12A-2")
    page.keyboard.press("Shift+Q")
    expect(page.locator("[data-shot]")).to_have_count(1)
