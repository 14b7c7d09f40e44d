"""Decoding against FFmpeg and known values; what bad files get."""

import hashlib
import subprocess
from dataclasses import replace

import numpy as np
import psutil
import pytest

from dovrel.core.colour import codes
from dovrel.demo import cards
from dovrel.media.checksums import sums_of
from dovrel.media.decoding import decode_frames, use_threads
from dovrel.media.faults import MediaFault
from dovrel.media.footage import frames, probe, read_frame, read_frames, read_recorded
from dovrel.media.matroska import chroma_tag
from dovrel.media.picture import shrink, to_picture
from dovrel.media.proxy import needs_proxy, proxy_info, writing_proxy
from dovrel.media.stills import read_still, write_still


def ffmpeg(*arguments: str, data: bytes | None = None) -> bytes:
    command = ["ffmpeg", "-hide_banner", "-loglevel", "error", "-y", *arguments]
    return subprocess.run(command, input=data, capture_output=True, check=True).stdout


def bars(path, *options: str, size="128x72", rate="24", frames="6") -> None:
    ffmpeg("-f", "lavfi", "-i", f"testsrc2=size={size}:rate={rate}", "-frames:v", frames, *options, str(path))


def test_demo_clips_say_what_they_are():
    a, b, c = (probe(cards.find(name).path) for name in ("12A-1", "12B-1", "12C-2"))
    assert (a.width, a.height, a.frames, float(a.rate)) == (1280, 720, 72, 24.0)
    assert (a.bit_depth, b.bit_depth, c.bit_depth) == (10, 10, 8)
    assert a.pixel_format == b.pixel_format == "yuv422p10le"
    assert a.timecode == "09:14:02:00"
    assert a.matrix == "BT.709"
    assert not a.full_range
    assert a.tags["slate"] == "12A-1"
    assert a.warnings == ()


@pytest.mark.parametrize("name,frame", [("12A-1", 31), ("12B-1", 7), ("12C-2", 50)])
def test_frames_agree_with_ffmpegs_decoder(name, frame):
    """Every frame by number, more than 8 bits deep, to a code value or so of 10 bits."""
    clip = cards.find(name)
    info = probe(clip.path)
    spread = f"select=eq(n\\,{frame}),zscale=chromalin=left:filter=bicubic,format=yuv444p16le"
    raw = ffmpeg("-i", str(clip.path), "-vf", spread, "-frames:v", "1", "-f", "rawvideo", "-")
    code = np.frombuffer(raw, "<u2").reshape(3, info.height, info.width) / 65536 * 256
    y, cb, cr = (code[0] - 16) / 219, (code[1] - 128) / 224, (code[2] - 128) / 224
    theirs = np.stack([y + 1.5748 * cr, y - 0.1873 * cb - 0.4681 * cr, y + 1.8556 * cb], axis=-1).clip(0, 1)
    ours = np.clip(codes.decode_signal(read_frame(clip.path, frame, info)), 0, 1)
    assert np.abs(ours - theirs).mean() < 0.25 / 1023
    if info.bit_depth == 10:
        assert len(np.unique(ours[..., 1])) > 300


def block(path, *coding):
    """A block of another colour, whose chroma is halved both ways."""
    luma, blue, red = (
        np.full((64, 96), 128, np.uint8),
        np.full((32, 48), 128, np.uint8),
        np.full((32, 48), 110, np.uint8),
    )
    red[10:22, 13:30], blue[10:22, 13:30] = 190, 90
    ffmpeg("-f", "rawvideo", "-pix_fmt", "yuv420p", "-s", "96x64", "-r", "24", "-i", "-", *coding,
           "-colorspace", "bt709", "-color_range", "tv", str(path), data=(luma.tobytes() + blue.tobytes() + red.tobytes()) * 2)  # fmt: skip
    return path


_SITINGS = ("left", "center", "topleft", "top")


