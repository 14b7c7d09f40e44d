"""The scopes of the Desk in the hand: read, enlarged, zoomed, brushed, dragged by their grips with mouse and keys."""

import re

import pytest
from playwright.sync_api import Page, expect

from dovrel.bench.orders import numbers_of
from tests.helpers.pages import drag_on, drawn, frame_shown, picture_mean, reading, settled, until

pytestmark = pytest.mark.shots("12A-1", "12B-3", "14A-1", "14B-3", "21A-2", "21B-1", "21C-1", "22A-1", "23A-1")


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


def histogram_x(page: Page, percent: float) -> float:
    """Where a level lies on the histogram, in parts of its width."""
    width = page.get_by_test_id("histogram").bounding_box()["width"]
    return (14 + (percent + 7) / 116 * (width - 20)) / width


def brushed_share(page: Page) -> float:
    return float(re.search(r"brushed ([\d.]+) %", page.get_by_test_id("measured-on").inner_text()).group(1))


def test_scopes_are_read_set_up_and_brushed(desk):
    page = desk("12A-1")
    the_desk_fits_and_shows_every_scope(page)
    every_mode_draws(page)
    the_wheel_zooms_a_scopes_levels(page)
    brushing_a_scope_marks_the_picture_and_narrows_the_rest(page)
    for scope in ("cast by level", "memory colours"):
        a_scope_changes_its_place_and_is_remembered(page, scope)
    keys_are_shown_in_place(page)


def the_desk_fits_and_shows_every_scope(page: Page) -> None:
    assert page.evaluate(
        "document.documentElement.scrollHeight <= innerHeight && document.body.scrollWidth <= innerWidth"
    )
    box = page.get_by_test_id("picture").bounding_box()
    assert box["width"] >= 640
    assert box["width"] / box["height"] == pytest.approx(16 / 9, abs=0.02)
    for scope in ("parade", "waveform", "vectorscope", "histogram"):
        assert scope_ink(page, scope) > 300, scope


def every_mode_draws(page: Page) -> None:
    for name, modes, scope in (
        ("parade signals", ["Y′CbCr", "R′G′B′"], "parade"),
        ("waveform signals", ["R′G′B′", "luma"], "waveform"),
        ("vectorscope levels", ["lows", "mids", "highs", "all levels"], "vectorscope"),
        ("vectorscope gain", ["1", "4", "2"], "vectorscope"),
        ("histogram of", ["R+G+B", "luma", "hue", "saturation", "R G B"], "histogram"),
    ):
        for mode in modes:
            page.get_by_label(name, exact=True).select_option(mode)
            until(page, lambda scope=scope: scope_ink(page, scope) > 60)


def the_wheel_zooms_a_scopes_levels(page: Page) -> None:
    box = page.get_by_test_id("waveform").bounding_box()
    page.mouse.move(box["x"] + 100, box["y"] + box["height"] / 2)
    page.mouse.wheel(0, -300)
    back = page.get_by_role("button", name="whole scale").first
    expect(back).to_be_visible()
    back.click()
    expect(page.get_by_role("button", name="whole scale")).to_have_count(0)


def brushing_a_scope_marks_the_picture_and_narrows_the_rest(page: Page) -> None:
    whole, lit = picture_mean(page), scope_ink(page, "waveform")
    drag_on(page, "waveform", (0.3, 0.45), (0.7, 0.25))
    settled(page)
    assert picture_mean(page)[1] < whole[1] * 0.8
    assert scope_ink(page, "waveform") < lit
    share = brushed_share(page)
    drag_on(page, "vectorscope", (0.35, 0.35), (0.48, 0.48))
    settled(page)
    assert 0 < brushed_share(page) < share
    page.keyboard.press("Escape")
    expect(page.get_by_test_id("measured-on")).not_to_contain_text("brushed")
    until(page, lambda: abs(picture_mean(page)[1] - whole[1]) < 1)


