"""Versions, operations and migrations on a real PostgreSQL, against a plain model of what they promise."""

import json
from dataclasses import dataclass, field
from pathlib import Path

import pytest
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import (
    RuleBasedStateMachine,
    initialize,
    invariant,
    precondition,
    rule,
    run_state_machine_as_test,
)
from sqlalchemy import create_engine, delete, select, text

import dovrel.store
from dovrel.core.steps import documents
from dovrel.core.steps.correction import BALANCE, EXTENDED, PLAIN, Correction, Step
from dovrel.core.steps.extended import Extended
from dovrel.core.steps.levels import FourLevels
from dovrel.core.steps.primary import Primary
from dovrel.errors import InConflict
from dovrel.store import corrections, database, operations, tracks
from dovrel.store.database import AWAY, engine_for, migrate, sessions
from dovrel.store.models import (
    Base,
    Camera,
    Family,
    Handover,
    KeptFrame,
    Operation,
    OperationItem,
    Production,
    Shot,
    StoredTrack,
    Version,
    nothing_done,
)

PART = Extended(((0.9, 0.1, 0.0), (0.0, 1.0, 0.0), (0.0, -0.1, 1.1)))


def balanced(numbers: Primary, extended: Extended | None = None) -> Correction:
    return PLAIN["shot"].balanced(numbers, extended)


@pytest.fixture(scope="module")
def url(databases):
    name = databases.empty()
    yield databases.url(name)
    databases.drop(name)


@pytest.fixture(scope="module")
def factory(url):
    migrate(url)
    engine = engine_for(url)
    yield sessions(engine)
    engine.dispose()


def configured(url: str) -> Config:
    config = Config()
    config.set_main_option("script_location", str(Path(dovrel.store.__file__).parent / "migrations"))
    address = url.replace("postgresql://", "postgresql+psycopg://", 1)
    config.set_main_option("sqlalchemy.url", address.replace("%", "%%"))
    return config


@pytest.fixture
def other(url):
    """A second database in the same cluster, empty."""
    admin = create_engine(url.replace("postgresql://", "postgresql+psycopg://", 1), isolation_level="AUTOCOMMIT")
    with admin.connect() as connection:
        connection.execute(text("DROP DATABASE IF EXISTS other WITH (FORCE)"))
        connection.execute(text("CREATE DATABASE other"))
    admin.dispose()
    return url.rsplit("/", 1)[0] + "/other"


def test_migrations_make_what_the_models_say(other):
    migrate(other)
    engine = engine_for(other)
    with engine.connect() as connection:
        differences = compare_metadata(MigrationContext.configure(connection), Base.metadata)
    engine.dispose()
    assert differences == []


def test_migrations_go_down_and_up_again(other):
    migrate(other)
    command.downgrade(configured(other), "base")
    engine = engine_for(other)
    with engine.connect() as connection:
        left = connection.execute(text("SELECT tablename FROM pg_tables WHERE schemaname = 'public'")).scalars().all()
    assert left == ["alembic_version"]
    migrate(other)
    with engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []
    engine.dispose()


def test_versions_of_an_older_day_are_whole_in_the_newest_form(other):
    """A day kept before there were extended parts opens with none of them, and all else as it was."""
    command.upgrade(configured(other), "0003")
    engine = engine_for(other)
    numbers = "[1.1, 1.0, 0.9, 0.01, 0.0, -0.01, 1.0, 1.0, 1.0, 1.2]"
    with engine.begin() as connection:
        connection.execute(text("INSERT INTO production (name, day, output, percentiles) "
                                "VALUES ('Quire Lane', '', 'rec709', '[1, 50, 99]')"))  # fmt: skip
        connection.execute(text("INSERT INTO camera (production_id, letter, name, encoding) "
                                "VALUES (1, 'A', '', 'rec709')"))  # fmt: skip
        connection.execute(text("INSERT INTO shot (production_id, camera_id, name, path, checksum, clip, fault, "
                                "progress, state, measured, drift, proxy) VALUES (1, 1, '12A-1', '/a.mov', '', '{}', "
                                "'', 'ready', 'matched', '{}', '[]', '')"))  # fmt: skip
        connection.execute(text("INSERT INTO version (shot_id, numbers, change, state, distance, made_at) "
                                f"VALUES (1, '{numbers}', 'match', 'matched', 2.5, now())"))  # fmt: skip
        connection.execute(text("UPDATE shot SET version_id = 1"))
    migrate(other)
    with sessions(engine)() as session:
        shot = session.get_one(Shot, 1)
        assert corrections.correction_of(shot) == balanced(Primary.from_array(json.loads(numbers)))
        assert shot.version is not None
        assert shot.version.distance == 2.5
        assert shot.version.report is None
    engine.dispose()


