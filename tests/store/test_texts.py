"""Texts from outside stand on one line."""

import pytest

from dovrel.store.texts import one_line, storable


@pytest.mark.parametrize("end", ["\n", "\r", "\x85", "\u2028", "\u2029", "\x0b", "\0"])
def test_no_name_writes_a_line_of_its_own(end):
    name = f"Shop{end}002  BL V C 00:00:00:00"
    assert one_line(name) == "Shop 002  BL V C 00:00:00:00"
    assert storable(name, 200) == one_line(name)
    assert len((name and one_line(name)).splitlines()) == 1


def test_other_writing_stays_as_it_is():
    assert one_line("Werkstatt – früh ☀ 朝") == "Werkstatt – früh ☀ 朝"