def a_scope_changes_its_place_and_is_remembered(page: Page, scope: str) -> None:
    page.get_by_label("scope in place 1").select_option(scope)
    expect(page.get_by_role("region", name=scope)).to_be_visible()
    expect(page.get_by_role("region", name="parade")).to_be_hidden()
    if scope == "memory colours":
        expect(page.get_by_role("row", name=re.compile("skin"))).to_contain_text("°")
    else:
        until(page, lambda: scope_ink(page, "cast-by-level") > 200)
    page.reload()
    settled(page)
    expect(page.get_by_role("region", name=scope)).to_be_visible()
    page.get_by_label(f"enlarge {scope}").click()
    expect(page.get_by_role("region", name="waveform")).to_be_hidden()
    page.get_by_label("show all scopes").click()
    page.get_by_label("scope in place 1").select_option("parade")


def keys_are_shown_in_place(page: Page) -> None:
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("match to the family's reference")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_be_hidden()


def test_a_picture_is_metered_and_read_in_every_unit(desk):
    page = desk("14A-1")
    a_box_is_metered_and_the_point_is_named(page)
    one_unit_for_all(page)


def a_box_is_metered_and_the_point_is_named(page: Page) -> None:
    whole = [reading(page, i) for i in range(9)]
    box = page.get_by_test_id("picture").bounding_box()
    page.mouse.move(box["x"] + box["width"] * 0.3, box["y"] + box["height"] * 0.3)
    expect(page.get_by_test_id("point")).to_contain_text("st")
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.4, box["y"] + box["height"] * 0.5, steps=5)
    page.mouse.up()
    expect(page.get_by_label("meter", exact=True).first).to_have_value("box")
    until(page, lambda: [reading(page, i) for i in range(9)] != whole)
    settled(page)
    page.keyboard.press("Escape")
    expect(page.get_by_label("meter", exact=True).first).to_have_value("whole picture")
    until(page, lambda: [reading(page, i) for i in range(9)] == pytest.approx(whole, abs=0.11))
    page.keyboard.press("q")
    until(page, lambda: [reading(page, i) for i in range(9)] != whole)
    settled(page)
    middle = [reading(page, i) for i in range(9)]
    for _ in range(10):
        page.keyboard.press("Shift+ArrowLeft")
    until(page, lambda: [reading(page, i) for i in range(9)] != middle)
    settled(page)


def one_unit_for_all(page: Page) -> None:
    def in_every_unit() -> list[float]:
        """Percent, 10-bit code and cd/m² of one reading, in percent again afterwards."""
        found = []
        for _ in range(3):
            found.append(reading(page, 5))
            page.keyboard.press("u")
            frame_shown(page)
        return found

    def agree() -> bool:
        percent, code, light = in_every_unit()
        return code == pytest.approx(64 + 8.76 * percent, abs=1) and light == pytest.approx(
            100 * (percent / 100) ** 2.4, rel=0.02
        )

    until(page, agree)
    for _ in range(2):
        page.keyboard.press("u")
    cell = page.locator("[data-reading='5']")
    cell.focus()
    page.keyboard.type("50")
    expect(page.get_by_label("new value")).to_have_value("50")
    page.keyboard.press("Enter")
    until(page, lambda: reading(page, 5) == pytest.approx(50, abs=0.7))
    settled(page)
    page.keyboard.press("u")
    until(page, lambda: reading(page, 5) == pytest.approx(100 * 0.5 ** (1 / 2.4), abs=0.6))
    page.keyboard.press("Control+z")


def test_balances_are_proposed_with_pictures_and_reasons(desk, shot_named):
    page = desk("14B-3")
    page.keyboard.press("Shift+B")
    sheet = page.get_by_role("dialog")
    expect(sheet.locator(".candidate")).not_to_have_count(0)
    assert sheet.locator(".candidate").count() >= 2
    expect(sheet.locator(".candidate").last).to_contain_text("sure")
    page.wait_for_function("() => [...document.querySelectorAll('.candidate img')].every((i) => i.naturalWidth > 0)")
    name = sheet.locator(".candidate b").last.inner_text()
    sheet.locator(".candidate").last.click()
    expect(sheet).to_have_count(0)
    settled(page)
    assert shot_named("14B-3")["state"] == "balanced"
    assert name


