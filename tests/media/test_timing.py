"""Every frame by its number, however the file stores it: rates that vary, late starts, cuts, gaps, streams."""

import subprocess

import numpy as np
import pytest

from dovrel.core.colour.codes import decode_signal
from dovrel.media.decoding import decode_frames
from dovrel.media.faults import MediaFault
from dovrel.media.footage import probe, read_frame

FRAMES = 60
H264 = ("-c:v", "libx264", "-qp", "6", "-g", "12", "-bf", "2")


def ffmpeg(*arguments) -> None:
    command = ["ffmpeg", "-v", "error", "-y", *map(str, arguments)]
    subprocess.run(command, check=True, stdin=subprocess.DEVNULL)


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """Clips of sixty frames, each two code values brighter than the one before."""
    folder = tmp_path_factory.mktemp("timing")
    picture = ("-f", "lavfi", "-i", "color=c=black:s=320x180:r=25,format=yuv420p,geq=lum='16+N*2':cb=128:cr=128",
               "-frames:v", FRAMES)  # fmt: skip
    plain = folder / "plain.mp4"
    ffmpeg(*picture, *H264, plain)
    slower = "setpts='if(lt(N,30),N,30+(N-30)*2.5)/25/TB'"
    ffmpeg("-i", plain, "-vf", slower, "-fps_mode", "vfr", *H264, folder / "varying.mp4")
    ffmpeg("-i", plain, "-vf", "select='not(eq(n,20))'", "-fps_mode", "vfr", *H264, folder / "gap.mp4")
    ffmpeg("-itsoffset", "5.3", "-i", plain, "-c", "copy", "-copyts", folder / "late.mkv")
    ffmpeg("-ss", "0.7", "-i", plain, "-c", "copy", folder / "cut.mov")
    ffmpeg(
        "-i", plain, "-c", "copy", "-output_ts_offset", "-0.52", "-avoid_negative_ts", "disabled", folder / "early.mkv"
    )
    for name in ("stream.ts", "stream.m2ts"):
        ffmpeg("-i", plain, "-c", "copy", "-f", "mpegts", folder / name)
    ffmpeg(*picture, "-c:v", "mpeg2video", "-bf", "2", "-g", "12", "-q:v", "2", folder / "program.mpg")
    ffmpeg(*picture, "-c:v", "libvpx-vp9", "-lossless", "1", "-cpu-used", "8", folder / "web.webm")
    ffmpeg(*picture, "-c:v", "prores_ks", folder / "whole.mov")
    return folder


def brightness(codes: np.ndarray) -> float:
    """Which of the sixty a picture is, by its brightness."""
    return float(decode_signal(codes[90, 160, 1])) * 219 / 2


@pytest.mark.parametrize(
    ("name", "shown"),
    [
        ("plain.mp4", range(FRAMES)),
        ("varying.mp4", range(FRAMES)),
        ("gap.mp4", [n for n in range(FRAMES) if n != 20]),
        ("late.mkv", range(FRAMES)),
        ("early.mkv", range(FRAMES)),
        ("cut.mov", range(18, FRAMES)),
        ("stream.ts", range(FRAMES)),
        ("stream.m2ts", range(FRAMES)),
        ("program.mpg", range(FRAMES)),
        ("web.webm", range(FRAMES)),
    ],
)
def test_every_frame_is_the_one_of_its_number(folder, name, shown):
    clip = folder / name
    info = probe(clip)
    assert info.frames == len(shown)
    for number in (0, 1, 2, 11, 12, 13, 20, 29, 31, info.frames - 2, info.frames - 1):
        assert brightness(read_frame(clip, number, info)) == pytest.approx(shown[number], abs=0.7)
    missing: list[int] = []
    run = [
        round(frame.to_ndarray(format="gray")[90, 160] / 255 * 219 / 2)
        for frame in decode_frames(clip, 5, 30, info, missing)
    ]
    assert run == pytest.approx([shown[number] for number in range(5, 35)], abs=8)
    assert np.diff(run).min() >= 0
    assert missing == []


@pytest.mark.parametrize(
    ("name", "said"),
    [
        ("plain.mp4", ()),
        ("late.mkv", ()),
        ("cut.mov", ()),
        ("stream.ts", ()),
        ("varying.mp4", ("the frame rate varies; frames are numbered as they are in the file",)),
        ("gap.mp4", ("pictures are missing in the file before frame 20; frames are numbered as they are there",)),
    ],
)
def test_what_is_odd_is_told_and_nothing_else(folder, name, said):
    assert probe(folder / name).warnings == said


def test_a_picture_that_cannot_be_decoded_is_named_and_its_neighbour_shown(folder, tmp_path):
    """ProRes frames stand alone: one of them is overwritten, the others are as they were."""
    data = bytearray((folder / "whole.mov").read_bytes())
    starts = [at for at in range(len(data) - 4) if data[at : at + 4] == b"icpf"]
    assert len(starts) == FRAMES
    data[starts[30] : starts[30] + 60] = b"\0" * 60
    damaged = tmp_path / "damaged.mov"
    damaged.write_bytes(data)
    info = probe(damaged)
    assert info.frames == FRAMES
    missing: list[int] = []
    shown = [frame.pts for frame in decode_frames(damaged, 0, FRAMES, info, missing)]
    assert missing == [30]
    assert len(shown) == FRAMES
    assert shown[30] in (shown[29], shown[31])
    assert brightness(read_frame(damaged, 31, info)) == pytest.approx(31, abs=0.7)
    assert brightness(read_frame(damaged, 30, info)) == pytest.approx(29, abs=1.7)


def test_only_where_nothing_can_be_shown_a_clip_is_refused(folder, tmp_path):
    whole = (folder / "stream.ts").read_bytes()
    half = tmp_path / "half.ts"
    half.write_bytes(whole[: len(whole) // 2])
    info = probe(half)
    assert 20 < info.frames < FRAMES
    assert len(list(decode_frames(half, 0, info.frames, info))) == info.frames
    nothing = tmp_path / "nothing.ts"
    nothing.write_bytes(b"\x47" + b"\0" * 187)
    with pytest.raises(MediaFault, match=r"nothing\.ts"):
        probe(nothing)


def test_the_reel_of_a_timecode_track_is_read(folder, tmp_path):
    clip = tmp_path / "reel.mov"
    ffmpeg(
        "-i", folder / "plain.mp4", "-c", "copy", "-timecode", "01:00:00:00", "-metadata:s:v", "reel_name=A001R2", clip
    )
    info = probe(clip)
    assert (info.timecode, info.tags["reel_name"]) == ("01:00:00:00", "A001R2")
