"""Parts of a picture over the service: what is measured, taken, narrowed, followed, led; the reference's same colours."""

import json
import struct
from collections import OrderedDict

import numpy as np
import pytest

from dovrel.core.colour.working import MID_GREY
from dovrel.core.measure.familiar import SKIN_LINE
from dovrel.core.steps import controls, documents, track
from dovrel.core.steps.correction import Correction, Step
from dovrel.core.steps.documents import written
from dovrel.core.steps.pick import Pick, Sample
from dovrel.core.steps.primary import IDENTITY, Primary
from dovrel.core.steps.selection import Selection
from dovrel.core.steps.shapes import Ellipse
from dovrel.core.steps.track import Track
from dovrel.service.live import MAX_MESSAGE
from dovrel.store import tracks
from tests.helpers.asking import places_of

pytestmark = pytest.mark.shots("12A-4", "21A-1", "21B-1", "21C-2", "23A-1")

APRON_AT = (0.36, 0.66)
"""In 21C-2, parts of the picture."""
ELLIPSE = Ellipse(0.5, 0.5, 0.3, 0.2)


def levels(*steps: Step) -> dict:
    correction = written(Correction((Step("balance", IDENTITY), *steps)))
    return {"shot": {"steps": correction["steps"]}}


def shown(answer: bytes) -> tuple[dict, dict[str, bytes]]:
    """A message's header and its parts."""
    (length,) = struct.unpack_from("<I", answer)
    header = json.loads(answer[4 : 4 + length])
    return header, {part["name"]: part for part in header["parts"]} if "parts" in header else {}


@pytest.fixture
def ask(running):
    with running.live() as socket:

        def asked(**request) -> dict:
            socket.send(json.dumps({"number": 1, "frame": 12, **request}))
            answer = socket.recv(timeout=60)
            return json.loads(answer) if isinstance(answer, str) else shown(answer)[0]

        yield asked


@pytest.fixture
def apron(api, shot_named) -> tuple[int, Pick]:
    """21C-2, and a pick of its apron made of one place."""
    shot = shot_named("21C-2")["id"]
    order = {"shot": shot, "frame": 12, "levels": levels(), "new": True, "corner": APRON_AT, "other": APRON_AT}
    found = api.post(f"/shots/{shot}/samples", json=order).raise_for_status().json()
    assert len(found["samples"]) == 1
    return shot, Pick((Sample(**found["samples"][0]),), reach=found["reach"], soft=found["soft"])


def test_readings_are_those_of_what_is_selected(ask, apron):
    shot, pick = apron
    whole = ask(kind="show", shot=shot, levels=levels())
    picked = ask(kind="show", shot=shot, step="red", levels=levels(Step("red", Selection(pick=pick))))
    assert whole["selected"] is None
    assert 0.02 < picked["selected"] < 0.08
    red, green, _ = picked["readings"][1], picked["readings"][4], picked["readings"][7]
    assert red > 3 * green
    rest = ask(kind="show", shot=shot, step="red", side="outside", levels=levels(Step("red", Selection(pick=pick))))
    assert rest["pixels"] + picked["pixels"] == whole["pixels"]
    assert picked["numbers"] == IDENTITY.as_array().tolist()


def test_an_aim_moves_what_is_selected_and_leaves_the_rest(ask, apron):
    shot, pick = apron
    selection = Selection(pick=pick)
    before = ask(kind="show", shot=shot, step="red", levels=levels(Step("red", selection)))
    wanted = [*before["readings"]]
    wanted[9] *= 0.7
    answer = ask(
        kind="show", shot=shot, step="red", levels=levels(Step("red", selection)), aim={"values": wanted, "moved": [9]}
    )
    assert answer["readings"][9] == pytest.approx(wanted[9], abs=0.6)
    numbers = Primary.from_array(answer["numbers"])
    assert numbers.saturation < 1
    done = levels(Step("red", selection.with_numbers("inside", numbers)))
    there = ask(kind="show", shot=shot, step="red", levels=done)
    assert there["readings"][9] == pytest.approx(wanted[9], abs=0.6)
    plain, outside = (
        ask(kind="show", shot=shot, step="red", side="outside", levels=held)["readings"]
        for held in (levels(Step("red", selection)), done)
    )
    assert np.abs(np.subtract(plain, outside)).max() < 0.5


