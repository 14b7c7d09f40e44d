"""The production's settings: what they change, what undoes it, what is refused."""

import pytest

from tests.helpers.asking import day, shots

pytestmark = pytest.mark.shots("12C-2")


def test_settings_are_changed_measured_by_and_undone(api, running):
    before = day(api)["production"]
    readings = shots(api)["12C-2"]["measured"]["readings"]
    change = {"name": "Quire Lane, second unit", "percentiles": [5.0, 50.0, 95.0], "tolerance": 4.5}
    answer = api.patch("/production", json=change)
    assert answer.json()["name"] == "Quire Lane, second unit"
    running.wait_measured()
    assert shots(api)["12C-2"]["measured"]["readings"] != readings
    assert shots(api)["12C-2"]["tolerance"] == 4.5
    late = api.patch("/production", json={"name": "other", "base": {"name": before["name"]}})
    assert late.status_code == 409
    assert api.post("/operations/undo").json()["left"] == []
    running.wait_measured()
    assert shots(api)["12C-2"]["measured"]["readings"] == readings
    assert day(api)["production"]["name"] == before["name"]
    assert api.patch("/production", json={"percentiles": [50, 40, 99]}).status_code == 422
    assert api.patch("/production", json={"output": "nothing"}).status_code == 400
    assert api.patch("/production", json={"assumed_encoding": "aces:nothing"}).status_code == 400
