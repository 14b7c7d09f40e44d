"""The recorded picture treated, over the service: noise told, the camera's way found, what is drawn on a steadied picture."""

import io
import json
import struct

import numpy as np
import pytest
import simplejpeg

from dovrel.core.steps.correction import Correction, Step
from dovrel.core.steps.denoise import Denoise
from dovrel.core.steps.documents import written
from dovrel.core.steps.primary import IDENTITY
from dovrel.core.steps.steady_picture import SteadyPicture
from dovrel.core.steps.track import Track
from tests.helpers.asking import places_of

pytestmark = pytest.mark.shots("23A-1")

SHOT = "23A-1"
SHAKEN = Track(0, 0, tuple((0.5 + 0.03 * (n % 2), 0.5, 0.0, 1.0) for n in range(96)), 16 / 9)
"""A camera that jumps to and fro."""


def levels(*steps: Step) -> dict:
    return {"shot": {"steps": written(Correction((Step("balance", IDENTITY), *steps)))["steps"]}}


@pytest.fixture
def ask(running, shot_named):
    shot = shot_named(SHOT)["id"]
    with running.live() as socket:

        def asked(**request) -> tuple[dict, np.ndarray]:
            socket.send(json.dumps({"kind": "show", "number": 1, "shot": shot, "frame": 12, **request}))
            answer = socket.recv(timeout=60)
            (length,) = struct.unpack_from("<I", answer)
            header = json.loads(answer[4 : 4 + length])
            at = answer.index(b"\xff\xd8\xff")
            return header, simplejpeg.decode_jpeg(io.BytesIO(answer[at:]).getvalue())

        yield asked


def test_noise_is_told_before_and_after_while_its_step_is_in_hand(ask):
    header, _ = ask(step="noise", levels=levels(Step("noise", Denoise(1, 1, 1))))
    before, after = header["noise"]["before"], header["noise"]["after"]
    assert 0 < after[0] <= before[0]
    assert 0 <= after[1] <= before[1]
    other, _ = ask(step="balance", levels=levels(Step("noise", Denoise(1, 1, 1))))
    assert other["noise"] is None
    assert other["crop"] is None


def test_the_picture_is_moved_and_what_that_costs_is_told(ask):
    steady = levels(Step("steady", SteadyPicture(SHAKEN, 0.0)))
    plain, recorded = ask(levels=levels())
    header, moved = ask(step="steady", levels=steady)
    assert header["crop"] == pytest.approx(0.03, abs=0.005)
    assert np.abs(moved.astype(int) - recorded).mean() > 1
    assert plain["crop"] is None
    seen, without = ask(step="steady", levels=steady, before="step")
    # By a lattice of its own now, since the frame is asked for again.
    assert np.abs(without.astype(int) - recorded).mean() < 0.3
    assert seen["crop"] == header["crop"]


def test_the_cameras_way_is_found_on_every_frame(api, shot_named):
    shot = shot_named(SHOT)
    path = api.post(f"/shots/{shot['id']}/camera-path", json={}).json()["path"]
    places = places_of(api, path)
    assert len(places) == shot["clip"]["frames"]
    assert places[0] == pytest.approx([0.5, 0.5, 0, 1])
    # The camera comes nearer all the while: what it saw grows.
    assert places[-1, 3] > 1.2
    values = SteadyPicture(Track(path["drawn"], path["first"], places, path["aspect"]))
    assert 0 < values.crop < 0.25


def test_pictures_of_a_steadied_shot_are_steadied_everywhere(api, shot_named):
    shot = shot_named(SHOT)
    before = api.get(f"/shots/{shot['id']}/frames/12.jpg").content
    steady = levels(Step("steady", SteadyPicture(SHAKEN, 0.0)))["shot"]
    saved = api.put(
        f"/shots/{shot['id']}/correction", json={"correction": steady, "change": "steadied", "base": shot["version_id"]}
    )
    assert saved.status_code == 200, saved.text
    try:
        after = api.get(f"/shots/{shot['id']}/frames/12.jpg").content
        assert np.abs(simplejpeg.decode_jpeg(after).astype(int) - simplejpeg.decode_jpeg(before)).mean() > 1
        # A subject that stands still before a camera that jumps jumps in the recording alone.
        shape = {"kind": "ellipse", "x": 0.5, "y": 0.35, "width": 0.3, "height": 0.4}
        track = api.post(f"/shots/{shot['id']}/follow", json={"shapes": [shape], "frame": 12}).json()["track"]
        steps = np.abs(np.diff(places_of(api, track)[:, 0]))
        assert np.median(steps) > 0.02
    finally:
        api.post(f"/shots/{shot['id']}/undo")
