"""What stills say of their colours, layers, windows and orientation, held to the standards' numbers."""

import struct
import zlib

import colour
import numpy as np
import OpenImageIO as oiio
import pytest
from PIL import Image, ImageCms, ImageOps

from dovrel.core.colour.encodings import available
from dovrel.core.colour.likely import Said, likely_encoding
from dovrel.media.faults import MediaFault
from dovrel.media.footage import probe
from dovrel.media.stills import describe_still, read_still

LEVEL = 0.5


def written(path, kind=oiio.UINT16, pixels=None, channels=("R", "G", "B"), windows=None, **attributes):
    pixels = np.full((16, 24, len(channels)), LEVEL, np.float32) if pixels is None else pixels
    spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], len(channels), kind)
    spec.channelnames = channels
    if windows:
        spec.x, spec.y, spec.full_x, spec.full_y, spec.full_width, spec.full_height = windows
    for name, value in attributes.items():
        kinds = {4: "int[4]", 8: "float[8]"}
        if isinstance(value, tuple):
            spec.attribute(name.replace("__", ":"), kinds[len(value)], value)
        else:
            spec[name.replace("__", ":")] = value
    image = oiio.ImageOutput.create(str(path))
    assert image.open(str(path), spec), image.geterror()
    assert image.write_image(np.ascontiguousarray(pixels, np.float32))
    image.close()
    return path


def likely(path):
    info = probe(path)
    said = Said(info.make, info.model, info.transfer, info.primaries, info.tags)
    return likely_encoding(said, (), "rec709", available())


