"""Make the pictures of docs/screenshots from the demo: start `./dovrel demo --data NEW`, then run
this with the address that it prints, and a mixed card for Intake's picture. The day is worked on as the README's tour says."""

from __future__ import annotations

import re
import sys
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Page, sync_playwright

FOLDER = Path(__file__).parent / "screenshots"
QUIET = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update"]


def write(name: str, picture: np.ndarray) -> None:
    """A picture for the docs, small enough for a repository."""
    cv2.imwrite(str(FOLDER / f"{name}.webp"), picture, [cv2.IMWRITE_WEBP_QUALITY, 82])


def rested(page: Page) -> None:
    page.get_by_text("full frame").wait_for(timeout=30000)
    page.wait_for_timeout(700)


def open_shot(page: Page, address: str, name: str) -> None:
    shots = page.request.get(f"{address}/api/day").json()["shots"]
    page.goto(f"{address}/desk/{next(s['id'] for s in shots if s['name'] == name)}")
    rested(page)


def match_further(page: Page) -> None:
    """Match with the extended step."""
    page.keyboard.press("Shift+M")
    page.get_by_label("go on with a matrix and curves").check()
    page.get_by_role("dialog").get_by_role("button", name="Match").click()
    page.get_by_role("switch", name="apply extended").wait_for(timeout=60000)
    rested(page)


def take_in(page: Page, address: str, card: str) -> None:
    """Intake with a mixed card (`./dovrel bench reading --keep CARD`) beside the demo's."""
    page.goto(f"{address}/intake")
    page.get_by_label("Folder or card").fill(card)
    page.keyboard.press("Enter")
    page.get_by_text("files skipped").wait_for(timeout=60000)
    page.get_by_role("button", name="Stop").wait_for(state="detached", timeout=180000)
    page.reload()
    page.locator("[data-clip]").first.wait_for()
    page.wait_for_timeout(1500)
    # A picture for everybody names nobody's folders.
    page.get_by_label("Folder or card").evaluate("(field) => { field.placeholder = '/media/cards'; }")


def choose(page: Page, name: str, value: str) -> None:
    page.get_by_label(name, exact=True).select_option(value)


def drag(page: Page, scope: str, start: tuple[float, float], end: tuple[float, float]) -> None:
    box = page.get_by_test_id(scope).bounding_box()
    assert box
    page.mouse.move(box["x"] + start[0] * box["width"], box["y"] + start[1] * box["height"])
    page.mouse.down()
    page.mouse.move(box["x"] + end[0] * box["width"], box["y"] + end[1] * box["height"], steps=4)
    page.mouse.up()


def look_closer(page: Page, keep: Callable[[str], None]) -> None:
    """Brushes and the scopes' other modes, on the shot that lies on the desk."""
    page.mouse.move(5, 5)
    drag(page, "parade", (0.1, 0.42), (0.3, 0.22))
    rested(page)
    page.keyboard.press("Escape")
    for name, value in (
        ("waveform signals", "R′G′B′"),
        ("vectorscope levels", "mids"),
        ("vectorscope gain", "4"),
        ("histogram of", "R+G+B"),
        ("unit", "cd/m²"),
    ):
        choose(page, name, value)
    page.keyboard.press("c")
    rested(page)
    for name, value in (
        ("scope in place 1", "cast by level"),
        ("scope in place 2", "parade"),
        ("parade signals", "Y′CbCr"),
        ("scope in place 3", "memory colours"),
        ("histogram of", "hue"),
        ("unit", "code"),
        ("mark in the picture", "false colour"),
    ):
        choose(page, name, value)
    rested(page)
    page.wait_for_timeout(1500)
    keep("desk-other-scopes")
    choose(page, "mark in the picture", "none")
    page.evaluate("localStorage.removeItem('dovrel.scopes')")


def batch(page: Page, *keys: str) -> None:
    """Press keys on the Wall and wait until the background is done."""
    for key in keys:
        page.keyboard.press(key)
    page.get_by_test_id("batch").wait_for(timeout=20000)
    page.get_by_test_id("batch").wait_for(state="detached", timeout=240000)
    page.wait_for_timeout(1000)


def work_the_day(page: Page, address: str) -> None:
    """The README's tour of the Wall."""
    page.goto(f"{address}/wall")
    page.locator("[data-shot]:focus").wait_for()
    batch(page, "Control+a", "b")
    page.keyboard.press("Escape")
    page.keyboard.press("r")
    families = page.locator(".rows section")
    for family in range(1, families.count()):
        # A family of many shots takes several rows.
        while not families.nth(family).locator("[data-shot]:focus").count():
            page.keyboard.press("ArrowDown")
            page.wait_for_timeout(50)
        page.keyboard.press("r")
        families.nth(family).locator(".reference").wait_for()
    batch(page, "Control+a", "m")
    page.keyboard.press("Escape")


