"""Links of a family as work finds them: kept on disc, and looked for on further frames where a shot is linked to nothing."""

import os
import time
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from dovrel.core.match.chains import chains_to
from dovrel.core.match.link import Link
from dovrel.jobs import linking


@dataclass(frozen=True)
class Seen:
    """What finding links asks of a shot's frame."""

    name: str
    frame: int = 50
    further: tuple[int, ...] = ()
    changing: bool = False

    def at(self, frame: int) -> "Seen":
        return replace(self, frame=frame)

    @property
    def key(self) -> str:
        return f"{self.name}-{self.frame}"


def find(shots: list[Seen], folder: Path, told: Any = None) -> dict:
    frames: Any = None
    relatives: Any = shots
    return linking.find_links(relatives, frames, folder, told)


@pytest.fixture
def some(rng) -> Link:
    one, other = (rng.uniform(0.3, 0.5, (40, 3)).astype(np.float32) for _ in range(2))
    return Link(one, other, rng.random(40), rng.random((40, 2)).astype(np.float32), 40, True)


@pytest.fixture
def compared(monkeypatch, some):
    """Which frames share something, by their keys; keeps which were compared."""
    share, asked = set(), []
    monkeypatch.setattr(linking, "_view", lambda seen, _: seen.key)

    def link(one: str, other: str) -> Link | None:
        asked.append((one, other))
        return some if (one, other) in share else None

    monkeypatch.setattr(linking, "link", link)
    return share, asked


def test_links_are_found_once_and_read_again_as_they_were(compared, some, tmp_path):
    share, asked = compared
    share.add(("a-50", "b-50"))
    shots = [Seen("a"), Seen("b"), Seen("c")]
    told = []
    found = find(shots, tmp_path, told.append)
    assert list(found) == [(0, 1)]
    assert told[-1] == 1.0
    assert len(asked) == 3
    again = find(shots, tmp_path)
    assert len(asked) == 3
    for name in ("one", "other", "places"):
        assert np.array_equal(getattr(again[0, 1], name), getattr(some, name))
    assert again[0, 1].weight == pytest.approx(some.weight, rel=1e-6)
    assert (again[0, 1].found, again[0, 1].overlies) == (40, True)
    # A shot that comes later costs its own links alone, and a file that was damaged is found anew.
    find([*shots, Seen("d")], tmp_path)
    assert len(asked) == 6
    next((tmp_path / "links").iterdir()).write_bytes(b"not a link")
    find(shots, tmp_path)
    assert len(asked) <= 7


def test_large_families_are_compared_in_an_order_that_needs_few_views_at_a_time(compared, monkeypatch, tmp_path):
    seen: list[str] = []
    kept = linking.Newest(linking.KEPT_VIEWS)

    def view(relative: Seen, _) -> str:
        if kept.get(relative.key) is None:
            seen.append(relative.key)
        return kept.keep(relative.key, relative.key)

    monkeypatch.setattr(linking, "_view", view)
    count = 45
    find([Seen(f"shot {number}") for number in range(count)], tmp_path)
    _, asked = compared
    assert len(asked) == len({frozenset(pair) for pair in asked}) == count * (count - 1) // 2
    assert len(seen) < 4 * count


def test_a_shot_that_hangs_on_nothing_is_looked_at_on_further_frames(compared, tmp_path):
    share, asked = compared
    share.update({("a-50", "b-50"), ("b-50", "c-75")})
    changing, steady = Seen("c"), Seen("c", further=(25, 75))
    assert list(find([Seen("a"), Seen("b"), changing], tmp_path)) == [(0, 1)]
    found = find([Seen("a"), Seen("b"), steady], tmp_path)
    assert list(found) == [(0, 1), (1, 2)]
    assert ("b-50", "c-25") in asked
    assert replace(steady, frame=75).key == "c-75"


def test_links_that_nobody_asks_for_are_thrown_away_and_those_in_use_are_not(compared, tmp_path):
    shots = [Seen("a"), Seen("b")]
    found = find(shots, tmp_path)
    (kept,) = (tmp_path / "links").iterdir()
    stale = kept.with_name("old.npz")
    stale.write_bytes(kept.read_bytes())
    long_ago = time.time() - (linking.KEPT_DAYS + 1) * 24 * 3600
    for path in (kept, stale):
        os.utime(path, (long_ago, long_ago))
    assert find(shots, tmp_path).keys() == found.keys()
    linking.forget_links(tmp_path)
    assert list((tmp_path / "links").iterdir()) == [kept]
    linking.forget_links(tmp_path / "empty")


def joined(shots: list[Seen], bridges: list[Seen], folder: Path) -> tuple[list[str], dict]:
    """What a family's shots are linked to, with other families' shots that may join it; names are those of their frames."""
    frames: Any = None
    own: Any = shots
    others: Any = bridges
    relatives, links = linking.over_bridges(own, find(shots, folder), others, frames, folder)
    return [one.key for one in relatives], links


def test_a_shot_that_sees_two_places_joins_them(compared, tmp_path):
    """The walk's first frame sees what c sees, its last what the reference a sees; its middle frame leads from one to the other."""
    share, _ = compared
    share.update(
        {("a-50", "b-50"), ("c-50", "walk-25"), ("walk-25", "walk-50"), ("walk-50", "walk-75"), ("a-50", "walk-75")}
    )
    shots = [Seen("a"), Seen("b"), Seen("c")]
    names, links = joined(shots, [Seen("far"), Seen("walk", further=(25, 75), changing=True)], tmp_path)
    assert names == ["a-50", "b-50", "c-50", "walk-25", "walk-50", "walk-75"]
    assert set(links) == {(0, 1), (2, 3), (3, 4), (4, 5), (0, 5)}
    chains = chains_to(0, len(names), links)
    assert chains[2]
    assert chains[2].shots == (2, 3, 4, 5, 0)


def test_a_steady_shot_joins_two_places_though_none_of_its_frames_sees_both(compared, tmp_path):
    share, _ = compared
    share.update({("c-50", "pan-25"), ("a-50", "pan-75")})
    names, links = joined([Seen("a"), Seen("c")], [Seen("pan", further=(25, 75))], tmp_path)
    assert names == ["a-50", "c-50", "pan-50"]
    assert set(links) == {(0, 2), (1, 2)}


def test_other_families_are_not_asked_where_every_shot_hangs_on_the_reference(compared, tmp_path):
    share, asked = compared
    share.update({("a-50", "b-50"), ("b-50", "walk-50")})
    names, links = joined([Seen("a"), Seen("b")], [Seen("walk")], tmp_path)
    assert names == ["a-50", "b-50"]
    assert set(links) == {(0, 1)}
    assert not any("walk" in one for pair in asked for one in pair)