def spread_otherwise(path, siting):
    """How far each place of chroma leaves our frame from another library's filters, which have it at `siting`."""
    info = probe(path)
    spread = f"zscale=chromalin={siting}:filter=bicubic,format=yuv444p16le"
    raw = ffmpeg("-i", str(path), "-vf", spread, "-frames:v", "1", "-f", "rawvideo", "-")
    code = np.frombuffer(raw, "<u2").reshape(3, 64, 96) / 65536 * 256
    y, cb, cr = (code[0] - 16) / 219, (code[1] - 128) / 224, (code[2] - 128) / 224
    theirs = np.stack([y + 1.5748 * cr, y - 0.1873 * cb - 0.4681 * cr, y + 1.8556 * cb], axis=-1)

    def off(lying):
        return np.abs(codes.decode_signal(read_frame(path, 0, replace(info, siting=lying))) - theirs).max()

    return {lying: off(lying) for lying in _SITINGS}


@pytest.mark.parametrize(("tag", "siting"), [(None, "left"), (1, "center"), (2, "topleft"), (3, "top")])
def test_chroma_is_spread_out_from_where_the_codec_tags_it(tmp_path, tag, siting):
    tags = [] if tag is None else ["-x264-params", f"chromaloc={tag}"]
    path = block(tmp_path / "block.mp4", "-c:v", "libx264", "-qp", "0", *tags)
    assert probe(path).siting == siting
    off = spread_otherwise(path, siting)
    assert off.pop(siting) < 0.02
    assert min(off.values()) > 0.05


@pytest.mark.parametrize("siting", _SITINGS)
def test_chroma_is_spread_out_from_where_a_matroska_file_tags_it(tmp_path, siting):
    path = block(tmp_path / "block.mkv", "-c:v", "ffv1", "-chroma_sample_location", siting)
    assert chroma_tag(path) == siting == probe(path).siting
    off = spread_otherwise(path, siting)
    assert off.pop(siting) < 0.02
    assert min(off.values()) > 0.05


@pytest.mark.parametrize(("tag", "siting"), [("vertical", "left"), ("colocated", "topleft")])
def test_av1_says_where_its_chroma_lies(tmp_path, tag, siting):
    path = tmp_path / "tagged.mp4"
    bars(path, "-pix_fmt", "yuv420p", "-c:v", "libaom-av1", "-cpu-used", "8",
         "-bsf:v", f"av1_metadata=chroma_sample_position={tag}", frames="2")  # fmt: skip
    assert probe(path).siting == siting


def test_a_codecs_own_tag_comes_before_the_files(tmp_path):
    path = block(
        tmp_path / "both.mkv", "-c:v", "libx264", "-x264-params", "chromaloc=2", "-chroma_sample_location", "center"
    )
    assert probe(path).siting == "topleft"


def test_a_matroska_file_that_does_not_say_or_is_cut_short_has_no_tag(tmp_path):
    path = block(tmp_path / "block.mkv", "-c:v", "ffv1", "-chroma_sample_location", "center")
    whole = path.read_bytes()
    cut = tmp_path / "cut.mkv"
    for length in range(1, 600, 7):
        cut.write_bytes(whole[:length])
        assert chroma_tag(cut) in ("", "center")
    for at in range(600):
        cut.write_bytes(whole[:at] + b"\xff" * 4 + whole[at + 4 :])
        assert chroma_tag(cut) in ("", *_SITINGS)
    assert chroma_tag(block(tmp_path / "plain.mkv", "-c:v", "ffv1")) == ""
    assert chroma_tag(block(tmp_path / "other.mp4", "-c:v", "libx264")) == ""


def test_grey_levels_decode_exactly(tmp_path):
    """A 10-bit narrow-range clip of known Y′ values comes out on its known levels."""
    levels = np.array([64, 200, 502, 700, 940], "<u2")
    luma = np.repeat(levels, 16)[None].repeat(16, axis=0)
    chroma = np.full((16, 40), 512, "<u2")
    path = tmp_path / "grey.mkv"
    ffmpeg("-f", "rawvideo", "-pix_fmt", "yuv422p10le", "-s", "80x16", "-r", "24", "-i", "-", "-c:v", "ffv1",
           "-colorspace", "bt709", "-color_range", "tv", str(path),
           data=luma.tobytes() + chroma.tobytes() * 2)  # fmt: skip
    frame = codes.decode_signal(read_frame(path, 0, probe(path)))
    for i, level in enumerate(levels):
        assert frame[8, i * 16 + 8] == pytest.approx([(level - 64) / 876] * 3, abs=1 / 1023)


