"""What becomes of an item of a handover that cannot be rendered: a sentence, and nothing half-written."""

from functools import partial
from typing import Any

import pytest

from dovrel.core.steps.levels import FourLevels
from dovrel.demo import cards
from dovrel.jobs import handing
from dovrel.jobs.handing import seal
from dovrel.jobs.picturing import Pictures
from dovrel.machine.files import files_aside
from dovrel.media.footage import probe
from dovrel.media.frames import Source
from dovrel.media.writing import KINDS


@pytest.fixture
def hand_over(monkeypatch):
    """Render an order that is given in the place of the database's; what was noted of it."""

    def rendered(**order) -> list[tuple]:
        clip = cards.find("21C-2")
        plain = {
            "source": Source(0, clip.path, probe(clip.path), clip.encoding),
            "levels": FourLevels(), "kind": KINDS["prores-422"], "pictures": Pictures(320),
        }  # fmt: skip
        noted: list[tuple] = []
        work = partial(handing.rendered, **{**plain, **order}, told=lambda _: None)
        monkeypatch.setattr(handing, "_begun", lambda *_: lambda _: work())
        monkeypatch.setattr(handing, "_note", lambda _, __, state, came=None, said="": noted.append((state, said)))
        monkeypatch.setattr(handing, "_Telling", lambda *_: lambda _: None)
        monkeypatch.setattr(handing, "_note_footage", lambda *_: None)
        nothing: Any = None
        handing.hand_over(nothing, nothing, 1)
        return noted

    return rendered


def test_a_folder_that_cannot_be_made_is_a_sentence(hand_over, tmp_path):
    (tmp_path / "taken").write_text("a file where the folder should be")
    ((state, said),) = hand_over(path=tmp_path / "taken" / "shot.mov")
    assert state == "failed"
    assert said == "it cannot be written (Not a directory); see to its folder and hand it over again"


def test_a_folder_without_rights_is_a_sentence(hand_over, tmp_path, monkeypatch):
    def refused(*_, **__):
        raise PermissionError(13, "Permission denied", "shot.mov")

    monkeypatch.setattr(handing, "render", refused)
    ((state, said),) = hand_over(path=tmp_path / "shot.mov")
    assert (state, said[:42]) == ("failed", "it cannot be written (Permission denied); ")


def test_a_source_that_vanished_is_named_and_nothing_is_left(hand_over, tmp_path):
    clip = cards.find("21C-2")
    gone = Source(0, tmp_path / "AL4_gone.mov", probe(clip.path), clip.encoding)
    ((state, said),) = hand_over(path=tmp_path / "out" / "shot.mov", source=gone)
    assert state == "failed"
    assert "AL4_gone.mov" in said
    assert list((tmp_path / "out").iterdir()) == []


def test_what_a_killed_worker_left_whole_is_made_anew(hand_over, tmp_path):
    path = tmp_path / "shot.mov"
    path.write_bytes(b"of a worker that was killed before it could say so")
    assert hand_over(path=path) == [("done", "")]
    assert probe(path).frames == probe(cards.find("21C-2").path).frames


@pytest.fixture
def folder(tmp_path):
    return tmp_path / "given"


def test_files_come_into_the_folder_all_together(folder):
    with files_aside(folder) as aside:
        for name in ("a.cdl", "b.cdl"):
            (aside / name).write_text(name)
        assert not list(folder.glob("*.cdl"))
    assert sorted(path.name for path in folder.iterdir()) == ["a.cdl", "b.cdl"]


def test_files_of_work_that_failed_are_gone_and_those_of_before_stay(folder):
    folder.mkdir()
    (folder / "a.cdl").write_text("of before")
    with pytest.raises(RuntimeError), files_aside(folder) as aside:
        (aside / "a.cdl").write_text("half")
        raise RuntimeError
    assert [path.read_text() for path in folder.iterdir()] == ["of before"]


def test_where_nothing_was_written_there_is_no_checksum_list(folder):
    seal(folder)
    assert not folder.exists()
