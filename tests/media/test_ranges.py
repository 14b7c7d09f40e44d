"""What is decoded, held to code values that were never converted: every sampling, depth, range and matrix.

Planes of flat patches are made from code values, stored losslessly, read back, and compared with
ITU-T H.273's equations for those very codes.
"""

import subprocess
from pathlib import Path

import colour
import numpy as np
import pytest

from dovrel.core.colour import codes as signal
from dovrel.media.footage import probe, read_frame
from dovrel.media.picture import WayIn

WIDTH, HEIGHT, PATCH = 256, 64, 32
COLOURS = [(0, 0, 0), (1, 0, 0), (0.5, 0, 0), (0.2, -0.1, 0.2), (0.7, -0.2, -0.05), (0.35, 0.1, 0.1), (0.9, -0.05, 0.02),
           (0.1, 0.02, 0)]  # fmt: skip
"""E′Y, E′PB and E′PR of each patch."""
WEIGHTS = {
    "bt709": (0.2126, 0.0722),
    "smpte170m": (0.299, 0.114),
    "bt2020nc": (0.2627, 0.0593),
    "smpte240m": (0.212, 0.087),
}
NAMES = {"bt709": "BT.709", "smpte170m": "BT.601", "bt2020nc": "BT.2020", "smpte240m": "SMPTE 240M"}


def codes_of(bits: int, full: bool) -> np.ndarray:
    """Integer code values (8, 3) of the patches (H.273, 8.3)."""
    unit, top = 1 << (bits - 8), (1 << bits) - 1
    y, *chroma = np.array(COLOURS).T
    if full:
        return np.round([y * top, *(c * top + (1 << (bits - 1)) for c in chroma)]).astype(int).T
    return np.round([(219 * y + 16) * unit, *((224 * c + 128) * unit for c in chroma)]).astype(int).T


def meant_by(codes: np.ndarray, bits: int, full: bool, matrix: str) -> np.ndarray:
    """R′G′B′ (8, 3) of code values; recorded codes hold them from -0.125 to 1.125."""
    kr, kb = WEIGHTS[matrix]
    unit, top = 1 << (bits - 8), (1 << bits) - 1
    y, cb, cr = codes.T.astype(float)
    if full:
        y, cb, cr = y / top, (cb - (1 << (bits - 1))) / top, (cr - (1 << (bits - 1))) / top
    else:
        y, cb, cr = (y - 16 * unit) / (219 * unit), (cb - 128 * unit) / (224 * unit), (cr - 128 * unit) / (224 * unit)
    red, blue = y + 2 * (1 - kr) * cr, y + 2 * (1 - kb) * cb
    green = (y - kr * red - kb * blue) / (1 - kr - kb)
    return np.clip(np.stack([red, green, blue], axis=1), -0.125, 1.125)


def recorded(
    path: Path, codes: np.ndarray, bits: int, sampling: str, full: bool, matrix: str, codec: list[str]
) -> Path:
    """A clip of two frames whose planes hold the codes, untouched."""
    kind = f"yuv{sampling}p" + ("" if bits == 8 else f"{bits}le")
    planes = []
    for plane in np.repeat(codes.T[:, None, :], HEIGHT, axis=1).repeat(PATCH, axis=2):
        whole = plane.astype(np.uint8 if bits == 8 else "<u2")
        if planes and sampling != "444":
            whole = whole[:: 2 if sampling == "420" else 1, ::2]
        planes.append(whole.tobytes())
    tags = ["-color_range", "pc" if full else "tv", "-colorspace", matrix]
    command = ["ffmpeg", "-v", "error", "-y", "-f", "rawvideo", "-pix_fmt", kind, *tags, "-s", f"{WIDTH}x{HEIGHT}",
               "-r", "24", "-i", "-", *codec, "-pix_fmt", kind, *tags, str(path)]  # fmt: skip
    subprocess.run(command, input=b"".join(planes) * 2, check=True, stdout=subprocess.DEVNULL)
    return path


FFV1, H264 = ["-c:v", "ffv1"], ["-c:v", "libx264", "-qp", "0"]
KINDS = [
    *[(bits, sampling, FFV1, "mkv") for bits in (8, 10, 12, 16) for sampling in ("420", "422", "444")],
    *[(8, sampling, H264, "mp4") for sampling in ("420", "422", "444")],
    *[(10, sampling, H264, "mov") for sampling in ("420", "422")],
]


CASES = [(*kind, "bt709") for kind in KINDS]
CASES += [(*kind, matrix) for kind in (KINDS[0], KINDS[-1]) for matrix in WEIGHTS if matrix != "bt709"]


@pytest.mark.parametrize("full", [False, True], ids=["narrow", "full"])
@pytest.mark.parametrize(
    ("bits", "sampling", "codec", "kind", "matrix"), CASES, ids=[f"{c[2][1]}-{c[1]}-{c[0]}-{c[4]}" for c in CASES]
)
def test_patches_are_read_as_their_codes_mean(tmp_path, bits, sampling, codec, kind, full, matrix):
    codes = codes_of(bits, full)
    clip = recorded(tmp_path / f"clip.{kind}", codes, bits, sampling, full, matrix, codec)
    info = probe(clip)
    assert (info.bit_depth, info.full_range, info.matrix) == (bits, full, NAMES[matrix])
    frame = signal.decode_signal(read_frame(clip, 1, info))
    meant = meant_by(codes, bits, full, matrix)
    for number in range(len(COLOURS)):
        middle = frame[20:44, number * PATCH + 12 : number * PATCH + 20].mean(axis=(0, 1))
        assert np.abs(middle - meant[number]).max() < 1e-4