def test_grips_are_dragged_and_readings_typed(desk, shot_named):
    page = desk("21B-1")
    dragging_a_grip_moves_reading_picture_and_numbers(page)
    grips_on_the_histogram_and_the_vectorscope(page)
    a_typed_reading_is_met_and_survives_a_reload(page, shot_named)
    aims_that_contradict_each_other_come_as_near_as_they_can_and_are_told(page)


def dragging_a_grip_moves_reading_picture_and_numbers(page: Page) -> None:
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
    until(page, lambda: reading(page, 2) == pytest.approx(expected, abs=1.0))
    settled(page)
    assert picture_mean(page)[0] > before[0] + 0.3
    page.keyboard.press("n")
    assert page.get_by_test_id("ten-numbers").get_by_role("spinbutton").first.inner_text() != "1.0000"


def grips_on_the_histogram_and_the_vectorscope(page: Page) -> None:
    start = reading(page, 8)
    drag_on(page, "histogram", (histogram_x(page, start), 0.93), (histogram_x(page, start - 6), 0.93))
    until(page, lambda: abs(reading(page, 8) - (start - 6)) < 1.5)
    settled(page)
    saturation = reading(page, 9)
    box = page.get_by_test_id("vectorscope").bounding_box()
    scale = (min(box["width"], box["height"]) / 2 - 10) / 0.6 * 2
    turn = (0.788, 0.616)
    grip = [saturation / 100 * scale * part for part in turn]
    centre = (0.5, 0.5)
    out = [grip[0] * 1.5, grip[1] * 1.5]
    drag_on(
        page,
        "vectorscope",
        (centre[0] + grip[0] / box["width"], centre[1] + grip[1] / box["height"]),
        (centre[0] + out[0] / box["width"], centre[1] + out[1] / box["height"]),
    )
    until(page, lambda: reading(page, 9) == pytest.approx(saturation * 1.5, rel=0.08))


def a_typed_reading_is_met_and_survives_a_reload(page: Page, shot_named) -> None:
    cell = page.locator("[data-reading='7']")
    cell.focus()
    page.keyboard.type("30")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("reading-7")).to_have_text(re.compile(r"^(29\.[6-9]|30\.[0-4])$"))
    settled(page)
    saved = numbers_of(shot_named("21B-1"))
    page.reload()
    settled(page)
    assert reading(page, 7) == pytest.approx(30, abs=0.5)
    page.keyboard.press("Control+z")
    expect(page.get_by_test_id("reading-7")).not_to_have_text(re.compile(r"^(29\.[6-9]|30\.[0-4])$"))
    page.reload()
    settled(page)
    page.keyboard.press("Control+Shift+z")
    expect(page.get_by_test_id("reading-7")).to_have_text(re.compile(r"^(29\.[5-9]|30\.[0-5])$"))
    assert numbers_of(shot_named("21B-1")) == saved


def aims_that_contradict_each_other_come_as_near_as_they_can_and_are_told(page: Page) -> None:
    mids, highs = reading(page, 4), reading(page, 5)
    page.locator("[data-reading='4']").focus()
    page.keyboard.type(f"{highs + 6:.0f}")
    page.keyboard.press("Enter")
    settled(page)
    expect(page.locator(".report")).to_have_text(re.compile(r"stays? off, by up to \d+\.\d %: .+\."))
    assert reading(page, 4) > mids + 1
    page.keyboard.press("Control+z")
    expect(page.locator(".report")).to_have_count(0)


