"""Files are opened where this process may read, and nowhere else; what they take is bounded."""

import numpy as np
import OpenImageIO as oiio
import pytest

from dovrel.core.colour import encodings
from dovrel.formats import asc_cdl
from dovrel.media import opening
from dovrel.media.faults import MediaFault
from dovrel.media.stills import read_still


@pytest.fixture
def below(tmp_path, monkeypatch):
    folder = tmp_path / "media"
    folder.mkdir()
    (tmp_path / "private").write_text("secret")
    monkeypatch.setattr(opening, "_below", None)
    opening.read_only_below([folder])
    return folder


def test_a_file_below_a_named_folder_is_opened_and_stays_the_same(below):
    (below / "a").write_text("one")
    with opening.opened(below / "a") as here:
        (below / "b").write_text("two")
        (below / "b").replace(below / "a")
        assert here.read_text() == "one"


@pytest.mark.parametrize("kind", ["link", "dots", "linked folder"])
def test_a_file_elsewhere_is_not_opened_by_any_way(below, kind):
    if kind == "link":
        path = below / "link"
        path.symlink_to(below.parent / "private")
    elif kind == "dots":
        path = below / ".." / "private"
    else:
        (below / "out").symlink_to(below.parent)
        path = below / "out" / "private"
    with pytest.raises(MediaFault, match="lies outside"), opening.opened(path):
        pass


def test_what_is_no_file_is_refused_at_once(below):
    import os

    os.mkfifo(below / "pipe")
    for name, said in (("pipe", "is not a file"), ("", "is not a file"), ("nothing", "there is no such file")):
        with pytest.raises(MediaFault, match=said), opening.opened(below / name):
            pass


def still(path, width: int, height: int, channels: int, kind=oiio.HALF):
    spec = oiio.ImageSpec(width, height, channels, kind)
    target = oiio.ImageOutput.create(str(path))
    assert target.open(str(path), spec)
    target.write_image(np.full((height, width, channels), 0.25, np.float32))
    target.close()
    return path


def test_pictures_are_bounded_by_what_decoding_takes(tmp_path):
    many = still(tmp_path / "many.exr", 700, 700, 600)
    with pytest.raises(MediaFault, match=r"many\.exr: its 600 channels take 1\.2 GB to decode; Dovrel takes 1\.1 GB"):
        read_still(many)
    few = read_still(still(tmp_path / "few.exr", 300, 200, 40))
    assert few.shape == (200, 300, 3)
    assert few == pytest.approx(0.25)
    wide = still(tmp_path / "wide.png", 16000, 2600, 1, oiio.UINT8)
    with pytest.raises(MediaFault, match="16000×2600 pixels is larger than Dovrel handles: 16384 a side, 40 million"):
        read_still(wide)


@pytest.mark.parametrize(
    ("name", "text", "said"),
    [
        ("a.cube", "LUT_3D_SIZE 2\n" + "0 0 0\nnan 0 0\n" * 4, "values that are not numbers"),
        ("b.cube", "LUT_3D_SIZE 2\n" + "0 0 0\n1e30 0 0\n" * 4, "values beyond 1000000"),
        ("c.cube", "LUT_3D_SIZE 2\n" + "0 0 0\ninf 0 0\n" * 4, "values that are not numbers"),
        ("f.cube", "LUT_3D_SIZE 2\n0 0 0\n\xa8\xff 1 0\n", "not a readable encoding file"),
        ("d.cube", "root:x:0:0:root:/root:/bin/bash\n", "not a readable encoding file"),
        ("e.clf", '<ProcessList id="x" compCLFversion="3"><LUT1D inBitDepth="32f" outBitDepth="32f">'
                  '<Array dim="2 1">0 nan</Array></LUT1D></ProcessList>', "values that are not numbers"),
    ],
)  # fmt: skip
def test_tables_of_absurd_values_are_refused_without_quoting_them(tmp_path, name, text, said):
    path = tmp_path / name
    path.write_bytes(text.encode("latin1"))
    with pytest.raises(ValueError, match=said) as refused:
        encodings.describe(f"file:{path}")
    assert str(refused.value).startswith(f"{name}: ")
    assert "root" not in str(refused.value)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("<ColorCorrectionCollection>" + "<ColorCorrection>" * 20_000, "nested deeper"),
        ("<a>" * 20_000 + "</a>" * 20_000, "nested deeper"),
        ("<!DOCTYPE x [<!ENTITY a 'b'>]><ColorCorrection>&a;</ColorCorrection>", "defines entities"),
        ("<ColorCorrection><SOPNode><Slope>1 1 1e300</Slope></SOPNode></ColorCorrection>", "beyond 1000000"),
        ("<ColorCorrection><SOPNode><Slope>1 1 nan</Slope></SOPNode></ColorCorrection>", "finite"),
        ("<ColorCorrection><SOPNode><Slope>1 1</Slope></SOPNode></ColorCorrection>", "needs 3 numbers"),
        ("\x00\x01", "not a readable XML file"),
        ("<b/>", "no ColorCorrection"),
    ],
)
def test_cdl_files_that_are_none_are_refused_in_a_sentence(tmp_path, text, said):
    path = tmp_path / "odd.ccc"
    path.write_text(text)
    with pytest.raises(ValueError, match=said) as refused:
        asc_cdl.read(path)
    assert str(refused.value).startswith("odd.ccc: ")
    assert "\n" not in str(refused.value)