def test_a_line_up_of_an_older_day_keeps_its_order_and_its_cuts(other):
    command.upgrade(configured(other), "0004")
    engine = engine_for(other)
    with engine.begin() as connection:
        connection.execute(text("INSERT INTO production (name, day, output, percentiles) "
                                "VALUES ('Quire Lane', '', 'rec709', '[1, 50, 99]')"))  # fmt: skip
        connection.execute(text("INSERT INTO camera (production_id, letter, name, encoding) "
                                "VALUES (1, 'A', '', 'rec709')"))  # fmt: skip
        for name, position, span in (("12A-1", 1, "null"), ("12A-2", "NULL", "null"), ("12C-2", 0, "[5, 20]")):
            connection.execute(text("INSERT INTO shot (production_id, camera_id, name, path, checksum, clip, fault, "
                                    "progress, state, measured, drift, proxy, position, span) "
                                    f"VALUES (1, 1, '{name}', '/{name}', '', '{{}}', '', 'ready', 'new', '{{}}', '[]', "
                                    f"'', {position}, '{span}')"))  # fmt: skip
    arranged = [{"shot": 3, "span": [5, 20]}, {"shot": 1, "span": None}]
    migrate(other)
    with sessions(engine)() as session:
        assert session.get_one(Production, 1).line_up == arranged
    command.downgrade(configured(other), "0004")
    with engine.connect() as connection:
        rows = connection.execute(text("SELECT name, position, span FROM shot ORDER BY id")).all()
    assert [tuple(row) for row in rows] == [("12A-1", 1, None), ("12A-2", None, None), ("12C-2", 0, [5, 20])]
    engine.dispose()


def test_handovers_of_an_older_day_keep_their_files_their_shots_and_what_is_still_to_be_rendered(other):
    command.upgrade(configured(other), "0011")
    engine = engine_for(other)
    levels = json.dumps({level: nothing_done(level) for level in ("camera", "shot", "family", "show")})
    shots = json.dumps([{"id": 1, "name": "12A-1", "version_id": None, "sum": "abc"}])
    files = json.dumps([{"name": "12A-1.cdl", "format": "cdl", "shot": "12A-1", "version_id": None}])
    with engine.begin() as connection:
        _insert_shot(connection)
        for folder in ("/one", "/two"):
            connection.execute(text("INSERT INTO handover (production_id, folder, files, shots, made_at, cancelled) "
                                    "VALUES (1, :folder, :files, :shots, now(), false)"),
                               {"folder": folder, "files": files, "shots": shots})  # fmt: skip
        for state in ("done", "waiting"):
            connection.execute(text("INSERT INTO handover_item (handover_id, shot_id, version_id, levels, kind, name, "
                                    "pictures, state, part, said) VALUES (2, 1, NULL, :levels, 'png', :state, '{}', "
                                    ":state, 0, '')"), {"levels": levels, "state": state})  # fmt: skip
        before = _rows(connection, "SELECT files, shots FROM handover ORDER BY id")
        items = _rows(connection, "SELECT shot_id, levels, kind, state FROM handover_item ORDER BY id")
    migrate(other)
    with sessions(engine)() as session:
        first, second = (session.get_one(Handover, number) for number in (1, 2))
        assert [first.files, second.files] == [json.loads(files)] * 2
        assert [shot.sum for shot in first.shots] == ["abc"]
        assert [(item.kind, item.state) for item in first.items] == [("lists", "done"), ("checksums", "done")]
        *_, waiting, _, sealed = second.items
        assert (waiting.state, sealed.kind, sealed.state) == ("waiting", "checksums", "waiting")
        assert waiting.handed
        assert corrections.kept_levels(waiting.handed) == FourLevels()
    command.downgrade(configured(other), "0011")
    with engine.connect() as connection:
        assert _rows(connection, "SELECT files, shots FROM handover ORDER BY id") == before
        assert _rows(connection, "SELECT shot_id, levels, kind, state FROM handover_item ORDER BY id") == items
    engine.dispose()


