"""Steps that act on colour, over the service: what the live channel says of them, hues that find their aim, rescue, markers."""

import json
import struct

import pytest

from dovrel.core.measure.familiar import SKIN_LINE
from dovrel.core.steps.correction import Correction, Step
from dovrel.core.steps.curves import Curve, Curves
from dovrel.core.steps.documents import written
from dovrel.core.steps.hue_turns import HueTurns, Spoke
from dovrel.core.steps.primary import IDENTITY

pytestmark = pytest.mark.shots("12C-4", "14A-1", "21A-1", "21B-1", "21C-2", "22A-2")

APRON_AT = (0.36, 0.66)
"""In 21C-2, parts of the picture."""


def levels(*steps: Step) -> dict:
    correction = written(Correction((Step("balance", IDENTITY), *steps)))
    return {"shot": {"steps": correction["steps"]}}


@pytest.fixture
def ask(running):
    with running.live() as socket:

        def asked(**request) -> dict:
            socket.send(json.dumps({"number": 1, "frame": 12, **request}))
            answer = socket.recv(timeout=60)
            if isinstance(answer, str):
                return json.loads(answer)
            (length,) = struct.unpack_from("<I", answer)
            return json.loads(answer[4 : 4 + length])

        yield asked


def test_the_live_channel_says_where_points_and_hues_are_shown(ask, shot_named):
    shot = shot_named("21B-1")["id"]
    curves = ask(kind="show", shot=shot, step="c", levels=levels(Step("c", Curves(Curve(((0.2, 0.2), (0.5, 0.55)))))))
    assert curves["numbers"] is None
    assert len(curves["greys"]) == 129
    assert all(here <= there + 1e-3 for here, there in zip(curves["greys"], curves["greys"][1:], strict=False))
    hues = ask(kind="show", shot=shot, step="h", levels=levels(Step("h", HueTurns((Spoke(10, turn=8),)))))
    assert len(hues["hues"]) == 72
    assert 80 < hues["hues"][0] < 130  # red lies up and a little to the left
    plain = ask(kind="show", shot=shot, step="balance", levels=levels())
    assert plain["numbers"] == IDENTITY.as_array().tolist()
    assert plain["greys"] is None


def test_readings_are_not_aimed_with_a_step_that_has_no_numbers(ask, shot_named):
    answer = ask(
        kind="show",
        shot=shot_named("21B-1")["id"],
        step="h",
        levels=levels(Step("h", HueTurns())),
        aim={"values": [5.0] * 10, "moved": [0]},
    )
    assert "is no step of ten numbers" in answer["detail"]
    crushed = levels(Step("c", Curves()))
    crushed["shot"]["steps"][1]["values"]["all"]["points"] = [[0.2, 0.5], [0.4, 0.3]]
    refused = ask(kind="show", shot=shot_named("21B-1")["id"], step="c", levels=crushed)
    assert "above its neighbour" in refused["detail"]


def apron(ask, shot_named) -> tuple[int, Spoke]:
    """21C-2 and a spoke at the hue of its apron."""
    shot = shot_named("21C-2")["id"]
    x, y = APRON_AT
    point = ask(kind="point", shot=shot, step="h", levels=levels(Step("h", HueTurns())), x=x, y=y)
    r, g, b = point["reaching"]
    assert r > g
    assert r > b
    return shot, Spoke(0.0, width=45)


def test_a_hue_is_put_beside_the_references(api, ask, shot_named):
    reference = shot_named("21A-1")
    kept = api.post(f"/shots/{reference['id']}/keep", json={"frame": 20, "as_reference": True})
    assert kept.status_code == 200
    shot, spoke = apron(ask, shot_named)
    order = {"number": 0, "shot": shot, "frame": 12, "step": "h", "spoke": 0}
    before = levels(Step("h", HueTurns((spoke,))))
    found = api.post(f"/shots/{shot}/hue-aim", json={**order, "levels": before, "aim": "reference"})
    assert found.status_code == 200, found.text
    answer = found.json()["values"]["spokes"][0]
    # The apron is of a louder dye: it is given less colour.
    assert answer["colour"] < 0.97
    on_line = api.post(f"/shots/{shot}/hue-aim", json={**order, "levels": before, "aim": "skin line"}).json()
    turned = on_line["values"]["spokes"][0]
    assert turned["turn"] != 0
    assert turned["colour"] == 1
    assert turned["lightness"] == 0
    shown = ask(
        kind="point",
        shot=shot,
        step="h",
        levels=levels(Step("h", HueTurns((Spoke(**{k: turned[k] for k in turned}),)))),
        x=APRON_AT[0],
        y=APRON_AT[1],
    )
    assert shown["hue"] == pytest.approx(SKIN_LINE, abs=8)


def test_a_spoke_for_colours_that_are_not_there_says_so(api, shot_named):
    shot = shot_named("21C-2")["id"]
    nothing = levels(Step("h", HueTurns((Spoke(300, 5),))))
    order = {"number": 0, "shot": shot, "frame": 12, "step": "h", "spoke": 0, "aim": "skin line", "levels": nothing}
    answer = api.post(f"/shots/{shot}/hue-aim", json=order)
    assert answer.status_code == 400
    assert "hardly any colour" in answer.json()["detail"]
    beyond = api.post(f"/shots/{shot}/hue-aim", json={**order, "spoke": 3})
    assert "no such spoke" in beyond.json()["detail"]


def test_what_a_recording_lost_is_proposed_where_it_is_needed(api, shot_named):
    tinted = shot_named("12C-4")["id"]
    found = api.get(f"/shots/{tinted}/rescues", params={"frame": 20}).json()
    assert [one["values"]["kind"] for one in found] == ["rebuild", "highs"]
    assert "red lies" in found[0]["reason"]
    for name in ("21A-1", "14A-1", "22A-2"):
        assert api.get(f"/shots/{shot_named(name)['id']}/rescues", params={"frame": 10}).json() == []


def test_markers_are_kept_with_the_production_and_undone(api):
    markers = [{"name": "skin", "level": 55, "cb": None, "cr": None}, {"name": "sky", "level": None, "cb": 9, "cr": -4}]
    kept = api.patch("/production", json={"markers": markers, "base": {"markers": []}})
    assert kept.json()["markers"] == markers
    late = api.patch("/production", json={"markers": [], "base": {"markers": []}})
    assert late.status_code == 409
    refused = api.patch("/production", json={"markers": [{"name": "none"}]})
    assert refused.status_code == 422
    assert "needs a level" in refused.text
    back = api.patch("/production", json={"markers": []})
    assert back.json()["markers"] == []
