"""Pictures as they are to be seen: turned, with square pixels, without bars, without combs; against FFmpeg's filters."""

import subprocess
from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest

from dovrel.core.colour.codes import decode_signal
from dovrel.core.measure.bars import active_picture
from dovrel.media.clip import ClipInfo, Reading
from dovrel.media.footage import probe, read_frame, read_frames
from dovrel.media.geometry import Geometry

BT709 = ["-color_range", "tv", "-colorspace", "bt709", "-color_trc", "bt709", "-color_primaries", "bt709"]


def made(path, *options: str, source="testsrc2=size=320x180:rate=24", frames=4):
    command = [
        "ffmpeg",
        "-v",
        "error",
        "-y",
        "-f",
        "lavfi",
        "-i",
        source,
        "-frames:v",
        str(frames),
        *options,
        str(path),
    ]
    subprocess.run(command, check=True, stdin=subprocess.DEVNULL)
    return path


def test_rotated_pictures_stand_upright(tmp_path):
    plain = made(tmp_path / "plain.mp4", "-c:v", "libx264", "-qp", "0", *BT709)
    turned = tmp_path / "turned.mp4"
    command = [
        "ffmpeg",
        "-v",
        "error",
        "-y",
        "-i",
        str(plain),
        "-c",
        "copy",
        "-metadata:s:v:0",
        "rotate=90",
        str(turned),
    ]
    subprocess.run(command, check=True)
    info = probe(turned)
    assert (info.geometry.turn, info.size) == (270, (180, 320)) or (info.geometry.turn, info.size) == (90, (180, 320))
    raw = subprocess.run(
        ["ffmpeg", "-v", "error", "-i", str(turned), "-frames:v", "1", "-f", "rawvideo", "-pix_fmt", "gray", "-"],
        check=True,
        capture_output=True,
    ).stdout
    theirs = np.frombuffer(raw, np.uint8).reshape(320, 180).astype(float)
    ours = decode_signal(read_frame(turned, 0, info)) @ (0.2126, 0.7152, 0.0722)
    assert np.corrcoef(theirs.ravel(), ours.ravel())[0, 1] > 0.999


def test_anamorphic_pictures_have_their_width(tmp_path):
    clip = made(
        tmp_path / "wide.mov", "-vf", "setsar=2/1", "-c:v", "prores_ks", source="smptebars=size=320x180:rate=24"
    )
    info = probe(clip)
    assert (info.geometry.aspect, info.size) == (Fraction(2), (640, 180))
    assert read_frame(clip, 0, info).shape == (180, 640, 3)
    small = next(read_frames(clip, 0, 1, info, 320))
    assert small.shape == (90, 320, 3)


def test_an_interlaced_picture_shows_no_combs(tmp_path):
    """A bar that moves from field to field: each frame has it once, where the first field has it."""
    moving = "color=black:size=320x180:rate=50"
    clip = made(
        tmp_path / "fields.mp4",
        "-filter_complex", "color=white:size=40x180:rate=50[b];[0][b]overlay=x='20+n*12':y=0,interlace=scan=tff:lowpass=0",
        "-c:v", "libx264", "-qp", "0", "-flags", "+ildct+ilme", "-x264opts", "tff=1", *BT709,
        source=moving,
    )  # fmt: skip
    info = probe(clip)
    assert info.interlaced
    assert info.top_first
    whole = decode_signal(read_frame(clip, 1, info))[..., 1]
    woven = decode_signal(read_frame(clip, 1, replace(info, interlaced=False)))[..., 1]
    assert np.abs(np.diff(woven[20:160], axis=0)).max() > 0.9
    assert np.abs(np.diff(whole[20:160], axis=0)).max() < 0.05
    assert np.flatnonzero(whole[90] > 0.5).mean() == pytest.approx(np.flatnonzero(woven[90] > 0.5).mean(), abs=7)
    kept = probe(clip, Reading(fields=False))
    assert not kept.interlaced


def letterboxed(tmp_path, bar: int):
    return made(
        tmp_path / "boxed.mov",
        "-vf", f"crop=320:{180 - 2 * bar},pad=320:180:0:{bar}:black", "-c:v", "prores_ks", *BT709, source="testsrc2=size=320x180:rate=24,hue=s=0.4",
    )  # fmt: skip


