"""Parts of a picture on the Desk: colours picked, an area drawn and followed, worked inside and outside, by mouse and by keys."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.helpers.pages import at, drag, frame_shown, picture_mean, reading, settled, steps, until

pytestmark = pytest.mark.shots("12A-1", "14C-1", "21A-1", "21C-2", "22A-3", "23A-1")


def begin_pick(page: Page) -> None:
    page.keyboard.press("Shift+N")
    page.get_by_role("button", name=re.compile("^pick ")).click()


def take(page: Page, x: float, y: float, key: str | None = None) -> None:
    """Press in the picture, with a key held if one is named; until the colour is taken."""
    with page.expect_response(re.compile("/samples$")):
        if key:
            page.keyboard.down(key)
        page.mouse.click(*at(page, "picture", x, y))
        if key:
            page.keyboard.up(key)
    frame_shown(page)
    settled(page)


def selected(page: Page) -> float:
    text = page.get_by_test_id("selected").inner_text()
    return float(text.rstrip(" %")) if "%" in text else 0.0


def test_a_loud_red_is_picked_and_put_beside_the_references(desk, api, shot_named):
    """Pick it, match it to the same thing in the reference, see its matte, take it back."""
    reference = shot_named("21A-1")
    api.post(f"/shots/{reference['id']}/keep", json={"frame": 12, "as_reference": True})
    page = desk("21C-2")
    begin_pick(page)
    expect(page.get_by_text("click a colour")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_text("click a colour")).to_have_count(0)
    begin_pick(page)
    take(page, 0.40, 0.62)
    expect(page.get_by_role("button", name="pick", exact=False).first).to_be_visible()
    first = selected(page)
    assert 1 < first < 10
    take(page, 0.42, 0.85)
    take(page, 0.44, 0.75)
    until(page, lambda: selected(page) > first)
    values = steps(shot_named("21C-2"))[-1]["values"]
    assert len(values["pick"]["taken"]) == 3
    take(page, 0.2, 0.45, "Shift")
    assert len(steps(shot_named("21C-2"))[-1]["values"]["pick"]["left"]) == 1
    reds, before = reading(page, 9), picture_mean(page)
    until(page, lambda: page.get_by_role("button", name="Meet targets").is_enabled())
    page.get_by_role("button", name="Meet targets").click()
    until(page, lambda: reading(page, 9) < reds - 3)
    settled(page)
    assert picture_mean(page) != before
    page.keyboard.press("z")
    settled(page)
    dark = sum(picture_mean(page))
    page.keyboard.press("z")
    settled(page)
    assert dark < sum(picture_mean(page)) / 2
    page.keyboard.press("Control+z")
    settled(page)
    until(page, lambda: abs(reading(page, 9) - reds) < 0.3)


def test_what_is_outside_has_numbers_of_its_own_and_a_hot_part_is_held_down(desk, shot_named):
    page = desk("12A-1")
    what_is_outside_has_numbers_of_its_own(page, shot_named)
    a_hot_part_is_held_down(page)


def what_is_outside_has_numbers_of_its_own(page: Page, shot_named) -> None:
    begin_pick(page)
    take(page, 0.36, 0.6)
    inside = reading(page, 1)
    page.keyboard.press("Shift+Z")
    settled(page)
    assert reading(page, 1) != inside
    page.get_by_role("button", name="less of it").click()
    settled(page)
    values = steps(shot_named("12A-1"))[-1]["values"]
    assert values["outside"][0]["saturation"] < 1
    assert values["inside"][0]["saturation"] == 1
    page.keyboard.press("Shift+Z")
    settled(page)
    until(page, lambda: abs(reading(page, 1) - inside) < 0.3)


def test_an_area_is_drawn_moved_by_keys_and_typed(desk, shot_named):
    page = desk("14C-1")
    drag(page, at(page, "picture", 0.3, 0.2), at(page, "picture", 0.5, 0.6))
    page.keyboard.press("Shift+N")
    page.get_by_role("button", name=re.compile("^area ")).click()
    settled(page)
    shape = steps(shot_named("14C-1"))[-1]["values"]["shapes"][0]
    assert abs(shape["x"] - 0.4) < 0.02
    assert abs(shape["width"] - 0.2) < 0.02
    handle = page.get_by_role("button", name="middle of ellipse 1")
    handle.focus()
    handle.press("ArrowRight")
    handle.press("Shift+ArrowDown")
    settled(page)
    moved = steps(shot_named("14C-1"))[-1]["values"]["shapes"][0]
    assert moved["x"] > shape["x"]
    assert moved["y"] > shape["y"] + 0.015
    wide = page.get_by_role("button", name="width of ellipse 1")
    box = wide.bounding_box()
    centre = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    drag(page, centre, (centre[0] + 40, centre[1]))
    assert steps(shot_named("14C-1"))[-1]["values"]["shapes"][0]["width"] > moved["width"] + 0.05
    page.get_by_role("button", name="selection", exact=True).click()
    page.get_by_role("button", name="+ gradient").click()
    page.get_by_role("button", name="+ outline").click()
    settled(page)
    expect(page.get_by_role("button", name=re.compile("corner . of outline 3"))).to_have_count(4)
    kinds = [one["kind"] for one in steps(shot_named("14C-1"))[-1]["values"]["shapes"]]
    assert kinds == ["ellipse", "gradient", "outline"]
    page.get_by_role("button", name="corner 1 of outline 3").press("Delete")
    settled(page)
    expect(page.get_by_role("button", name=re.compile("corner . of outline 3"))).to_have_count(3)


def a_hot_part_is_held_down(page: Page) -> None:
    drag(page, at(page, "picture", 0.5, 0.1), at(page, "picture", 0.62, 0.4))
    page.keyboard.press("Shift+N")
    page.get_by_role("button", name=re.compile("^area ")).click()
    settled(page)
    highs = max(reading(page, i) for i in (2, 5, 8))
    page.get_by_label("percent that its highs are limited to").fill(f"{highs - 8:.0f}")
    page.get_by_role("button", name="hold at").click()
    settled(page)
    assert abs(max(reading(page, i) for i in (2, 5, 8)) - (highs - 8)) < 1.5
    page.get_by_label("percent that its highs are limited to").fill("109")
    page.get_by_role("button", name="hold at").click()
    expect(page.get_by_text("there is nothing above")).to_be_visible()


def test_a_wall_in_the_sun_is_held_down_behind_a_face(desk):
    page = desk("22A-3")
    page.keyboard.press("Shift+N")
    page.get_by_role("button", name=re.compile("^pick ")).click()
    wall = at(page, "picture", 0.85, 0.3)
    page.mouse.move(*wall)
    expect(page.get_by_test_id("point")).to_contain_text("R")
    page.mouse.click(*wall)
    expect(page.get_by_test_id("selected")).to_contain_text("%")
    settled(page)
    assert min(reading(page, i) for i in range(9)) > 60
    page.get_by_label("percent that its highs are limited to").fill("60")
    page.get_by_role("button", name="hold at").click()
    settled(page)
    assert max(reading(page, i) for i in (2, 5, 8)) == pytest.approx(60, abs=1)
    assert 48 < min(reading(page, i) for i in range(9)) < 60
    # The face is as dark as it was.
    page.keyboard.press("Shift+Z")
    settled(page)
    assert min(reading(page, i) for i in range(9)) < 12


def test_an_area_follows_a_face(desk, shot_named):
    page = desk("23A-1")
    page.get_by_label("frame", exact=True).press("Home")
    settled(page)
    drag(page, at(page, "picture", 0.515, 0.2), at(page, "picture", 0.605, 0.44))
    page.keyboard.press("Shift+N")
    page.get_by_role("button", name=re.compile("^area ")).click()
    settled(page)
    page.get_by_role("button", name="selection", exact=True).click()
    page.get_by_role("button", name="follow", exact=True).click()
    expect(page.get_by_role("button", name=re.compile("^follows 1–"))).to_be_visible(timeout=60_000)
    settled(page)
    track = steps(shot_named("23A-1"))[-1]["values"]["track"]
    assert track["frames"] > 60
    middle = page.get_by_role("button", name="middle of ellipse 1").bounding_box()
    page.get_by_label("frame", exact=True).press("End")
    settled(page)
    there = page.get_by_role("button", name="middle of ellipse 1").bounding_box()
    assert (middle["x"], middle["y"]) != (there["x"], there["y"])
    page.get_by_role("button", name=re.compile("^follows ")).click()
    settled(page)
    assert steps(shot_named("23A-1"))[-1]["values"]["track"] is None