def _insert_shot(connection) -> None:
    """A production, a camera and a shot, each with the number 1."""
    connection.execute(text("INSERT INTO production (name, day, output, percentiles, correction, template, line_up, "
                            "encodings, assumed_encoding, tolerance, markers) VALUES ('Quire Lane', '', 'rec709', "
                            "'[1, 50, 99]', '{}', '{}', '[]', '[]', 'rec709', 3, '[]')"))  # fmt: skip
    connection.execute(text("INSERT INTO camera (production_id, letter, name, encoding, make, model, proposed, assumed, reason, "
                            "correction, retired) VALUES (1, 'A', '', 'rec709', '', '', '', false, '', '{}', false)"))  # fmt: skip
    connection.execute(text("INSERT INTO shot (production_id, camera_id, name, path, checksum, clip, fault, progress, "
                            "state, measured, drift, proxy, note, reading, listed, off, start) VALUES (1, 1, '12A-1', '/a.mov', "
                            "'', '{}', '', 'ready', 'new', '{}', '[]', '', '', '{}', '{}', false, '{}')"))  # fmt: skip


def test_tracks_of_an_older_day_are_kept_once_and_named(other):
    command.upgrade(configured(other), "0011")
    engine = engine_for(other)
    places = [[0.5 + 0.001 * n, 0.5, 0.25 * n, 1.0] for n in range(300)]
    whole = {"drawn": 3, "first": 0, "places": places, "aspect": 16 / 9}
    shape = {"kind": "ellipse", "x": 0.5, "y": 0.5, "width": 0.2, "height": 0.2}
    area = {"id": "face", "on": True, "values": {"kind": "selection", "shapes": [shape], "track": whole}}
    document = nothing_done("shot")
    document["steps"].append(area)
    report = json.dumps({"ties": [{"track": whole}]})
    with engine.begin() as connection:
        _insert_shot(connection)
        for _ in range(2):
            connection.execute(text("INSERT INTO version (shot_id, correction, change, state, made_at, report) "
                                    "VALUES (1, :document, '', 'new', now(), :report)"),
                               {"document": json.dumps(document), "report": report})  # fmt: skip
        before = _rows(connection, "SELECT id, correction, report FROM version ORDER BY id")
    migrate(other)
    with sessions(engine)() as session:
        (stored,) = session.scalars(select(StoredTrack))
        load = tracks.loader(sessions(engine))
        for version in session.scalars(select(Version)):
            assert len(json.dumps(version.correction)) < 2500
            assert version.correction["steps"][-1]["values"]["track"]["digest"] == stored.digest
            assert version.report["ties"][0]["track"]["digest"] == stored.digest
        found = load(stored.digest)
        assert (found.digest, found.drawn, found.places.tolist()) == (stored.digest, 3, places)
        assert load("0" * 32) is None
    command.downgrade(configured(other), "0011")
    with engine.connect() as connection:
        assert _rows(connection, "SELECT id, correction, report FROM version ORDER BY id") == before
    engine.dispose()


def _rows(connection, query: str) -> list:
    return [tuple(row) for row in connection.execute(text(query))]


