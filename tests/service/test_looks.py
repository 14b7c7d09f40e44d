"""Looks over the service: files brought in and refused, what each makes of a frame, one that is gone."""

import base64
import json
import struct
from typing import Any

import pytest
import simplejpeg

from dovrel.core.steps.correction import Correction, Step
from dovrel.core.steps.documents import written
from dovrel.core.steps.look import Look
from dovrel.core.steps.primary import IDENTITY, Primary
from tests.helpers.looks import cube_file, faded, warmer

pytestmark = pytest.mark.shots("12A-1", "12A-2", "21A-1")


@pytest.fixture
def bring(api, tmp_path):
    def brought(made, name: str) -> dict:
        content = cube_file(tmp_path / "made.cube", made, size=17).read_bytes()
        answer = api.post(f"/looks?name={name}", content=content)
        assert answer.status_code == 200, answer.text
        return answer.json()

    return brought


def _look(file: dict, **more) -> dict:
    return {"kind": "look", **{part: file[part] for part in ("digest", "name", "takes", "gives")}, **more}


def test_a_file_is_kept_listed_and_given_back(api, bring, tmp_path):
    file = bring(faded, "Faded rec709 to rec709.cube")
    assert (file["name"], file["takes"], file["gives"]) == ("Faded rec709 to rec709", *2 * ("output:rec709",))
    assert not file["assumed"]
    listed = api.get("/looks").json()
    assert file in listed["files"]
    assert {"aces:ACEScct", "output:rec709"} <= {space["id"] for space in listed["spaces"]}
    back = api.get(f"/looks/{file['digest']}/file")
    assert back.content == (tmp_path / "made.cube").read_bytes()
    assert "Faded%20rec709" in back.headers["content-disposition"]
    assert api.get(f"/looks/{'0' * 64}/file").status_code == 400


@pytest.mark.parametrize(
    ("name", "content", "said"),
    [
        ("cut.cube", b"LUT_3D_SIZE 9\n0 0 0\n", "cut.cube: not a readable look"),
        ("../../up.png", b"", "up.png: a look must be a .clf or a .cube"),
        ("n.cube", b"LUT_3D_SIZE 2\n" + 8 * b"nan 0 0\n", "n.cube: the look holds values that are not numbers"),
    ],
    ids=["cut short", "no table", "no numbers"],
)
def test_a_file_that_is_no_look_is_refused_by_its_name(api, name, content, said):
    before = api.get("/looks").json()["files"]
    answer = api.post("/looks", params={"name": name}, content=content)
    assert answer.status_code == 400
    assert answer.json()["detail"].startswith(said)
    assert api.get("/looks").json()["files"] == before


def test_a_frame_is_seen_under_a_look_with_what_it_leaves(api, bring, shot_named):
    shot = shot_named("12A-1")["id"]
    file = bring(warmer, "warm ACEScct to ACEScct.cube")
    order = {"shot": shot, "frame": 12, "level": "show", "step": "finish"}
    plain = api.post(f"/shots/{shot}/looked", json={**order, "look": None}).json()
    under = api.post(f"/shots/{shot}/looked", json={**order, "look": _look(file)}).json()
    half = api.post(f"/shots/{shot}/looked", json={**order, "look": _look(file, strength=0.5)}).json()
    assert simplejpeg.decode_jpeg(base64.b64decode(under["picture"])).shape == (270, 480, 3)
    assert plain["casts"] == []
    assert {one["zone"] for one in under["casts"]} <= {"lows", "mids", "highs"}
    assert under["readings"][9] > half["readings"][9] > plain["readings"][9]
    assert under["said"] == []
    wrong = api.post(f"/shots/{shot}/looked", json={**order, "look": _look(file, gives="aces:ACEScg")}).json()
    assert any("space" in said for said in wrong["said"])
    kept = api.post(f"/shots/{shot}/keep", json={"frame": 12}).json()["id"]
    there = api.post(f"/kept/{kept}/looked", json={"level": "show", "look": _look(file)}).json()
    assert there["readings"] == pytest.approx(under["readings"], abs=0.5)


def test_a_look_in_hand_is_replaced_on_the_sheet_and_does_not_come_twice(api, bring, shot_named):
    shot = shot_named("12A-1")["id"]
    file, other = bring(warmer, "warm.cube"), bring(faded, "faded rec709.cube")
    values: dict[str, Any] = {**_look(other), "kind": "look"}
    finish = Correction((Step("finish", IDENTITY), Step("look", Look(**values))))
    order = {"shot": shot, "frame": 12, "level": "show", "look": _look(file)}
    held = {**order, "step": "look", "levels": {"show": {"steps": written(finish)["steps"]}}}
    alone = {**order, "step": "finish"}
    asked = [api.post(f"/shots/{shot}/looked", json=one).json()["readings"] for one in (held, alone)]
    assert asked[0] == asked[1]


def test_a_look_is_made_of_a_correction(api, shot_named):
    steps = written(Correction((Step("look", Primary(saturation=0.5)),)))["steps"]
    file = api.post("/looks/made", json={"name": "less colour", "correction": {"steps": steps}}).json()
    assert (file["name"], file["takes"], file["gives"]) == ("less colour", "aces:ACEScct", "aces:ACEScct")
    shot = shot_named("12A-1")["id"]
    order = {"shot": shot, "frame": 12, "level": "family", "step": "look"}
    less, plain = (
        api.post(f"/shots/{shot}/looked", json={**order, "look": look}).json() for look in (_look(file), None)
    )
    assert less["readings"][9] < 0.6 * plain["readings"][9]


def test_a_look_that_is_gone_is_named_and_the_picture_stays(api, running, bring, shot_named):
    shot = shot_named("12A-1")["id"]
    file = bring(warmer, "gone.cube")
    steps = [{"id": "finish", "values": {"kind": "primary"}}, {"id": "look", "values": _look(file)}]
    request = {"kind": "show", "number": 1, "shot": shot, "frame": 12, "level": "show", "step": "finish"}

    def shown(levels: dict) -> dict:
        with running.live() as socket:
            socket.send(json.dumps({**request, "levels": levels}))
            answer = socket.recv(timeout=60)
        (length,) = struct.unpack_from("<I", answer)
        return json.loads(answer[4 : 4 + length])

    under = {"show": {"steps": steps}}
    assert shown(under)["lost_looks"] == []
    before = shown(under)["readings"]
    for path in (running.data / "looks").glob(f"{file['digest']}*"):
        path.unlink()
    there = shown(under)
    assert there["lost_looks"] == ["gone"]
    assert there["readings"] == shown({})["readings"]
    assert there["readings"] != before
    order = {"shot": shot, "frame": 12, "level": "show", "step": "finish", "look": _look(file)}
    answer = api.post(f"/shots/{shot}/looked", json=order)
    assert answer.status_code == 400
    assert "bring it in again" in answer.json()["detail"]
