"""Where shots stand after a match: a rescue that would help, parts that are off, a shot that was left as it was."""

import pytest

from dovrel.jobs.standing import PARTS_WITHIN, standing_of
from dovrel.store.models import Production, Shot, Version
from tests.helpers.asking import batch, family, keep_as_reference, shots

pytestmark = pytest.mark.shots("12A-1", "12A-2", "12C-4", "21A-2")


def matched(
    delta_e: float,
    worst: float | None,
    steps: tuple[str, ...] = (),
    rescue: str | None = None,
    before: float | None = 2.0,
) -> Shot:
    report = {
        "tolerance": 3.0,
        "residuals": {"worst": worst},
        "rescue": {"name": rescue, "reason": "", "before": before, "after": 1.0} if rescue else None,
    }
    version = Version(report=report, correction={"steps": [{"id": name} for name in steps]})
    return Shot(state="matched", distance=delta_e, production=Production(tolerance=3.0), version=version)


@pytest.mark.parametrize(
    ("shot", "standing"),
    [
        (matched(2.0, 3.0 * PARTS_WITHIN - 0.1), "matched"),
        (matched(2.0, 3.0 * PARTS_WITHIN + 0.1), "parts are off"),
        (matched(2.0, None), "matched"),
        (matched(3.1, 9.0), "out of tolerance"),
        (matched(2.0, 9.0, rescue="red rebuilt"), "a rescue would help"),
        (matched(3.1, 3.0, rescue="red rebuilt"), "a rescue would help"),
        (matched(2.0, 2.0, rescue="red rebuilt"), "matched"),
        (matched(2.0, 2.0, rescue="red rebuilt", before=None), "a rescue would help"),
        (matched(2.0, 2.0, ("red rebuilt", "balance"), rescue="red rebuilt", before=None), "matched"),
        (matched(2.0, 9.0, ("red rebuilt", "balance"), rescue="red rebuilt"), "parts are off"),
        (Shot(state="new", production=Production(tolerance=3.0)), "new"),
    ],
)
def test_what_is_known_first_of_a_shot(shot, standing):
    assert standing_of(shot) == standing


def test_a_checked_shot_is_checked_whatever_is_left(api):
    shot = matched(9.0, 20.0, rescue="red rebuilt")
    shot.state = "checked"
    assert standing_of(shot) == "checked"


def test_a_match_says_that_a_rescue_would_help_until_it_is_there(api):
    keep_as_reference(api, "12A-1", 12)
    assert batch(api, "match", ["12C-4"])["failed"] == []
    through_glass = shots(api)["12C-4"]
    assert through_glass["standing"] == "a rescue would help"
    rescue = through_glass["report"]["rescue"]
    assert rescue["name"] == "red rebuilt"
    assert rescue["after"] < 0.8 * rescue["before"]
    assert shots(api)["12A-1"]["standing"] == "reference"
    found = api.get(f"/shots/{through_glass['id']}/rescues", params={"frame": 20}).json()
    steps = [{"id": found[0]["name"], "values": found[0]["values"], "on": True, "keyframes": []}]
    order = {"correction": {"steps": steps + through_glass["correction"]["steps"]}, "base": through_glass["version_id"]}
    api.put(f"/shots/{through_glass['id']}/correction", json=order).raise_for_status()
    assert shots(api)["12C-4"]["standing"] != "a rescue would help"


def test_a_shot_that_is_left_says_why_until_that_match_is_undone_or_it_is_worked_on(api):
    keep_as_reference(api, "12A-1", 12)
    yard = shots(api)["21A-2"]
    shop = family(api, "Shop, window light")["id"]
    api.patch("/shots", json={"shots": [yard["id"]], "family_id": shop}).raise_for_status()
    (failed,) = batch(api, "match", ["21A-2"])["failed"]
    left = shots(api)["21A-2"]
    assert left["standing"] == "left as it was"
    assert left["left_as_it_was"] == failed["said"]
    assert "confidence" in failed["said"]
    api.post("/operations/undo").raise_for_status()
    assert shots(api)["21A-2"]["standing"] == "new"
    api.post("/operations/redo").raise_for_status()
    assert shots(api)["21A-2"]["standing"] == "left as it was"
    batch(api, "balance", ["21A-2"])
    assert shots(api)["21A-2"]["standing"] == "balanced"
