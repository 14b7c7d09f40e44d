"""The day on Wall and Line-up as a colourist works: keys, pictures and numbers, on a demo of its own."""

import re

import pytest
from playwright.sync_api import Page, expect

from dovrel.bench.orders import numbers_of, ten
from tests.helpers.pages import Hand, batch_over, shots_of

pytestmark = pytest.mark.shots("12A-1", "12A-2", "12A-3", "12A-4", "12B-1", "12C-2", "12C-4", "21A-1", "22B-1", "23A-1")


def test_the_wall_is_worked_by_keys_and_by_hand(wall, running):
    for part in (
        a_batch_is_taken_back_with_one_key,
        cards_are_selected_with_keys_and_clicks_and_copied_to,
        a_shot_is_moved_noted_checked_searched_and_filtered,
        a_card_is_dragged_onto_another_family,
        the_wall_and_the_line_up_fit_without_scrolling,
    ):
        wall.locator("[data-shot]").first.focus()
        part(wall, running)
        wall.keyboard.press("Escape")


def a_batch_is_taken_back_with_one_key(wall: Page, running) -> None:
    before = {name: shot["version_id"] for name, shot in shots_of(running).items()}
    hand = Hand(wall)
    hand.press("=", "b")
    expect(wall.get_by_test_id("batch")).to_be_visible()
    batch_over(wall)
    changed = [name for name, shot in shots_of(running).items() if shot["version_id"] != before[name]]
    assert len(changed) == 7
    hand.press("Control+z")
    expect(wall.get_by_role("status").filter(has_text="Undone: balance 7 shots")).to_be_visible()
    assert {name: shot["version_id"] for name, shot in shots_of(running).items()} == before


def cards_are_selected_with_keys_and_clicks_and_copied_to(wall: Page, running) -> None:
    source = shots_of(running)["12A-1"]
    order = {"correction": ten([1.1, 1, 1, 0.01, 0, 0, 1, 1, 1, 1.2]), "base": source["version_id"]}
    with running.client() as client:
        client.put(f"/shots/{source['id']}/correction", json=order).raise_for_status()
    hand = Hand(wall)
    hand.press("ArrowRight", "Shift+ArrowRight")
    expect(wall.get_by_role("toolbar")).to_contain_text("2 selected")
    wall.get_by_role("button", name="select 12B-1").click()
    expect(wall.get_by_role("toolbar")).to_contain_text("3 selected")
    wall.get_by_role("button", name="select 12B-1").click()
    hand.press("ArrowLeft", "ArrowLeft", "ArrowLeft", "ArrowLeft", "Shift+C")
    sheet = wall.get_by_role("dialog")
    expect(sheet).to_contain_text("Copy from 12A-1 to 2 shots")
    for step in ("exposure", "white balance", "contrast"):
        sheet.get_by_label(step).uncheck()
    numbers = numbers_of(shots_of(running)["12A-1"])
    sheet.get_by_role("button", name="Copy").click()
    expect(sheet).to_have_count(0)
    running.wait(lambda: numbers_of(shots_of(running)["12A-2"])[9] == pytest.approx(numbers[9]), 60)
    copied = numbers_of(shots_of(running)["12A-2"])
    assert copied[9] == pytest.approx(numbers[9])
    assert copied[:9] != numbers[:9]


def a_shot_is_moved_noted_checked_searched_and_filtered(wall: Page, running) -> None:
    hand = Hand(wall)
    wall.get_by_role("button", name="select 12C-4").click()
    hand.press("Shift+G")
    sheet = wall.get_by_role("dialog")
    sheet.get_by_label("family", exact=True).select_option("new")
    sheet.get_by_label("name of the new family").fill("Through the glass")
    sheet.get_by_role("button", name="Move").click()
    expect(wall.get_by_role("region", name="Through the glass")).to_contain_text("12C-4")
    hand.press("Shift+W")
    wall.get_by_role("dialog").get_by_label("note").fill("the glass swallows red")
    hand.press("Enter")
    expect(wall.locator(".note-mark")).to_have_text("the glass swallows red")
    hand.press("Shift+V")
    expect(wall.get_by_label(re.compile("12C-4, camera C, checked"))).to_be_visible()
    hand.press("/")
    wall.keyboard.type("swallows")
    expect(wall.locator("[data-shot]")).to_have_count(1)
    wall.get_by_label("search").fill("")
    wall.get_by_label("which shots").select_option("checked")
    expect(wall.locator("[data-shot]")).to_have_count(1)
    wall.get_by_label("which shots").select_option("all")
    wall.locator("[data-shot]").first.focus()
    for _ in range(3):
        hand.press("Control+z")
    expect(wall.get_by_role("region", name="Shop, window light")).to_contain_text("12C-4")


