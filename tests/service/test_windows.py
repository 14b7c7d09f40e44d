"""Several windows on one day, and batches beside them: nothing is silently overwritten, and every window hears of it."""

import json
import time

import psycopg
import pytest
from sqlalchemy import select, text

from dovrel.bench.orders import ten
from dovrel.errors import NoRoom, Refused
from dovrel.jobs import batch, first_measure, queue
from dovrel.media.frames import FrameStore
from dovrel.store import corrections, operations
from dovrel.store.database import engine_for, sessions
from dovrel.store.models import OperationItem, Production, Shot
from tests.helpers.asking import done, shots

pytestmark = pytest.mark.shots(
    "12A-1", "12A-2", "12B-1", "12C-2", "12C-4", "14A-1", "14B-2", "14B-3", "21A-1", "21A-2", "21B-1", "22A-1"
)

NOTHING = [1, 1, 1, 0, 0, 0, 1, 1, 1, 1]
BRIGHTER = [1, 1, 1, 0.05, 0.05, 0.05, 1, 1, 1, 1]
WARMER = [1, 1, 1, 0.02, 0, -0.02, 1, 1, 1, 1]


@pytest.fixture
def url(running):
    return running.database


@pytest.fixture
def factory(url):
    engine = engine_for(url)
    yield sessions(engine)
    engine.dispose()


@pytest.fixture
def resting_worker(running):
    """The worker stands still: what is ordered is not begun before it is woken."""
    running.rest_worker()
    return running


@pytest.mark.parametrize("level", ["camera", "family", "show"])
def test_a_level_that_another_window_changed_is_not_overwritten(api, level):
    day = api.get("/day").json()
    row = {"camera": day["cameras"][0], "family": day["families"][0], "show": day["production"]}[level]
    path = f"/levels/{level}/{row['id']}"
    assert api.put(path, json={"correction": ten(BRIGHTER, level), "base": row["correction"]}).status_code == 200
    late = api.put(path, json={"correction": ten(WARMER, level), "base": row["correction"]})
    assert late.status_code == 409
    assert "changed in another window" in late.json()["detail"]
    # A request that is sent twice, since its answer was lost, is no other window.
    assert api.put(path, json={"correction": ten(BRIGHTER, level), "base": row["correction"]}).status_code == 200
    assert api.put(path, json={"correction": ten(NOTHING, level), "base": ten(BRIGHTER, level)}).status_code == 200


def test_a_note_that_another_window_wrote_is_not_overwritten(api):
    shot = shots(api)["12A-1"]
    order = {"shots": [shot["id"]], "notes_before": [shot["note"]]}
    assert api.patch("/shots", json={**order, "note": "soft at the end"}).status_code == 200
    late = api.patch("/shots", json={**order, "note": "fine"})
    assert late.status_code == 409
    assert "the note of 12A-1" in late.json()["detail"]
    assert shots(api)["12A-1"]["note"] == "soft at the end"


def test_a_line_up_that_another_window_arranged_is_not_overwritten(api):
    day = api.get("/day").json()
    uses = [{"shot": shot["id"]} for shot in day["shots"][:4]]
    base = day["production"]["line_up_stamp"]
    assert api.put("/line-up", json={"base": base, "uses": uses}).status_code == 200
    assert api.put("/line-up", json={"base": base, "uses": uses[::-1]}).status_code == 409
    assert [use["shot"] for use in api.get("/day").json()["production"]["line_up"]] == [use["shot"] for use in uses]


def test_undo_takes_back_what_was_seen_and_nothing_else(api):
    shot, first = shots(api)["12A-2"], shots(api)["12A-1"]
    api.patch("/shots", json={"shots": [first["id"]], "note": "seen", "notes_before": [""]})
    seen = api.get("/day").json()["operations"][0]
    api.patch("/shots", json={"shots": [shot["id"]], "note": "by another window", "notes_before": [""]})
    late = api.post("/operations/undo", json={"last": seen["id"]})
    assert late.status_code == 409
    assert "another window did something since: note of 1 shot" in late.json()["detail"]
    assert shots(api)["12A-2"]["note"] == "by another window"
    newest = api.get("/day").json()["operations"][0]
    assert api.post("/operations/undo", json={"last": newest["id"]}).status_code == 200
    assert api.post("/operations/redo", json={"last": newest["id"]}).status_code == 200
    assert api.post("/operations/redo", json={"last": newest["id"]}).status_code == 400


def test_a_shot_s_undo_goes_back_from_the_version_that_was_seen(api):
    shot = shots(api)["22A-1"]
    url = f"/shots/{shot['id']}"
    first = api.put(f"{url}/correction", json={"correction": ten(BRIGHTER), "base": shot["version_id"]}).json()
    second = api.put(f"{url}/correction", json={"correction": ten(WARMER), "base": first["version_id"]}).json()
    assert api.post(f"{url}/undo", json={"base": first["version_id"]}).status_code == 409
    assert shots(api)["22A-1"]["version_id"] == second["version_id"]
    assert api.post(f"{url}/undo", json={"base": second["version_id"]}).json()["version_id"] == first["version_id"]


