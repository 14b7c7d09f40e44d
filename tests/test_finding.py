"""What lies on a card: clips, sequences, takes over several files, lists of checksums, and what is passed over."""

import hashlib
import subprocess

import numpy as np
import pytest
import xxhash

from dovrel.formats import checksum_list
from dovrel.formats.checksum_list import FolderSums, Listed, Sum
from dovrel.jobs.finding import find_below
from dovrel.media.checksums import sums_of
from dovrel.media.footage import probe, read_frame
from dovrel.media.sequence import runs_of
from dovrel.media.stills import write_still


def clip(path, timecode="01:00:00:00", frames=12, colour="red"):
    command = ["ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", f"color={colour}:size=64x64:rate=24", "-frames:v",
               str(frames), "-timecode", timecode, "-c:v", "prores_ks", str(path)]  # fmt: skip
    subprocess.run(command, check=True, stdin=subprocess.DEVNULL)
    return path


def still(path):
    write_still(path, np.full((16, 16, 3), 0.5))
    return path


def test_folders_have_the_checksums_that_the_standard_gives_them(tmp_path):
    """Those of the ASC's own tool for three files that hold a letter and a line's end each."""
    values = {"sub/deep/c.txt": "8028a127a9a16da01fe9603eafb243f7", "sub/b.txt": "ccd433e50931cf855b19ef905838a84a",
              "a.txt": "5c73e7e3dcbb0395e841f27363849a18"}  # fmt: skip
    files = [Listed(path, 2, Sum("xxh128", value)) for path, value in values.items()]
    assert checksum_list.folder_sums(files) == {
        "sub/deep": FolderSums("8c74fc4d9cfe0abfb1078d1aa229b646", "c201a66cec2ff704ce5af5ce4d93c1da"),
        "sub": FolderSums("61839494692069e17388b136c01b6fbc", "4e4d9f2da93dec0dcfe3bd3d02ee0ef5"),
        ".": FolderSums("f571f77e83a8c42a620ced5a5117dfa9", "0cc2b922a4623a90ad16d7c629ab4568"),
    }
    path = tmp_path / "ascmhl" / "0001_card.mhl"
    path.parent.mkdir()
    checksum_list.write_asc_mhl(path, files, "card")
    chain = (path.parent / "ascmhl_chain.xml").read_text()
    (_, (summed,)) = sums_of([path], ["c4"])
    assert "<path>0001_card.mhl</path>" in chain and f"<c4>{summed.sums['c4']}</c4>" in chain
    assert checksum_list.read(path).sums.keys() == {tmp_path / name for name in values}


def test_what_is_passed_over_is_named_with_its_reason(tmp_path):
    clip(tmp_path / "a.mov")
    still(tmp_path / "a_thumb.png")
    still(tmp_path / "a2.png")
    for name, content in (("notes.txt", "x"), (".hidden.mov", "x"), ("page.ts", "export const a = 1;"), ("LIST", "x")):
        (tmp_path / name).write_text(content)
    (tmp_path / "link.mov").symlink_to("/etc/hostname")
    below = find_below(tmp_path)
    assert [found.path.name for found in below.clips] == ["a.mov", "a2.png"]
    assert {one.name: one.reason for one in below.passed} == {
        "a_thumb.png": "the small picture of a clip",
        "notes.txt": ".txt is no kind of clip",
        ".hidden.mov": "hidden",
        "page.ts": "not a transport stream",
        "LIST": "no kind of clip",
        "link.mov": "a link; what it leads to is not followed",
    }


def test_stills_in_a_row_are_a_sequence_and_others_shots(tmp_path):
    for number in (8, 9, 10, 12):
        still(tmp_path / f"plate.{number:04d}.png")
    still(tmp_path / "card.png")
    found = {one.path.name: one.reading.numbers for one in find_below(tmp_path).clips}
    assert found == {"plate.0008.png": ((8, 10), (12, 12)), "card.png": ()}
    assert runs_of([3, 1, 2, 7]) == ((1, 3), (7, 7))


def test_a_take_that_its_camera_cut_is_one_shot(tmp_path):
    clip(tmp_path / "T001_1.mov", "01:00:00:00", 12, "red")
    clip(tmp_path / "T001_2.mov", "01:00:00:12", 12, "green")
    clip(tmp_path / "T001_3.mov", "01:00:01:00", 7, "blue")
    (found,) = find_below(tmp_path).clips
    assert found.reading.parts == ("T001_2.mov", "T001_3.mov")
    info = probe(found.path, found.reading)
    assert info.frames == 31
    brightest = [int(read_frame(found.path, n, info)[32, 32].argmax()) for n in (0, 11, 12, 23, 24, 30)]
    assert brightest == [0, 0, 1, 1, 2, 2]


@pytest.mark.parametrize(
    "second", [("01:00:00:20", 12), ("01:00:00:12", 5)], ids=["a pause between", "two takes on running timecode"]
)
def test_takes_that_only_follow_each_other_stay_apart(tmp_path, second):
    clip(tmp_path / "C1.mov", "01:00:00:00", 12)
    clip(tmp_path / "C2.mov", *second)
    assert len(find_below(tmp_path).clips) == 2


def test_checksum_lists_of_every_kind_are_read(tmp_path):
    data = b"a clip"
    card = tmp_path / "card"
    (card / "clips").mkdir(parents=True)
    (card / "clips" / "a.mov").write_bytes(data)
    md5, sha = hashlib.md5(data).hexdigest(), hashlib.sha256(data).hexdigest()
    xx = xxhash.xxh64(data).hexdigest()
    (card / "sums.md5").write_text(f"{md5.upper()} *clips/a.mov\n\n# a note\n{'0' * 32}  ../outside.mov\n")
    (card / "SHA256SUMS").write_text(f"SHA256 (clips/a.mov) = {sha}\n")
    (card / "old.mhl").write_text(
        f"<hashlist version='1.1'><hash><file>clips\\a.mov</file><size>6</size><xxhash64be>{xx}</xxhash64be></hash></hashlist>"
    )
    (card / "ascmhl").mkdir()
    new = card / "ascmhl" / "0001_card.mhl"
    checksum_list.write_asc_mhl(new, [Listed("clips/a.mov", 6, Sum("md5", md5))], "card")
    (card / "clips" / "a.xxh64").write_text(f"{xx}  a.mov")
    wanted = {"sums.md5": ("md5", md5), "SHA256SUMS": ("sha256", sha), "old.mhl": ("xxh64", xx),
              "0001_card.mhl": ("md5", md5), "a.xxh64": ("xxh64", xx)}  # fmt: skip
    lists = find_below(card).lists
    assert {path.name for path in lists} == set(wanted)
    for path in lists:
        assert checksum_list.read(path).sums == {card / "clips" / "a.mov": Sum(*wanted[path.name])}


@pytest.mark.parametrize("text", ["<hashlist", "<!DOCTYPE x [<!ENTITY a 'b'>]><x>&a;</x>", "<hashlist/>"])
def test_lists_that_are_none_are_refused_by_name(tmp_path, text):
    path = tmp_path / "bad.mhl"
    path.write_text(text)
    with pytest.raises(ValueError, match=r"bad\.mhl"):
        checksum_list.read(path)
