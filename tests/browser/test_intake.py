"""Intake and Settings as a colourist works there, on a card of odd clips and a demo of its own."""

import pytest
from playwright.sync_api import Page, expect

from tests.helpers import mixed

pytestmark = pytest.mark.shots("12A-1")


@pytest.fixture(scope="module")
def beginning(days, beginning):
    """A small card of odd clips is taken in beside one shot of the demo."""
    card = mixed.few(beginning.media)

    def take_in(run):
        with run.client() as client:
            client.post("/intake", json={"folder": str(card)}).raise_for_status()
        run.wait_measured()

    return days.after(beginning, take_in)


@pytest.fixture
def intake(page: Page, running, enter):
    enter(running, "intake")
    expect(page.locator("[data-clip]").first).to_be_visible()
    return page


def row(page: Page, name: str):
    return page.locator("[data-clip]").filter(has=page.get_by_text(name, exact=True)).first


def show(page: Page, name: str) -> None:
    """Which clips are shown, by the list on the left."""
    page.get_by_label("which clips").get_by_role("button", name=name).click()


def test_clips_are_set_right_by_keys_and_taken_back(intake, running):
    keys_change_many_clips_at_once_and_take_it_back(intake, running)
    a_sequence_is_given_another_rate(intake, running)
    bars_are_set_by_hand(intake, running)
    clips_are_moved_to_a_new_camera(intake)
    a_shot_off_the_day_is_seen_on_intake_alone(intake)


def keys_change_many_clips_at_once_and_take_it_back(intake: Page, running) -> None:
    intake.keyboard.press("/")
    intake.keyboard.type("S00")
    intake.get_by_label("search").blur()
    expect(intake.locator("[data-clip]")).to_have_count(2)
    expect(row(intake, "S001")).to_contain_text("narrow?")
    intake.keyboard.press("Control+a")
    expect(intake.get_by_test_id("selected")).to_have_text("2 selected")
    intake.get_by_role("button", name="Range", exact=True).click()
    expect(row(intake, "S002")).to_contain_text("full BT.601?")
    intake.keyboard.press("Shift+V")
    expect(row(intake, "S001")).not_to_contain_text("BT.601?")
    running.wait_measured()
    intake.keyboard.press("Control+z")
    intake.keyboard.press("Control+z")
    expect(row(intake, "S001")).to_contain_text("narrow?")
    running.wait_measured()


def a_sequence_is_given_another_rate(intake: Page, running) -> None:
    intake.get_by_label("search").fill("plate")
    row(intake, "plate").click()
    expect(row(intake, "plate")).to_contain_text("160×90 24")
    intake.get_by_role("button", name="Rate").click()
    expect(row(intake, "plate")).to_contain_text("160×90 25")
    running.wait_measured()
    intake.keyboard.press("Control+z")
    expect(row(intake, "plate")).to_contain_text("160×90 24")
    running.wait_measured()


EDIT = """TITLE: T
FCM: NON-DROP FRAME

001  R1 V C 00:00:00:00 00:00:01:00 01:00:00:00 01:00:01:00
* FROM CLIP NAME: 12A-1
002  R1 V C 00:00:00:00 00:00:01:00 01:00:01:00 01:00:02:00
* FROM CLIP NAME: C004
003  R1 V C 00:00:00:00 00:00:01:00 01:00:02:00 01:00:03:00
* FROM CLIP NAME: 99Z-9
"""


def test_events_that_may_mean_several_clips_are_asked_about(page: Page, running, enter):
    enter(running, "line-up")
    page.locator("input[type=file]").set_input_files(
        {"name": "scene.edl", "mimeType": "text/plain", "buffer": EDIT.encode()}
    )
    page.get_by_role("button", name="2 not placed").click()
    sheet = page.get_by_role("dialog")
    expect(sheet).to_contain_text("no shot is called 99Z-9")
    sheet.get_by_label("shot of event 2").select_option(index=1)
    sheet.get_by_role("button", name="Place what is answered").click()
    running.wait(lambda: len(running.day()["production"]["line_up"]) == 2, 30)
    placed = running.day()["production"]["line_up"][1]["shot"]
    assert next(shot["name"] for shot in running.day()["shots"] if shot["id"] == placed) == "C004"
    page.get_by_role("button", name="1 not placed").wait_for()


def bars_are_set_by_hand(intake: Page, running) -> None:
    intake.get_by_label("search").fill("X_boxed")
    expect(row(intake, "X_boxed")).to_contain_text("bars found: 2.4")
    row(intake, "X_boxed").click()
    intake.get_by_role("button", name="Bars", exact=True).click()
    dialog = intake.get_by_role("dialog")
    dialog.get_by_role("button", name="1.85").click()
    expect(dialog).to_contain_text("1.85:1")
    dialog.get_by_role("button", name="Set").click()
    expect(row(intake, "X_boxed")).to_contain_text("bars set: 1.8")
    running.wait_measured()


def clips_are_moved_to_a_new_camera(intake: Page) -> None:
    intake.get_by_label("search").fill("C005")
    row(intake, "C005").click()
    intake.keyboard.press("Shift+G")
    dialog = intake.get_by_role("dialog")
    dialog.get_by_label("a new camera").check()
    dialog.get_by_label("letter").fill("Q")
    dialog.get_by_label("name", exact=True).fill("second body")
    dialog.get_by_role("button", name="Move").click()
    expect(row(intake, "C005")).to_contain_text("Q")
    expect(intake.get_by_role("complementary")).to_contain_text("second body")


def a_shot_off_the_day_is_seen_on_intake_alone(intake: Page) -> None:
    intake.get_by_label("search").fill("C001")
    row(intake, "C001").click()
    intake.keyboard.press("Delete")
    expect(intake.locator("[data-clip]")).to_have_count(0)
    intake.get_by_role("link", name="Wall").click()
    expect(intake.locator("[data-shot]").first).to_be_visible()
    expect(intake.get_by_label("select C001")).to_have_count(0)
    intake.get_by_role("link", name="Intake").click()
    show(intake, "set aside")
    row(intake, "C001").click()
    intake.get_by_role("button", name="Bring back").click()
    expect(intake.locator("[data-clip]")).to_have_count(0)
    show(intake, "everything")
    expect(row(intake, "C001")).to_be_visible()


def test_settings_say_what_a_change_touches_before_it_is_kept(page: Page, running, enter):
    enter(running, "settings")
    page.get_by_label("tolerance").fill("4.5")
    expect(page.locator(".keep")).to_contain_text("Nothing is measured or changed")
    page.get_by_label("name", exact=True).fill("Quire Lane, block two")
    page.get_by_role("button", name="Save").click()
    expect(page.locator(".top")).to_contain_text("Quire Lane, block two")
    page.get_by_role("heading", name="Measuring").click()
    page.keyboard.press("Control+z")
    expect(page.get_by_label("name", exact=True)).to_have_value("Quire Lane")
    expect(page.get_by_label("tolerance")).to_have_value("3")