@pytest.mark.parametrize("bar", [12, 24])
def test_bars_are_found_where_they_are(tmp_path, bar):
    clip = letterboxed(tmp_path, bar)
    info = probe(clip)
    frames = [decode_signal(frame) for frame in read_frames(clip, 0, 4, info)]
    left, top, right, bottom = active_picture(frames) or (0, 0, 1, 1)
    assert (left, right) == (0, 1)
    assert bar <= top * 180 <= bar + 2
    assert 180 - bar - 2 <= bottom * 180 <= 180 - bar
    cut = replace(info, geometry=replace(info.geometry, active=(left, top, right, bottom)))
    assert read_frame(clip, 0, cut).min(axis=(1, 2)).max() > 0
    assert decode_signal(read_frame(clip, 0, cut)).max(axis=(1, 2)).min() > 0.2
    assert next(read_frames(clip, 0, 1, cut, 160)).shape[1] == 160


def test_pictures_that_are_dark_at_their_edges_have_no_bars(demo_frame):
    frame = demo_frame("14B-2", width=320).recorded
    assert active_picture([frame]) is None
    night = np.full((180, 320, 3), 0.01, np.float32)
    night[80:100, 150:170] = 0.8
    assert active_picture([night]) is None
    lopsided = np.full((180, 320, 3), 0.5, np.float32)
    lopsided[:30] = 0.0
    assert active_picture([lopsided]) is None
    assert active_picture([np.zeros((180, 320, 3), np.float32)]) is None


def test_every_width_that_is_asked_for_comes():
    geometry = Geometry((3840, 2160), Fraction(4, 3), 90, (0.1, 0.13, 0.9, 0.87))
    for width in (320, 333, 960, geometry.size[0], None):
        fitting = geometry.within(width)
        assert fitting.size[0] == (width or geometry.size[0])
        assert fitting.size[1] / fitting.size[0] == pytest.approx(geometry.size[1] / geometry.size[0], rel=0.01)
        height, scaled = fitting.scaled
        assert fitting.box[2] <= scaled
        assert fitting.box[3] <= height


def test_a_cut_keeps_the_middle():
    wide = Geometry((1920, 1080)).cut_to(2.39)
    assert wide.size == (1920, pytest.approx(803, abs=2))
    tall = Geometry((1920, 1080)).cut_to(4 / 3)
    assert tall.size == (1440, 1080)
    assert tall.active[0] == pytest.approx(1 - tall.active[2])


def test_what_is_known_of_a_clip_survives_json(tmp_path):
    clip = made(tmp_path / "c.mov", "-vf", "setsar=4/3", "-c:v", "prores_ks")
    info = probe(clip, Reading(range="full", active=(0.1, 0.0, 0.9, 1.0)))
    assert ClipInfo.of(info.record()) == info
    assert Reading.of(Reading(rate=Fraction(25), numbers=((1, 4),), parts=("b",)).record()) == Reading(
        rate=Fraction(25), numbers=((1, 4),), parts=("b",)
    )


def test_what_a_file_leaves_open_is_assumed_until_it_is_said(tmp_path):
    silent = made(tmp_path / "silent.mp4", "-c:v", "libx264", "-pix_fmt", "yuv420p")
    info = probe(silent)
    assert set(info.assumed) == {"range", "matrix", "transfer"}
    assert (info.full_range, info.matrix) == (False, "BT.601")
    said = probe(silent, Reading(range="full", matrix="BT.2020"))
    assert (said.full_range, said.matrix, said.assumed) == (True, "BT.2020", ("transfer",))
    assert np.abs(read_frame(silent, 0, said).astype(int) - read_frame(silent, 0, info)).max() > 1000
    assert probe(made(tmp_path / "told.mp4", "-c:v", "libx264", *BT709)).assumed == ()


def test_sound_tracks_are_listed(tmp_path):
    clip = tmp_path / "sound.mov"
    command = ["ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", "testsrc2=size=64x64:rate=24", "-f", "lavfi", "-i",
               "sine=sample_rate=48000", "-t", "0.5", "-c:v", "prores_ks", "-c:a", "pcm_s24le", "-ac", "2", str(clip)]  # fmt: skip
    subprocess.run(command, check=True, stdin=subprocess.DEVNULL)
    (track,) = probe(clip).sound
    assert (track.codec, track.rate, track.channels) == ("pcm_s24le", 48000, 2)


def test_a_turn_that_is_no_quarter_is_told(tmp_path):
    made, turned = tmp_path / "made.mp4", tmp_path / "turned.mov"
    for command in (
        ("-f", "lavfi", "-i", "testsrc2=size=160x90:rate=24", "-frames:v", "4", made),
        ("-i", made, "-c", "copy", "-metadata:s:v", "rotate=118", turned),
    ):
        subprocess.run(["ffmpeg", "-v", "error", "-y", *map(str, command)], check=True, stdin=subprocess.DEVNULL)
    info = probe(turned)
    assert info.size == (90, 160)
    assert "turns it by whole quarters alone" in info.warnings[0]
