"""Shots rendered: what is written is read again by another library too, shows what the Desk shows, and carries what the clip carried."""

import subprocess
from dataclasses import replace
from fractions import Fraction
from io import BytesIO

import av
import cv2
import numpy as np
import OpenImageIO as oiio
import pytest
from PIL import Image, ImageCms

from dovrel.core.colour import codes, encodings, outputs
from dovrel.core.steps.correction import PLAIN, Correction, Step
from dovrel.core.steps.denoise import Denoise
from dovrel.core.steps.grain import Grain
from dovrel.core.steps.keyframes import Keyframe
from dovrel.core.steps.levels import FourLevels
from dovrel.core.steps.primary import Primary
from dovrel.core.steps.vignette import Vignette
from dovrel.demo import cards
from dovrel.jobs import rendering
from dovrel.jobs.picturing import Pictures, number_at, timecode_at
from dovrel.jobs.rendering import render
from dovrel.media.faults import MediaFault
from dovrel.media.footage import probe, read_recorded
from dovrel.media.frames import Source
from dovrel.media.stills import read_still
from dovrel.media.writing import KINDS, Target
from dovrel.media.ycbcr import planes_of, to_codes

NAME = "21C-2"
NUMBERS = Primary((1.05, 1.0, 0.97), (-0.02, 0.0, 0.01), saturation=1.1)
LEVELS = FourLevels(shot=PLAIN["shot"].balanced(NUMBERS))
WIDTH = 480
SMALL = Pictures(WIDTH)


NEAR = KINDS["png"].near
FRAMES = 12
"""Of the clip that are rendered."""
BEGINS = number_at(probe(cards.find(NAME).path).timecode, Fraction(24))
"""The number of the first still."""


@pytest.fixture(scope="module")
def source() -> Source:
    clip = cards.find(NAME)
    return Source(0, clip.path, replace(probe(clip.path), frames=FRAMES), clip.encoding)


@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_is_read_again_and_shows_what_the_desk_shows(source, tmp_path, kind):
    as_file = KINDS[kind]
    path = tmp_path / f"shot{'' if as_file.is_sequence else as_file.suffix}"
    parts = []
    found = render(source, LEVELS, path, as_file, parts.append, SMALL)
    assert found.frames == source.info.frames
    assert found.difference < as_file.near
    assert found.differs == ""
    assert parts[-1] == 1
    assert parts == sorted(parts)
    if as_file.is_sequence:
        assert len(list(path.iterdir())) == source.info.frames
        return
    info = probe(path)
    assert (info.size, info.frames, info.rate) == ((WIDTH, 270), source.info.frames, source.info.rate)
    assert (info.matrix, info.transfer, info.full_range) == ("BT.709", "BT.709", False)
    assert info.timecode == source.info.timecode


def test_pictures_are_cut_and_written_on_and_still_found_to_be_the_desks(source, tmp_path):
    pictures = Pictures(WIDTH, 2.39, "12A-1  A  roll 4")
    found = render(source, LEVELS, tmp_path / "shot.mov", KINDS["prores-4444"], pictures=pictures)
    assert found.difference < NEAR
    assert probe(tmp_path / "shot.mov").size == (WIDTH, 200)


def test_ffmpeg_reads_the_picture_that_was_developed(source, tmp_path):
    path = tmp_path / "shot.mov"
    render(source, LEVELS, path, KINDS["prores-4444"], pictures=SMALL)
    raw = subprocess.run(
        ["ffmpeg", "-v", "error", "-i", path, "-frames:v", "1", "-vf", "scale=out_range=full:flags=accurate_rnd",
         "-pix_fmt", "rgb48le", "-f", "rawvideo", "-"],
        capture_output=True, check=True,
    ).stdout  # fmt: skip
    seen = np.frombuffer(raw, "<u2").reshape(270, WIDTH, 3) / 65535
    assert np.abs(seen - np.clip(read_recorded(path), 0, 1)).mean() < 0.004


