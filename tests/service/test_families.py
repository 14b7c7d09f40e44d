"""Families solved as one by the service: what shots share, kept links, reports that name their chain; on a demo of its own."""

import time

import pytest

from dovrel.bench.orders import numbers_of
from dovrel.core.steps.primary import IDENTITY
from dovrel.jobs import families, linking
from dovrel.machine.newest import Newest
from tests.helpers.asking import done, family, keep_as_reference, keyframed, shots

pytestmark = pytest.mark.shots(
    "21A-1", "21A-2", "21A-3", "21A-4", "21B-1", "21C-1", "21C-2", "22A-1", "22A-2", "22A-3", "22B-1", "22C-1"
)

YARD = ["21A-2", "21B-1", "21C-1"]


def ordered(api, names: list[str], **more) -> int:
    """A match that is ordered, and not waited for."""
    found = shots(api)
    answer = api.post("/batches", json={"kind": "match", "shots": [found[n]["id"] for n in names], **more})
    assert answer.status_code == 200, answer.text
    return answer.json()["id"]


def operation(api, number: int) -> dict:
    return api.get(f"/operations/{number}").json()


@pytest.fixture(scope="module")
def compared() -> list[float]:
    """How far the family was compared, as the page was told while it was matched."""
    return []


@pytest.fixture(scope="module")
def beginning(days, beginning, compared):
    """The yard's shots are matched to 21A-1 in one batch."""

    def match(run):
        with run.client() as client:
            keep_as_reference(client, "21A-1", 24)
            number = ordered(client, YARD)
            end = time.monotonic() + 240
            while (now := operation(client, number))["done"] < len(YARD) and time.monotonic() < end:
                compared.append(now["compared"])
                time.sleep(0.05)

    return days.after(beginning, match)


@pytest.fixture
def matched(api) -> dict[str, dict]:
    return shots(api)


def test_how_far_a_family_is_compared_is_told_meanwhile(api, matched, compared):
    under_way = [part for part in compared if part < 1]
    assert under_way
    assert under_way == sorted(under_way)
    assert all(one["compared"] == 1 for one in api.get("/day").json()["operations"])


def test_a_batch_solves_the_family_and_reports_name_their_chains(matched):
    for name in YARD:
        report = matched[name]["report"]
        assert report["basis"] == "chain"
        assert report["chain"][0] == name
        assert report["chain"][-1] == "21A-1"
        assert report["after"] < report["before"]
        assert matched[name]["distance"] == pytest.approx(report["after"])


def test_the_batch_is_undone_as_one(api, matched):
    answer = api.post("/operations/undo", json={})
    assert answer.status_code == 200, answer.text
    assert all(shots(api)[name]["report"] is None for name in YARD)
    api.post("/operations/redo", json={})
    again = shots(api)
    assert all(numbers_of(again[name]) == numbers_of(matched[name]) for name in YARD)


def test_what_shots_share_is_told_and_kept(api, matched, running):
    yard = family(api, "Yard, overcast")
    told = api.post(f"/families/{yard['id']}/shared", json={"work": "one"})
    assert told.status_code == 200, told.text
    shared = told.json()
    names = [one["name"] for one in shared["shots"]]
    assert names[0] == "21A-1"
    assert set(YARD) < set(names)
    assert all(one["chain"][-1] == 0 for one in shared["shots"])
    points = {(names[one["one"]], names[one["other"]]): one["points"] for one in shared["links"]}
    assert points["21A-1", "21C-1"] > 600
    links = sorted((running.data / "links").iterdir())
    assert len(links) == len(names) * (len(names) - 1) // 2
    made = [link.stat().st_mtime_ns for link in links]
    assert api.post(f"/families/{yard['id']}/shared", json={}).json() == shared
    assert [link.stat().st_mtime_ns for link in links] == made


def test_a_family_without_a_reference_is_told(api):
    answer = api.post(f"/families/{family(api, 'Yard, low sun')['id']}/shared", json={})
    assert answer.status_code == 400
    assert "has no reference yet" in answer.text


