"""What files are called: patterns filled in, refused, and what they give twice."""

from types import SimpleNamespace
from typing import Any

import pytest

from dovrel.jobs import naming

WORDS = {
    "name": "12A-1", "scene": "12A", "family": "Yard, overcast", "camera": "A", "roll": "A004", "clip": "AL4_012_0001",
    "timecode": "09140200", "day": "day 3",
}  # fmt: skip


@pytest.mark.parametrize(
    ("pattern", "name"),
    [
        ("{name}", "12A-1"),
        ("{scene}_{camera}_{roll}_{timecode}", "12A_A_A004_09140200"),
        ("{family}/{name}", "Yard_overcast_12A-1"),
        ("{day} {clip}", "day_3_AL4_012_0001"),
    ],
)
def test_a_pattern_is_filled_in_with_what_can_stand_in_file_names(pattern, name):
    assert naming.named(pattern, WORDS) == name


def test_what_a_shot_lacks_leaves_no_gap():
    assert naming.named("{name}_{roll}_{camera}", {**WORDS, "roll": ""}) == "12A-1_A"


@pytest.mark.parametrize(
    ("pattern", "said"),
    [
        ("all", "same name"),
        ("{nme}", "nothing that a shot has"),
        ("{name", "cannot be filled in"),
        ("{name:>900}", "a word alone"),
        ("{name!r}", "a word alone"),
    ],
)
def test_a_pattern_that_cannot_be_filled_in_is_refused(pattern, said):
    with pytest.raises(ValueError, match=said):
        naming.checked(pattern)


def test_shots_of_one_name_are_told_and_get_their_numbers(monkeypatch):
    monkeypatch.setattr(naming, "words_of", lambda shot: {**WORDS, "name": shot.name})
    shots = [SimpleNamespace(id=n, name=name) for n, name in ((1, "12A-1"), (2, "12a-1"), (3, "12A-2"))]
    by_hash: list[Any] = [type("S", (), {"id": one.id, "name": one.name})() for one in shots]
    assert list(naming.stems(by_hash).values()) == ["12A-1_1", "12a-1_2", "12A-2"]
    assert naming.clashes(by_hash, "{scene}") == {"12A": ["12A-1", "12a-1", "12A-2"]}
    assert naming.clashes(by_hash, "{name}") == {"12A-1": ["12A-1", "12a-1"]}
