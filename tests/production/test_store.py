"""The production file: what is written is there, can be taken back on another day, and survives whatever happens to
it.
"""

import json
import sqlite3
from dataclasses import fields, replace
from pathlib import Path

import pytest
import sqlalchemy as sql
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from aquin.errors import AquinError
from aquin.production import Camera, Edit, Event, Grade, Option, Production, Root, Setup, Shot
from aquin.production.migrations import SCHEMA
from aquin.production.people import person
from aquin.production.tables import APPLICATION_ID, METADATA


@pytest.fixture
def production(tmp_path: Path) -> Production:
    return Production.create(tmp_path / "ferry.aquin", "Ferry film")


def some_shots(production: Production, count: int = 3) -> tuple[Camera, Setup, list[Shot]]:
    root, camera, setup = Root("media", "media"), Camera("Heron", "Heron Log"), Setup("galley")
    shots = [
        Shot(root.id, f"A01/A01_{k:03d}.mkv", f"A01_{k:03d}", camera_id=camera.id, setup_id=setup.id)
        for k in range(count)
    ]
    production.change("log", root, camera, setup, *shots)
    return camera, setup, shots


def state(production: Production) -> dict[str, list[object]]:
    return {
        k.__name__: sorted(map(repr, production.all(k))) for k in (Camera, Setup, Shot, Grade, Event, Option)
    }


def test_what_is_written_is_read_again(production: Production) -> None:
    _, _, shots = some_shots(production)
    whole = replace(shots[0], metadata={"a": "ü ✓"}, series_stops=-2.0, floating=True, modified=1.25)
    production.change("note", whole, Setup("pier", routine=("24-patch", "grey card"), confirmed=True))
    before = state(production)
    production.close()
    again = Production.open(production.path)
    assert state(again) == before
    assert again.get(Shot, whole.id) == whole
    assert again.name == "Ferry film"


def test_file_carries_its_marks(production: Production) -> None:
    production.close()
    raw = sqlite3.connect(production.path)
    assert raw.execute("PRAGMA application_id").fetchone()[0] == APPLICATION_ID
    assert raw.execute("PRAGMA user_version").fetchone()[0] == SCHEMA
    assert raw.execute("PRAGMA journal_mode").fetchone()[0] == "wal"
    assert raw.execute("PRAGMA integrity_check").fetchone()[0] == "ok"


def test_tables_are_what_the_migrations_make(production: Production) -> None:
    from alembic.autogenerate import compare_metadata
    from alembic.migration import MigrationContext

    engine = sql.create_engine(f"sqlite:///{production.path}")
    with engine.connect() as connection:
        context = MigrationContext.configure(connection, opts={"compare_server_default": False})
        assert compare_metadata(context, METADATA) == []


def test_each_change_leaves_a_journal_entry_with_before_and_after(
    production: Production, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("AQUIN_PERSON", "the assistant")
    _, _, shots = some_shots(production)
    entry = production.change("set white", replace(shots[1], white="3200"), why="the slate says so")
    assert entry is not None
    kept = production.journal(1, changes=True)[0]
    assert (kept.who, kept.what, kept.why, kept.step) == (person(), "set white", "the slate says so", "do")
    assert kept.who == "the assistant"
    assert kept.changes == (("shot", shots[1].id, {"white": ""}, {"white": "3200"}),)
    assert production.change("nothing new", replace(shots[1], white="3200")) is None
    assert len(production.journal()) == 3


def test_undo_and_redo_work_across_restarts(production: Production) -> None:
    states = [state(production)]
    camera, setup, shots = some_shots(production)
    states.append(state(production))
    production.change("white", *(replace(s, white="5600") for s in shots))
    states.append(state(production))
    production.change("drop", drop=[camera])
    states.append(state(production))
    assert all(s.camera_id == "" for s in production.all(Shot))
    for want in reversed(states[:-1]):
        production.close()
        production = Production.open(production.path)
        assert production.undo() is not None
        assert state(production) == want
    for want in states[1:]:
        production.close()
        production = Production.open(production.path)
        assert production.redo() is not None
        assert state(production) == want
    assert production.redo() is None
    production.undo()
    production.change("another way", replace(setup, light="tungsten"))
    assert production.redo() is None
    assert [e.step for e in production.journal()][:3] == ["do", "undo", "redo"]


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.lists(st.sampled_from(["put", "drop", "undo", "redo", "multi", "grade"]), max_size=14), st.randoms()
)
def test_undoing_everything_gives_what_was_there_at_first(
    tmp_path_factory: pytest.TempPathFactory, steps: list[str], random: object
) -> None:
    """Whatever is done in whatever order: memory and file agree, and undoing all of it leads back."""
    production = Production.create(tmp_path_factory.mktemp("p") / "p.aquin")
    camera, setup, shots = some_shots(production)
    first = state(production)
    depth = len(production._stacks.done)
    for step in steps:
        there = production.all(Shot)
        if step == "put":
            production.change(step, replace(random.choice(shots), white=str(random.random())))  # type: ignore[attr-defined]
        elif step == "drop" and there:
            production.change(step, drop=[random.choice(there)])  # type: ignore[attr-defined]
        elif step == "multi" and there:
            production.change(step, *(replace(s, note=str(random.random())) for s in there))  # type: ignore[attr-defined]
        elif step == "grade":
            grade = Grade("balance", camera.id, setup.id, values={"stops": random.random()})  # type: ignore[attr-defined]
            production.change(step, grade, drop=production.all(Grade)[:1])
        elif step == "undo" and len(production._stacks.done) > depth:
            production.undo()
        elif step == "redo":
            production.redo()
    seen = state(production)
    production.close()
    production = Production.open(production.path)
    assert state(production) == seen
    while len(production._stacks.done) > depth:
        production.undo()
    assert state(production) == first
    production.close()