def test_planes_come_back_as_the_picture_they_are_of(rng):
    shown = rng.uniform(0.05, 0.95, (3, 24, 32)).repeat(4, axis=1).repeat(4, axis=2)
    display = codes.encode_signal(shown)
    for matrix in ("BT.709", "BT.2020"):
        luma, cb, cr = planes_of(display, matrix, 10, 1, 1)
        packed = np.dstack([luma, cb, cr]) << 6
        back = codes.decode_signal(to_codes(packed.astype(np.uint16), 10, matrix, False))
        assert np.abs(back.transpose(2, 0, 1) - shown).max() < 2 / 876
    halves = planes_of(display, "BT.709", 10, 2, 2)
    assert [plane.shape for plane in halves] == [(96, 128), (48, 64), (48, 64)]
    grey = codes.encode_signal(np.full((3, 4, 4), 0.5))
    assert [set(np.unique(plane)) for plane in planes_of(grey, "BT.709", 8, 2, 1)] == [{126}, {128}, {128}]


def test_keyframes_and_grain_are_those_of_each_frame(source, tmp_path):
    moving = Step(
        "balance", Primary(), keyframes=(Keyframe(0, Primary()), Keyframe(FRAMES - 2, Primary(offset=(0.1, 0.1, 0.1))))
    )
    finish = Correction((*PLAIN["show"].steps, Step("edges", Vignette(-1)), Step("grain", Grain(mids=6))))
    levels = FourLevels(shot=Correction((moving,)), show=finish)
    path = tmp_path / "shot"
    found = render(source, levels, path, KINDS["png"], pictures=SMALL)
    assert found.difference < NEAR
    first, last = (read_recorded(path / f"shot.{number:07d}.png") for number in (BEGINS, BEGINS + FRAMES - 1))
    assert last.mean() > first.mean() + 0.08


def test_a_treated_recording_is_rendered_treated(source, tmp_path):
    short = tmp_path / "short.mov"
    command = [
        "ffmpeg",
        "-v",
        "error",
        "-i",
        source.path,
        "-frames:v",
        "5",
        "-vf",
        "scale=640:-2",
        "-c:v",
        "prores",
        short,
    ]
    subprocess.run(command, check=True)
    few = Source(0, short, probe(short), source.encoding)
    shot = Correction((*PLAIN["shot"].steps, Step("noise", Denoise(1, 1, 1))))
    treated = render(few, FourLevels(shot=shot), tmp_path / "treated", KINDS["tiff"])
    assert treated.difference < 0.01
    plain = render(few, FourLevels(), tmp_path / "plain", KINDS["tiff"])
    assert plain.frames == treated.frames == 5
    pictures = [read_recorded(tmp_path / name / f"{name}.{BEGINS + 2:07d}.tif") for name in ("treated", "plain")]
    assert np.abs(pictures[0] - pictures[1]).max() > 0.002


def test_what_is_there_already_stays_and_what_is_ended_leaves_nothing(source, tmp_path):
    there = tmp_path / "shot.mov"
    there.write_text("mine")
    with pytest.raises(ValueError, match=r"shot\.mov is there already"):
        render(source, LEVELS, there, KINDS["prores-422"], pictures=SMALL)
    assert there.read_text() == "mine"
    with pytest.raises(ValueError, match=r"written as \.mov"):
        render(source, LEVELS, tmp_path / "shot.mp4", KINDS["prores-422"], pictures=SMALL)

    class Enough(Exception):
        pass

    def stop(part: float) -> None:
        if part > 0.3:
            raise Enough

    for kind, name in (("prores-422", "other.mov"), ("tiff", "stills")):
        with pytest.raises(Enough):
            render(source, LEVELS, tmp_path / name, KINDS[kind], stop, SMALL)
    assert [path.name for path in tmp_path.iterdir()] == ["shot.mov"]


def _with_sound(source: Source, path) -> Source:
    """The same clip with a tone, whose pictures begin at another time than 0."""
    subprocess.run(
        ["ffmpeg", "-v", "error", "-i", source.path, "-f", "lavfi", "-i", "sine=frequency=440:sample_rate=48000:duration=2",
         "-map", "0:v", "-map", "1:a", "-c:v", "copy", "-c:a", "pcm_s16le", "-timecode", "10:11:12:13", path],
        check=True,
    )  # fmt: skip
    return Source(0, path, probe(path), source.encoding)