def hold_through(page: Page, address: str, keep: Callable[[str], None]) -> None:
    """The time lane of a shot whose light changes, its face held."""
    open_shot(page, address, "23A-1")
    picture = page.get_by_test_id("picture").bounding_box()
    assert picture
    page.mouse.move(picture["x"] + 0.51 * picture["width"], picture["y"] + 0.19 * picture["height"])
    page.mouse.down()
    page.mouse.move(picture["x"] + 0.60 * picture["width"], picture["y"] + 0.43 * picture["height"], steps=4)
    page.mouse.up()
    page.keyboard.press("Shift+T")
    drawn = "() => document.querySelector('.open-lane .corrected')?.getAttribute('d') && !document.querySelector('.lane-told button')"
    page.wait_for_function(drawn, timeout=60000)
    rested(page)
    page.mouse.move(5, 5)
    page.keyboard.press("Shift+H")
    page.locator(".open-lane .flag").first.wait_for(timeout=60000)
    page.wait_for_timeout(1500)
    page.wait_for_function(drawn, timeout=60000)
    rested(page)
    keep("desk-held")
    page.keyboard.press("Shift+T")
    face_at_three(page)


def face_at_three(page: Page) -> None:
    """The same face in the yard, in the door and in the shop: above as recorded, below held."""
    rows = []
    for before in (True, False):
        if before:
            page.keyboard.press("x")
        row = []
        for frame in (8, 52, 84):
            page.evaluate("document.activeElement?.blur()")
            lane = page.get_by_label("frame", exact=True)
            lane.press("Home")
            for _ in range(frame):
                page.keyboard.press("ArrowRight")
            rested(page)
            page.wait_for_timeout(600)
            shot = page.locator(".frame canvas").screenshot()
            seen = cv2.imdecode(np.frombuffer(shot, np.uint8), cv2.IMREAD_COLOR)
            row.append(cv2.resize(seen, (426, 240), interpolation=cv2.INTER_AREA))
        rows.append(np.hstack(row))
        if before:
            page.keyboard.press("x")
    write("face-at-three", np.vstack(rows))


def colour_by_itself(page: Page, address: str, keep: Callable[[str], None]) -> None:
    """A curve on the parade, a spoke on the vectorscope, a shot whose red is rebuilt."""

    def add(kind: str) -> None:
        page.keyboard.press("Shift+N")
        page.get_by_role("button", name=re.compile(f"^{kind} ")).click()
        rested(page)

    open_shot(page, address, "21A-4")
    add("curves")
    page.keyboard.press("Shift+5")
    rested(page)
    for row, percent in ((1, "6"), (0, "0")):
        page.locator(".point-row").nth(row).get_by_role("spinbutton", name="to").focus()
        page.keyboard.type(percent)
        page.keyboard.press("Enter")
        rested(page)
    page.mouse.move(5, 5)
    rested(page)
    keep("desk-curve")
    open_shot(page, address, "21C-2")
    add("hues")
    picture = page.get_by_test_id("picture").bounding_box()
    assert picture
    apron = (picture["x"] + 0.37 * picture["width"], picture["y"] + 0.66 * picture["height"])
    page.mouse.move(*apron)
    page.wait_for_timeout(800)
    page.mouse.click(*apron)
    rested(page)
    page.get_by_role("button", name="as the reference").click()
    page.wait_for_timeout(1500)
    rested(page)
    page.mouse.move(5, 5)
    page.wait_for_timeout(500)
    keep("desk-spoke")
    open_shot(page, address, "12C-4")
    page.get_by_role("button", name="red rebuilt", exact=True).click()
    page.wait_for_timeout(1000)
    rested(page)
    page.keyboard.press("m")
    page.wait_for_timeout(6000)
    rested(page)
    keep("desk-rescued")