def test_a_day_of_an_older_release_opens_whole(other):
    """Every version, kept frame, level and operation of a worked day, and the operations can still be undone and done again."""
    command.upgrade(configured(other), "0006")
    engine = engine_for(other)
    with engine.begin() as connection:
        # The dump names rows before those that they refer to.
        connection.execute(text("SET session_replication_role = replica"))
        for line in (Path(__file__).parent / "day_of_0006.sql").read_text().splitlines():
            connection.connection.cursor().execute(line)
    with engine.connect() as connection:
        versions = _rows(connection, "SELECT id, numbers, extended, extended_on, parent_id, change FROM version")
        kept = _rows(connection, "SELECT id, numbers, extended FROM kept_frame")
        own = {
            model: _rows(connection, f"SELECT id, numbers FROM {model.__tablename__}")
            for model in (Camera, Family, Production)
        }
        current = _rows(connection, "SELECT id, version_id FROM shot")
        changed = _rows(connection, "SELECT id, before, after FROM operation_item WHERE after ? 'numbers'")
    assert len(versions) > 20
    assert any(extended is not None and not on for _, _, extended, on, _, _ in versions)
    assert any(extended is not None for _, _, extended in kept)
    assert len(changed) >= 4

    migrate(other)

    with sessions(engine)() as session:
        for number, numbers, extended, on, parent, change in versions:
            version = session.get_one(Version, number)
            found = documents.read(version.correction)
            assert found.numbers_of(BALANCE).as_array().tolist() == numbers
            assert (version.parent_id, version.change) == (parent, change)
            step = found.extended
            assert (step is None) == (extended is None)
            if step:
                assert isinstance(step.values, Extended)
                assert step.values.as_array().tolist() == extended
                assert step.on == on
        for number, numbers, extended in kept:
            frame = session.get_one(KeptFrame, number)
            levels = corrections.kept_levels(frame)
            assert levels.shot.numbers_of(BALANCE).as_array().tolist() == numbers
            assert (levels.shot.extended is None) == (extended is None)
            assert levels.camera == documents.read(frame.shot.camera.correction)
        for model, rows in own.items():
            name = {Camera: "trim", Family: "look", Production: "finish"}[model]
            for number, numbers in rows:
                row = session.get_one(model, number)
                assert documents.read(row.correction).numbers_of(name).as_array().tolist() == numbers
        assert [(s.id, s.version_id) for s in session.scalars(select(Shot).order_by(Shot.id))] == sorted(current)
        for number, before, after in changed:
            item = session.get_one(OperationItem, number)
            name = {"camera": "trim", "family": "look", "show": "finish"}[item.target]
            for was, now in ((before, item.before), (after, item.after)):
                assert documents.read(now["correction"]).numbers_of(name).as_array().tolist() == was["numbers"]

    with sessions(engine).begin() as session:
        names, then = [], _state(session)
        while operation := operations.newest(session, undone=False):
            left = operations.turn(session, operation, back=True)
            # Shots that were changed by hand since are left; levels and references were not.
            assert left == [] or operation.kind in ("balance", "copy")
            names.append(operation.what)
        assert len(names) >= 6
        while operation := operations.newest(session, undone=True):
            operations.turn(session, operation, back=False)
        # One was undone on that day, before something else was done.
        undone = session.scalars(select(Operation).where(Operation.what.like("%: too much"))).one()
        assert undone.what not in names
        operations.turn(session, undone, back=True)
        assert {key: value for key, value in _state(session).items() if key[0] != "shot"} == {
            key: value for key, value in then.items() if key[0] != "shot"
        }
    engine.dispose()


def _state(session) -> dict:
    found = {("shot", shot.id): shot.version_id for shot in session.scalars(select(Shot))}
    for model in (Camera, Family, Production):
        found |= {(model.__tablename__, row.id): row.correction for row in session.scalars(select(model))}
    return found


def test_an_extended_part_is_kept_with_its_switch(factory):
    with factory.begin() as session:
        shot = a_shot(session, "kept")
        for on in (True, False):
            matched = balanced(Primary(saturation=1.1), PART)
            matched = matched if on else matched.with_step(Step(EXTENDED, PART, on=False))
            corrections.save(session, shot, matched, "match", base=shot.version_id)
            session.flush()
            session.expire(shot)
            assert corrections.correction_of(shot) == matched
            assert (PART in corrections.levels_of(shot).at(0).in_order) == on
        corrections.undo(session, shot)
        assert PART in corrections.levels_of(shot).at(0).in_order


def test_who_hangs_with_a_shot_locked_keeps_it_from_nobody(factory, monkeypatch):
    """A process that stopped in the middle of saving loses its lock, and what it had not committed."""
    monkeypatch.setattr(database, "SILENT", 0.3)
    with factory.begin() as session:
        shot_id = a_shot(session, "hung on to").id
    hanging = factory()
    corrections.save(hanging, corrections.locked(hanging, shot_id), balanced(Primary(saturation=2.0)), "", base=None)
    with factory.begin() as session:
        shot = corrections.locked(session, shot_id)
        corrections.save(session, shot, balanced(Primary(saturation=0.5)), "by another", base=None)
    with pytest.raises(AWAY):
        hanging.commit()
    hanging.close()
    with factory() as session:
        assert corrections.correction_of(session.get_one(Shot, shot_id)).numbers_of(BALANCE).saturation == 0.5


def test_a_save_from_an_old_version_is_refused(factory):
    with factory.begin() as session:
        shot = a_shot(session, "overtaken")
        first = corrections.save(session, shot, PLAIN["shot"], "first", base=None)
        corrections.save(session, shot, balanced(Primary(saturation=1.2)), "second", base=first.id)
        with pytest.raises(InConflict, match="changed in another window"):
            corrections.save(session, shot, PLAIN["shot"], "late", base=first.id)


def a_shot(session, name: str) -> Shot:
    production = session.scalars(select(Production)).first()
    if production is None:
        production = Production(name="Quire Lane")
        session.add(production)
        session.flush()
        session.add(Camera(production_id=production.id, letter="A"))
        session.flush()
    camera = production.cameras[0]
    path = f"/{name}.{session.execute(text('SELECT count(*) FROM shot')).scalar_one()}.mov"
    shot = Shot(production_id=production.id, camera_id=camera.id, name=name, path=path, progress="ready")
    session.add(shot)
    session.flush()
    return shot


