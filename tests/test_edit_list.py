"""Edit lists in: names, order and used frames."""

from fractions import Fraction

import opentimelineio as otio
import pytest

from dovrel.core.placing import Event, Placed, Placing, Recorded, Unplaced
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
        ('{"a": Infinity}', "otio", "holds Infinity in place of a number"),
        ('{"a": 1e999}', "otio", "an infinite value"),
        ('{"OTIO_SCHEMA": "Timeline.1", "tracks": 5}', "otio", "cannot be read"),
        ('{"OTIO_SCHEMA": "Nothing.1"}', "otio", "holds no timeline"),
        ("x" * 8_000_001, "edl", "longer than 8 million"),
        ("[" * 100_000, "edl", "a line of it is 100000 characters"),
        ("TITLE: \0", "edl", "not text"),
        ("001 nonsense", "edl", "cannot be read|no clips"),
    ],
)
def test_a_list_that_no_edit_could_make_is_refused_in_a_sentence(text, kind, said):
    with pytest.raises(ValueError, match=said) as refused:
        edit_list.read(text, kind)
    assert len(str(refused.value)) < 300


def test_a_list_that_brings_its_reader_down_does_not_bring_down_more(monkeypatch):
    monkeypatch.setattr(edit_list, "__name__", "os.abort.nothing")
    with pytest.raises(ValueError, match="its reader cannot handle"):
        edit_list.read(EDL, "edl")


def nested(*items, first: int | None = None, frames: int = 0, kind=otio.schema.Stack):
    return kind("nest", children=list(items), source_range=None if first is None else span(first, frames))


def track(*items):
    return otio.schema.Track(kind="Video", children=list(items))


def test_stacks_and_tracks_within_tracks_are_read():
    """A nest of 50 frames, cut to its frames 6 to 29, over which another clip lies at 10 to 14."""
    under = track(
        otio.schema.Clip("n1", source_range=span(100, 20)), otio.schema.Clip("n2", source_range=span(200, 30))
    )
    over = track(
        otio.schema.Gap(duration=otio.opentime.RationalTime(10, 24)), otio.schema.Clip("up", source_range=span(500, 5))
    )
    timeline = otio.schema.Timeline("day")
    timeline.tracks.append(
        track(
            otio.schema.Clip("a", source_range=span(0, 24)),
            nested(under, over, first=6, frames=24),
            nested(otio.schema.Clip("z", source_range=span(0, 12)), kind=otio.schema.Track),
        )
    )
    events = edit_list.read(timeline.to_json_string(), "otio")
    assert [(e.name, e.first, e.frames, e.at) for e in events] == [
        ("a", 0, 24, "00:00:00:00"),
        ("n1", 106, 4, "00:00:01:00"),
        ("up", 500, 5, "00:00:01:04"),
        ("n1", 115, 5, "00:00:01:09"),
        ("n2", 200, 10, "00:00:01:14"),
        ("z", 0, 12, "00:00:02:00"),
    ]


def test_sound_within_a_nest_covers_no_picture():
    heard = otio.schema.Track(kind="Audio", children=[otio.schema.Clip("heard", source_range=span(0, 24))])
    timeline = otio.schema.Timeline("day")
    timeline.tracks.append(track(nested(track(otio.schema.Clip("seen", source_range=span(5, 24))), heard)))
    assert [(e.name, e.first, e.frames) for e in edit_list.read(timeline.to_json_string(), "otio")] == [("seen", 5, 24)]


def test_no_clip_of_a_timeline_is_gone_without_a_line():
    warped = otio.schema.Clip("warped", source_range=span(0, 24))
    warped.effects.append(otio.schema.Effect(effect_name="Ripple"))
    wiped = otio.schema.Clip("wiped", source_range=span(0, 24))
    wipe = otio.schema.Transition(
        transition_type="Custom_Iris",
        in_offset=otio.opentime.RationalTime(2, 24),
        out_offset=otio.opentime.RationalTime(3, 24),
    )
    far = otio.schema.Clip("far", source_range=span(10**12, 10))
    endless = otio.schema.Clip("endless")
    timeline = otio.schema.Timeline("day")
    timeline.tracks.append(
        track(warped, wipe, wiped, far, otio.schema.Clip("hidden", source_range=span(0, 5)), endless)
    )
    above = otio.schema.Gap(duration=otio.opentime.RationalTime(58, 24))
    timeline.tracks.append(track(above, otio.schema.Clip("above", source_range=span(0, 5))))
    events = {event.name: event for event in edit_list.read(timeline.to_json_string(), "otio")}
    assert "“Ripple” is not known" in events["warped"].note
    assert "Custom_Iris" in events["wiped"].note and events["wiped"].dissolve_in == 3
    assert events["far"].fault == "its times are no times"
    assert events["hidden"].fault.startswith("it is not seen")
    assert events["endless"].fault == "the list does not say how long it is"
    assert not events["above"].fault