def png_of(path, *chunks: tuple[bytes, bytes]):
    """A PNG with these chunks after its header, and none of what a library would add."""

    def chunk(name: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    rows = b"".join(b"\0" + bytes([126, 126, 126]) * 4 for _ in range(4))
    head = struct.pack(">2I5B", 4, 4, 8, 2, 0, 0, 0)
    parts = [(b"IHDR", head), *chunks, (b"IDAT", zlib.compress(rows)), (b"IEND", b"")]
    path.write_bytes(b"\x89PNG\r\n\x1a\n" + b"".join(chunk(*part) for part in parts))
    return path


def icc_of(space: str, curve: bytes) -> bytes:
    """A display profile with the primaries of a colour space of colour-science, adapted to D50."""
    known = colour.RGB_COLOURSPACES[space]
    white = colour.xy_to_XYZ(known.whitepoint)
    adapted = colour.adaptation.matrix_chromatic_adaptation_VonKries(white, [0.9642, 1, 0.8249], "Bradford")
    columns = adapted @ known.matrix_RGB_to_XYZ
    tags = {
        name: b"XYZ \0\0\0\0" + struct.pack(">3i", *np.round(column * 65536).astype(int))
        for name, column in zip((b"rXYZ", b"gXYZ", b"bXYZ"), columns.T, strict=True)
    }
    tags |= dict.fromkeys((b"rTRC", b"gTRC", b"bTRC"), curve)
    table, data = struct.pack(">I", len(tags)), b""
    for name, content in tags.items():
        table += struct.pack(">4sII", name, 132 + 12 * len(tags) + len(data), len(content))
        data += content + b"\0" * (-len(content) % 4)
    whole = 128 + len(table) + len(data)
    head = struct.pack(">I4sI4s4s4s", whole, b"none", 0x04300000, b"mntr", b"RGB ", b"XYZ ") + b"\0" * 12 + b"acsp"
    return head.ljust(128, b"\0") + table + data


def para(*numbers: float) -> bytes:
    kinds = {1: 0, 5: 3}
    return struct.pack(">4sIHH", b"para", 0, kinds[len(numbers)], 0) + struct.pack(
        f">{len(numbers)}i", *(round(number * 65536) for number in numbers)
    )


SRGB_CURVE = para(2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045)
SAMPLED = np.round(colour.models.eotf_sRGB(np.linspace(0, 1, 1024)) * 65535).astype(int)
SRGB_TABLE = struct.pack(">4sII", b"curv", 0, 1024) + struct.pack(">1024H", *SAMPLED)


@pytest.mark.parametrize(
    ("profile", "encoding", "assumed"),
    [
        (icc_of("sRGB", SRGB_CURVE), "srgb", False),
        (icc_of("Display P3", SRGB_CURVE), "p3", False),
        (icc_of("Display P3", SRGB_TABLE), "p3", False),
        (icc_of("ITU-R BT.2020", para(2.4)), "rec2020", False),
        (icc_of("ACEScg", para(1.0)), "aces:ACEScg", False),
        (icc_of("Adobe RGB (1998)", para(2.2)), "rec709", True),
        (b"nonsense", "rec709", True),
        (ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes(), "srgb", False),
    ],
)
@pytest.mark.parametrize("suffix", ["png", "tif", "jpg"])
def test_icc_profiles_are_read(tmp_path, profile, encoding, assumed, suffix):
    path = tmp_path / f"a.{suffix}"
    Image.new("RGB", (8, 8), (127, 127, 127)).save(path, icc_profile=profile)
    found = likely(path)
    assert (found.encoding, found.assumed) == (encoding, assumed)
    assert assumed or not probe(path).warnings


def test_a_profile_that_has_no_encoding_is_told(tmp_path):
    path = tmp_path / "a.tif"
    Image.new("RGB", (8, 8)).save(path, icc_profile=icc_of("Adobe RGB (1998)", para(2.2)))
    assert probe(path).warnings == ("Dovrel has no encoding for its colour profile",)


def gama(gamma: float) -> tuple[bytes, bytes]:
    return b"gAMA", struct.pack(">I", round(100_000 / gamma))


def chrm(space: str) -> tuple[bytes, bytes]:
    known = colour.RGB_COLOURSPACES[space]
    numbers = [*known.whitepoint, *known.primaries.ravel()]
    return b"cHRM", struct.pack(">8I", *(round(number * 100_000) for number in numbers))


@pytest.mark.parametrize(
    ("chunks", "encoding", "assumed"),
    [
        ([], "rec709", True),
        ([(b"sRGB", b"\0")], "srgb", False),
        ([(b"cICP", bytes((9, 16, 0, 1)))], "pq", False),
        ([(b"cICP", bytes((9, 18, 0, 1)))], "hlg", False),
        ([(b"cICP", bytes((12, 13, 0, 1))), (b"sRGB", b"\0")], "p3", False),
        ([(b"cICP", bytes((12, 16, 0, 1)))], "pq", True),
        ([gama(2.2), chrm("sRGB")], "srgb", False),
        ([gama(2.2), chrm("P3-D65")], "p3", False),
        ([gama(1.0), chrm("ITU-R BT.2020")], "aces:Linear Rec.2020", False),
        ([gama(1.0)], "aces:Linear Rec.709 (sRGB)", False),
        ([gama(1.8), chrm("sRGB")], "rec709", True),
        ([gama(2.2), chrm("Adobe RGB (1998)")], "rec709", True),
    ],
)
def test_chunks_of_png_are_read(tmp_path, chunks, encoding, assumed):
    found = likely(png_of(tmp_path / "a.png", *chunks))
    assert (found.encoding, found.assumed) == (encoding, assumed)


def test_narrow_codes_of_png_are_read_as_such(tmp_path):
    path = png_of(tmp_path / "a.png", (b"cICP", bytes((1, 1, 0, 0))))
    info = probe(path)
    assert not info.full_range
    assert read_still(path)[2, 2] == pytest.approx([(126 - 16) / 219] * 3, abs=1e-6)
    assert read_still(path, True)[2, 2] == pytest.approx([126 / 255] * 3, abs=1e-6)


AP0, AP1 = (
    tuple(float(one) for one in (*known.primaries.ravel(), *known.whitepoint))
    for known in (colour.RGB_COLOURSPACES["ACES2065-1"], colour.RGB_COLOURSPACES["ACEScg"])
)


@pytest.mark.parametrize(
    ("attributes", "encoding", "assumed"),
    [
        ({}, "aces:Linear Rec.709 (sRGB)", True),
        ({"chromaticities": AP0}, "aces:ACES2065-1", False),
        ({"chromaticities": AP1}, "aces:ACEScg", False),
        ({"colorInteropID": "lin_ap1_scene"}, "aces:ACEScg", False),
        ({"colorInteropID": "lin_p3d65_scene"}, "aces:Linear P3-D65", False),
        ({"colorInteropID": "lin_adobergb_scene"}, "aces:Linear Rec.709 (sRGB)", True),
        ({"chromaticities": (0.6, 0.3, 0.2, 0.7, 0.15, 0.05, 0.3, 0.3)}, "aces:Linear Rec.709 (sRGB)", True),
    ],
)
def test_exr_says_its_primaries(tmp_path, attributes, encoding, assumed):
    found = likely(written(tmp_path / "a.exr", oiio.HALF, **attributes))
    assert (found.encoding, found.assumed) == (encoding, assumed)


def test_dpx_says_transfer_levels_and_rate(tmp_path):
    path = written(
        tmp_path / "a.dpx",
        oiio__BitsPerSample=10,
        dpx__Transfer="ITU-R 709-4",
        dpx__Colorimetric="ITU-R 709-4",
        dpx__LowData=64,
        dpx__HighData=940,
        dpx__FrameRate=29.97,
    )
    info = probe(path)
    assert (info.transfer, info.primaries, info.full_range) == ("BT.709", "BT.709", False)
    assert info.rate == pytest.approx(30000 / 1001, abs=0) and info.rate.denominator == 1001
    assert read_still(path)[5, 5, 0] == pytest.approx((LEVEL * 1023 - 64) / 876, abs=1e-3)
    film = probe(written(tmp_path / "b.dpx", dpx__Transfer="Printing density"))
    assert film.transfer == "" and "Printing density" in film.warnings[0]


@pytest.mark.parametrize("orientation", range(1, 9))
@pytest.mark.parametrize("suffix", ["jpg", "tif"])
def test_pictures_stand_upright(tmp_path, orientation, suffix):
    """Turned as another library turns them."""
    picture = np.zeros((16, 24, 3), np.float32)
    picture[:8, :8], picture[8:, 16:] = (1, 0, 0), (0, 0, 1)
    path = written(tmp_path / f"a.{suffix}", oiio.UINT8, picture, Orientation=orientation)
    expected = np.asarray(ImageOps.exif_transpose(Image.open(path)), np.float32) / 255
    info = describe_still(path)
    assert (info.height, info.width) == expected.shape[:2]
    assert read_still(path) == pytest.approx(expected, abs=0.03)
    assert orientation == 1 or not np.array_equal(expected, picture)


def test_the_display_window_is_what_is_shown(tmp_path):
    rows = np.linspace(0.1, 0.9, 16, dtype=np.float32)[:, None, None] * np.ones((16, 24, 3), np.float32)
    within = written(tmp_path / "a.exr", oiio.HALF, rows, windows=(4, 2, 0, 0, 40, 30))
    assert probe(within).size == (40, 30)
    shown = read_still(within)
    assert shown[1, 10, 0] == 0 and shown[20, 10, 0] == 0 and shown[5, 30, 0] == 0
    assert shown[2:18, 4:28, 0] == pytest.approx(rows[..., 0], abs=1e-3)
    beyond = read_still(written(tmp_path / "b.exr", oiio.HALF, rows, windows=(-4, -2, 0, 0, 10, 10)))
    assert beyond[..., 0] == pytest.approx(rows[2:12, 4:14, 0], abs=1e-3)


def in_layers(path, *names):
    """Each channel holds its place among the names, a tenth each."""
    levels = np.arange(1, len(names) + 1, dtype=np.float32) / 10
    return written(path, oiio.FLOAT, np.tile(levels, (8, 8, 1)), names)


@pytest.mark.parametrize(
    ("names", "expected"),
    [
        (("R", "G", "B", "A.R", "A.G", "A.B"), (0.1, 0.2, 0.3)),
        (("albedo.R", "albedo.G", "albedo.B", "beauty.R", "beauty.G", "beauty.B"), (0.4, 0.5, 0.6)),
        (("N.X", "N.Y", "N.Z", "fill.R", "fill.G", "fill.B"), (0.4, 0.5, 0.6)),
        (("Y",), (0.1, 0.1, 0.1)),
    ],
)
def test_the_layer_of_the_picture_is_read(tmp_path, names, expected):
    path = in_layers(tmp_path / "a.exr", *names)
    assert sorted(read_still(path)[3, 3].tolist()) == pytest.approx(sorted(expected))
    assert not probe(path).warnings


def test_layers_that_might_each_be_the_picture_are_told(tmp_path):
    path = in_layers(tmp_path / "a.exr", "far.R", "far.G", "far.B", "near.R", "near.G", "near.B")
    assert "several layers" in probe(path).warnings[0] and "near" in probe(path).warnings[0]


def test_channels_that_are_no_colours_are_no_picture(tmp_path):
    with pytest.raises(MediaFault, match="holds no picture; its channels are"):
        probe(in_layers(tmp_path / "a.exr", "N.X", "N.Y", "N.Z", "depth"))


def test_values_without_an_end_are_bounded_and_told(tmp_path):
    picture = np.full((8, 8, 3), 0.18, np.float32)
    picture[1, 1], picture[2, 2, 0], picture[3, 3] = np.inf, np.nan, -np.inf
    path = written(tmp_path / "a.exr", oiio.HALF, picture)
    assert probe(path).warnings == ("3 pixels hold a value that is infinite or not a number; it is shown at its bound",)
    read = read_still(path)
    assert np.isfinite(read).all()
    assert (read[1, 1, 0], read[2, 2, 0], read[3, 3, 2]) == (65504, 0, -65504)