def test_full_range_is_kept(tmp_path):
    path = tmp_path / "full.mkv"
    ffmpeg("-f", "rawvideo", "-pix_fmt", "yuv444p", "-color_range", "pc", "-s", "16x16", "-r", "24", "-i", "-", "-c:v", "ffv1",
           "-color_range", "pc", str(path), data=bytes([200]) * 256 + bytes([128]) * 512)  # fmt: skip
    info = probe(path)
    assert info.full_range
    assert codes.decode_signal(read_frame(path, 0, info)[8, 8]) == pytest.approx([200 / 255] * 3, abs=1 / 255)


def test_reading_a_run_of_frames_matches_single_ones():
    clip = cards.find("12A-1")
    info = probe(clip.path)
    run = list(read_frames(clip.path, 20, 3, info))
    assert np.array_equal(run[2], read_frame(clip.path, 22, info))
    assert not np.array_equal(run[0], run[2])


def test_a_process_may_be_kept_to_one_thread(tmp_path):
    """The same frames; and where it may not, there are threads to be seen."""
    path = tmp_path / "bars.mp4"
    bars(path, "-pix_fmt", "yuv420p", size="640x360", frames="24")
    info = probe(path)
    process, began = psutil.Process(), {}
    frames = {}
    try:
        for threads in (1, 3):
            use_threads(threads)
            before = process.num_threads()
            reading = read_frames(path, 0, info.frames, info)
            frames[threads] = [next(reading)]
            began[threads] = process.num_threads() - before
            frames[threads] += list(reading)
    finally:
        use_threads(0)
    assert began[1] <= 0
    assert began[3] >= 3
    assert all(np.array_equal(a, b) for a, b in zip(frames[1], frames[3], strict=True))


@pytest.mark.parametrize("index", [-1, 72, 10**9])
def test_frames_outside_the_clip_are_refused(index):
    clip = cards.find("12A-1")
    with pytest.raises(MediaFault, match="there is no frame"):
        read_frame(clip.path, index, probe(clip.path))