def test_sound_and_timecode_go_with_the_pictures(source, tmp_path):
    heard = _with_sound(source, tmp_path / "heard.mov")
    path = tmp_path / "out.mov"
    render(heard, LEVELS, path, KINDS["prores-422"], pictures=SMALL)
    info = probe(path)
    assert info.timecode == "10:11:12:13"
    assert [(track.codec, track.rate) for track in info.sound] == [("pcm_s16le", 48000)]

    def samples(file) -> np.ndarray:
        with av.open(str(file)) as container:
            return np.concatenate([frame.to_ndarray().ravel() for frame in container.decode(audio=0)])

    before, after = samples(heard.path), samples(path)
    length = int(Fraction(heard.info.frames) / heard.info.rate * 48000)
    assert abs(len(after) - min(length, len(before))) < 2048
    assert np.array_equal(after[:40000], before[:40000])


def test_every_output_is_tagged_as_what_it_is(tmp_path):
    clip = cards.find("12A-1")
    source = Source(0, clip.path, probe(clip.path), clip.encoding, "pq-1000")
    path = tmp_path / "hdr.mp4"
    render(source, FourLevels(), path, KINDS["hevc"], pictures=SMALL)
    info = probe(path)
    assert (info.matrix, info.transfer, info.primaries) == ("BT.2020", "PQ", "BT.2020")
    assert outputs.find("pq-1000").peak == 10000


def test_a_source_that_has_vanished_is_named_and_nothing_is_left_behind(source, tmp_path):
    gone = replace(source, path=tmp_path / "AL4_gone.mov")
    for kind, name in (("prores-422", "shot.mov"), ("png", "shot")):
        with pytest.raises(MediaFault, match=r"AL4_gone\.mov"):
            render(gone, LEVELS, tmp_path / name, KINDS[kind], pictures=SMALL)
    assert list(tmp_path.iterdir()) == []


def test_an_exr_holds_the_scenes_light_under_the_colour(source, tmp_path):
    finished = FourLevels(shot=LEVELS.shot, show=Correction((*PLAIN["show"].steps, Step("vignette", Vignette(0.5)))))
    render(source, finished, tmp_path / "shot", KINDS["exr"], pictures=SMALL)
    first = tmp_path / "shot" / f"shot.{BEGINS:07d}.exr"
    spec = oiio.ImageInput.open(str(first)).spec()
    assert spec.format == oiio.HALF
    assert spec.getattribute("chromaticities")[:2] == pytest.approx((0.7347, 0.2653))
    recorded = read_recorded(source.path, 0, source.info)
    light = encodings.to_working(recorded, source.encoding)
    light = outputs.run(encodings.space_processor("ACEScct", "ACES2065-1"), NUMBERS.apply(light).astype(np.float32))
    small = cv2.resize(light, (480, 270), interpolation=cv2.INTER_AREA)
    found = read_still(first)
    assert np.median(np.abs(found - small) / np.maximum(small, 0.01)) < 0.002
    assert found.max() > 1.2


def test_plain_video_has_no_light_to_write(source, tmp_path):
    with pytest.raises(ValueError, match="no scene's light"):
        render(replace(source, output="plain-video"), LEVELS, tmp_path / "shot", KINDS["exr"], pictures=SMALL)


def told_of_frames(stdout: str, key: str) -> set[str]:
    return {line.split("=", 1)[1] for line in stdout.splitlines() if line.startswith(key + "=")}


