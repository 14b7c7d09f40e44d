"""Matching on the Desk: by a key, by parts, by ties, with boxes of one's own, and what it says of itself."""

import re

import pytest
from playwright.sync_api import Page, expect

from dovrel.bench.orders import extended_of, numbers_of
from tests.helpers.asking import keep_as_reference
from tests.helpers.pages import drag_on, picture_mean, reading, settled, until

pytestmark = pytest.mark.shots("12A-1", "12A-3", "12B-3", "12C-2", "12C-4", "21A-1", "21B-1", "21C-1")


def distance(page: Page) -> float:
    return float(page.get_by_test_id("distance").inner_text())


def test_a_match_by_keys_is_told_and_goes_on_with_the_extended_step(desk, shot_named):
    balance_reference_match_by_keys(desk, shot_named)
    page = desk("12C-2")
    a_match_goes_on_with_the_extended_step_and_is_switched_by_a_key(page, shot_named)


def balance_reference_match_by_keys(desk, shot_named) -> None:
    page = desk("12A-1")
    page.keyboard.press("b")
    expect(page.locator(".family button.current .state-mark")).to_have_attribute("aria-label", "balanced")
    page.keyboard.press("r")
    expect(page.locator(".distance")).to_contain_text("this is the reference")
    desk("12C-2")
    blue = picture_mean(page)
    assert blue[2] > blue[0] * 1.4
    page.keyboard.press("m")
    expect(page.locator(".report")).to_contain_text("Confidence")
    settled(page)
    assert float(page.get_by_test_id("distance").inner_text()) < 6
    # A long report must not push the panels over each other.
    assert page.locator(".work").bounding_box()["width"] == pytest.approx(
        page.locator(".panel").bounding_box()["width"], abs=2
    )
    until(page, lambda: picture_mean(page)[2] < picture_mean(page)[0] * 1.15)
    assert shot_named("12C-2")["state"] == "matched"
    for view in ("reference", "pair", "split"):
        page.keyboard.press("v")
        expect(page.get_by_role("button", name=view, exact=True)).to_have_class(re.compile("active"))
        expect(page.get_by_alt_text("reference", exact=True)).to_be_visible()


def a_match_goes_on_with_the_extended_step_and_is_switched_by_a_key(page: Page, shot_named) -> None:
    page.keyboard.press("Shift+M")
    page.get_by_label("go on with a matrix and curves").check()
    page.get_by_role("dialog").get_by_role("button", name="Match").click()
    part = page.get_by_role("switch", name="apply extended")
    expect(part).to_have_attribute("aria-checked", "true")
    settled(page)
    further, shown = distance(page), picture_mean(page)
    page.keyboard.press("e")
    expect(part).to_have_attribute("aria-checked", "false")
    until(page, lambda: distance(page) > further + 0.3)
    settled(page)
    assert picture_mean(page) != shown
    assert not extended_of(shot_named("12C-2")).on
    page.keyboard.press("Control+z")
    expect(part).to_have_attribute("aria-checked", "true")
    until(page, lambda: distance(page) == further)
    page.goto(page.url.split("/desk")[0] + "/handover")
    row = page.get_by_role("row").filter(has_text="12C-2")
    expect(row).to_contain_text("extended, in .cdl .ccc")


def test_a_match_that_a_rescue_would_help_is_marked_on_the_wall(page: Page, running, enter, api):
    keep_as_reference(api, "12A-1", 12)
    enter(running, "wall")
    page.get_by_role("button", name="select 12C-4").click()
    page.keyboard.press("m")
    card = page.get_by_label(re.compile("^12C-4, camera C, a rescue would help"))
    expect(card).to_be_visible(timeout=300_000)
    expect(page.locator(".bar")).to_contain_text("1 to rescue")
    mark = page.get_by_role("img", name=re.compile("A rescue would help. With “red rebuilt” before the balance"))
    expect(mark).to_have_count(1)
    page.get_by_label("which shots").select_option("needs you")
    expect(card).to_be_visible()
    card.focus()
    page.keyboard.press("Enter")
    settled(page)
    expect(page.locator(".rescues")).to_contain_text("red rebuilt")


def test_skin_boxes_and_ties_are_held_against_the_reference(desk, api, shot_named):
    reference = shot_named("12A-1")
    api.post(f"/shots/{reference['id']}/keep", json={"frame": 36, "as_reference": True})
    page = desk("12B-3")
    skin_is_metered_in_both_by_a_key(page)
    the_reference_is_metered_by_a_box_of_its_own(page)
    a_tie_is_drawn_in_pair_view_and_matched_by_alone(page)


def skin_is_metered_in_both_by_a_key(page: Page) -> None:
    expect(page.locator("[data-reading='4'] .aim")).to_have_text(re.compile(r"\d"))
    aim, measured = page.locator("[data-reading='4'] .aim").inner_text(), reading(page, 4)
    page.keyboard.press("s")
    expect(page.get_by_text("meter: skin", exact=True).first).to_be_visible()
    expect(page.locator("[data-reading='4'] .aim")).not_to_have_text(aim)
    until(page, lambda: reading(page, 4) != measured)
    page.keyboard.press("Escape")
    expect(page.locator("[data-reading='4'] .aim")).to_have_text(aim)


def the_reference_is_metered_by_a_box_of_its_own(page: Page) -> None:
    page.get_by_role("button", name="pair", exact=True).click()
    expect(page.locator("[data-reading='4'] .aim")).to_have_text(re.compile(r"\d"))
    settled(page)
    aim, measured = page.locator("[data-reading='4'] .aim").inner_text(), reading(page, 4)
    drag_on(page, "reference-picture", (0.1, 0.2), (0.3, 0.6))
    expect(page.locator("[data-reading='4'] .aim")).not_to_have_text(aim)
    settled(page)
    assert reading(page, 4) == pytest.approx(measured, abs=0.11)