def test_bad_clips_are_named_with_their_fault(tmp_path):
    whole = cards.find("12A-1").path.read_bytes()
    cases = {
        "missing.mov": None,
        "empty.mov": b"",
        "text.mov": b"not a clip at all" * 50,
        "head.mov": whole[: len(whole) // 200],
        "sound.mov": b"RIFF",
    }
    for name, data in cases.items():
        path = tmp_path / name
        if data is not None:
            path.write_bytes(data)
        with pytest.raises(MediaFault, match=name):
            list(decode_frames(path, 0, 72, probe(path)))


def test_a_clip_cut_short_is_found(tmp_path):
    path = tmp_path / "short.mkv"
    bars(path, "-c:v", "ffv1", frames="40", size="320x180")
    path.write_bytes(path.read_bytes()[: int(path.stat().st_size * 0.6)])
    info = probe(path)
    assert info.frames == 24
    assert info.warnings == ("the file says 38 frames, and 24 are there: it seems cut short",)
    assert len(list(decode_frames(path, 0, info.frames, info))) == 24


def test_sound_alone_is_not_a_clip(tmp_path):
    path = tmp_path / "sound.wav.mov"
    ffmpeg("-f", "lavfi", "-i", "sine=duration=0.2", str(path))
    with pytest.raises(MediaFault, match="no picture"):
        probe(path)


def test_odd_sizes_and_interlace(tmp_path):
    odd = tmp_path / "odd.mkv"
    ffmpeg(
        "-f",
        "lavfi",
        "-i",
        "testsrc=size=127x71:rate=24",
        "-frames:v",
        "6",
        "-pix_fmt",
        "yuv444p",
        "-c:v",
        "ffv1",
        str(odd),
    )
    assert read_frame(odd, 3, probe(odd)).shape == (71, 127, 3)
    interlaced = tmp_path / "interlaced.mov"
    bars(interlaced, "-vf", "interlace", "-c:v", "prores_ks", "-flags", "+ildct", size="128x96")
    assert probe(interlaced).interlaced


def test_grey_clips_have_three_equal_channels(tmp_path):
    path = tmp_path / "grey.mkv"
    bars(path, "-pix_fmt", "gray", "-c:v", "ffv1")
    frame = read_frame(path, 0, probe(path))
    assert np.array_equal(frame[..., 0], frame[..., 2])
    assert np.ptp(frame) > 0


@pytest.mark.parametrize("name", ["a.png", "a.tif", "a.jpg"])
def test_stills_come_back_as_written(tmp_path, rng, name):
    picture = np.repeat(np.repeat(rng.random((6, 8, 3)), 8, axis=0), 8, axis=1)
    write_still(tmp_path / name, picture)
    back = read_still(tmp_path / name)
    assert np.abs(back - picture).mean() < (0.02 if name.endswith("jpg") else 1e-4)


def test_stills_with_one_channel_or_alpha(tmp_path):
    ffmpeg(
        "-f",
        "lavfi",
        "-i",
        "color=0x808080:size=20x10",
        "-frames:v",
        "1",
        "-pix_fmt",
        "gray",
        str(tmp_path / "grey.png"),
    )
    assert read_still(tmp_path / "grey.png").shape == (10, 20, 3)
    ffmpeg(
        "-f", "lavfi", "-i", "color=0xff8000@0.25:size=20x10,format=rgba", "-frames:v", "1", str(tmp_path / "alpha.png")
    )
    assert read_still(tmp_path / "alpha.png")[5, 5] == pytest.approx([1, 128 / 255, 0], abs=0.01)


def test_bad_stills_are_named_with_their_fault(tmp_path):
    good = tmp_path / "good.png"
    write_still(good, np.random.default_rng(0).random((64, 64, 3)))
    for name, data in {"empty.png": b"", "text.png": b"hello", "cut.png": good.read_bytes()[:2000]}.items():
        (tmp_path / name).write_bytes(data)
        with pytest.raises(MediaFault, match=name):
            read_still(tmp_path / name)
    with pytest.raises(MediaFault, match="no such file"):
        read_still(tmp_path / "absent.png")


def test_pictures_too_large_are_refused(tmp_path):
    path = tmp_path / "huge.png"
    ffmpeg("-f", "lavfi", "-i", "color=black:size=17000x4", "-frames:v", "1", str(path))
    with pytest.raises(MediaFault, match="larger than Dovrel handles"):
        read_still(path)


def test_checksums_are_those_of_published_examples(tmp_path):
    """FIPS 180-4 and RFC 1321 for abc; SMPTE ST 2114's identifier of nothing is refused with the empty file."""
    for name in ("x", "y"):
        (tmp_path / name).write_bytes(b"abc")
    whole, (one, _) = sums_of([tmp_path / "x", tmp_path / "y"], ["md5", "sha1", "c4", "xxh64", "xxh128"])
    assert whole == hashlib.sha256(b"abcabc").hexdigest()
    assert one.size == 3
    assert one.sums["md5"] == "900150983cd24fb0d6963f7d28e17f72"
    assert one.sums["sha1"] == "a9993e364706816aba3e25717850c26c9cd0d89d"
    assert one.sums["xxh64"] == "44bc2cf5ad770999"
    assert one.sums["xxh128"] == "06b05ab6733a618578af5f94892f3950"
    assert len(one.sums["c4"]) == 90


def test_every_frame_number_gives_its_own_frame():
    """Singly sought frames equal those of one pass from the start."""
    clip = cards.find("12C-2")
    info = probe(clip.path)
    for index, frame in enumerate(read_frames(clip.path, 0, 40, info)):
        if index in (9, 11, 12, 13, 23, 35, 39):
            assert np.array_equal(frame, read_frame(clip.path, index, info))


def test_proxies_show_the_same_picture(tmp_path):
    clip = cards.find("12B-1")
    info = probe(clip.path)
    assert not needs_proxy(info)
    target = tmp_path / "proxy.mov"
    with writing_proxy(info, target) as proxy:
        for frame in frames(clip.path, 0, 3, info):
            proxy.add(frame)
    made = probe(target)
    assert (made.width, made.frames, made.bit_depth) == (960, 3, 10)
    a = shrink(codes.decode_signal(read_frame(clip.path, 1, info)))
    b = codes.decode_signal(read_frame(target, 1, proxy_info(info, clip.path)))
    assert np.abs(a - b).mean() < 0.004


def test_encoded_pictures_reach_the_working_space():
    clip = cards.find("12A-1")
    picture = to_picture(shrink(read_recorded(clip.path, 5), 320), clip.encoding)
    grey = np.median(picture.working)
    assert 0.2 < grey < 0.5
    with pytest.raises(ValueError, match="no encoding"):
        to_picture(picture.recorded, "aces:nothing")