def test_a_pick_is_turned_about_its_own_level(ask, apron):
    """Less contrast about the level of what is selected leaves its exposure; about mid grey it would read as much darker."""
    shot, pick = apron
    selection = Selection(pick=pick)
    level = ask(kind="show", shot=shot, step="red", levels=levels(Step("red", selection)))["controls"]["pivot"]
    assert abs(level - MID_GREY) > 0.02
    flat = Primary((0.5, 0.5, 0.5), (0.5 * level, 0.5 * level, 0.5 * level))
    held = levels(Step("red", selection.with_numbers("inside", flat)))
    answer = ask(kind="show", shot=shot, step="red", levels=held)
    assert answer["controls"]["exposure"] == pytest.approx(0, abs=0.01)
    assert abs(controls.read(flat).exposure) > 0.3
    turn = {"control": "exposure", "value": 1.0}
    brighter = ask(kind="show", shot=shot, step="red", levels=held, turn=turn)
    assert brighter["controls"]["exposure"] == pytest.approx(1.0, abs=0.01)
    assert ask(kind="show", shot=shot, levels=levels(), pivot=0.3)["controls"]["pivot"] == 0.3


def test_a_pick_that_finds_nothing_leaves_the_picture_and_says_so(ask, apron):
    shot, _ = apron
    nowhere = Selection(pick=Pick((Sample(0.4, -0.3, 0.4),)))
    answer = ask(kind="show", shot=shot, step="none", levels=levels(Step("none", nowhere)))
    assert answer["selected"] < 1e-4
    assert answer["readings"] == pytest.approx(ask(kind="show", shot=shot, levels=levels())["readings"], abs=0.5)


def test_the_matte_is_the_picture_when_it_is_asked_for(running, apron):
    shot, pick = apron
    with running.live() as socket:
        request = {"kind": "show", "number": 1, "frame": 12, "shot": shot, "step": "red", "mark": "matte"}
        sizes = {}
        for mark in ("none", "matte"):
            request |= {"mark": mark, "levels": levels(Step("red", Selection(pick=pick)))}
            socket.send(json.dumps(request))
            sizes[mark] = len(socket.recv(timeout=60))
    assert sizes["matte"] < sizes["none"]


def test_a_box_gives_samples_that_stand_for_it(api, shot_named):
    shot = shot_named("21C-2")["id"]
    order = {"shot": shot, "frame": 12, "levels": levels(), "new": True, "corner": (0.05, 0.1), "other": (0.6, 0.9)}
    found = api.post(f"/shots/{shot}/samples", json=order).raise_for_status().json()
    assert len(found["samples"]) == 3
    assert found["reach"] > 0.01


def test_a_pick_is_kept_to_what_is_brushed(api, apron):
    shot, pick = apron
    wide = Selection(pick=Pick(pick.taken, reach=0.4, soft=0.1))
    order = {"shot": shot, "frame": 12, "step": "red", "levels": levels(Step("red", wide))}
    level = {"kind": "level", "signal": "luma", "low": 20, "high": 30}
    found = api.post(f"/shots/{shot}/narrowed", json={**order, "brushes": [level]}).raise_for_status().json()["pick"]
    assert found["levels"][0] < found["levels"][1]
    assert found["hues"] is None
    plane = {"kind": "plane", "cb": (-25, 0), "cr": (20, 60)}
    found = api.post(f"/shots/{shot}/narrowed", json={**order, "brushes": [plane]}).raise_for_status().json()["pick"]
    assert found["depths"][0] > 0.05
    assert found["hues"] is not None
    nothing = {"kind": "level", "signal": "luma", "low": 108, "high": 109}
    refused = api.post(f"/shots/{shot}/narrowed", json={**order, "brushes": [nothing]})
    assert "nothing is brushed" in refused.json()["detail"]
    area = levels(Step("area", Selection(shapes=(ELLIPSE,))))
    refused = api.post(f"/shots/{shot}/narrowed", json={**order, "step": "area", "levels": area, "brushes": [level]})
    assert "takes no colours" in refused.json()["detail"]


def test_skin_is_led_to_its_line(api, ask, shot_named):
    """12A-4's flushed face, in an area about it."""
    shot = shot_named("12A-4")["id"]
    face = Selection(shapes=(Ellipse(0.258, 0.19, 0.08, 0.09, soft=0.01),))
    order = {"shot": shot, "frame": 12, "step": "face", "levels": levels(Step("face", face))}
    found = api.post(f"/shots/{shot}/skin-line", json=order).raise_for_status().json()
    done = levels(Step("face", face.with_numbers("inside", Primary.from_array(found["numbers"]))))
    hues = []
    for held in (order["levels"], done):
        point = ask(kind="point", shot=shot, step="face", levels=held, x=0.258, y=0.19)
        hues.append((point["hue"] - SKIN_LINE + 180) % 360 - 180)
    assert abs(hues[1]) < abs(hues[0])
    refused = api.post(f"/shots/{shot}/skin-line", json={**order, "step": "balance", "levels": levels()})
    assert "selects nothing" in refused.json()["detail"]