def test_a_grip_is_dragged_to_its_notch_and_met(desk, shot_named, api):
    """On the parade, to the reference's notch: the reading, the picture and the saved numbers follow."""
    reference, shot = shot_named("21A-2"), shot_named("21C-1")
    api.post(f"/shots/{reference['id']}/keep", json={"frame": 12, "as_reference": True})
    page = desk("21C-1")
    expect(page.locator("[data-reading='5'] .aim")).to_have_text(re.compile(r"\d"))
    aim = float(page.locator("[data-reading='5'] .aim").inner_text())
    start, before = reading(page, 5), picture_mean(page)
    y = [1 - (level + 7) / 116 for level in (start, aim)]
    drag_on(page, "parade", (0.5, y[0]), (0.5, y[1]), steps=12)
    until(page, lambda: abs(reading(page, 5) - aim) < 1.2)
    settled(page)
    assert (picture_mean(page)[1] - before[1]) * (aim - start) > 0
    # Enter on the cell meets the notch for good.
    page.locator("[data-reading='5']").focus()
    page.keyboard.press("Enter")
    until(page, lambda: abs(reading(page, 5) - aim) < 0.4)
    settled(page)
    assert numbers_of(shot_named("21C-1")) != numbers_of(shot)


def test_clipping_is_marked_and_what_was_recorded_is_seen_again(desk):
    page = desk("12B-3")
    clipping_is_on_view_and_marked_on_request(page)
    before_and_after(page)


def clipping_is_on_view_and_marked_on_request(page: Page) -> None:
    expect(page.get_by_test_id("limits")).to_contain_text("source: clipped")
    plain = picture_mean(page)
    page.keyboard.press("c")
    until(page, lambda: max(abs(a - b) for a, b in zip(picture_mean(page), plain, strict=True)) > 1)
    for _ in range(3):
        page.keyboard.press("c")
    until(page, lambda: max(abs(a - b) for a, b in zip(picture_mean(page), plain, strict=True)) < 0.5)


def before_and_after(page: Page) -> None:
    recorded = picture_mean(page)
    page.keyboard.press("b")
    until(page, lambda: picture_mean(page)[1] < recorded[1] - 10)
    settled(page)
    after = picture_mean(page)
    page.keyboard.press("x")
    expect(page.locator(".tag.left")).to_have_text("before")
    until(page, lambda: picture_mean(page)[1] > after[1] + 10)
    page.keyboard.press("x")
    until(page, lambda: picture_mean(page) == pytest.approx(after, abs=1))


def test_frames_are_stepped_and_played_with_scopes_alive(desk):
    page = desk("23A-1")
    stepping_shows_other_frames(page)
    playing_runs_the_frames(page)


def stepping_shows_other_frames(page: Page) -> None:
    assert page.get_by_test_id("frame").inner_text() == "49/96"
    first = picture_mean(page)
    for _ in range(20):
        page.keyboard.press("ArrowRight")
    expect(page.get_by_test_id("frame")).to_have_text("69/96")
    until(page, lambda: picture_mean(page) != pytest.approx(first, abs=2))


def playing_runs_the_frames(page: Page) -> None:

    def frame() -> int:
        return int(page.get_by_test_id("frame").inner_text().split("/")[0])

    page.keyboard.press("Home")
    before = drawn(page)
    page.keyboard.press("l")
    expect(page.get_by_test_id("measured-on")).to_contain_text("playing")
    seen: set[int] = set()
    until(page, lambda: seen.add(frame()) or (len(seen) > 3 and drawn(page) > before + 6))
    page.keyboard.press("k")
    moved = frame()
    settled(page)
    assert frame() == moved
    # Between the marks, round and round.
    page.keyboard.press("i")
    for _ in range(5):
        page.keyboard.press("ArrowRight")
    page.keyboard.press("o")
    before = drawn(page)
    page.keyboard.press("Space")
    until(page, lambda: drawn(page) > before + 12)  # twice round
    page.keyboard.press("Space")
    assert moved <= frame() <= moved + 5
    before = drawn(page)
    page.keyboard.press("j")
    until(page, lambda: drawn(page) > before + 6)
    page.keyboard.press("k")
    assert moved <= frame() <= moved + 5
