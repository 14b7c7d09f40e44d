"""Handing over: files that can be fetched, clips that open, what has changed since."""

import pytest
from playwright.sync_api import Page, expect

from dovrel.core.steps.correction import PLAIN
from dovrel.core.steps.documents import written
from dovrel.core.steps.primary import Primary
from dovrel.demo import cards
from dovrel.media.footage import probe
from dovrel.store.models import Shot
from tests.helpers.within import reading_anywhere

pytestmark = pytest.mark.shots("12A-1", "12C-2", "22A-1", "22C-1")


def test_handover_writes_files_that_can_be_fetched(page: Page, running, enter):
    enter(running, "handover")
    expect(page.get_by_label("12A-1", exact=True)).to_be_checked()
    page.get_by_label("all listed shots").click()
    page.get_by_label("12A-1", exact=True).click()
    page.get_by_role("button", name="Hand over 1 shot").click()
    expect(page.get_by_role("status").filter(has_text="The workers write it to")).to_be_visible()
    expect(page.locator(".records summary").first).to_have_text("2 files")
    with page.expect_download() as download:
        page.get_by_role("link", name="12A-1.cdl").first.click()
    assert "<Slope>" in download.value.path().read_text()


def test_what_is_not_measured_is_named_and_what_is_listed_can_be_narrowed(page: Page, running, enter, shot_named):
    with running.sessions.begin() as session:
        session.get(Shot, shot_named("12C-2")["id"]).progress = "waiting"
        session.get(Shot, shot_named("22A-1")["id"]).state = "checked"
    enter(running, "handover")
    expect(page.get_by_text("12C-2 is not measured and not listed here.")).to_be_visible()
    expect(page.get_by_text("3 of 3 selected")).to_be_visible()
    page.get_by_label("which shots are listed").select_option("checked")
    expect(page.get_by_label("22A-1", exact=True)).to_be_checked()
    expect(page.get_by_label("12A-1", exact=True)).to_have_count(0)
    page.get_by_label("all listed shots").uncheck()
    expect(page.get_by_text("2 of 3 selected, 2 of them not listed")).to_be_visible()
    expect(page.get_by_role("button", name="Hand over 2 shots")).to_be_enabled()


def test_a_day_is_handed_over_with_clips_that_open(page: Page, running, enter, api, shot_named, tmp_path):
    """Every shot's numbers, the report, and of a family's shots a clip: all that the page offers is fetched and opened."""
    enter(running, "handover")
    expect(page.get_by_label("12A-1", exact=True)).to_be_checked()
    families = page.get_by_role("row").filter(has_text="Yard, low sun")
    page.get_by_label("all listed shots").click()
    for row in families.all():
        row.get_by_role("checkbox").check()
    page.get_by_label("report").check()
    page.get_by_label(".clf").check()
    page.get_by_label("H.264").check()
    page.get_by_label("Pictures are").select_option("960")
    page.get_by_label("cut to").select_option("1.85")
    page.get_by_label("name and timecode stand in the picture").check()
    page.get_by_label("Files are called").fill("{scene}")
    expect(page.locator("#names-said")).to_contain_text("would all be 22")
    page.get_by_label("Files are called").fill("{nothing}")
    expect(page.locator("#names-said")).to_contain_text("nothing that a shot has")
    expect(page.get_by_role("button", name="Hand over")).to_be_disabled()
    page.get_by_label("Files are called").fill("{camera}_{name}")
    page.get_by_role("button", name="Hand over").click()
    count = families.count()
    record = page.locator(".records li").first
    expect(record).to_contain_text(f"{count} of {count} rendered", timeout=120_000)
    fetched = {}
    for link in record.get_by_role("link").all():
        fetched[link.inner_text()] = tmp_path / link.inner_text()
        fetched[link.inner_text()].write_bytes(api.get(link.get_attribute("href").removeprefix("/api")).content)
    assert {path.suffix for path in fetched.values()} == {".cdl", ".ccc", ".clf", ".html", ".pdf", ".csv", ".mp4"}
    clips = [path for path in fetched.values() if path.suffix == ".mp4"]
    assert len(clips) == count
    with reading_anywhere():
        for width, height in (probe(clip).size for clip in clips):
            assert width == min(960, probe(cards.find("22A-1").path).width)
            assert width / height == pytest.approx(1.85, abs=0.01)
    assert "22A-1" in fetched["report.html"].read_text()
    shot = shot_named("22A-1")
    expect(record).not_to_contain_text("changed since")
    order = {"correction": written(PLAIN["shot"].balanced(Primary((1.2, 1.0, 1.0)))), "base": shot["version_id"]}
    api.put(f"/shots/{shot['id']}/correction", json=order).raise_for_status()
    expect(record).to_contain_text("22A-1 has changed since")
    api.post(f"/shots/{shot['id']}/undo")
    expect(record).not_to_contain_text("changed since")
