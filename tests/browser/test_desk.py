"""What a colourist does at the desk, checked in numbers, pixels and files."""

import re
from collections.abc import Callable

import pytest
from playwright.sync_api import Page, expect


@pytest.fixture
def desk(page: Page, running, shot_named):
    def open_shot(name: str) -> Page:
        page.goto(f"{running.address}/desk/{shot_named(name)['id']}")
        expect(page.get_by_test_id("reading-2")).to_have_text(re.compile(r"\d"), timeout=20000)
        settled(page)
        return page

    return open_shot


def settled(page: Page) -> None:
    """Until the hand has rested: measured on the full frame, and saved."""
    expect(page.get_by_test_id("measured-on")).to_contain_text("full frame", timeout=15000)
    expect(page.get_by_test_id("status")).to_have_text("all saved", timeout=15000)


def reading(page: Page, index: int) -> float:
    return float(page.get_by_test_id(f"reading-{index}").inner_text().replace("!", ""))


def picture_mean(page: Page) -> list[float]:
    """Mean R, G, B of the picture as the page shows it."""
    return page.evaluate(
        """() => {
          const c = document.querySelector('.frame canvas');
          const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;
          const sum = [0, 0, 0];
          for (let i = 0; i < d.length; i += 4) for (let k = 0; k < 3; k++) sum[k] += d[i + k];
          return sum.map((s) => s / (d.length / 4));
        }"""
    )


def until(page: Page, holds: Callable[[], bool], seconds: float = 10) -> None:
    """Wait for the page to come to something that no single element says."""
    for _ in range(int(seconds * 10)):
        if holds():
            return
        page.wait_for_timeout(100)
    raise AssertionError("it did not come to hold in time")


def scope_ink(page: Page, name: str) -> int:
    """How many pixels of a scope are lit beyond its dark well and rules."""
    return page.evaluate(
        """(name) => {
          const c = document.querySelector(`[data-testid=${name}]`);
          const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;
          let lit = 0;
          for (let i = 0; i < d.length; i += 4) if (Math.max(d[i], d[i + 1], d[i + 2]) > 130) lit++;
          return lit;
        }""",
        name,
    )


def test_the_desk_fits_and_shows_every_scope(desk):
    page = desk("12A-1")
    assert page.evaluate(
        "document.documentElement.scrollHeight <= innerHeight && document.body.scrollWidth <= innerWidth"
    )
    box = page.get_by_test_id("picture").bounding_box()
    assert box["width"] >= 640
    assert box["width"] / box["height"] == pytest.approx(16 / 9, abs=0.02)
    for scope in ("parade", "waveform", "vectorscope", "histogram"):
        assert scope_ink(page, scope) > 300, scope


def test_nothing_is_loaded_from_elsewhere(page: Page, running):
    hosts = set()
    page.on("request", lambda request: hosts.add(request.url.split("/")[2]))
    page.goto(f"{running.address}/wall")
    expect(page.get_by_text("Shop, window light")).to_be_visible()
    assert {h for h in hosts if h} == {f"127.0.0.1:{running.port}"}


def test_dragging_a_grip_moves_reading_picture_and_numbers(desk):
    page = desk("12A-3")
    canvas = page.get_by_test_id("parade").bounding_box()
    start, before = reading(page, 2), picture_mean(page)
    x = canvas["x"] + 60
    y = canvas["y"] + canvas["height"] * (1 - (start + 7) / 116)
    page.mouse.move(x, y)
    page.mouse.down()
    for step in range(1, 13):
        page.mouse.move(x, y - step * 2)
    page.mouse.up()
    expected = start + 24 / canvas["height"] * 116
    settled(page)
    assert reading(page, 2) == pytest.approx(expected, abs=1.0)
    assert picture_mean(page)[0] > before[0] + 0.3
    page.keyboard.press("n")
    assert page.get_by_test_id("ten-numbers").get_by_role("spinbutton").first.inner_text() != "1.0000"


def test_a_typed_reading_is_met_and_survives_a_reload(desk, shot_named):
    page = desk("21B-1")
    cell = page.locator("[data-reading='7']")
    cell.focus()
    page.keyboard.type("30")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("reading-7")).to_have_text(re.compile(r"^(29\.[6-9]|30\.[0-4])$"), timeout=10000)
    settled(page)
    saved = shot_named("21B-1")["numbers"]
    page.reload()
    settled(page)
    assert reading(page, 7) == pytest.approx(30, abs=0.5)
    page.keyboard.press("Control+z")
    expect(page.get_by_test_id("reading-7")).not_to_have_text(re.compile(r"^(29\.[6-9]|30\.[0-4])$"), timeout=10000)
    page.reload()
    settled(page)
    page.keyboard.press("Control+Shift+z")
    expect(page.get_by_test_id("reading-7")).to_have_text(re.compile(r"^(29\.[5-9]|30\.[0-5])$"), timeout=10000)
    assert shot_named("21B-1")["numbers"] == saved


def test_numbers_are_dragged_nudged_typed_and_reset(desk):
    page = desk("22A-1")
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
    warmth = page.get_by_role("spinbutton", name="Warmth")
    before = picture_mean(page)
    warmth.focus()
    page.keyboard.type("9000")
    page.keyboard.press("Enter")
    expect(warmth).to_have_text("9000")
    settled(page)
    after = picture_mean(page)
    assert after[0] - before[0] > 2 > after[2] - before[2]