def test_an_area_follows_its_subject(api, shot_named):
    shot = shot_named("23A-1")["id"]
    face = {"kind": "ellipse", "x": 0.585, "y": 0.32, "width": 0.13, "height": 0.15}
    found = api.post(f"/shots/{shot}/follow", json={"shapes": [face], "frame": 0}).raise_for_status().json()
    track = found["track"]
    assert track["first"] == 0
    assert track["drawn"] == 0
    places = places_of(api, track)
    assert len(places) > 60
    assert places[0, 3] == 1
    assert 0.5 < places[48, 0] < 0.62
    # What was followed before stays when it is followed on.
    again = api.post(f"/shots/{shot}/follow", json={"shapes": [face], "frame": 0, "onto": track}).json()["track"]
    assert (places_of(api, again) == places).all()
    outside = {**face, "x": 1.5, "y": 1.5}
    refused = api.post(f"/shots/{shot}/follow", json={"shapes": [outside], "frame": 0})
    assert "outside the picture" in refused.json()["detail"]


def test_the_references_same_colours_are_measured(api, apron, shot_named):
    _, pick = apron
    reference = shot_named("21A-1")
    kept = api.post(f"/shots/{reference['id']}/keep", json={"frame": 12, "as_reference": False}).json()

    def measured(selected: dict | None) -> dict:
        answer = api.post(f"/kept/{kept['id']}/scopes", json={"selected": selected})
        assert answer.status_code == 200, answer.text
        return shown(answer.content)[0]

    document = written(Correction((Step("balance", IDENTITY), Step("red", Selection(pick=pick)))))["steps"][1]["values"]
    found = measured({"values": document, "step": "red", "covers": 0.05})
    red, green, blue = found["readings"][1], found["readings"][4], found["readings"][7]
    assert red > 1.5 * max(green, blue), "the reference's apron, which is paler"
    assert found["pixels"] < 0.1 * measured(None)["pixels"]
    none = {**document, "pick": {**document["pick"], "taken": [{"level": 0.4, "x": -0.3, "y": 0.4}]}}
    refused = api.post(f"/kept/{kept['id']}/scopes", json={"selected": {"values": none, "step": "red"}})
    assert "nothing to compare" in refused.json()["detail"]


@pytest.mark.parametrize(
    ("values", "said"),
    [
        ({"kind": "selection"}, "this selects nothing"),
        ({"kind": "selection", "pick": {"taken": []}}, "at least one colour"),
        ({"kind": "selection", "shapes": [{"kind": "ellipse", "x": 9, "y": 0, "width": 1, "height": 1}]}, "too far"),
        ({"kind": "selection", "shapes": [{"kind": "ellipse", "x": 0, "y": 0, "width": 0, "height": 1}]}, "a size"),
    ],
)
def test_bad_selections_get_a_sentence(ask, shot_named, values, said):
    plain = levels()["shot"]["steps"]
    steps = [*plain, {"id": "part", "values": values, "on": True, "keyframes": []}]
    answer = ask(kind="show", shot=shot_named("21B-1")["id"], levels={"shot": {"steps": steps}})
    assert said in answer["detail"]


def test_ten_areas_followed_for_an_hour_are_shown_and_saved_in_small_requests(
    running, api, ask, shot_named, monkeypatch
):
    shot = shot_named("21C-2")
    hour = [Track(0, 0, [(0.3 + 0.04 * i, 0.5 + 1e-6 * n, 0, 1) for n in range(86_400)], 16 / 9) for i in range(10)]
    areas = [
        Step(f"area {i}", Selection(shapes=(Ellipse(0.3 + 0.04 * i, 0.5, 0.03, 0.03),), track=one))
        for i, one in enumerate(hour)
    ]
    with running.sessions.begin() as session:
        tracks.keep(session, hour)
    under = levels(*areas)
    assert len(json.dumps(under)) < MAX_MESSAGE / 4
    assert "readings" in ask(kind="show", shot=shot["id"], level="shot", step="area 3", levels=under)
    order = {"correction": under["shot"], "change": "areas", "base": shot["version_id"]}
    saved = api.put(f"/shots/{shot['id']}/correction", json=order).raise_for_status().json()
    assert saved["correction"]["steps"][-1]["values"]["track"]["digest"] == hour[9].digest
    # In another process, which holds none of them.
    monkeypatch.setattr(track, "_kept", OrderedDict())
    documents._parsed.cache_clear()
    again = api.get("/day").raise_for_status().json()["shots"]
    assert any(one["id"] == shot["id"] and one["version_id"] == saved["version_id"] for one in again)
    assert (places_of(api, saved["correction"]["steps"][-1]["values"]["track"]) == hour[9].places).all()
    unknown = {**under["shot"]["steps"][-1]["values"]["track"], "digest": "0" * 32}
    under["shot"]["steps"][-1]["values"]["track"] = unknown
    refused = ask(kind="show", shot=shot["id"], level="shot", step="area 3", levels=under)
    assert "its track is not kept here" in refused["detail"]
