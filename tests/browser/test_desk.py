"""What a colourist does at the desk, checked in numbers, pixels and files."""

import re

import pytest
from playwright.sync_api import Page, expect

from dovrel.bench.orders import extended_of, numbers_of
from tests.helpers.pages import drawn, picture_mean, reading, settled, until


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


def test_nothing_is_loaded_from_elsewhere(page: Page, running, enter):
    hosts = set()
    page.on("request", lambda request: hosts.add(request.url.split("/")[2]))
    enter(running, "wall")
    expect(page.get_by_role("region", name="Shop, window light")).to_be_visible()
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
    until(page, lambda: reading(page, 2) == pytest.approx(expected, abs=1.0))
    settled(page)
    assert picture_mean(page)[0] > before[0] + 0.3
    page.keyboard.press("n")
    assert page.get_by_test_id("ten-numbers").get_by_role("spinbutton").first.inner_text() != "1.0000"


def test_a_typed_reading_is_met_and_survives_a_reload(desk, shot_named):
    page = desk("21B-1")
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


def test_aims_that_contradict_each_other_come_as_near_as_they_can_and_are_told(desk):
    page = desk("21B-1")
    mids, highs = reading(page, 4), reading(page, 5)
    page.locator("[data-reading='4']").focus()
    page.keyboard.type(f"{highs + 6:.0f}")
    page.keyboard.press("Enter")
    settled(page)
    expect(page.locator(".report")).to_have_text(re.compile(r"stays? off, by up to \d+\.\d %: .+\."))
    assert reading(page, 4) > mids + 1
    page.keyboard.press("Control+z")
    expect(page.locator(".report")).to_have_count(0)


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
    expect(page.locator(".family button.current .state-mark")).to_have_attribute("aria-label", "balanced")
    page.keyboard.press("r")
    expect(page.locator(".distance")).to_contain_text("this is the reference")
    desk("12C-2")
    blue = picture_mean(page)
    assert blue[2] > blue[0] * 1.4
    page.keyboard.press("m")
    expect(page.locator(".report")).to_contain_text("Sureness")
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


def test_stepping_shows_other_frames(desk):
    page = desk("23A-1")
    assert page.get_by_test_id("frame").inner_text() == "49/96"
    first = picture_mean(page)
    for _ in range(20):
        page.keyboard.press("ArrowRight")
    expect(page.get_by_test_id("frame")).to_have_text("69/96")
    until(page, lambda: picture_mean(page) != pytest.approx(first, abs=2))


def test_keys_are_shown_in_place(desk):
    page = desk("21A-1")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("match to the family's reference")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_be_hidden()


def test_wall_opens_shots_and_chooses_references(page: Page, running, enter):
    enter(running, "wall")
    row = page.get_by_role("region", name="Yard, low sun")
    expect(row).to_contain_text("no reference yet")
    row.get_by_role("button", name="choose 22A-1").click()
    page.get_by_role("button", name="Make reference").click()
    expect(row).to_contain_text("reference 22A-1")
    row.get_by_role("button", name="open 22B-1").click()
    expect(page).to_have_url(re.compile(r"/desk/\d+"))
    expect(page.locator(".shot-head b")).to_have_text("22B-1")


def test_intake_lists_the_day(page: Page, running, enter):
    enter(running, "intake")
    row = page.get_by_role("row", name=re.compile("12C-2 PTL00001"))
    expect(row).to_contain_text("1280×720")
    expect(row).to_contain_text("measured")
    expect(page.get_by_role("row", name=re.compile("12B-1"))).to_contain_text("assumed matrix")
    page.get_by_label("Folder or card").fill("/etc")
    page.get_by_role("button", name="Take in").click()
    expect(page.get_by_role("status").filter(has_text="may read")).to_be_visible()


# Scopes in the hand


def drag_on(page: Page, test_id: str, start: tuple[float, float], end: tuple[float, float], steps: int = 6) -> None:
    """Drag from one place to another on a canvas, in parts of its width and height."""
    box = page.get_by_test_id(test_id).bounding_box()
    page.mouse.move(box["x"] + box["width"] * start[0], box["y"] + box["height"] * start[1])
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * end[0], box["y"] + box["height"] * end[1], steps=steps)
    page.mouse.up()


