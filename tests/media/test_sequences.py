"""Stills as clips: one, and numbered runs of them."""

import numpy as np
import OpenImageIO as oiio
import pytest

from dovrel.core.colour.codes import decode_signal
from dovrel.media.clip import Reading
from dovrel.media.faults import MediaFault
from dovrel.media.footage import files_of, frames, probe, read_frame
from dovrel.media.picture import WayIn


def written(path, level: float, kind=oiio.UINT16, size=(48, 32), **attributes):
    spec = oiio.ImageSpec(size[0], size[1], 3, kind)
    for name, value in attributes.items():
        if name == "timecode":
            spec.attribute("smpte:TimeCode", oiio.TypeDesc("timecode"), value)
        else:
            spec.attribute(name.replace("__", ":"), value)
    image = oiio.ImageOutput.create(str(path))
    assert image.open(str(path), spec)
    image.write_image(np.full((size[1], size[0], 3), level, np.float32))
    image.close()
    return path


def brightness(path, info, frame):
    return float(decode_signal(read_frame(path, frame, info))[10, 10, 1])


@pytest.mark.parametrize(("suffix", "kind"), [("dpx", oiio.UINT16), ("tif", oiio.UINT16), ("png", oiio.UINT8)])
def test_a_sequence_is_a_clip_with_its_gaps_told(tmp_path, suffix, kind):
    for number in (1001, 1002, 1003, 1006, 1007):
        written(tmp_path / f"a.{number}.{suffix}", (number - 1000) / 10, kind)
    first = tmp_path / f"a.1001.{suffix}"
    info = probe(first, Reading(numbers=((1001, 1003), (1006, 1007))))
    assert (info.frames, info.rate, info.size) == (5, 24, (48, 32))
    assert "1004 to 1005" in info.warnings[0]
    assert [brightness(first, info, n) for n in range(5)] == pytest.approx([0.1, 0.2, 0.3, 0.6, 0.7], abs=2e-3)
    assert [path.name for path in files_of(first, info)][3] == f"a.1006.{suffix}"


def test_a_still_is_one_frame(tmp_path):
    info = probe(written(tmp_path / "one.png", 0.25))
    assert (info.frames, info.full_range, info.matrix) == (1, True, "RGB")
    assert brightness(tmp_path / "one.png", info, 0) == pytest.approx(0.25, abs=1e-4)


def test_linear_light_without_an_end_is_kept(tmp_path):
    """Six stops above white and below grey, through the working space and back."""
    levels = [0.001, 0.18, 1.0, 11.5]
    for number, level in enumerate(levels):
        written(tmp_path / f"l.{number}.exr", level, oiio.FLOAT)
    first = tmp_path / "l.0.exr"
    info = probe(first, Reading(numbers=((0, 3),)))
    assert info.floating
    way = WayIn("aces:ACEScg", floating=True)
    for number, level in enumerate(levels):
        code = read_frame(first, number, info)
        for picture in (way.exactly(decode_signal(code)), way.quickly(code)):
            expected = (np.log2(level) + 9.72) / 17.52 if level > 0.0078125 else 10.5402377416545 * level + 0.0729055
            assert picture.working[5, 5] == pytest.approx([expected] * 3, abs=2e-4)


def test_headers_say_rate_and_timecode(tmp_path):
    """A timecode of 10:12:14:06 as SMPTE 12M packs it."""
    still = written(tmp_path / "t.dpx", 0.5, dpx__FrameRate=25.0, timecode=(0x10121406, 0))
    info = probe(still)
    assert info.rate == 25
    assert info.timecode == "10:12:14:06"


def test_a_damaged_picture_shows_its_neighbour_and_is_named(tmp_path):
    for number in range(4):
        written(tmp_path / f"d{number}.png", number / 10 + 0.1)
    (tmp_path / "d2.png").write_bytes(b"no picture")
    info = probe(tmp_path / "d0.png", Reading(numbers=((0, 3),)))
    missing: list[int] = []
    shown = [float(decode_signal(frame.codes())[5, 5, 0]) for frame in frames(tmp_path / "d0.png", 0, 4, info, missing)]
    assert missing == [2]
    assert shown == pytest.approx([0.1, 0.2, 0.2, 0.4], abs=1e-3)
    later = [float(decode_signal(frame.codes())[5, 5, 0]) for frame in frames(tmp_path / "d0.png", 2, 2, info)]
    assert later == pytest.approx([0.4, 0.4], abs=1e-3)
    with pytest.raises(MediaFault):
        list(frames(tmp_path / "d0.png", 2, 1, info))