def a_card_is_dragged_onto_another_family(wall: Page, running) -> None:
    wall.wait_for_load_state("networkidle")  # cards that move as pictures come in are not where they were pressed
    low_sun = wall.get_by_role("region", name="Yard, low sun")
    moved = low_sun.get_by_role("button", name="open 23A-1")
    wall.get_by_role("button", name="open 23A-1").drag_to(low_sun.get_by_role("heading"))
    expect(moved).to_be_visible()
    wall.locator("[data-shot]").first.focus()
    wall.keyboard.press("Control+z")
    expect(wall.get_by_role("region", name="Yard to shop")).to_contain_text("23A-1")


def the_wall_and_the_line_up_fit_without_scrolling(wall: Page, running) -> None:
    for screen in ("wall", "line-up"):
        wall.goto(f"{running.address}/{screen}")
        expect(wall.locator("main img").first).to_be_visible()
        assert wall.evaluate(
            "document.documentElement.scrollHeight <= innerHeight && document.body.scrollWidth <= innerWidth"
        )


def test_the_line_up_is_walked_played_and_ordered(page: Page, running, enter):
    enter(running, "line-up")
    the_line_up_goes_from_cut_to_cut(page, running)
    page.reload()
    a_cut_is_played_across(page)
    the_line_up_is_ordered_by_an_edit_list(page)


def the_line_up_goes_from_cut_to_cut(page: Page, running) -> None:
    cut = page.get_by_test_id("cut")
    expect(cut).to_have_text("12A-1 → 12A-2")
    page.keyboard.press("ArrowRight")
    expect(cut).to_have_text("12A-2 → 12A-3")
    found = shots_of(running)
    last = found["12A-2"]["clip"]["frames"] - 1
    mids = []
    for name, frame in (("12A-2", last), ("12A-3", 0)):
        with running.client() as client:
            r = client.get(f"/shots/{found[name]['id']}/frames/{frame}/readings").json()
        mids.append(0.2126 * r[1] + 0.7152 * r[4] + 0.0722 * r[7])
    shown = page.get_by_label("differences across the cut").locator("div", has_text="mids").locator("dd")
    expect(shown).to_have_text(re.compile(r"\d"))
    value = float(shown.inner_text().split()[0].replace("−", "-").replace("±", ""))
    assert value == pytest.approx(mids[1] - mids[0], abs=0.06)
    page.keyboard.press("Shift+ArrowRight")
    expect(cut).to_have_text("12A-4 → 12A-3")
    page.keyboard.press("Control+z")
    expect(page.get_by_text("Undone: line-up by hand")).to_be_visible()
    expect(page.locator(".filmstrip b").nth(2)).to_have_text("12A-3")


def a_cut_is_played_across(page: Page) -> None:
    expect(page.get_by_test_id("cut")).to_be_visible()
    page.keyboard.press("Space")
    caption = page.locator(".cut:not(:has(figure ~ figure)) figcaption")  # one picture: it plays
    for name in ("12A-1", "12A-2"):
        expect(caption).to_contain_text(name)
    page.keyboard.press("Space")
    expect(page.locator(".cut figure")).to_have_count(2)


