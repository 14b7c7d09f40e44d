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
    assert [(e.number, e.name, e.first, e.frames, e.at) for e in events] == [
        (1, "14A-1", 100, 24, "00:00:00:00"),
        (2, "14B-2", 50, 12, "00:00:01:00"),
    ]


def span(first, frames, rate=24):
    return otio.opentime.TimeRange(otio.opentime.RationalTime(first, rate), otio.opentime.RationalTime(frames, rate))


def test_upper_tracks_cover_lower_ones_and_what_is_off_or_heard_is_left_out():
    timeline = otio.schema.Timeline("day")
    lower, upper, sound = (otio.schema.Track(kind=kind) for kind in ("Video", "Video", "Audio"))
    timeline.tracks.extend([lower, upper, sound])
    lower.append(otio.schema.Clip("under", source_range=span(100, 48)))
    lower.append(otio.schema.Clip("off", source_range=span(0, 24)))
    lower[-1].enabled = False
    upper.append(otio.schema.Gap(duration=otio.opentime.RationalTime(12, 24)))
    upper.append(otio.schema.Clip("over", source_range=span(500, 12)))
    upper.append(otio.schema.Clip("off too", source_range=span(0, 6)))
    upper[-1].enabled = False
    sound.append(otio.schema.Clip("heard", source_range=span(0, 48)))
    events = edit_list.read(timeline.to_json_string(), "otio")
    assert [(e.name, e.first, e.frames) for e in events] == [("under", 100, 12), ("over", 500, 12), ("under", 124, 24)]


def test_speeds_held_frames_dissolves_and_media_are_read():
    timeline = otio.schema.Timeline("day", tracks=[otio.schema.Track(kind="Video")])
    media = otio.schema.ExternalReference(target_url="file:///cards/A%20roll/A003.mov")
    first = otio.schema.Clip("a", source_range=span(100, 48), media_reference=media)
    first.effects.append(otio.schema.LinearTimeWarp(time_scalar=-0.5))
    second = otio.schema.Clip("b", source_range=span(0, 24))
    second.effects.append(otio.schema.FreezeFrame())
    mix = otio.schema.Transition(
        transition_type="SMPTE_Dissolve",
        in_offset=otio.opentime.RationalTime(6, 24),
        out_offset=otio.opentime.RationalTime(4, 24),
    )
    timeline.tracks[0].extend([first, mix, second])
    a, b = edit_list.read(timeline.to_json_string(), "otio")
    assert (a.file, a.speed, a.dissolve_out, a.dissolve_in) == ("A003.mov", -0.5, 6, 0)
    assert (b.speed, b.dissolve_in, b.frames) == (0.0, 4, 24)


REELS = """TITLE: REELS
FCM: NON-DROP FRAME

001  QUIRE1   V     C        09:14:02:10 09:14:04:00 01:00:00:00 01:00:01:14
002  QUIRE1   AA    C        09:14:02:10 09:14:04:00 01:00:00:00 01:00:01:14
003  BL       V     C        00:00:00:00 00:00:01:00 01:00:01:14 01:00:02:14
004  QUIRE2   V     C        09:31:40:00 09:31:41:00 01:00:02:14 01:00:04:14
M2   QUIRE2         012.0                09:31:40:00
"""


def test_reels_without_names_sound_and_black_in_an_edl():
    first, slow = edit_list.read(REELS, "edl")
    assert (first.name, first.reel, first.frames, first.at) == ("", "QUIRE1", 38, "01:00:00:00")
    assert (slow.reel, slow.speed, slow.at) == ("QUIRE2", 0.5, "01:00:02:14")


@pytest.mark.parametrize(("text", "rate", "first"), [
    ("001  A V C 01:00:00:28 01:00:01:28 00:00:00:00 00:00:01:00\n", 30, 108_028),
    ("FCM: DROP FRAME\n\n001  A V C 00:01:00:02 00:01:01:02 00:00:00:00 00:00:01:00\n", 29.97, 1800),
])  # fmt: skip
def test_rates_that_the_timecodes_can_be_of_are_found(text, rate, first):
    (event,) = edit_list.read(f"TITLE: R\n{text}", "edl", Fraction(24))
    assert (event.first, round(event.rate, 2)) == (first, rate)
    assert edit_list.frames_of_timecode("00:01:00;02", Fraction(30000, 1001)) == 1800


def test_lists_of_five_thousand_events_are_read():
    def at(frame):
        return f"{frame // 86400:02d}:{frame // 1440 % 60:02d}:{frame // 24 % 60:02d}:{frame % 24:02d}"

    lines = [
        f"{n + 1:06d}  A003  V  C  {at(90000 + n)} {at(90048 + n)} {at(48 * n)} {at(48 * n + 48)}" for n in range(5000)
    ]
    events = edit_list.read("TITLE: LONG\nFCM: NON-DROP FRAME\n\n" + "\n".join(lines), "edl")
    assert len(events) == 5000
    assert events[-1].at == at(48 * 4999)


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
        ('{"OTIO_SCHEMA": "Nothing.1"}', "otio", "holds no timeline"),
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