@pytest.mark.parametrize("kind", ["dpx", "exr", "png", "tiff"])
def test_stills_say_their_colours_and_of_which_picture_they_are(source, tmp_path, kind):
    told = replace(source, info=replace(source.info, tags={**source.info.tags, "reel_name": "AL4012"}))
    render(told, LEVELS, tmp_path / "shot", KINDS[kind], pictures=SMALL)
    stills = sorted((tmp_path / "shot").iterdir())
    assert [int(still.name.split(".")[1]) for still in stills] == list(range(BEGINS, BEGINS + FRAMES))
    for at in (0, FRAMES - 1):
        info = probe(stills[at])
        wanted = ("linear", "AP0") if kind == "exr" else ("BT.709", "BT.709")
        assert (info.transfer, info.primaries) == wanted
        if kind in ("dpx", "exr"):
            assert info.timecode == timecode_at(source.info.timecode, source.info.rate, at)
            assert info.rate == source.info.rate
        if kind == "exr":
            assert info.tags["roll"] == "AL4012"


def test_stills_are_numbered_from_where_one_likes(source, tmp_path):
    found = render(source, LEVELS, tmp_path / "shot", KINDS["dpx"], pictures=replace(SMALL, first=1001))
    assert sorted(tmp_path.rglob("*.dpx"))[0].name == "shot.0001001.dpx"
    assert found.differs == ""


def test_pictures_of_other_outputs_say_so(source, tmp_path):
    """By PNG's own chunk, by a profile that another library reads, by the mastering display of HEVC."""
    pq, p3 = replace(source, output="pq-1000"), replace(source, output="p3-d65")
    render(pq, LEVELS, tmp_path / "png", KINDS["png"], pictures=SMALL)
    still = next((tmp_path / "png").iterdir())
    assert b"cICP" + bytes((9, 16, 0, 1)) in still.read_bytes()[:200]
    render(p3, LEVELS, tmp_path / "tiff", KINDS["tiff"], pictures=SMALL)
    profile = ImageCms.ImageCmsProfile(BytesIO(Image.open(next((tmp_path / "tiff").iterdir())).info["icc_profile"]))
    assert profile.profile.profile_description == "P3-D65, gamma 2.6"
    # DCI-P3's red under D65, adapted to D50 (Display P3 has the same).
    assert profile.profile.red_primary[0] == pytest.approx((0.5151, 0.2412, -0.0011), abs=2e-3)
    render(pq, LEVELS, tmp_path / "shot.mp4", KINDS["hevc"], pictures=SMALL)
    command = ["ffprobe", "-v", "error", "-show_frames", "-select_streams", "v", tmp_path / "shot.mp4"]
    shown = subprocess.run(command, capture_output=True, text=True, check=True).stdout
    assert "Mastering display metadata" in shown
    assert told_of_frames(shown, "max_luminance") == {"10000000/10000"}
    assert told_of_frames(shown, "red_x") == {"35400/50000"}
    assert told_of_frames(shown, "max_content") == {"1000"}
    assert told_of_frames(shown, "color_transfer") == {"smpte2084"}


def test_a_reel_is_kept_in_the_timecode_track(source, tmp_path):
    told = replace(source, info=replace(source.info, tags={**source.info.tags, "reel_name": "AL4012"}))
    render(told, LEVELS, tmp_path / "shot.mov", KINDS["prores-422"], pictures=SMALL)
    with av.open(str(tmp_path / "shot.mov")) as clip:
        assert clip.streams.data[0].metadata["reel_name"] == "AL4012"


def test_a_file_that_is_not_what_it_should_be_is_told_and_kept(source, tmp_path):
    path = tmp_path / "shot.mp4"
    found = render(source, LEVELS, path, replace(KINDS["h264"], near=0.0), pictures=SMALL)
    assert found.differs == f"its picture differs by {found.difference:.2f} from the Desk's, and 0.0 is its bound"
    assert path.is_file()
    target = Target(KINDS["h264"], source.info.rate, (WIDTH, 270), "rec709")
    other = replace(source.info, frames=FRAMES + 3, timecode="01:00:00:00")
    assert list(rendering._differs(path, probe(path), target, other, 0.0)) == [
        f"it holds {FRAMES} frames, and the clip {FRAMES + 3}",
        f"it begins at {source.info.timecode}, and the clip at 01:00:00:00",
    ]