def test_dropping_takes_what_hangs_on_it_and_brings_it_back(production: Production) -> None:
    _, setup, shots = some_shots(production)
    edit = Edit("cut 1")
    event = Event(edit.id, 0, "A01", "A01_000", "10:00:00:00", "10:00:01:00", shot_id=shots[0].id)
    trim = Grade("trim", shot_id=shots[0].id, values={"slope": [1, 1, 1]})
    production.change("more", edit, event, trim, replace(setup, hero_id=shots[0].id))
    before = state(production)
    production.change("drop", drop=[shots[0]])
    assert production.all(Grade) == []
    assert production.get(Event, event.id).shot_id == ""
    assert production.get(Setup, setup.id).hero_id == ""
    production.change("drop", drop=[edit])
    assert production.all(Event) == []
    production.undo()
    production.undo()
    assert state(production) == before


def test_a_record_that_refers_to_nothing_is_refused(production: Production) -> None:
    _, _, shots = some_shots(production)
    before = state(production)
    with pytest.raises(AquinError, match="refers to a setup that is not there"):
        production.change("wrong", Camera("Egret"), replace(shots[0], setup_id="nowhere"))
    with pytest.raises(AquinError):
        production.change("no root", Shot("no such root", "a.mkv", "a"))
    with pytest.raises(AquinError, match="JSON compliant"):
        production.change("not a number", Option(float("nan"), id="x"))
    assert state(production) == before
    production.close()
    assert state(Production.open(production.path)) == before


def test_two_programs_on_one_file_keep_each_others_changes(production: Production) -> None:
    _, _, shots = some_shots(production)
    other = Production.open(production.path)
    told: list[int] = []
    other.watchers.append(lambda: told.append(1))
    production.change("white", replace(shots[0], white="3200"))
    assert other.refresh()
    assert not other.refresh()
    assert told == [1]
    assert other.get(Shot, shots[0].id).white == "3200"
    production.change("slate", replace(production.get(Shot, shots[0].id), slate="12"))
    other.change("note", replace(other.get(Shot, shots[0].id), note="seen"))  # has not seen the slate
    production.refresh()
    both = production.get(Shot, shots[0].id)
    assert (both.white, both.slate, both.note) == ("3200", "12", "seen")
    assert other.undo() is not None
    production.refresh()
    assert production.get(Shot, shots[0].id).note == ""


def test_a_copy_is_whole_and_apart(production: Production, tmp_path: Path) -> None:
    _, _, shots = some_shots(production)
    copy = tmp_path / "copy.aquin"
    production.save_copy(copy)
    production.change("later", replace(shots[0], note="later"))
    there = Production.open(copy)
    assert there.get(Shot, shots[0].id).note == ""
    assert there.undo() is not None
    assert len(production.all(Shot)) == 3
    with pytest.raises(AquinError, match="exists already"):
        production.save_copy(copy)
    with pytest.raises(AquinError, match="another name"):
        production.save_copy(production.path)


def test_measurements_and_findings_stay_out_of_the_journal(production: Production) -> None:
    entries = len(production.journal())
    production.keep_measured("survey", {"k1": {"a": 1.5}, "k2": {"a": 2}})
    production.keep_measured("survey", {"k1": {"a": 3}})
    production.keep_measured("thumb", {"t1": "jpeg"})
    assert production.measured("survey") == {"k2": {"a": 2}, "k1": {"a": 3}}
    assert production.measured("thumb") == {"t1": "jpeg"}
    production.keep_findings({"f": {"what": "x"}})
    production.keep_findings({"g": {"what": "y"}})
    assert production.findings() == [{"what": "y"}]
    assert len(production.journal()) == entries


def test_changes_from_many_threads_are_all_there(production: Production) -> None:
    import threading

    _, _, shots = some_shots(production, 8)

    def work(k: int) -> None:
        for n in range(12):
            production.change(f"note {k}", replace(production.get(Shot, shots[k].id), note=f"{n}"))

    threads = [threading.Thread(target=work, args=(k,)) for k in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    production.close()
    again = Production.open(production.path)
    assert [s.note for s in again.all(Shot)] == ["11"] * 8
    assert len(again.journal(1000)) == 2 + 8 * 12


def test_every_record_can_be_kept_as_json(production: Production) -> None:
    _, _, shots = some_shots(production)
    for record in (*shots, *production.all(Camera), *production.all(Option)):
        values = {f.name: getattr(record, f.name) for f in fields(record)}
        assert json.loads(json.dumps(values, allow_nan=False)).keys() == values.keys()


def test_decisions_wait_for_the_disk_and_measurements_do_not(production: Production) -> None:
    """The levels of SQLite's PRAGMA synchronous (sqlite.org/pragma.html): 1 NORMAL, 2 FULL."""

    def level() -> int:
        with production._keeper.connect() as connection:
            raw = connection.connection.driver_connection
            assert raw is not None
            return int(raw.execute("PRAGMA synchronous").fetchone()[0])

    production.keep_measured("test", {"a": 1})
    assert level() == 1
    production.change("note", Option(1, id="x"))
    assert level() == 2 and production.measured("test") == {"a": 1}


def test_settings_that_are_bare_values_come_back_as_they_were(tmp_path: Path) -> None:
    values = {"a": 1.5, "b": 7, "c": "12", "d": True, "e": None, "f": [1], "g": {"x": -0.25}, "h": 0}
    made = Production.create(tmp_path / "bare.aquin")
    made.change("settings", *(Option(v, id=k) for k, v in values.items()))
    made.close()
    again = Production.open(tmp_path / "bare.aquin")
    assert {k: again.option(k, "gone") for k in values} == values
    again.close()