def test_balance_reference_match_by_keys(desk, shot_named):
    page = desk("12A-1")
    page.keyboard.press("b")
    expect(page.locator(".family button.current .state-mark")).to_have_attribute(
        "aria-label", "balanced", timeout=15000
    )
    page.keyboard.press("r")
    expect(page.locator(".distance")).to_contain_text("this is the reference", timeout=15000)
    desk("12C-2")
    blue = picture_mean(page)
    assert blue[2] > blue[0] * 1.4
    page.keyboard.press("m")
    expect(page.locator(".report")).to_contain_text("Sureness", timeout=30000)
    settled(page)
    assert float(page.get_by_test_id("distance").inner_text()) < 6
    # A long report must not push the panels over each other.
    assert page.locator(".work").bounding_box()["width"] == pytest.approx(
        page.locator(".panel").bounding_box()["width"], abs=2
    )
    until(page, lambda: picture_mean(page)[2] < picture_mean(page)[0] * 1.15)
    assert shot_named("12C-2")["state"] == "matched"
    for view in ("reference", "pair", "seam"):
        page.keyboard.press("v")
        expect(page.get_by_role("button", name=view, exact=True)).to_have_class(re.compile("active"))
        expect(page.get_by_alt_text("reference", exact=True)).to_be_visible()


def test_before_and_after(desk):
    page = desk("12B-3")
    page.keyboard.press("b")
    expect(page.get_by_test_id("status")).to_have_text("all saved")
    page.wait_for_timeout(2500)
    after = picture_mean(page)
    page.keyboard.press("x")
    expect(page.locator(".tag.left")).to_have_text("before")
    page.wait_for_timeout(800)
    before = picture_mean(page)
    assert before[1] > after[1] + 10
    page.keyboard.press("x")
    page.wait_for_timeout(800)
    assert picture_mean(page) == pytest.approx(after, abs=1)


def test_a_box_is_metered_and_the_point_is_named(desk):
    page = desk("14A-1")
    whole = [reading(page, i) for i in range(9)]
    box = page.get_by_test_id("picture").bounding_box()
    page.mouse.move(box["x"] + box["width"] * 0.3, box["y"] + box["height"] * 0.3)
    expect(page.get_by_test_id("point")).to_contain_text("st")
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.4, box["y"] + box["height"] * 0.5, steps=5)
    page.mouse.up()
    expect(page.get_by_label("meter", exact=True).first).to_have_value("box")
    settled(page)
    assert [reading(page, i) for i in range(9)] != whole
    page.keyboard.press("Escape")
    expect(page.get_by_label("meter", exact=True).first).to_have_value("whole picture")
    settled(page)
    assert [reading(page, i) for i in range(9)] == pytest.approx(whole, abs=0.11)


def test_stepping_shows_other_frames(desk):
    page = desk("23A-1")
    assert page.get_by_test_id("frame").inner_text() == "49/96"
    first = picture_mean(page)
    for _ in range(20):
        page.keyboard.press("ArrowRight")
    expect(page.get_by_test_id("frame")).to_have_text("69/96")
    settled(page)
    assert picture_mean(page) != pytest.approx(first, abs=2)


def test_keys_are_shown_in_place(desk):
    page = desk("21A-1")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("match to the family's reference")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_be_hidden()


def test_wall_opens_shots_and_chooses_references(page: Page, running):
    page.goto(f"{running.address}/wall")
    row = page.get_by_role("region", name="Yard, low sun")
    expect(row).to_contain_text("no reference yet")
    card = row.locator("li", has_text="22A-1")
    card.hover()
    card.get_by_role("button", name="make reference").click()
    expect(row).to_contain_text("reference 22A-1")
    row.get_by_role("button", name="open 22B-1").click()
    expect(page).to_have_url(re.compile(r"/desk/\d+"))
    expect(page.locator(".shot-head b")).to_have_text("22B-1")


def test_handover_writes_files_that_can_be_fetched(page: Page, running):
    page.goto(f"{running.address}/handover")
    expect(page.get_by_label("12A-1", exact=True)).to_be_checked()
    page.get_by_label("all shots").click()
    page.get_by_label("12A-1", exact=True).click()
    page.get_by_role("button", name="Hand over 1 shot").click()
    expect(page.get_by_role("status").filter(has_text="files written")).to_be_visible(timeout=20000)
    page.locator("details summary").first.click()
    with page.expect_download() as download:
        page.get_by_role("link", name="12A-1.cdl").first.click()
    assert "<Slope>" in download.value.path().read_text()


def test_intake_lists_the_day(page: Page, running):
    page.goto(f"{running.address}/intake")
    row = page.get_by_role("row", name=re.compile("12C-2 PTL00001"))
    expect(row).to_contain_text("1280×720")
    expect(row).to_contain_text("measured")
    page.get_by_label("Folder or card").fill("/etc")
    page.get_by_role("button", name="Take in").click()
    expect(page.get_by_role("status").filter(has_text="may read")).to_be_visible()