def test_the_desk_matches_to_the_reference_alone_if_asked(api):
    shot = shots(api)["21A-3"]
    order = {"frame": 24, "base": shot["version_id"], "alone": True}
    answer = api.post(f"/shots/{shot['id']}/match", json=order)
    assert answer.status_code == 200, answer.text
    assert answer.json()["shot"]["report"]["chain"] == []


def test_a_shot_whose_balance_changes_is_matched_in_its_family_at_its_keyframes(api, matched, running):
    """21C-1, whose white balance wanders: each end of it is linked to the reference, and gets numbers of its own."""
    walk, plain = shots(api)["21C-1"], IDENTITY.as_array().tolist()
    order = {"correction": keyframed((4, plain), (62, plain)), "base": walk["version_id"]}
    api.put(f"/shots/{walk['id']}/correction", json=order).raise_for_status()
    number = ordered(api, ["21C-1"])
    done(api, {"id": number})
    after = shots(api)["21C-1"]
    assert operation(api, number)["failed"] == []
    assert after["report"]["basis"] == "chain"
    assert after["report"]["chain"] == ["21C-1, frame 63", "21A-1"]
    assert any("matched at 2 of 2 keyframes" in note for note in after["report"]["notes"])
    early, late = (one["values"] for one in after["correction"]["steps"][0]["keyframes"])
    warmer = [one["offset"][0] - one["offset"][2] for one in (early, late)]
    assert abs(warmer[1] - warmer[0]) > 0.01
    shared = api.post(f"/families/{family(api, 'Yard, overcast')['id']}/shared", json={}).json()
    assert {"21C-1, frame 5", "21C-1, frame 63"} <= {one["name"] for one in shared["shots"]}


def test_a_shot_of_another_family_joins_one_that_shares_nothing_with_the_reference(api, matched, monkeypatch):
    """22A-2 and 22A-1, taken to share nothing, share something with others, though those are of another family now."""
    found = shots(api)
    of_two = linking._kept_link

    def apart(one, other, *where):
        return None if {one.name[:5], other.name[:5]} == {"22A-1", "22A-2"} else of_two(one, other, *where)

    monkeypatch.setattr(linking, "_kept_link", apart)
    monkeypatch.setattr(families, "_solutions", Newest(1))
    api.post(f"/shots/{found['22A-1']['id']}/keep", json={"frame": 24, "as_reference": True}).raise_for_status()
    others = [found[name]["id"] for name in ("22B-1", "22C-1", "22A-3")]
    api.post("/families", json={"name": "Elsewhere", "shots": others}).raise_for_status()
    shared = api.post(f"/families/{family(api, 'Yard, low sun')['id']}/shared", json={}).json()["shots"]
    names = [one["name"] for one in shared]
    chain = [names[place] for place in shared[names.index("22A-2")]["chain"]]
    assert (chain[0], chain[-1]) == ("22A-2", "22A-1")
    assert len(chain) > 2
    assert not set(chain[1:-1]) & set(names[: names.index("22A-2") + 1])


def test_a_batch_that_is_cancelled_while_it_compares_ends_at_once(api, matched, running, monkeypatch):
    """Links are looked for anew, and the family's shots stay as they are."""
    monkeypatch.setattr(families, "_solutions", Newest(1))  # what this process has solved before is not known
    for path in (running.data / "links").iterdir():
        path.unlink()
    before = shots(api)
    number = ordered(api, [*YARD, "21A-3", "21A-4", "21C-2"], strength=0.5)
    end = time.monotonic() + 60
    while operation(api, number)["compared"] == 1 and time.monotonic() < end:
        time.sleep(0.02)
    assert operation(api, number)["compared"] < 1
    api.post(f"/operations/{number}/cancel").raise_for_status()
    running.wait_idle()
    assert len(list((running.data / "links").iterdir())) < 10
    assert operation(api, number)["done"] == 0
    after = shots(api)
    assert {name: shot["version_id"] for name, shot in after.items()} == {
        name: shot["version_id"] for name, shot in before.items()
    }
