"""The report of a day: a page for people with the odd ones first, and a table that a program reads."""

import csv
import re
from html.parser import HTMLParser
from typing import Any

import pytest

from dovrel.formats import day_report
from dovrel.formats.day_report import DayTold, ShotTold, write_csv, write_html
from dovrel.machine import printing
from dovrel.machine.printing import can_print

JPEG = b"\xff\xd8\xff\xe0 a picture"


def shot(name: str, **more) -> ShotTold:
    plain: dict[str, Any] = {
        "name": name, "family": "Yard", "camera": "A", "state": "matched", "version": 3, "timecode": "10:00:00:00", "reference": False,
        "before": JPEG, "after": JPEG, "recorded": [2.0, 40.0, 90.0] * 3 + [6.0], "corrected": [1.0, 45.0, 92.0] * 3 + [7.0],
        "distance": 1.5, "tolerance": 3.0, "clipped": 0.0, "notes": (),
    }  # fmt: skip
    return ShotTold(**{**plain, **more})


@pytest.fixture
def day() -> DayTold:
    shots = [
        shot("2A-1", reference=True, distance=None),
        shot("2B-1", distance=7.5, notes=("lamps were added", "<b> & co"), clipped=0.08),
        shot("1A-1", family="Shop", distance=4.0),
        shot("1A-2", family="Shop", before=None),
    ]
    return DayTold("Quire Lane", "day 3", "SDR Rec.709", shots, {"Yard": JPEG})


class _Read(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.open: list[str] = []
        self.headings: list[str] = []
        self.shots: list[str] = []
        self.pictures = 0

    def handle_starttag(self, tag, attrs) -> None:
        if tag == "img":
            self.pictures += 1
        if tag not in ("img", "meta", "line", "circle", "rect"):
            self.open.append(tag)

    def handle_endtag(self, tag) -> None:
        assert self.open.pop() == tag

    def handle_data(self, data) -> None:
        if self.open[-1:] == ["h2"]:
            self.headings.append(data)
        if self.open[-2:] == ["header", "b"]:
            self.shots.append(data)


def test_the_odd_ones_come_first_then_families_in_story_order(day, tmp_path):
    write_html(tmp_path / "report.html", day)
    text = (tmp_path / "report.html").read_text()
    page = _Read()
    page.feed(re.sub(r"(<(?:line|circle|rect)[^>]*)/>", r"\1>", text))
    assert page.open == []
    assert page.headings == ["Along the line-up", "To be looked at first", "Yard", "Shop"]
    assert page.shots == ["2B-1", "1A-1", "2A-1", "1A-2"]
    assert page.pictures == 4 + 3 + 2
    assert "&lt;b&gt; &amp; co" in text
    assert "8.0% of the picture is clipped in the recording" in text
    assert "distance <b>7.5</b> of 3.0" in text
    assert "http" not in text


def test_a_program_reads_all_measurements(day, tmp_path):
    write_csv(tmp_path / "measurements.csv", day)
    with (tmp_path / "measurements.csv").open(newline="", encoding="utf-8") as file:
        rows = list(csv.DictReader(file))
    assert [row["shot"] for row in rows] == ["2A-1", "2B-1", "1A-1", "1A-2"]
    assert (rows[0]["distance"], rows[1]["distance"], rows[1]["clipped"]) == ("", "7.500", "0.08000")
    assert float(rows[1]["corrected saturation"]) == 7
    assert float(rows[1]["recorded red mids"]) == 40
    assert rows[1]["notes"] == "lamps were added; <b> & co"


def test_no_text_of_the_table_is_taken_for_a_formula(tmp_path):
    odd = shot("=1+2", family="@family", camera="A", recorded=[-1.0] * 10, notes=("-3 stops", "+1"))
    write_csv(tmp_path / "measurements.csv", DayTold("Quire Lane", "day 3", "SDR Rec.709", [odd], {}))
    with (tmp_path / "measurements.csv").open(newline="", encoding="utf-8") as file:
        (row,) = csv.DictReader(file)
    assert (row["shot"], row["family"], row["notes"]) == ("'=1+2", "'@family", "'-3 stops; +1")
    assert float(row["recorded red mids"]) == -1


def test_an_empty_day_has_a_report_too(tmp_path):
    write_html(tmp_path / "report.html", DayTold("Quire Lane", "day 4", "SDR", [], {}))
    assert "day 4" in (tmp_path / "report.html").read_text()


@pytest.mark.skipif(not can_print(), reason="no browser that prints")
def test_the_page_is_printed_on_a4(day, tmp_path):
    names = [path.name for path in day_report.write_all(tmp_path, day)]
    assert names == ["report.html", "measurements.csv", "report.pdf"]
    printed = (tmp_path / "report.pdf").read_bytes()
    assert printed.startswith(b"%PDF-")
    sides = [float(one) for one in re.search(rb"/MediaBox \[0 0 ([\d.]+) ([\d.]+)\]", printed).groups()]
    assert sides == pytest.approx([595, 842], abs=2)


def test_without_a_browser_the_page_and_the_table_are_written(day, tmp_path, monkeypatch):
    monkeypatch.setattr(printing, "BROWSERS", ("no-such-browser",))
    assert [path.name for path in day_report.write_all(tmp_path, day)] == ["report.html", "measurements.csv"]
    with pytest.raises(ValueError, match="no no-such-browser on this machine"):
        printing.print_page(tmp_path / "report.html", tmp_path / "report.pdf")


def test_a_browser_that_does_not_print_is_a_sentence_and_the_rest_is_written(day, tmp_path, monkeypatch, capsys):
    monkeypatch.setattr(printing, "BROWSERS", ("false",))
    assert [path.name for path in day_report.write_all(tmp_path, day)] == ["report.html", "measurements.csv"]
    assert capsys.readouterr().err.startswith("report.pdf: report.html could not be printed (")
    assert sorted(path.name for path in tmp_path.iterdir()) == ["measurements.csv", "report.html"]
