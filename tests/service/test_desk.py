"""What an open desk answers, without the socket: solved, turned, marked, brushed, compared."""

import json
import struct
from types import SimpleNamespace

import numpy as np
import pytest
import simplejpeg

from dovrel.bench.orders import levels, ten
from dovrel.core.colour import codes, tables
from dovrel.core.develop.frame import develop
from dovrel.core.measure.readings import DEFAULT_PERCENTILES
from dovrel.core.steps import controls
from dovrel.core.steps.extended import Extended
from dovrel.core.steps.primary import IDENTITY, Primary
from dovrel.demo import cards
from dovrel.media.footage import probe, read_frame
from dovrel.media.frames import FrameStore, Source
from dovrel.media.picture import to_picture
from dovrel.service.desk import PLAYING_COLUMNS, Desk
from dovrel.service.live_schemas import Point, Show, Turn
from dovrel.service.seeking import turned

PLAIN = IDENTITY.as_array().tolist()
BRIGHTER = controls.set_exposure(IDENTITY, 0.5).as_array().tolist()


@pytest.fixture(scope="module")
def frames():
    return FrameStore(reads_ahead=False)


@pytest.fixture
def desk(frames) -> Desk:
    found = Desk(SimpleNamespace(frames=frames, gathered=lambda *_: None))  # type: ignore[arg-type]
    clip = cards.find("12B-1", cards.SHIPPED)
    found.viewing._source = Source(1, clip.path, probe(clip.path), clip.encoding), DEFAULT_PERCENTILES
    return found


def a_request(**more) -> Show:
    if "numbers" in more:
        more["levels"] = levels(shot=more.pop("numbers"))
    return Show(number=1, shot=1, frame=20, **more)


def ask(desk: Desk, **more) -> tuple[dict, dict[str, np.ndarray]]:
    """The last answer's header and blobs, after the search for aims has ended."""
    message = desk.show(a_request(**more))
    return unpacked(desk.search_on(lambda: False) or message)