def parts_of_pictures(page: Page, address: str, keep: Callable[[str], None]) -> None:
    """The matte of a loud apron, after it was put beside the reference's; an area that follows a face."""

    def add(word: str) -> None:
        page.keyboard.press("Shift+N")
        page.get_by_role("button", name=re.compile(f"^{word} ")).click()

    def at(x: float, y: float) -> tuple[float, float]:
        picture = page.get_by_test_id("picture").bounding_box()
        assert picture
        return picture["x"] + x * picture["width"], picture["y"] + y * picture["height"]

    open_shot(page, address, "21C-2")
    page.keyboard.press("1")
    add("pick")
    for place in ((0.40, 0.62), (0.42, 0.85), (0.44, 0.75)):
        with page.expect_response(re.compile("/samples$")):
            page.mouse.click(*at(*place))
        page.wait_for_timeout(1200)
        rested(page)
    page.get_by_role("button", name="Meet targets").click()
    page.wait_for_timeout(2500)
    page.get_by_text("all saved").wait_for(timeout=60000)
    rested(page)
    page.get_by_role("button", name="selection", exact=True).click()
    page.keyboard.press("z")
    page.mouse.move(5, 5)
    page.wait_for_timeout(1200)
    rested(page)
    keep("desk-pick")
    page.keyboard.press("z")
    page.get_by_role("button", name="selection", exact=True).click()
    open_shot(page, address, "23A-1")
    page.get_by_label("frame", exact=True).press("Home")
    rested(page)
    page.mouse.move(*at(0.515, 0.2))
    page.mouse.down()
    page.mouse.move(*at(0.605, 0.44), steps=4)
    page.mouse.up()
    add("area")
    rested(page)
    page.get_by_role("button", name="selection", exact=True).click()
    page.get_by_role("button", name="follow", exact=True).click()
    page.get_by_role("button", name=re.compile("^follows 1–")).wait_for(timeout=60000)
    rested(page)
    lane = page.get_by_label("frame", exact=True)
    lane.focus()
    for _ in range(40):
        lane.press("ArrowRight")
    rested(page)
    page.wait_for_timeout(800)
    keep("desk-area")
    page.get_by_role("button", name="selection", exact=True).click()


def parts_before_and_after(page: Page, address: str) -> None:
    """One of each that is done to a part of a picture: above as it was, below as it is left."""

    def place(x: float, y: float) -> tuple[float, float]:
        picture = page.get_by_test_id("picture").bounding_box()
        assert picture
        return picture["x"] + x * picture["width"], picture["y"] + y * picture["height"]

    def add(word: str) -> None:
        page.keyboard.press("Shift+N")
        page.get_by_role("button", name=re.compile(f"^{word} part of the picture")).click()
        page.wait_for_timeout(800)

    def pick(x: float, y: float) -> None:
        add("pick")
        with page.expect_response(re.compile("/samples$")):
            page.mouse.click(*place(x, y))
        rested(page)

    def area(left: float, top: float, right: float, bottom: float) -> None:
        page.mouse.move(*place(left, top))
        page.mouse.down()
        page.mouse.move(*place(right, bottom), steps=4)
        page.mouse.up()
        add("area")
        rested(page)

    def typed(name: str, value: str) -> None:
        page.get_by_role("spinbutton", name=name).first.focus()
        page.keyboard.type(value)
        page.keyboard.press("Enter")
        rested(page)

    def press(name: str) -> None:
        page.get_by_role("button", name=name, exact=True).click()
        page.wait_for_timeout(1500)
        rested(page)

    def hold_wall() -> None:
        pick(0.85, 0.3)
        page.get_by_label("percent that its highs are limited to").fill("60")
        press("hold at")

    def skin(saturation: str | None) -> None:
        area(0.20, 0.05, 0.33, 0.29)
        press("on skin line")
        if saturation:
            typed("Saturation", saturation)

    def warm_in_a_cooler_room() -> None:
        area(0.325, 0.20, 0.40, 0.38)
        page.keyboard.press("Shift+Z")
        rested(page)
        typed("Warmth", "5000")

    def deeper_sky() -> None:
        pick(0.5, 0.12)
        typed("Exposure", "-0.8")
        typed("Saturation", "1.5")

    works = (
        ("21C-2", lambda: None),
        ("12A-4", lambda: skin(None)),
        ("14A-3", lambda: skin("1.8")),
        ("22A-3", hold_wall),
        ("21A-3", deeper_sky),
        ("12A-1", warm_in_a_cooler_room),
    )
    cells = []
    for name, work in works:
        open_shot(page, address, name)
        work()
        page.mouse.move(5, 5)
        seen = []
        for _ in range(2):
            page.wait_for_timeout(900)
            rested(page)
            shot = page.locator(".frame canvas").screenshot()
            picture = cv2.imdecode(np.frombuffer(shot, np.uint8), cv2.IMREAD_COLOR)
            seen.append(cv2.resize(picture, (300, 169), interpolation=cv2.INTER_AREA))
            page.keyboard.press("x")
        cells.append(np.vstack(seen[::-1]))
    write("parts-before-after", np.vstack([np.hstack(cells[:3]), np.hstack(cells[3:])]))