def a_tie_is_drawn_in_pair_view_and_matched_by_alone(page: Page) -> None:
    page.keyboard.press("Escape")
    for name in ("reference-picture", "picture"):
        box = page.get_by_test_id(name).bounding_box()
        page.mouse.move(box["x"] + 0.60 * box["width"], box["y"] + 0.30 * box["height"])
        page.mouse.down()
        page.mouse.move(box["x"] + 0.65 * box["width"], box["y"] + 0.42 * box["height"], steps=4)
        page.mouse.up()
    page.keyboard.press("y")
    tie = page.get_by_test_id("tie-1")
    expect(tie).to_have_text(re.compile(r"\d"))
    apart = float(tie.inner_text())
    page.keyboard.press("Shift+M")
    page.get_by_label("by the tie alone").check()
    page.get_by_role("dialog").get_by_role("button", name="Match").click()
    until(page, lambda: float(tie.inner_text() or apart) < min(2.0, 0.3 * apart), 20)
    expect(page.locator(".report")).to_contain_text("1 tie held to measure the same")
    page.reload()
    settled(page)
    for _ in range(2):
        page.keyboard.press("v")
    expect(tie).to_have_text(re.compile(r"\d"))
    page.get_by_label("remove tie 1").click()
    expect(tie).to_have_count(0)


def test_a_match_takes_the_parts_that_were_asked_for(desk, api, shot_named):
    reference = shot_named("21A-1")
    api.post(f"/shots/{reference['id']}/keep", json={"frame": 36, "as_reference": True})
    page = desk("21C-1")
    before = numbers_of(shot_named("21C-1"))
    page.keyboard.press("Shift+M")
    for part in ("levels", "cast"):
        page.get_by_label(part, exact=True).uncheck()
    page.get_by_role("dialog").get_by_role("button", name="Match").click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    settled(page)
    until(page, lambda: shot_named("21C-1")["state"] == "matched", 20)
    after = numbers_of(shot_named("21C-1"))
    assert after[:9] == pytest.approx(before[:9], abs=1e-6)
    assert after[9] != before[9]


def test_the_report_of_a_match_outlives_a_reload_and_is_told_whole(desk, api, shot_named):
    reference = shot_named("21A-1")
    api.post(f"/shots/{reference['id']}/keep", json={"frame": 36, "as_reference": True})
    page = desk("21B-1")
    page.keyboard.press("m")
    expect(page.locator(".report")).to_contain_text("Confidence")
    settled(page)
    page.reload()
    expect(page.locator(".report")).to_contain_text("left in lows")
    page.get_by_role("button", name="Report", exact=True).click()
    sheet = page.get_by_role("dialog")
    report = shot_named("21B-1")["report"]
    expect(sheet).to_contain_text(f"ΔE {report['before']:.1f} before")
    expect(sheet).to_contain_text("up to 4.5 is within tolerance from another angle")
    cells = sheet.get_by_role("cell").all_inner_texts()
    left = [float(cell.replace("\u2212", "-").replace("±", "")) for cell in cells if re.search(r"\d", cell)]
    assert left == pytest.approx(report["left"], abs=0.051)


def test_a_white_is_metered_and_a_match_that_is_not_sure_is_shown_first(desk, api, shot_named):
    reference = shot_named("12A-1")
    api.post(f"/shots/{reference['id']}/keep", json={"frame": 12, "as_reference": True})
    page = desk("12C-4")
    a_match_that_is_not_sure_is_shown_first(page, shot_named)
    page.reload()
    settled(page)
    a_box_on_something_white_is_proposed_as_the_white(page)


def a_match_that_is_not_sure_is_shown_first(page: Page, shot_named) -> None:
    """Boxes on different subjects: what comes of them is offered beside the reference, and left or applied."""
    page.get_by_role("button", name="pair", exact=True).click()
    drag_on(page, "reference-picture", (0.76, 0.02), (0.99, 0.98))
    drag_on(page, "picture", (0.01, 0.02), (0.3, 0.98))
    settled(page)
    before = shot_named("12C-4")
    page.keyboard.press("m")
    sheet = page.get_by_role("dialog")
    expect(sheet).to_contain_text(re.compile(r"only \d+ % sure"))
    page.wait_for_function("() => [...document.querySelectorAll('.offer img')].every((i) => i.naturalWidth > 0)")
    sheet.get_by_role("button", name="Leave it").click()
    expect(sheet).to_have_count(0)
    assert shot_named("12C-4")["version_id"] == before["version_id"]
    page.keyboard.press("m")
    sheet.get_by_role("button", name="Apply it").click()
    expect(sheet).to_have_count(0)
    until(page, lambda: shot_named("12C-4")["state"] == "matched", 20)
    expect(page.locator(".report")).to_contain_text("Confidence")


def a_box_on_something_white_is_proposed_as_the_white(page: Page) -> None:
    box = page.get_by_test_id("picture").bounding_box()
    corner = lambda x, y: (box["x"] + x * box["width"], box["y"] + y * box["height"])  # noqa: E731
    page.mouse.move(*corner(0.60, 0.33))
    page.mouse.down()
    page.mouse.move(*corner(0.63, 0.42), steps=4)
    page.mouse.up()
    settled(page)
    page.keyboard.press("Shift+B")
    sheet = page.get_by_role("dialog")
    expect(sheet.locator(".candidate").first).to_contain_text("the metered patch")
    page.keyboard.press("Enter")
    expect(sheet).to_have_count(0)
    settled(page)
    # What was metered is neutral now: its three channels read the same in the middle.
    mids = [reading(page, index) for index in (1, 4, 7)]
    assert max(mids) - min(mids) < 2.5