def changes(api, day: dict):
    """Things that one window does, each of which another is to see."""
    shot = next(s for s in day["shots"] if s["name"] == "21A-1")
    family = day["families"][-1]
    yield (
        "correction",
        lambda: api.put(
            f"/shots/{shot['id']}/correction", json={"correction": ten(BRIGHTER), "base": shot["version_id"]}
        ),
    )
    yield "note", lambda: api.patch("/shots", json={"shots": [shot["id"]], "note": "see"})
    yield "look", lambda: api.put(f"/levels/family/{family['id']}", json={"correction": ten(WARMER, "family")})
    yield "family", lambda: api.patch(f"/families/{family['id']}", json={"name": "Renamed"})
    yield "undo", lambda: api.post("/operations/undo")
    yield "batch", lambda: api.post("/batches", json={"kind": "balance", "shots": [shot["id"]]})


def test_every_change_is_news_within_two_seconds(api, running):
    with running.live("/api/news") as line:
        number = json.loads(line.recv(timeout=5))["number"]
        for name, change in changes(api, api.get("/day").json()):
            assert change().status_code == 200, name
            until, told = time.monotonic() + 2, number
            while told == number and time.monotonic() < until:
                told = json.loads(line.recv(timeout=2))["number"]
            assert told > number, name
            number = told


def test_a_camera_changed_twenty_times_measures_its_shots_once(api, running, url):
    day = api.get("/day").json()
    of = {camera["id"]: [s["id"] for s in day["shots"] if s["camera_id"] == camera["id"]] for camera in day["cameras"]}
    camera = min(day["cameras"], key=lambda one: len(of[one["id"]]))
    its = of[camera["id"]]
    assert len(its) > 1
    encodings = ["srgb", "aces:ACEScct"] * 10
    with psycopg.connect(url, autocommit=True) as database:
        last = database.execute("SELECT last_value FROM procrastinate_jobs_id_seq").fetchone()[0]
        for encoding in encodings:
            assert api.patch(f"/cameras/{camera['id']}", json={"encoding": encoding}).status_code == 200
        assert {s["progress"] for s in api.get("/day").json()["shots"] if s["id"] in its} <= {"waiting", "measuring"}
        running.wait_measured()
        queued = database.execute("SELECT last_value FROM procrastinate_jobs_id_seq").fetchone()[0]
    assert queued - last <= 2 * len(its)
    after = [s for s in api.get("/day").json()["shots"] if s["id"] in its]
    assert all(s["progress"] == "ready" for s in after)
    api.patch(f"/cameras/{camera['id']}", json={"encoding": camera["encoding"]})
    running.wait_measured()


def test_a_shot_that_changed_camera_while_it_was_measured_is_measured_anew(factory, running, monkeypatch):
    """The answer of a measurement under an encoding that is no longer the camera's is not kept."""
    with factory.begin() as session:
        shot = session.scalars(select(Shot).where(Shot.name == "12B-1")).one()
        number, camera, other = shot.id, shot.camera_id, 1
        shot.progress = "waiting"
    found = first_measure._measured

    def changed_meanwhile(*arguments):
        with factory.begin() as session:
            session.get_one(Shot, number).camera_id = other
        return found(*arguments)

    monkeypatch.setattr(first_measure, "_measured", changed_meanwhile)
    first_measure.measure_shot(factory, number, running.data)
    with factory.begin() as session:
        assert session.get_one(Shot, number).progress == "waiting"
        session.get_one(Shot, number).camera_id = camera
    monkeypatch.undo()
    first_measure.measure_shot(factory, number, running.data)
    with factory.begin() as session:
        assert session.get_one(Shot, number).progress == "ready"


def test_a_hand_edit_made_while_a_batch_runs_is_left_and_named(api, resting_worker):
    found = shots(api)
    left, other = found["14A-1"], found["14B-2"]
    operation = api.post("/batches", json={"kind": "balance", "shots": [left["id"], other["id"]]}).json()
    by_hand = api.put(
        f"/shots/{left['id']}/correction", json={"correction": ten(WARMER), "base": left["version_id"]}
    ).json()
    resting_worker.wake_worker()
    ended = done(api, operation)
    assert [item["said"] for item in ended["failed"]] == [
        "14A-1 was changed by hand after this was ordered; it is left as it is"
    ]
    assert shots(api)["14A-1"]["version_id"] == by_hand["version_id"]
    assert shots(api)["14B-2"]["state"] == "balanced"