def histogram_x(page: Page, percent: float) -> float:
    """Where a level lies on the histogram, in parts of its width."""
    width = page.get_by_test_id("histogram").bounding_box()["width"]
    return (14 + (percent + 7) / 116 * (width - 20)) / width


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


def test_grips_on_the_histogram_and_the_vectorscope(desk):
    page = desk("21B-1")
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


def brushed_share(page: Page) -> float:
    return float(re.search(r"brushed ([\d.]+) %", page.get_by_test_id("measured-on").inner_text()).group(1))


def test_brushing_a_scope_marks_the_picture_and_narrows_the_rest(desk):
    page = desk("12A-1")
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


def test_skin_is_metered_in_both_by_a_key(desk, shot_named, api):
    reference = shot_named("12A-1")
    api.post(f"/shots/{reference['id']}/keep", json={"frame": 36, "as_reference": True})
    page = desk("12B-3")
    expect(page.locator("[data-reading='4'] .aim")).to_have_text(re.compile(r"\d"))
    aim, measured = page.locator("[data-reading='4'] .aim").inner_text(), reading(page, 4)
    page.keyboard.press("s")
    expect(page.get_by_text("meter: skin", exact=True).first).to_be_visible()
    expect(page.locator("[data-reading='4'] .aim")).not_to_have_text(aim)
    until(page, lambda: reading(page, 4) != measured)
    page.keyboard.press("Escape")
    expect(page.locator("[data-reading='4'] .aim")).to_have_text(aim)


def test_the_reference_is_metered_by_a_box_of_its_own(desk, shot_named, api):
    reference = shot_named("12A-1")
    api.post(f"/shots/{reference['id']}/keep", json={"frame": 36, "as_reference": True})
    page = desk("12A-3")
    page.get_by_role("button", name="pair", exact=True).click()
    expect(page.locator("[data-reading='4'] .aim")).to_have_text(re.compile(r"\d"))
    aim, measured = page.locator("[data-reading='4'] .aim").inner_text(), reading(page, 4)
    drag_on(page, "reference-picture", (0.1, 0.2), (0.3, 0.6))
    expect(page.locator("[data-reading='4'] .aim")).not_to_have_text(aim)
    settled(page)
    assert reading(page, 4) == pytest.approx(measured, abs=0.11)


def test_one_unit_for_all(desk):
    page = desk("14A-1")
    percent = reading(page, 5)
    page.keyboard.press("u")
    expect(page.get_by_test_id("reading-5")).to_have_text(str(round(64 + 8.76 * percent)))
    page.keyboard.press("u")
    light = 100 * (percent / 100) ** 2.4
    assert reading(page, 5) == pytest.approx(light, rel=0.02)
    cell = page.locator("[data-reading='5']")
    cell.focus()
    page.keyboard.type("50")
    page.keyboard.press("Enter")
    until(page, lambda: reading(page, 5) == pytest.approx(50, abs=0.7))
    settled(page)
    page.keyboard.press("u")
    assert reading(page, 5) == pytest.approx(100 * 0.5 ** (1 / 2.4), abs=0.4)
    page.keyboard.press("Control+z")


def test_readings_as_level_and_cast(desk):
    page = desk("22A-1")
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


@pytest.mark.parametrize("scope", ["cast by level", "familiar colours"])
def test_scopes_change_places_and_are_remembered(desk, scope):
    page = desk("12A-1")
    page.get_by_label("scope in place 1").select_option(scope)
    expect(page.get_by_role("region", name=scope)).to_be_visible()
    expect(page.get_by_role("region", name="parade")).to_be_hidden()
    if scope == "familiar colours":
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


def test_every_mode_draws(desk):
    page = desk("12A-1")
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


def test_the_wheel_zooms_a_scopes_levels(desk):
    page = desk("12A-1")
    box = page.get_by_test_id("waveform").bounding_box()
    page.mouse.move(box["x"] + 100, box["y"] + box["height"] / 2)
    page.mouse.wheel(0, -300)
    back = page.get_by_role("button", name="whole scale").first
    expect(back).to_be_visible()
    back.click()
    expect(page.get_by_role("button", name="whole scale")).to_have_count(0)


