"""Edit lists that are written: read again, they have the cuts, and the ten numbers where each kind has them."""

from dataclasses import replace
from fractions import Fraction

import opentimelineio as otio
import pytest

from dovrel.core.steps.primary import Primary
from dovrel.formats import edit_list
from dovrel.formats.cut_list import Cut, write_edl, write_otio

NUMBERS = Primary((1.1, 1.0, 0.9), (0.02, 0.0, -0.01), (1.0, 1.05, 1.0), 0.85)
CUTS = (
    Cut("12A-1", "AL4_012_0001.mov", "AL4012", Fraction(24), "09:14:02:00", 72, 10, 33, NUMBERS),
    Cut("12C-2", "PTL00001.MP4", "", Fraction(24), "09:20:00:00", 48, 0, 47, None, "2 CDLs one after another carry it"),
)


def test_a_timeline_has_the_cuts_and_their_numbers(tmp_path):
    path = tmp_path / "line-up.otio"
    write_otio(path, "Quire Lane", CUTS)
    timeline = otio.adapters.read_from_file(str(path))
    first, second = timeline.find_clips()
    assert first.metadata["cdl"]["asc_sat"] == pytest.approx(0.85)
    assert list(first.metadata["cdl"]["asc_sop"]["slope"]) == pytest.approx([1.1, 1.0, 0.9])
    assert "cdl" not in second.metadata
    assert first.source_range.start_time.to_timecode() == "09:14:02:10"
    assert first.source_range.duration.value == 24
    events = edit_list.read(path.read_text(), "otio")
    assert len(events) == 2


def test_an_edl_has_them_as_comments(tmp_path):
    path = tmp_path / "line-up.edl"
    write_edl(path, "Quire Lane", CUTS)
    text = path.read_text()
    assert "09:14:02:10 09:14:03:10" in text
    assert "*ASC_SOP (1.1 1.0 0.9) (0.02 0.0 -0.01) (1.0 1.05 1.0)" in text
    assert "*ASC_SAT 0.85" in text
    assert text.count("ASC_SOP") == 1
    assert "2 CDLs one after another carry it" in text
    again = list(otio.adapters.read_from_string(text, "cmx_3600", rate=24).find_clips())
    assert list(again[0].metadata["cdl"]["asc_sop"]["offset"]) == pytest.approx([0.02, 0, -0.01])
    assert len(edit_list.read(text, "edl")) == 2


def test_an_edl_says_how_it_counts_and_keeps_long_reels(tmp_path):
    path = tmp_path / "line-up.edl"
    ntsc = Fraction(30000, 1001)
    plain = Cut("12A-1", "A.mov", "AL4012 long-reel", ntsc, "09:14:02:00", 72, 10, 39, None)
    write_edl(path, "Quire Lane", (plain,))
    text = path.read_text()
    assert text.splitlines()[1] == "FCM: NON-DROP FRAME"
    assert "AL4012lo V " in text and "09:14:02:10 09:14:03:10" in text
    assert "* REEL: AL4012 long-reel" in text
    (event,) = edit_list.read(text, "edl", ntsc)
    assert (event.first, event.frames) == (edit_list.frames_of_timecode("09:14:02:00", ntsc) + 10, 30)
    dropping = replace(plain, timecode="09:14:00;02", first=0, last=29)
    write_edl(path, "Quire Lane", (dropping,))
    text = path.read_text()
    assert text.splitlines()[1] == "FCM: DROP FRAME"
    (event,) = edit_list.read(text, "edl", ntsc)
    assert (event.first, event.frames) == (edit_list.frames_of_timecode("09:14:00;02", ntsc), 30)


def test_an_edl_of_shots_that_count_both_ways_says_so_before_each(tmp_path):
    path = tmp_path / "line-up.edl"
    ntsc = Fraction(30000, 1001)
    plain = Cut("12A-1", "A.mov", "AL400001", ntsc, "09:14:02:00", 72, 10, 39, None)
    dropping = Cut("12A-2", "B.mov", "AL400001", ntsc, "09:14:00;02", 72, 3, 32, None)
    write_edl(path, "Quire Lane", (plain, dropping, dropping, plain))
    text = path.read_text()
    assert [line for line in text.splitlines() if line[:1].isdigit() or line.startswith("FCM")] == [
        "FCM: NON-DROP FRAME",
        "001  AL400001 V     C        09:14:02:10 09:14:03:10 00:00:00:00 00:00:01:00",
        "FCM: DROP FRAME",
        "002  AL400001 V     C        09:14:00;05 09:14:01;05 00:00:01:00 00:00:02:00",
        "003  AL400001 V     C        09:14:00;05 09:14:01;05 00:00:02:00 00:00:03:00",
        "FCM: NON-DROP FRAME",
        "004  AL400001 V     C        09:14:02:10 09:14:03:10 00:00:03:00 00:00:04:00",
    ]
    events = edit_list.read(text, "edl", ntsc)
    starts = [edit_list.frames_of_timecode(cut.timecode, ntsc) + cut.first for cut in (plain, dropping)]
    assert [(event.first, event.frames, event.fault) for event in events] == [
        (starts[0], 30, ""),
        (starts[1], 30, ""),
        (starts[1], 30, ""),
        (starts[0], 30, ""),
    ]


def test_shots_of_several_rates_have_no_edl(tmp_path):
    mixed = (CUTS[0], Cut("x", "x.mov", "", Fraction(25), "", 10, 0, 9, None))
    with pytest.raises(ValueError, match=r"an EDL knows one rate, and the shots have 24.000, 25.000"):
        write_edl(tmp_path / "line-up.edl", "Quire Lane", mixed)
    assert list(tmp_path.iterdir()) == []