def look_and_finish(page: Page, address: str, keep: Callable[[str], None]) -> None:
    """Looks compared, one of them chosen, and a finish; what that does to a part of a frame, pixel for pixel."""
    open_shot(page, address, "12A-1")
    page.get_by_role("button", name="show", exact=True).click()
    page.keyboard.press("Shift+K")
    cards = page.get_by_role("dialog").get_by_role("article")
    cards.nth(2).get_by_role("img").wait_for(timeout=60000)
    page.wait_for_timeout(500)
    keep("desk-looks")
    cards.filter(has_text="Quire Lane paper").get_by_role("button", name="choose").click()
    rested(page)
    for kind in ("sharpen", "halation", "vignette", "grain"):
        page.keyboard.press("Shift+N")
        page.get_by_role("button", name=re.compile(f"^{kind} ")).click()
        rested(page)
    picture = page.get_by_test_id("picture").bounding_box()
    assert picture
    page.mouse.move(picture["x"] + 0.42 * picture["width"], picture["y"] + 0.3 * picture["height"])
    page.keyboard.press("Shift+0")
    rested(page)
    page.mouse.move(5, 5)
    seen = []
    for _ in range(2):
        page.wait_for_timeout(1500)
        rested(page)
        shot = page.get_by_test_id("picture").screenshot()
        seen.append(cv2.imdecode(np.frombuffer(shot, np.uint8), cv2.IMREAD_COLOR)[:, :480])
        page.keyboard.press("x")
    height = min(len(one) for one in seen)
    write("finish-at-1-1", np.hstack([one[:height] for one in seen[::-1]]))
    page.keyboard.press("0")
    for name in ("grain", "vignette", "halation", "sharpen", "look"):
        page.get_by_role("button", name=re.compile(f"^{name}")).first.click()
        page.get_by_role("button", name=f"remove {name}").click()
        rested(page)
    page.get_by_role("button", name="shot", exact=True).first.click()


def main(entrance: str, card: str | None) -> None:
    address = entrance.split("/enter/")[0]
    FOLDER.mkdir(exist_ok=True)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=QUIET)
        page = browser.new_page(viewport={"width": 1280, "height": 800})

        page.add_init_script("window.localStorage.setItem('dovrel.walked', 'yes')")

        def keep(name: str) -> None:
            write(name, cv2.imdecode(np.frombuffer(page.screenshot(), np.uint8), cv2.IMREAD_COLOR))

        page.goto(entrance)
        work_the_day(page, address)
        keep("wall")
        page.locator("[data-shot]").first.focus()
        page.keyboard.press("Shift+P")
        page.locator(".shared-table").wait_for(timeout=60_000)
        page.locator(".shared-table tbody button").nth(3).click()
        page.wait_for_timeout(500)
        keep("wall-shared")
        page.keyboard.press("Escape")
        open_shot(page, address, "12C-2")
        match_further(page)
        page.get_by_role("button", name="Report", exact=True).click()
        page.wait_for_timeout(500)
        keep("match-report")
        page.keyboard.press("Escape")
        for _ in range(3):
            page.keyboard.press("v")
        page.wait_for_timeout(800)
        keep("desk-matched")
        page.keyboard.press("v")
        look_closer(page, keep)
        hold_through(page, address, keep)
        colour_by_itself(page, address, keep)
        parts_of_pictures(page, address, keep)
        parts_before_and_after(page, address)
        look_and_finish(page, address, keep)
        page.goto(f"{address}/line-up")
        page.get_by_test_id("cut").wait_for()
        page.wait_for_timeout(1500)
        page.keyboard.press("w")
        page.wait_for_timeout(2500)
        keep("line-up")
        page.goto(f"{address}/handover")
        page.get_by_label(re.compile("^.amf")).check()
        page.get_by_label("ProRes 4444").check()
        page.get_by_label("name and timecode stand in the picture").check()
        page.get_by_label("cut to").select_option("1.85")
        page.get_by_label("Files are called").fill("{scene}_{camera}_{clip}")
        page.get_by_text("12_A_AL4_012_0001").wait_for(timeout=30000)
        page.get_by_label("Files are called").blur()
        page.wait_for_timeout(500)
        keep("handover")
        page.goto(f"{address}/settings")
        page.get_by_text("The percentiles of each channel").wait_for()
        page.wait_for_timeout(500)
        keep("settings")
        if card:
            take_in(page, address, card)
            keep("intake")
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2] if len(sys.argv) > 2 else None)