ODD = """TITLE: ODD
FCM: NON-DROP FRAME

003  QUIRE3   V     C        10:00:00:00 10:00:01:00 01:00:04:00 01:00:05:00
* SOURCE FILE: A003_take.mov
001  QUIRE1   V     C        09:00:00:00 09:00:02:00 01:00:00:00 01:00:02:00
* FROM CLIP NAME: 12A-1
001  QUIRE2   V2    C        09:30:00:00 09:30:00:12 01:00:00:12 01:00:01:00
* FROM CLIP NAME: 12C-2
002  QUIRE1   V     C        09:00:02:00 09:00:02:00 01:00:02:00 01:00:02:00
002  QUIRE2   V     W001 012 09:31:00:00 09:31:02:00 01:00:02:00 01:00:04:00
* FROM CLIP NAME: 12A-1
* TO CLIP NAME: 12C-2
004  QUIRE4   V     C        10:10:00:00 10:10:01:00 01:00:05:00 01:00:06:00
M2   QUIRE4         -024.0                10:10:00:00
005  QUIRE5   V     C        10:10:00:00 10:10:01:00 01:00:07:00 01:00:06:00
006  QUIRE6   V     C        10:99:00:00 10:99:01:00 01:00:08:00 01:00:09:00
007  QUIRE7   V     X9       10:20:00:00 10:20:01:00 01:00:09:00 01:00:10:00
008  QUIRE8   V     K B      10:30:00:00 10:30:01:00 01:00:10:00 01:00:11:00
009  rubbish
010  QUIRE9   V     C        10:40:00:00 10:40:01:00 01:00:11:00 01:00:12:00
* FREEZE FRAME
011  QUIREA   V     C        10:50:00:00 10:50:02:00 01:00:12:00 01:00:13:00
012  QUIREB   AA    C        10:50:00:00 10:50:02:00 01:00:12:00 01:00:13:00
"""


def test_one_event_of_an_edl_that_is_odd_spoils_no_other():
    events = edit_list.read(ODD, "edl")
    ninth = 9 * 3600 * 24
    assert [(e.name or e.reel, e.first, e.frames, e.at) for e in events if not e.fault][:4] == [
        ("12A-1", ninth, 12, "01:00:00:00"),
        ("12C-2", ninth + 1800 * 24, 12, "01:00:00:12"),
        ("12A-1", ninth + 24, 24, "01:00:01:00"),
        ("12C-2", ninth + 1860 * 24, 48, "01:00:02:00"),
    ]
    by_reel = {event.reel: event for event in events}
    wipe = events[[e.at for e in events].index("01:00:02:00")]
    assert (wipe.dissolve_in, "W001" in wipe.note) == (12, True)
    assert by_reel["QUIRE3"].file == "A003_take.mov"
    assert (by_reel["QUIRE4"].speed, by_reel["QUIRE4"].frames) == (-1, 24)
    assert "ends in the edit before it begins" in by_reel["QUIRE5"].fault
    assert "no timecode" in by_reel["QUIRE6"].fault
    assert "“X9” is not known" in by_reel["QUIRE7"].note
    assert "a key" in by_reel["QUIRE8"].note
    assert by_reel["QUIRE9"].speed == 0
    assert (by_reel["QUIREA"].speed, bool(by_reel["QUIREA"].note)) == (2, True)
    assert [event.fault for event in events if not event.reel] == ["its line cannot be read: rubbish"]
    assert "QUIREB" not in by_reel


def test_an_event_covered_by_an_upper_track_is_told():
    text = """TITLE: T
001  LOW   V     C        09:00:00:00 09:00:01:00 01:00:00:00 01:00:01:00
002  HIGH  V2    C        10:00:00:00 10:00:02:00 01:00:00:00 01:00:02:00
"""
    low, high = sorted(edit_list.read(text, "edl"), key=lambda event: event.first)
    assert low.fault == "it is not seen: an upper track covers all of it"
    assert (high.reel, high.frames, high.fault) == ("HIGH", 48, "")


def test_what_goes_past_a_clips_end_is_told():
    shot = Recorded(7, "12A-1", "A001.mov", "A001", Fraction(24), 100, 0)
    placing = Placing([shot])
    found = placing.place(Event(1, "12A-1", "", "", 90, 20, 24.0))
    assert isinstance(found, Placed)
    assert found.span == (90, 99) and found.told == "it goes 10 frames past the clip's end"
    fault = placing.place(Event(2, "12A-1", "", "", 0, 1, 24.0, fault="its times are no times"))
    assert isinstance(fault, Unplaced) and fault.reason == "its times are no times"