def test_clipping_is_on_view_and_marked_on_request(desk):
    page = desk("12B-3")
    expect(page.get_by_test_id("limits")).to_contain_text("recording")
    plain = picture_mean(page)
    page.keyboard.press("c")
    until(page, lambda: max(abs(a - b) for a, b in zip(picture_mean(page), plain, strict=True)) > 1)
    for _ in range(3):
        page.keyboard.press("c")
    until(page, lambda: max(abs(a - b) for a, b in zip(picture_mean(page), plain, strict=True)) < 0.5)


def test_playing_runs_the_frames_with_scopes_alive(desk):
    page = desk("23A-1")

    def frame() -> int:
        return int(page.get_by_test_id("frame").inner_text().split("/")[0])

    page.keyboard.press("Home")
    start = frame()
    before = drawn(page)
    page.keyboard.press("l")
    expect(page.get_by_test_id("measured-on")).to_contain_text("playing")
    until(page, lambda: drawn(page) > before + 6)
    page.keyboard.press("k")
    moved = frame()
    assert moved != start
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


def test_grips_are_moved_with_keys_on_the_scope_itself(desk):
    page = desk("22A-1")
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


def test_a_tie_is_drawn_in_pair_view_and_matched_by_alone(desk, api, shot_named):
    reference = shot_named("12A-1")
    api.post(f"/shots/{reference['id']}/keep", json={"frame": 36, "as_reference": True})
    page = desk("12B-3")
    for _ in range(2):
        page.keyboard.press("v")
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


def test_a_match_that_is_not_sure_is_shown_first(desk, api, shot_named):
    """Boxes on different subjects: what comes of them is offered beside the reference, and left or applied."""
    reference = shot_named("12A-1")
    api.post(f"/shots/{reference['id']}/keep", json={"frame": 12, "as_reference": True})
    page = desk("12C-4")
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
    expect(page.locator(".report")).to_contain_text("Sureness")


def distance(page: Page) -> float:
    return float(page.get_by_test_id("distance").inner_text())


def test_a_match_goes_on_with_the_extended_part_and_is_switched_by_a_key(desk, api, shot_named):
    reference = shot_named("12A-1")
    api.post(f"/shots/{reference['id']}/keep", json={"frame": 36, "as_reference": True})
    page = desk("12C-2")
    page.keyboard.press("Shift+M")
    page.get_by_label("go on with a matrix and curves").check()
    page.get_by_role("dialog").get_by_role("button", name="Match").click()
    part = page.get_by_role("switch", name="extended in force")
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


def test_the_report_of_a_match_outlives_a_reload_and_is_told_whole(desk, api, shot_named):
    reference = shot_named("21A-1")
    api.post(f"/shots/{reference['id']}/keep", json={"frame": 36, "as_reference": True})
    page = desk("21B-1")
    page.keyboard.press("m")
    expect(page.locator(".report")).to_contain_text("Sureness")
    settled(page)
    page.reload()
    expect(page.locator(".report")).to_contain_text("left in lows")
    page.get_by_role("button", name="Report", exact=True).click()
    sheet = page.get_by_role("dialog")
    report = shot_named("21B-1")["report"]
    expect(sheet).to_contain_text(f"Distance {report['before']:.1f} before")
    expect(sheet).to_contain_text("up to 4.5 is within tolerance from another angle")
    cells = sheet.get_by_role("cell").all_inner_texts()
    left = [float(cell.replace("\u2212", "-").replace("±", "")) for cell in cells if re.search(r"\d", cell)]
    assert left == pytest.approx(report["left"], abs=0.051)


def test_a_box_on_something_white_is_proposed_as_the_white(desk, shot_named):
    page = desk("12C-4")
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


def test_steps_are_added_taken_in_hand_switched_named_and_taken_away(desk, shot_named):
    """By mouse and by keys; each is a version, and the readings are those of all steps."""
    page = desk("22A-1")
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
    strip.get_by_role("switch", name="step in force").click()
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
    expect(page.get_by_role("button", name="seam")).to_have_class(re.compile("active"))
    expect(frame.get_by_role("img", name="reference")).to_be_visible()
    earlier.get_by_role("button", name="bring back").click()
    settled(page)
    assert shot_named("21C-1")["correction"] == was
    page.keyboard.press("h")
    page.keyboard.press("Shift+R")
    expect(page.get_by_role("complementary", name="Kept").get_by_role("button", name="21C-1")).to_be_visible()