def the_line_up_is_ordered_by_an_edit_list(page: Page) -> None:
    text = (
        "TITLE: T\nFCM: NON-DROP FRAME\n\n"
        "001  R1 V C 11:40:00:10 11:40:01:10 01:00:00:00 01:00:01:00\n* FROM CLIP NAME: 21A-1\n"
        "002  R2 V C 09:31:40:00 09:31:41:00 01:00:01:00 01:00:02:00\n* FROM CLIP NAME: 12C-2\n"
        "003  R1 V C 11:40:01:12 11:40:02:00 01:00:02:00 01:00:02:12\n* FROM CLIP NAME: 21A-1\n"
    )
    page.get_by_test_id("edit-list").set_input_files(
        {"name": "scene.edl", "mimeType": "text/plain", "buffer": text.encode()}
    )
    expect(page.get_by_test_id("cut")).to_have_text("21A-1 → 12C-2")
    expect(page.get_by_text("21A-1 goes out at 34 · as in the edit list")).to_be_visible()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_test_id("cut")).to_have_text("12C-2 → 21A-1")
    expect(page.get_by_text("21A-1 comes in at 37 · as in the edit list")).to_be_visible()
    # The second use goes before the first by hand, with its own frames.
    page.keyboard.press("Shift+ArrowLeft")
    expect(page.locator(".filmstrip b").nth(1)).to_have_text("21A-1")
    expect(page.get_by_text("21A-1 comes in at 37 · as in the edit list")).to_be_visible()
    page.keyboard.press("Control+z")
    expect(page.locator(".filmstrip b").nth(1)).to_have_text("12C-2")
    page.keyboard.press("Control+z")
    expect(page.locator(".filmstrip b").first).to_have_text("12A-1")


def test_edits_go_to_the_level_that_is_chosen(page: Page, running, enter):
    found = shots_of(running)
    enter(running, f"desk/{found['22B-1']['id']}")
    expect(page.get_by_test_id("measured-on")).to_contain_text("full frame")
    before = page.get_by_test_id("reading-4").inner_text()
    page.keyboard.press("t")
    expect(page.get_by_text("Edits go to the look of Yard, low sun. It applies to 1 shot.")).to_be_visible()
    exposure = page.get_by_role("spinbutton", name="Exposure")
    exposure.focus()
    page.keyboard.type("0.5")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("reading-4")).not_to_have_text(before)
    expect(page.get_by_test_id("status")).to_have_text("all saved")
    look = numbers_of(next(f for f in running.day()["families"] if f["name"] == "Yard, low sun"))
    assert look[3] == pytest.approx(0.5 * 0.05708, abs=1e-3)
    assert numbers_of(shots_of(running)["22B-1"]) == numbers_of(found["22B-1"])
    page.get_by_test_id("picture").hover()
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    expect(exposure).to_have_text("±0.00")
    expect(page.get_by_test_id("reading-4")).to_have_text(before)


def test_the_first_visit_leads_to_a_matched_family_by_the_user_s_own_keys(browser, running):
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    page = context.new_page()
    page.goto(running.entrance)
    steps = page.get_by_role("region", name="first steps")
    expect(steps).to_contain_text("Balance the day")
    expect(page.locator("[data-shot]:focus")).to_have_count(1)
    hand = Hand(page)
    hand.press("Control+a", "b")
    expect(steps).to_contain_text("Choose a reference")
    batch_over(page)
    hand.press("r")
    expect(steps).to_contain_text("Match the family")
    hand.press("=", "m")
    expect(steps).to_contain_text("Open a shot", timeout=120_000)
    batch_over(page)
    hand.press("Enter")
    expect(steps).to_contain_text("Look, and correct by hand")
    expect(page).to_have_url(re.compile("/desk/"))
    hand.press("Shift+Enter")
    expect(page.get_by_role("heading", name="Handover", exact=True)).to_have_count(1)
    assert hand.count == 7
    page.keyboard.press("Escape")
    expect(steps).to_have_count(0)
    page.reload()
    expect(page.get_by_role("heading", name="Handover")).to_have_count(1)
    expect(steps).to_have_count(0)
    page.keyboard.press("?")
    page.get_by_role("button", name="first steps").click()
    expect(steps).to_contain_text("This day has it already")
    context.close()