@dataclass
class Told:
    """What the model knows of one shot: its versions in order of making, and the one in force."""

    saturations: list[float] = field(default_factory=list)
    parents: list[int | None] = field(default_factory=list)
    current: int | None = None

    def save(self, saturation: float) -> None:
        self.parents.append(self.current)
        self.saturations.append(saturation)
        self.current = len(self.parents) - 1

    def undo(self) -> None:
        if self.current is not None:
            self.current = self.parents[self.current]

    def redo(self) -> None:
        children = [n for n, parent in enumerate(self.parents) if parent == self.current]
        if children:
            self.current = children[-1]

    @property
    def saturation(self) -> float:
        return 1.0 if self.current is None else self.saturations[self.current]


@dataclass
class Done:
    """An operation of the model: for each shot, the version before and after."""

    items: dict[int, tuple[int | None, int]]
    undone: bool = False


saturation = st.floats(0.5, 1.5).map(lambda value: round(value, 3))


class History(RuleBasedStateMachine):
    """Hands and batches at work on three shots, undone and done again in any order."""

    factory = None

    @initialize()
    def begin(self):
        with self.factory.begin() as session:
            session.execute(delete(OperationItem))
            session.execute(delete(Operation))
            self.shots = [a_shot(session, f"12A-{n}").id for n in range(3)]
        self.told = [Told() for _ in self.shots]
        self.done: list[Done] = []

    def _save(self, session, place: int, value: float) -> Version:
        shot = corrections.locked(session, self.shots[place])
        balance = balanced(Primary(saturation=value))
        self.told[place].save(value)
        return corrections.save(session, shot, balance, "by hand", base=shot.version_id)

    @rule(place=st.integers(0, 2), value=saturation)
    def change_by_hand(self, place, value):
        with self.factory.begin() as session:
            self._save(session, place, value)

    @rule(place=st.integers(0, 2), back=st.booleans())
    def walk(self, place, back):
        with self.factory.begin() as session:
            shot = corrections.locked(session, self.shots[place])
            (corrections.undo if back else corrections.redo)(session, shot)
        (self.told[place].undo if back else self.told[place].redo)()

    @rule(places=st.sets(st.integers(0, 2), min_size=1), value=saturation)
    def change_many(self, places, value):
        items = {}
        with self.factory.begin() as session:
            operation = operations.begin(session, session.scalars(select(Production)).one(), "copy", "copy")
            for place in sorted(places):
                shot = corrections.locked(session, self.shots[place])
                before, base = self.told[place].current, shot.version_id
                version = self._save(session, place, value)
                operations.record(session, operation.id, shot, {"version_id": base}, {"version_id": version.id})
                items[place] = (before, self.told[place].current)
        self.done.append(Done(items))

    def _newest(self, *, undone: bool) -> Done | None:
        if not undone:
            return next((one for one in reversed(self.done) if not one.undone), None)
        last = max((n for n, one in enumerate(self.done) if not one.undone), default=-1)
        return next((one for one in self.done[last + 1 :] if one.undone), None)

    @precondition(lambda self: self.done)
    @rule(back=st.booleans())
    def turn(self, back):
        expected = self._newest(undone=not back)
        with self.factory.begin() as session:
            operation = operations.newest(session, undone=not back)
            assert (operation is None) == (expected is None)
            if operation is None or expected is None:
                return
            left = operations.turn(session, operation, back=back)
        kept = []
        for place, (before, after) in expected.items.items():
            now, wanted = (after, before) if back else (before, after)
            if self.told[place].current == now:
                self.told[place].current = wanted
            else:
                kept.append(f"12A-{place}")
        expected.undone = back
        assert sorted(left) == kept

    @invariant()
    def every_shot_is_as_told(self):
        if not hasattr(self, "shots"):
            return
        with self.factory() as session:
            for place, number in enumerate(self.shots):
                shot = session.get_one(Shot, number)
                assert corrections.correction_of(shot).numbers_of(BALANCE).saturation == self.told[place].saturation
                assert len(corrections.versions(session, shot)) == len(self.told[place].parents)


def test_histories_are_as_told(factory):
    History.factory = factory
    run_state_machine_as_test(History, settings=settings(max_examples=25, stateful_step_count=25, deadline=None))