def test_a_batch_that_follows_another_goes_on_from_what_that_made(api, resting_worker):
    shot = shots(api)["14B-3"]
    orders = [{"kind": "balance", "shots": [shot["id"]]}, {"kind": "balance", "shots": [shot["id"]]}]
    ordered = [api.post("/batches", json=order).json() for order in orders]
    resting_worker.wake_worker()
    assert [done(api, operation)["failed"] for operation in ordered] == [[], []]
    versions = api.get(f"/shots/{shot['id']}/versions").json()
    assert [v["change"][:10] for v in versions[:2]] == ["balance by"] * 2


def ordered(factory, name: str = "21A-2") -> tuple[int, int]:
    """A batch of one shot that nobody works on."""
    with factory.begin() as session:
        shot = session.scalars(select(Shot).where(Shot.name == name)).one()
        production = session.get_one(Production, shot.production_id)
        operation = operations.begin(session, production, "balance", "balance 1 shot", total=1)
        return operation.id, shot.id


@pytest.mark.parametrize(
    ("fault", "said"),
    [
        (RuntimeError("a codec that is not there"), "this failed by a mistake in Dovrel (fault "),
        (OSError(28, "No space left on device"), "the disc is full; make room and do it again"),
        (ValueError("of a library"), "this failed by a mistake in Dovrel (fault "),
        (Refused("12A-1.mov: cannot be decoded"), "12A-1.mov: cannot be decoded"),
    ],
)
def test_a_batch_s_unforeseen_fault_leaves_an_item_with_a_sentence(factory, running, monkeypatch, fault, said):
    def failing(*_):
        raise fault

    operation, shot = ordered(factory)
    monkeypatch.setitem(batch._WORK, "balance", failing)
    batch.step(factory, FrameStore(), operation, shot, running.data)
    with factory.begin() as session:
        item = session.scalars(select(OperationItem).where(OperationItem.operation_id == operation)).one()
        assert item.failed
        assert item.said.startswith(said)


@pytest.mark.parametrize(
    ("fault", "progress", "said"),
    [
        (RuntimeError("no such codec"), "faulty", "this failed by a mistake in Dovrel (fault "),
        (Refused("the clip is odd"), "faulty", "the clip is odd"),
        (OSError(28, "No space left on device"), "waiting", "there is no room left on the disc"),
    ],
)
def test_no_shot_stands_at_measuring_for_ever(factory, running, monkeypatch, fault, progress, said):
    def failing(*_):
        raise fault

    with factory.begin() as session:
        shot = session.scalars(select(Shot).where(Shot.name == "12C-2")).one()
        number, shot.progress = shot.id, "waiting"
    monkeypatch.setattr(first_measure, "probe", failing)
    if progress == "waiting":
        with pytest.raises(NoRoom):
            first_measure.measure_shot(factory, number, running.data)
    else:
        first_measure.measure_shot(factory, number, running.data)
    with factory.begin() as session:
        shot = session.get_one(Shot, number)
        assert shot.progress == progress
        assert said in shot.fault
    # And goes well when the cause is gone.
    monkeypatch.undo()
    first_measure.measure_shot(factory, number, running.data)
    with factory.begin() as session:
        assert session.get_one(Shot, number).progress == "ready"


def test_rows_and_their_tasks_are_there_together_or_not_at_all(factory):
    def waiting(session) -> int:
        return session.scalar(text("SELECT count(*) FROM procrastinate_jobs WHERE task_name = 'batch-step'"))

    with factory.begin() as session:
        before = waiting(session)
    with pytest.raises(RuntimeError), factory.begin() as session:
        production = session.scalars(select(Production)).one()
        operation = operations.begin(session, production, "balance", "never", total=1)
        queue.defer_batch(session, operation.id, [session.get_one(Shot, 1)])
        raise RuntimeError
    with factory.begin() as session:
        assert waiting(session) == before
        assert "never" not in [
            one.what for one in operations.recent(session, session.scalars(select(Production)).one())
        ]


def test_versions_of_batches_are_told_from_those_by_hand(factory):
    with factory.begin() as session:
        shot = session.scalars(select(Shot).where(Shot.name == "21B-1")).one()
        start = shot.version_id
        production = session.get_one(Production, shot.production_id)
        assert not operations.changed_by_hand(session, shot, start)
        operation = operations.begin(session, production, "balance", "x", total=1)
        made = corrections.save(session, shot, corrections.correction_of(shot), "balance", base=start)
        operations.record(session, operation.id, shot, {"version_id": start}, {"version_id": made.id})
        assert not operations.changed_by_hand(session, shot, start)
        corrections.save(session, shot, corrections.correction_of(shot), "by hand", base=made.id)
        assert operations.changed_by_hand(session, shot, start)
        session.rollback()
