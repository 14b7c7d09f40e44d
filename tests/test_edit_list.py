"""Edit lists in: names, order and used frames."""

from fractions import Fraction

import opentimelineio as otio
import pytest

from dovrel.formats import edit_list

EDL = """TITLE: QUIRE LANE
FCM: NON-DROP FRAME

001  QUIRE1   V     C        09:14:02:10 09:14:04:00 01:00:00:00 01:00:01:14
* FROM CLIP NAME: 12A-1
002  QUIRE2   V     C        09:31:40:00 09:31:41:12 01:00:01:14 01:00:03:02
* FROM CLIP NAME: 12C-2
"""


def test_an_edl_gives_names_in_order_and_the_frames_used():
    events = edit_list.read(EDL, "edl")
    assert [event.name for event in events] == ["12A-1", "12C-2"]
    start = edit_list.frames_of_timecode("09:14:02:00", Fraction(24))
    assert (events[0].first - start, events[0].frames) == (10, 38)


def test_a_timeline_gives_the_same():
    timeline = otio.schema.Timeline("day", tracks=[otio.schema.Track(kind="Video")])
    for name, first, frames in (("14A-1", 100, 24), ("14B-2", 50, 12)):
        span = otio.opentime.TimeRange(otio.opentime.RationalTime(first, 24), otio.opentime.RationalTime(frames, 24))
        timeline.tracks[0].append(otio.schema.Clip(name, source_range=span))
    events = edit_list.read(timeline.to_json_string(), "otio")
    assert events == [edit_list.Event("14A-1", 100, 24), edit_list.Event("14B-2", 50, 12)]


@pytest.mark.parametrize("text,kind", [("not a list", "otio"), ("{}", "otio"), ("", "edl"), ("001 nonsense", "edl")])
def test_what_is_no_edit_list_is_refused_in_a_sentence(text, kind):
    with pytest.raises(ValueError, match="edit list"):
        edit_list.read(text, kind)


def test_a_missing_timecode_counts_from_nought():
    assert edit_list.frames_of_timecode("", Fraction(24)) == 0
    assert edit_list.frames_of_timecode("00:00:01:12", Fraction(24)) == 36


@pytest.mark.parametrize(
    ("text", "kind", "said"),
    [
        ("[" * 100_000, "otio", "nested deeper than 100"),
        ("[" * 5_000 + "]" * 5_000, "otio", "nested deeper than 100"),
        ('{"a": Infinity}', "otio", "holds Infinity where a number belongs"),
        ('{"a": 1e999}', "otio", "an infinite value"),
        ('{"OTIO_SCHEMA": "Timeline.1", "tracks": 5}', "otio", "cannot be read"),
        ('{"OTIO_SCHEMA": "Nothing.1"}', "otio", "holds no clips"),
        ("x" * 8_000_001, "edl", "longer than 8 million"),
        ("[" * 100_000, "edl", "a line of it is 100000 characters"),
        ("TITLE: \0", "edl", "no text"),
        ("001 nonsense", "edl", "cannot be read|no clips"),
    ],
)
def test_a_list_that_no_edit_could_make_is_refused_in_a_sentence(text, kind, said):
    with pytest.raises(ValueError, match=said) as refused:
        edit_list.read(text, kind)
    assert len(str(refused.value)) < 300


def test_a_list_that_brings_its_reader_down_does_not_bring_down_more(monkeypatch):
    monkeypatch.setattr(edit_list, "__name__", "os.abort.nothing")
    with pytest.raises(ValueError, match="its reader does not bear"):
        edit_list.read(EDL, "edl")