def unpacked(message: bytes) -> tuple[dict, dict[str, np.ndarray]]:
    """Header and blobs, read as the description of the packing says."""
    (length,) = struct.unpack_from("<I", message)
    header = json.loads(message[4 : 4 + length])
    assert (4 + length) % 4 == 0
    at, blobs = 4 + length, {}
    for name, kind, shape, size in header["blobs"]:
        kinds = {"u1": np.uint8, "u2": np.uint16, "u4": np.uint32}
        blobs[name] = np.frombuffer(message, kinds[kind], size // np.dtype(kinds[kind]).itemsize, at).reshape(shape)
        at += size + -size % 4
    assert at == len(message)
    return header, blobs


def same(a: list[float], b: list[float]) -> bool:
    """Readings as near as the two ways of developing a frame are to each other."""
    return bool(np.abs(np.subtract(a, b)).max() < 0.05)


def picture(blobs) -> np.ndarray:
    return simplejpeg.decode_jpeg(blobs["picture"].tobytes()).astype(int)


def test_every_pixel_is_on_every_scope(desk):
    header, blobs = ask(desk)
    pixels = header["pixels"]
    assert pixels == 960 * 540 == header["width"] * header["height"]
    assert blobs["parade"].reshape(3, -1).sum(axis=1).tolist() == [pixels] * 3
    assert blobs["waveform"].sum() == pixels
    assert blobs["vector"].sum() == pixels
    assert blobs["histogram"].sum(axis=1).tolist() == [pixels] * 3


def test_rest_is_measured_on_the_full_frame_and_play_on_a_small_one(desk):
    info = desk.viewing.source(1)[0].info
    assert ask(desk, full=True)[0]["pixels"] == info.width * info.height
    header, blobs = ask(desk, playing=True)
    assert header["width"] == 640
    assert blobs["parade"].shape[1] == PLAYING_COLUMNS
    full, preview = (ask(desk, full=flag)[0]["readings"] for flag in (True, False))
    assert np.abs(np.subtract(full, preview)).max() < 3


def test_a_reading_that_is_asked_for_is_met(desk):
    start = ask(desk, full=True)[0]["readings"]
    values = list(start)
    values[4] += 6
    header, _ = ask(desk, full=True, aim={"values": values, "moved": [4]})
    assert header["missed"] == []
    assert np.abs(np.subtract(header["readings"], values))[:9].max() < 0.2
    assert header["numbers"] != PLAIN
    assert header["numbers"][9] == PLAIN[9]


def contradicting(desk: Desk) -> dict:
    """Red's mids above its highs."""
    values = list(ask(desk)[0]["readings"])
    values[1] = values[2] + 8
    return {"values": values, "moved": [1]}


def test_what_cannot_be_met_is_said_with_the_reason(desk):
    header, _ = ask(desk, aim=contradicting(desk))
    assert header["missed"]
    assert all(one["reason"] and abs(one["difference"]) > 0.2 for one in header["missed"])


def test_a_quick_answer_comes_first_and_says_that_the_search_goes_on(desk):
    aim = contradicting(desk)
    quick, _ = unpacked(desk.show(a_request(aim=aim)))
    assert quick["searching"]
    assert quick["missed"] == []
    assert quick["numbers"] != PLAIN
    message = desk.search_on(lambda: False)
    assert message
    last, _ = unpacked(message)
    assert not last["searching"]
    assert last["missed"]
    off = [float((np.subtract(one["readings"], aim["values"])[:9] ** 2).sum()) for one in (quick, last)]
    assert off[1] <= off[0] + 0.1
    assert desk.search_on(lambda: False) is None


def test_aims_that_are_met_at_once_are_not_searched_for_further(desk):
    values = list(ask(desk)[0]["readings"])
    values[4] += 1
    header, _ = unpacked(desk.show(a_request(aim={"values": values, "moved": [4]})))
    assert not header["searching"]
    assert desk.search_on(lambda: False) is None


def test_a_search_that_is_overtaken_ends_without_an_answer(desk):
    aim = contradicting(desk)
    desk.show(a_request(aim=aim))
    asked = []

    def overtaken() -> bool:
        asked.append(True)
        return len(asked) > 20

    assert desk.search_on(overtaken) is None
    assert 20 < len(asked) < 60
    desk.show(a_request(aim=aim))
    desk.show(a_request())
    assert desk.search_on(lambda: False) is None


def test_another_level_is_solved_with_the_others_in_force(desk):
    around = levels(camera=BRIGHTER)
    start = ask(desk, full=True, level="family", step="look", levels=around)[0]["readings"]
    values = list(start)
    values[7] -= 5
    header, _ = ask(desk, full=True, level="family", step="look", levels=around, aim={"values": values, "moved": [7]})
    assert abs(header["readings"][7] - values[7]) < 0.2
    again = ask(desk, full=True, level="family", step="look", levels=levels(camera=BRIGHTER, family=header["numbers"]))[
        0
    ]["readings"]
    assert np.abs(np.subtract(again, header["readings"])).max() < 0.01


def test_before_shows_the_shot_without_its_level_but_with_the_others(desk):
    before, _ = ask(desk, numbers=BRIGHTER, before="level")
    plain, _ = ask(desk)
    assert same(before["readings"], plain["readings"])
    assert before["numbers"] == BRIGHTER
    trimmed, _ = ask(desk, levels=levels(camera=BRIGHTER, shot=BRIGHTER), before="level")
    assert trimmed["readings"][4] > plain["readings"][4] + 2


@pytest.mark.parametrize(
    "control,value",
    [("exposure", 0.75), ("warmth", 4300.0), ("tint", 12.0), ("contrast", 1.2), ("saturation", 0.8)],
)
def test_a_control_is_turned_to_its_value_and_read_back(desk, control, value):
    header, _ = ask(desk, turn={"control": control, "value": value})
    assert header["controls"][control] == pytest.approx(value, rel=2e-3)
    assert same(ask(desk, numbers=header["numbers"])[0]["readings"], header["readings"])


@pytest.mark.parametrize("control,wild", [("exposure", 1e5), ("warmth", -1e6), ("contrast", 0.0), ("saturation", 1e6)])
def test_a_wild_value_ends_at_the_controls_limit(control, wild):
    numbers = turned(IDENTITY, Turn(control=control, value=wild), 0.4135884)
    assert np.isfinite(numbers.as_array()).all()
    assert min(numbers.slope) >= 0
    assert min(numbers.power) > 0


def test_turning_goes_on_from_where_a_correction_lies():
    """Beyond a limit a control turns from there, and the others leave it where it is."""
    far = controls.set_exposure(controls.set_white(IDENTITY, 1e6 / -60, 40), 14)
    on = turned(far, Turn(control="exposure", value=13.9), 0.4135884)
    assert controls.read(on).exposure == pytest.approx(13.9, abs=1e-6)
    other = turned(far, Turn(control="tint", value=45), 0.4135884)
    assert 1e6 / controls.read(other).warmth == pytest.approx(-60, abs=0.1)
    bluer = turned(far, Turn(control="warmth", value=1e6 / -62), 0.4135884)
    assert 1e6 / controls.read(bluer).warmth == pytest.approx(-62, abs=0.1)


def test_marks_change_the_picture_and_nothing_that_is_measured(desk):
    ask(desk, numbers=BRIGHTER)
    plain, pictured = ask(desk, numbers=BRIGHTER)
    for mark in ("clipping", "legality", "false colour", "skin", "neutrals"):
        header, blobs = ask(desk, numbers=BRIGHTER, mark=mark)
        assert header["readings"] == plain["readings"]
        assert np.array_equal(blobs["parade"], pictured["parade"])
        assert (header["bands"] is not None) == (mark == "false colour")
        if mark in ("false colour", "skin", "neutrals"):
            assert np.abs(picture(blobs) - picture(pictured)).mean() > 3


def test_a_meter_takes_everything_from_its_box(desk):
    box = {"kind": "box", "points": [[0.3, 0.3], [0.5, 0.6]]}
    header, blobs = ask(desk, meter=box)
    assert header["pixels"] == pytest.approx(0.2 * 0.3 * 960 * 540, rel=0.02)
    assert blobs["vector"].sum() == header["pixels"]
    whole, _ = ask(desk)
    assert header["readings"] != whole["readings"]


def test_an_empty_meter_is_a_fault_with_a_sentence(desk):
    nothing = {"kind": "skin", "points": [], "correction": ten([1, 1, 1, -3, -3, -3, 1, 1, 1, 1])}
    with pytest.raises(ValueError, match=r"measure|skin|meter"):
        ask(desk, meter=nothing)


def test_brushes_narrow_each_other(desk):
    level = {"kind": "level", "signal": "luma", "low": 30, "high": 60}
    plane = {"kind": "plane", "cb": [-4, 4], "cr": [-4, 4]}
    wide, _ = ask(desk, brushes=[level])
    both, blobs = ask(desk, brushes=[level, plane])
    assert 0 < both["brushed"] < wide["brushed"] < wide["pixels"]
    assert blobs["brushed vector"].sum() == both["brushed"]
    luma = blobs["brushed waveform"].sum(axis=0)
    edges = -12.5 + np.arange(256) / 256 * 125
    assert luma[(edges < 29) | (edges > 61)].sum() == 0


def test_scopes_that_are_not_open_are_not_sent(desk):
    _, closed = ask(desk)
    assert not {"chroma", "cast", "limited vector"} & set(closed)
    extra = {"chroma": True, "cast": True, "familiar": True, "vector_levels": [25, 65]}
    header, blobs = ask(desk, extra=extra)
    assert blobs["chroma"].shape[0] == 2
    assert blobs["cast"].reshape(3, -1).sum(axis=1).max() <= header["pixels"]
    assert 0 < blobs["limited vector"].sum() < header["pixels"]
    assert {one["name"] for one in header["familiar"]} == {"skin", "foliage", "sky", "neutrals"}


def test_clipping_in_the_recording_and_by_the_correction_are_told_apart(desk):
    plain, _ = ask(desk)
    pushed, _ = ask(desk, numbers=controls.set_exposure(IDENTITY, 3.0).as_array().tolist())
    assert pushed["limits"]["recorded_high"] == plain["limits"]["recorded_high"]
    assert pushed["limits"]["corrected_high"] > plain["limits"]["corrected_high"] + 0.002


def test_before_a_point_is_named_without_the_extended_part_too(desk):
    """As the picture is shown then: without anything that the level does."""
    swapped = Extended(((0.5, 0.5, 0.0), (0.0, 1.0, 0.0), (0.0, 0.3, 0.7))).as_array().tolist()
    asked = {"kind": "point", "number": 6, "shot": 1, "frame": 20, "levels": levels(shot=BRIGHTER), "x": 0.4, "y": 0.5}
    plain = json.loads(desk.point(Point.model_validate(asked | {"levels": levels()})))
    with_part = asked | {"levels": levels(shot=ten(BRIGHTER, extended=swapped))}
    after, before = (json.loads(desk.point(Point.model_validate(with_part | {"before": b}))) for b in ("none", "level"))
    assert before == plain
    assert after != plain


def test_a_point_is_named_as_the_frame_has_it(desk, frames):
    source, _ = desk.viewing.source(1)
    asked = {"kind": "point", "number": 4, "shot": 1, "frame": 20, "x": 0.4, "y": 0.5}
    named = json.loads(desk.point(Point.model_validate(asked)))
    assert named["number"] == 4
    brighter = json.loads(desk.point(Point.model_validate(asked | {"levels": levels(shot=BRIGHTER)})))
    assert brighter["stops"] == pytest.approx(named["stops"] + 0.5, abs=0.02)
    assert brighter["luma"] > named["luma"]
    code = codes.decode_signal(read_frame(source.path, 20, source.info))
    height, width = code.shape[:2]
    near = code[int(0.5 * height) - 3 : int(0.5 * height) + 4, int(0.4 * width) - 3 : int(0.4 * width) + 4]
    working = to_picture(near, source.encoding).working.reshape(-1, 3)
    stops = np.log2(np.maximum(np.exp2(working * 17.52 - 9.72), 1e-6) @ [0.2722, 0.6741, 0.0537] / 0.18)
    assert stops.min() - 0.1 <= named["stops"] <= stops.max() + 0.1


def test_ties_show_both_patches_and_their_difference(desk, frames, monkeypatch):
    """The same patch tied to itself differs by nothing; under half a stop, by the half stop."""
    tie = {"reference": [[0.3, 0.3], [0.4, 0.4]], "shot": [[0.3, 0.3], [0.4, 0.4]]}
    source, _ = desk.viewing.source(1)

    def there(_kept, _levels):
        packed = frames.preview(source, 20).packed
        return develop(packed, [Primary()], tables.output_table(source.output))

    monkeypatch.setattr(desk.viewing, "reference_display", there)
    (alike,) = ask(desk, reference=3, ties=[tie])[0]["ties"]
    assert alike["difference"] < 0.01
    assert alike["reference"] == pytest.approx(alike["shot"], abs=0.01)
    track = {"drawn": 20, "first": 20, "places": [[0.35, 0.35, 0, 1]], "aspect": 1.78}
    following, lost = {**tie, "track": track}, {**tie, "track": {**track, "drawn": 19, "first": 19}}
    here, gone = ask(desk, reference=3, ties=[following, lost])[0]["ties"]
    assert here["difference"] < 0.1
    assert gone is None
    (apart,) = ask(desk, reference=3, ties=[tie], numbers=BRIGHTER)[0]["ties"]
    assert apart["difference"] > 2
    assert all(b > a for a, b in zip(apart["reference"], apart["shot"], strict=True))


def test_a_frame_that_is_stayed_on_is_seen_as_wide_as_its_place(desk):
    """The first look is the quick one; the next are sharp, and read the same."""
    first, quick = ask(desk, width=1120)
    second, sharp = ask(desk, width=1120)
    third, _ = ask(desk, width=1120, numbers=BRIGHTER)
    assert [one["width"] for one in (first, second, third)] == [960, 1120, 1120]
    assert picture_in(quick).shape[1] == 960
    assert picture_in(sharp).shape[1] == 1120
    assert second["readings"] == pytest.approx(first["readings"], abs=0.3)
    assert third["readings"][4] > second["readings"][4]


def picture_in(blobs: dict) -> np.ndarray:
    return simplejpeg.decode_jpeg(blobs["picture"].tobytes()).astype(float)


def test_a_peek_pushes_the_picture_and_nothing_that_is_measured(desk):
    plain, pictured = ask(desk)
    darker, pushed = ask(desk, peek=-3)
    by_hand, expected = ask(desk, numbers=controls.set_exposure(IDENTITY, -3.0).as_array().tolist())
    assert same(darker["readings"], plain["readings"])
    assert by_hand["readings"][4] < plain["readings"][4] - 10
    assert np.abs(picture_in(pushed) - picture_in(expected)).mean() < 1
    assert picture_in(pushed).mean() < picture_in(pictured).mean() - 10


def test_tone_only_takes_the_colours_and_keeps_luma(desk):
    _, coloured = ask(desk)
    _, grey = ask(desk, mark="tone only")
    without = picture_in(grey)
    assert np.ptp(without, axis=-1).mean() < 1
    luma = picture_in(coloured) @ np.array([0.2126, 0.7152, 0.0722])
    assert np.abs(without.mean(axis=-1) - luma).mean() < 2


def test_the_step_in_hand_is_solved_between_its_neighbours_and_seen_without(desk):
    """A second step of the shot, with one before and one behind it."""
    steps = [
        *ten(BRIGHTER)["steps"],
        {**ten(PLAIN)["steps"][0], "id": "second"},
        {**ten(BRIGHTER)["steps"][0], "id": "third"},
    ]
    around = levels(shot={"steps": steps})
    start = ask(desk, full=True, step="second", levels=around)[0]["readings"]
    values = list(start)
    values[4] -= 6
    header, _ = ask(desk, full=True, step="second", levels=around, aim={"values": values, "moved": [4]})
    assert abs(header["readings"][4] - values[4]) < 0.2
    steps[1]["values"] = ten(header["numbers"])["steps"][0]["values"]
    found = levels(shot={"steps": steps})
    assert same(ask(desk, full=True, step="second", levels=found)[0]["readings"], header["readings"])
    assert same(ask(desk, full=True, step="second", levels=found, before="step")[0]["readings"], start)
    assert same(
        ask(desk, full=True, step="second", levels=found, before="level")[0]["readings"],
        ask(desk, full=True)[0]["readings"],
    )


@pytest.mark.parametrize(
    "asked,said",
    [
        ({"step": "fourth"}, "there is no step “fourth”"),
        ({"levels": levels(shot={"steps": []})}, "needs a step of ten numbers called “balance”"),
        ({"level": "family"}, "there is no step “balance”"),
    ],
)
def test_a_step_that_is_not_there_cannot_be_in_hand(asked, said):
    with pytest.raises(ValueError, match=said):
        a_request(**asked)


def test_a_frame_asked_for_again_and_again_is_developed_alike(desk):
    """From the second time on by its lattice: the same within what the lattice allows."""
    first, _ = ask(desk, numbers=BRIGHTER)
    second, _ = ask(desk, numbers=BRIGHTER)
    third, _ = ask(desk, numbers=BRIGHTER)
    assert second["readings"] == third["readings"]
    assert np.abs(np.subtract(first["readings"], third["readings"])).max() < 0.05
