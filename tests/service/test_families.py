"""Families solved as one by the service: what shots share, kept links, reports that name their chain; on a demo of its own."""

import pytest

from dovrel.bench.orders import numbers_of
from tests.service.test_whole_day import batch, done, family, shots

YARD = ["21A-2", "21B-1", "21C-1"]


@pytest.fixture(scope="module")
def api(own):
    with own.client() as client:
        found = shots(client)
        client.post(f"/shots/{found['21A-1']['id']}/keep", json={"frame": 24, "as_reference": True})
        yield client


@pytest.fixture(scope="module")
def matched(api) -> dict[str, dict]:
    operation = done(api, batch(api, "match", YARD), 240)
    assert operation["done"] == len(YARD)
    return shots(api)


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


def test_what_shots_share_is_told_and_kept(api, matched, own):
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
    links = sorted((own.data / "links").iterdir())
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