@pytest.mark.parametrize(("tag", "name"), [("ycgco", "YCgCo"), ("bt2020c", "BT.2020 CL")])
def test_what_is_no_matrix_of_luma_is_read_as_colour_science_reads_it(tmp_path, tag, name):
    codes = codes_of(10, False)
    info = probe(clip := recorded(tmp_path / "clip.mkv", codes, 10, "444", False, tag, FFV1))
    assert info.matrix == name
    frame = signal.decode_signal(read_frame(clip, 0, info))
    y, cb, cr = ((codes - [64, 512, 512]) / [876, 896, 896]).T
    if tag == "ycgco":
        meant = colour.YCoCg_to_RGB(np.stack([y, cr, cb], axis=-1))
    else:
        meant = colour.models.oetf_BT2020(colour.YcCbcCrc_to_RGB(np.stack([y, cb, cr], axis=-1), in_legal=False))
    inside = [number for number, one in enumerate(meant) if (one >= 0).all() and (one <= 1).all()]
    assert len(inside) >= 3
    for number in inside:
        assert frame[32, number * PATCH + 16] == pytest.approx(meant[number], abs=2e-3)


@pytest.mark.parametrize("tagged", ["tv", "pc"])
@pytest.mark.parametrize("kind", ["gray", "gray10le", "gbrp", "gbrp10le"])
def test_grey_and_rgb_are_of_the_range_that_they_are_tagged_with(tmp_path, kind, tagged):
    bits = 10 if "10" in kind else 8
    levels = np.repeat([0.0, 0.25, 0.5, 1.0], 32)
    unit = 1 << (bits - 8)
    codes = np.round((219 * levels + 16) * unit if tagged == "tv" else levels * ((1 << bits) - 1))
    plane = np.tile(codes.astype(np.uint8 if bits == 8 else "<u2"), (64, 1))
    clip = tmp_path / "clip.mkv"
    command = ["ffmpeg", "-v", "error", "-y", "-f", "rawvideo", "-pix_fmt", kind, "-color_range", tagged, "-s", "128x64", "-r", "24",
               "-i", "-", "-c:v", "ffv1", "-pix_fmt", kind, "-color_range", tagged, str(clip)]  # fmt: skip
    subprocess.run(command, input=plane.tobytes() * (1 if "gray" in kind else 3), check=True, stdout=subprocess.DEVNULL)
    info = probe(clip)
    assert info.full_range == (tagged == "pc")
    assert "range" not in info.assumed
    row = signal.decode_signal(read_frame(clip, 0, info))[32, 16::32]
    assert row == pytest.approx(np.repeat([[0.0], [0.25], [0.5], [1.0]], 3, axis=1), abs=0.6 / (1 << bits))


@pytest.mark.parametrize(
    ("tag", "primaries", "said"),
    [
        ("arib-std-b67", "bt2020", ("HLG", "BT.2020")),
        ("smpte2084", "bt2020", ("PQ", "BT.2020")),
        ("bt709", "bt709", ("BT.709", "BT.709")),
        ("iec61966-2-1", "smpte432", ("sRGB", "P3-D65")),
        ("unknown", "unknown", ("", "")),
    ],
)
def test_transfer_and_primaries_are_read_from_the_file(tmp_path, tag, primaries, said):
    clip = tmp_path / "clip.mp4"
    command = ["ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", "testsrc2=size=128x72:rate=24", "-frames:v", "3",
               "-c:v", "libx264", "-pix_fmt", "yuv420p10le", "-color_trc", tag, "-color_primaries", primaries, str(clip)]  # fmt: skip
    subprocess.run(command, check=True, stdin=subprocess.DEVNULL)
    info = probe(clip)
    assert (info.transfer, info.primaries) == said


@pytest.mark.parametrize("level", [1.085, 1.03, -0.06])
def test_levels_beyond_the_nominal_range_are_kept(tmp_path, level):
    """Narrow-range luma above white and below black, as recorded and through the working space."""
    codes = np.repeat(np.array([[round((219 * level + 16) * 4), 512, 512]]), 8, axis=0)
    clip = recorded(tmp_path / "beyond.mkv", codes, 10, "422", False, "bt709", FFV1)
    info = probe(clip)
    meant = (codes[0, 0] / 4 - 16) / 219
    code = read_frame(clip, 0, info)
    assert signal.decode_signal(code[32, 128]) == pytest.approx([meant] * 3, abs=1e-4)
    plain = WayIn("rec709", "plain-video").exactly(signal.decode_signal(code))
    assert plain.working[32, 128] == pytest.approx([meant] * 3, abs=1e-4)
    way = WayIn("rec709")
    beyond, white = (
        way.exactly(np.full((2, 2, 3), value, np.float32)).working[0, 0] for value in (meant, round(meant))
    )
    if level > 1:
        stops = 2.4 * np.log2(meant)
        assert (beyond - white) * 17.52 == pytest.approx([stops] * 3, abs=0.02)
    else:
        assert (beyond < white).all()
    assert way.quickly(code).working[32, 128] == pytest.approx(beyond, abs=2e-3)
