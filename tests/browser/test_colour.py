"""Steps that act on colour, worked on the scopes and in the picture, by mouse and by keys."""

import pytest
from playwright.sync_api import Page, expect

from tests.helpers.pages import add, at, drag, picture_mean, reading, settled, steps, until

pytestmark = pytest.mark.shots("12C-4", "21A-1", "21A-3", "21A-4", "21C-2")


def test_a_curve_is_made_on_the_parade(desk, shot_named):
    """A level is held and moved in one channel; keys nudge it, remove it, and set five at once."""
    page = desk("21A-4")
    add(page, "curves")
    greens = reading(page, 4)
    place = at(page, "parade", 0.2, 0.62)
    page.mouse.dblclick(*place)
    settled(page)
    points = page.locator(".point-row")
    expect(points).to_have_count(3)
    reds = reading(page, 1)
    drag(page, place, (place[0], place[1] - 22))
    assert reading(page, 1) > reds + 2
    assert reading(page, 4) == pytest.approx(greens, abs=1.5)
    moved = reading(page, 1)
    page.keyboard.press("ArrowDown")
    settled(page)
    assert reading(page, 1) < moved
    kept = steps(shot_named("21A-4"))[-1]["values"]
    assert len(kept["red"]["points"]) == 3
    assert kept["green"]["points"] == []
    page.keyboard.press("Delete")
    settled(page)
    expect(points).to_have_count(2)
    page.get_by_role("button", name="all", exact=True).click()
    page.keyboard.press("Shift+5")
    settled(page)
    expect(points).to_have_count(5)
    page.get_by_role("button", name="hold black").click()
    settled(page)
    assert steps(shot_named("21A-4"))[-1]["values"]["all"]["low_held"]
    # A typed point that would turn the curve back is kept under its neighbour, and the picture stays.
    page.locator(".point-row").nth(1).get_by_role("spinbutton", name="to").focus()
    page.keyboard.type("99")
    page.keyboard.press("Enter")
    settled(page)
    outs = [out for _, out in steps(shot_named("21A-4"))[-1]["values"]["all"]["points"]]
    assert outs == sorted(outs)
    expect(page.get_by_role("alert")).to_contain_text("the curve would turn back or crush")


def test_a_red_that_is_too_loud_is_picked_and_put_beside_the_references(desk, api, shot_named):
    reference = shot_named("21A-1")
    api.post(f"/shots/{reference['id']}/keep", json={"frame": 20, "as_reference": True})
    page = desk("21C-2")
    add(page, "hues")
    apron = at(page, "picture", 0.36, 0.66)
    page.mouse.move(*apron)
    expect(page.get_by_test_id("point")).to_contain_text("R")
    page.mouse.click(*apron)
    expect(page.locator(".channels button").first).to_contain_text("°")
    settled(page)
    loud = picture_mean(page)
    page.get_by_role("button", name="as the reference").click()
    until(
        page, lambda: len(steps(shot_named("21C-2"))) == 2 and bool(steps(shot_named("21C-2"))[1]["values"]["spokes"])
    )
    settled(page)
    until(page, lambda: steps(shot_named("21C-2"))[1]["values"]["spokes"][0]["colour"] < 0.97)
    assert picture_mean(page) != loud
    spoke = steps(shot_named("21C-2"))[1]["values"]["spokes"][0]
    page.get_by_test_id("vectorscope").focus()
    page.keyboard.press("ArrowDown")
    settled(page)
    again = steps(shot_named("21C-2"))[1]["values"]["spokes"][0]
    assert again["colour"] == pytest.approx(spoke["colour"] - 0.02)
    page.keyboard.press("Control+z")
    settled(page)
    assert steps(shot_named("21C-2"))[1]["values"]["spokes"][0] == pytest.approx(spoke)


def test_a_shot_without_red_is_rescued_by_one_press(desk, shot_named):
    page = desk("12C-4")
    red, _, blue = picture_mean(page)
    assert red < 0.6 * blue
    page.get_by_role("button", name="red rebuilt").click()
    settled(page)
    red, _, blue = picture_mean(page)
    assert red > 0.8 * blue
    assert [step["id"] for step in steps(shot_named("12C-4"))] == ["red rebuilt", "balance"]
    page.get_by_role("button", name="highs to neutral").click()
    settled(page)
    assert [step["id"] for step in steps(shot_named("12C-4"))] == ["red rebuilt", "highs to neutral", "balance"]
    expect(page.locator(".rescues")).to_have_count(0)


def test_density_zones_limits_and_markers_have_their_controls(desk, shot_named, api):
    page = desk("21A-3")
    density_zones_and_limits_have_their_controls(page, shot_named, api)
    a_grip_lands_on_a_marker(page, api)


def density_zones_and_limits_have_their_controls(page: Page, shot_named, api) -> None:
    add(page, "density")
    before = reading(page, 9)
    pale = page.get_by_role("spinbutton", name="Pale colour")
    pale.focus()
    page.keyboard.type("0.8")
    page.keyboard.press("Enter")
    settled(page)
    assert reading(page, 9) > before
    add(page, "zone tints")
    warmer = page.get_by_role("spinbutton", name="highs warmer")
    warmer.focus()
    page.keyboard.type("3")
    page.keyboard.press("Enter")
    settled(page)
    assert [step["values"]["kind"] for step in steps(shot_named("21A-3"))] == ["primary", "density", "zones"]
    page.get_by_role("button", name="show", exact=True).click()
    add(page, "limits")
    high = page.get_by_role("spinbutton", name="High")
    high.focus()
    page.keyboard.type("70")
    page.keyboard.press("Enter")
    settled(page)
    until(page, lambda: reading(page, 2) <= 70.2)
    page.get_by_role("button", name="remove limits").click()
    settled(page)
    until(page, lambda: len(api.get("/day").json()["production"]["correction"]["steps"]) == 1)


def a_grip_lands_on_a_marker(page: Page, api) -> None:
    page.get_by_role("button", name="markers").click()
    page.get_by_label("name of a new marker").fill("skin")
    page.get_by_role("button", name="Add a level").click()
    mids = sum(reading(page, i) * w for i, w in ((1, 0.2126), (4, 0.7152), (7, 0.0722)))
    level = round(mids + 4, 1)
    page.get_by_label("level of skin").fill(str(level))
    page.keyboard.press("Escape")
    until(page, lambda: [one["level"] for one in api.get("/day").json()["production"]["markers"]] == [level])
    top, foot = 109.0, -7.0

    def y(percent: float) -> float:
        return (top - percent) / (top - foot)

    x = 0.5
    drag(page, at(page, "waveform", x, y(mids)), at(page, "waveform", x, y(level + 0.6)))
    now = sum(reading(page, i) * w for i, w in ((1, 0.2126), (4, 0.7152), (7, 0.0722)))
    assert now == pytest.approx(level, abs=0.35)
    api.patch("/production", json={"markers": []})
