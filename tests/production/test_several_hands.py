"""Several programs on one production: nothing is lost, nothing is overwritten unseen, and no order of changes, undo and
redo makes a file that does not open.

Each `Production` here stands for a program of its own: nothing is shared between two of them but the file.
"""

import json
import os
import sqlite3
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import replace
from functools import cache
from pathlib import Path

import pytest
from hypothesis import HealthCheck, Phase, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule

from aquin.errors import AquinError
from aquin.production import (
    Camera,
    Edit,
    Event,
    Grade,
    Option,
    Place,
    Production,
    Record,
    Root,
    Setup,
    Shot,
)
from aquin.production.memory import place_of
from aquin.production.moved import Apart, Moved, merged
from aquin.production.putting import REFERENCES
from aquin.production.records import RECORDS
from aquin.production.rows import NAMES, row_of
from aquin.production.stacks import Stacks


@pytest.fixture
def anna(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Production:
    monkeypatch.setenv("AQUIN_PERSON", "Anna")
    made = Production.create(tmp_path / "ferry.aquin", "Ferry film")
    root, camera, setup = Root("media", "media"), Camera("Heron"), Setup("galley")
    shots = [Shot(root.id, f"{k}.mkv", f"A{k}", camera_id=camera.id, setup_id=setup.id) for k in range(5)]
    made.change("log", root, camera, setup, *shots)
    return made


@pytest.fixture
def ben(anna: Production, monkeypatch: pytest.MonkeyPatch) -> Production:
    monkeypatch.setenv("AQUIN_PERSON", "Ben")
    made = Production.open(anna.path)
    monkeypatch.setenv("AQUIN_PERSON", "Anna")
    return made


def by(who: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("AQUIN_PERSON", who)


def first(production: Production, kind: type[Record] = Shot) -> object:
    return production.all(kind)[0]


# the file's locks


def locks_of(path: Path) -> int:
    """Locks that this process holds on a file, by what the kernel says (proc(5), locks)."""
    there = os.stat(path)
    mine = f"{os.major(there.st_dev):02x}:{os.minor(there.st_dev):02x}:{there.st_ino}"
    lines = Path("/proc/locks").read_text().splitlines()
    return sum(1 for line in lines if mine in line.split() and str(os.getpid()) in line.split())


OTHER = """
import sys
from dataclasses import replace
from pathlib import Path
from aquin.production import Production, Shot
production = Production.open(Path(sys.argv[1]))
shot = production.all(Shot)[int(sys.argv[2])]
print(production.change("other", replace(shot, note="other")).number)
production.close()
"""


READ = "import sqlite3, sys; sqlite3.connect(sys.argv[1], timeout=0.2).execute('SELECT * FROM shot')"


def other_program(path: Path, shot: int) -> int:
    done = subprocess.run(
        [sys.executable, "-c", OTHER, str(path), str(shot)], capture_output=True, text=True, check=True
    )
    return int(done.stdout)


def test_opening_and_closing_it_again_keeps_the_files_locks(anna: Production, tmp_path: Path) -> None:
    """POSIX locks go when a process closes any handle of a file (fcntl(2)): SQLite must open it, and nothing else."""
    held = locks_of(anna.path)
    assert held > 0
    Production.open(anna.path).close()
    assert locks_of(anna.path) == held
    Production.open(anna.path, read_only=True).close()
    anna.save_copy(tmp_path / "copy.aquin")
    assert locks_of(anna.path) == held
    with pytest.raises(AquinError):
        Production.create(anna.path)
    assert locks_of(anna.path) == held


def test_what_another_program_saves_while_this_one_has_it_open_twice_is_there(anna: Production) -> None:
    again = Production.open(anna.path)
    anna.change("mine", replace(anna.all(Shot)[0], note="mine"))
    again.close()
    numbers = [other_program(anna.path, 1)]
    assert anna.path.with_name(f"{anna.path.name}-wal").exists()
    for k in range(2, 5):
        entry = anna.change("mine", replace(anna.all(Shot)[k], note="mine"))
        assert entry is not None
        numbers.append(entry.number)
    assert numbers == sorted(set(numbers))
    anna.close()
    raw = sqlite3.connect(anna.path)
    assert raw.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
    raw.close()
    notes = [s.note for s in Production.open(anna.path).all(Shot)]
    assert notes == ["mine", "other", "mine", "mine", "mine"]


def test_a_pipe_or_a_folder_is_refused_at_once(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "x.aquin")
    with pytest.raises(AquinError, match="this is no file"):
        Production.open(tmp_path / "x.aquin")
    with pytest.raises(AquinError, match="this is a folder"):
        Production.open(tmp_path)


def test_a_copy_is_not_put_over_a_production_that_is_open(anna: Production, tmp_path: Path) -> None:
    other = Production.create(tmp_path / "other.aquin")
    with pytest.raises(AquinError, match="is open"):
        anna.save_copy(other.path, force=True)
    link = tmp_path / "link.aquin"
    link.symlink_to(anna.path)
    with pytest.raises(AquinError, match="another name"):
        anna.save_copy(link, force=True)


def test_a_new_production_takes_up_no_log_of_an_earlier_one(anna: Production, tmp_path: Path) -> None:
    left = tmp_path / "new.aquin-wal"
    left.write_bytes(b"x")
    with pytest.raises(AquinError, match="earlier production"):
        Production.create(tmp_path / "new.aquin")


def test_a_folder_of_another_machine_is_told_and_held_by_one_program(
    anna: Production, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from aquin.production import network

    anna.close()
    table = tmp_path / "mounts"
    table.write_text(f"30 1 0:30 / / rw - ext4 x rw\n31 30 0:31 / {tmp_path} rw - nfs4 host:/x rw\n")
    monkeypatch.setattr(network, "MOUNTS", table)
    monkeypatch.setattr("aquin.production.opening.BUSY", 0.2)
    held = Production.open(anna.path)
    assert any("nfs4" in note and "one alone" in note for note in held.notes)
    held.change("x", replace(held.all(Shot)[0], note="x"))
    assert not anna.path.with_name(f"{anna.path.name}-shm").exists()
    done = subprocess.run([sys.executable, "-c", READ, str(anna.path)], capture_output=True, text=True)
    assert "locked" in done.stderr
    held.close()


# the same thing by two


def test_the_same_field_by_two_is_refused_and_said(anna: Production, ben: Production) -> None:
    a, b = anna.all(Shot)[0], ben.all(Shot)[0]
    anna.change("note", replace(a, note="one"))
    with pytest.raises(Moved, match="Anna has changed the note of shot A0") as caught:
        ben.change("note", replace(b, note="two", take="7"))
    part = caught.value.parts[0]
    assert (part.was, part.there, part.wanted) == ("", "one", "two")
    assert ben.get(Shot, b.id).note == "one"
    assert Production.open(anna.path).get(Shot, b.id).take == ""
    assert ben.change("note", replace(ben.get(Shot, b.id), note="two")) is not None


def test_a_dialog_that_was_open_while_another_worked_overwrites_nothing(
    anna: Production, ben: Production
) -> None:
    held = ben.all(Shot)[0]  # what the dialog shows
    anna.change("note", replace(anna.all(Shot)[0], note="one"))
    assert ben.refresh()
    ben.change("take", replace(held, take="7"))  # the note in it is old: it was not touched
    assert (ben.get(Shot, held.id).note, ben.get(Shot, held.id).take) == ("one", "7")
    with pytest.raises(Moved):
        ben.change("note", replace(held, note="from the dialog"))


def test_additions_of_two_to_one_list_and_one_mapping_are_all_kept(anna: Production, ben: Production) -> None:
    """Each adds to a list of deliverables and to a mapping without looking again in between."""
    for k in range(30):
        for who, production in (("a", anna), ("b", ben)):
            listed = list(production.option("deliverables", []))
            listed.append({"name": f"{who}{k}", "display": "x", "view": "y"})
            production.change("add", Option(listed, id="deliverables"))
            held = dict(production.option("main heroes", {}))
            production.change("add", Option(held | {f"{who}{k}": "x"}, id="main heroes"))
    final = Production.open(anna.path)
    want = {f"{w}{k}" for w in "ab" for k in range(30)}
    assert {d["name"] for d in final.option("deliverables")} == want
    assert set(final.option("main heroes")) == want


def test_merging_keeps_what_each_did_and_refuses_what_both_did() -> None:
    assert merged({"a": 1, "b": 1}, {"a": 2, "b": 1}, {"a": 1, "b": 3}) == {"a": 2, "b": 3}
    assert merged({"a": 1, "b": 1}, {"b": 1}, {"a": 1, "b": 1, "c": 1}) == {"b": 1, "c": 1}
    assert merged(["x"], ["x", "y"], ["z", "x"]) == ["z", "x", "y"]
    assert merged(["x", "w"], ["x"], ["x", "w", "y"]) == ["x", "y"]
    base = [{"name": "main", "view": "a"}]
    assert merged(base, [{"name": "main", "view": "b"}], [*base, {"name": "web", "view": "c"}]) == [
        {"name": "main", "view": "b"},
        {"name": "web", "view": "c"},
    ]
    for base, mine, there in (
        ({"a": 1}, {"a": 2}, {"a": 3}),
        ([1.0, 1.0], [1.0, 2.0], [2.0, 1.0]),  # a row of numbers is one thing
        ({"a": 1}, {}, {"a": 2}),
        ("x", "y", "z"),
    ):
        with pytest.raises(Apart):
            merged(base, mine, there)


def test_a_grade_that_two_made_is_one_and_told(anna: Production, ben: Production) -> None:
    shot = anna.all(Shot)[0]
    anna.change("trim", Grade("trim", shot_id=shot.id, values={"stops": 1.0}))
    with pytest.raises(Moved, match="Anna has just made the trim of A0"):
        ben.change("trim", Grade("trim", shot_id=shot.id, values={"stops": -1.0}))
    trims = Production.open(anna.path).all(Grade)
    assert [g.values["stops"] for g in trims] == [1.0]
    raw = sqlite3.connect(anna.path)
    with pytest.raises(sqlite3.IntegrityError):  # nor can another program write a second one
        raw.execute(
            'INSERT INTO grade (id, layer, camera_id, setup_id, shot_id, "values", origin, inputs, "on", source_id)'
            ' SELECT \'x\', layer, camera_id, setup_id, shot_id, "values", origin, inputs, "on", source_id FROM grade'
        )


def test_numbers_of_a_grade_and_where_they_came_from_go_together(anna: Production, ben: Production) -> None:
    made = Grade("trim", shot_id=anna.all(Shot)[0].id, values={"a": 1.0, "b": 1.0}, origin="by hand")
    anna.change("trim", made)
    ben.refresh()
    held = ben.get(Grade, made.id)
    anna.change("trim", replace(anna.get(Grade, made.id), values={"a": 2.0, "b": 1.0}, origin="match"))
    with pytest.raises(Moved):  # half of two grades is neither's
        ben.change("trim", replace(held, values={"a": 1.0, "b": 2.0}))
    assert ben.change("off", replace(held, on=False)) is not None
    final = Production.open(anna.path).get(Grade, made.id)
    assert (final.on, final.values["a"], final.values["b"]) == (False, 2.0, 1.0)


def test_a_long_job_leaves_what_was_changed_meanwhile_also_by_this_program(anna: Production) -> None:
    a, b = anna.all(Shot)[:2]
    trims = [Grade("trim", shot_id=s.id, values={"stops": 0.0}) for s in (a, b)]
    anna.change("trims", *trims)
    read = [anna.get(Grade, t.id) for t in trims]
    anna.change("by hand", replace(read[0], values={"stops": 9.0}))
    fresh = Grade("trim", shot_id=anna.all(Shot)[2].id, values={"stops": 1.0})
    anna.change("by hand", replace(fresh, id="1" * 32, values={"stops": 8.0}))
    entry = anna.change("settle", *(replace(t, values={"stops": 1.0}) for t in read), fresh, moved="skip")
    assert entry is not None
    assert [p.name for p in entry.left] == ["the trim of A0", "the trim of A2"]
    assert sorted(g.values["stops"] for g in anna.all(Grade)) == [1.0, 8.0, 9.0]


def test_a_record_that_another_removed_is_not_revived(anna: Production, ben: Production) -> None:
    shot, setup = ben.all(Shot)[0], ben.all(Setup)[0]
    anna.change("drop", drop=[anna.get(Shot, shot.id)])
    with pytest.raises(Moved, match="Anna has removed shot A0"):
        ben.change("note", replace(shot, note="x"))
    anna.change("drop", drop=[anna.get(Setup, setup.id)])
    root = ben.all(Root)[0]
    with pytest.raises(AquinError, match="a setup that Anna has removed"):
        ben.change("log", Shot(root.id, "n.mkv", "n", setup_id=setup.id))
    other = ben.all(Shot)[1]
    ben.change("note", replace(other, note="x"))  # its setup was emptied meanwhile: the note alone is written
    assert Production.open(anna.path).get(Shot, other.id).setup_id == ""


def test_dropping_what_another_has_just_worked_on_is_refused(anna: Production, ben: Production) -> None:
    camera = anna.all(Camera)[0]
    root = anna.all(Root)[0]
    ben.change("rename", replace(ben.all(Camera)[0], name="Egret"))
    with pytest.raises(Moved, match="changed camera Egret"):
        anna.change("drop", drop=[camera])
    ben.change("log", Shot(root.id, "z.mkv", "z"))
    with pytest.raises(Moved, match="shot z"):
        anna.change("drop", drop=[root])
    assert len(Production.open(anna.path).all(Shot)) == 6


def test_memory_after_a_change_is_what_the_file_holds(anna: Production, ben: Production) -> None:
    anna.change("new setup", made := Setup("pier", routine=("24-patch",)))
    with pytest.raises(Moved):
        ben.change("rename", replace(made, name="quay"))  # a record that Ben had never read
    assert ben.get(Setup, made.id) == made
    ben.change("rename", replace(ben.get(Setup, made.id), name="quay"))
    anna.change("note", replace(anna.all(Shot)[0], metadata={"a": "b"}, modified=1.5))
    anna.change("look", Grade("look", values={"rows": ((1, 2), (3, 4))}))
    for production in (anna, ben):
        production.refresh()
        assert held(production) == held(Production.open(anna.path))
    assert anna.all(Grade)[0].values == {"rows": [[1, 2], [3, 4]]}


def test_changes_of_others_are_told_with_who_and_what_and_read_without_the_rest(
    anna: Production, ben: Production, monkeypatch: pytest.MonkeyPatch
) -> None:
    heard: list[str] = []
    told: list[int] = []
    anna.news.append(lambda entries: heard.extend(f"{e.who}: {e.what}" for e in entries))
    anna.watchers.append(lambda: told.append(1))
    untouched = anna.all(Shot)[1]
    by("Ben", monkeypatch)
    ben.change("balance of Heron in galley", replace(ben.all(Shot)[0], note="x"))
    assert anna.refresh() and heard == ["Ben: balance of Heron in galley"] and told == [1]
    assert anna.all(Shot)[1] is untouched
    assert not anna.refresh()
    ben.keep_measured("survey", {"k": 1})
    assert anna.refresh() and len(heard) == 1 and len(told) == 2


# undo


def test_undo_takes_back_ones_own_last_step(
    anna: Production, ben: Production, monkeypatch: pytest.MonkeyPatch
) -> None:
    anna.change("A: note", replace(anna.all(Shot)[0], note="A"))
    by("Ben", monkeypatch)
    ben.change("B: take", replace(ben.all(Shot)[0], take="7"))
    ben.refresh()
    assert ben.can_undo == "B: take"
    assert anna.can_undo == "A: note"
    anna.undo()
    ben.refresh()
    both = ben.all(Shot)[0]
    assert (both.note, both.take, ben.can_undo) == ("", "7", "B: take")
    assert ben.can_redo is None


def test_undo_does_not_overwrite_what_another_did_later(
    anna: Production, ben: Production, monkeypatch: pytest.MonkeyPatch
) -> None:
    a, b = anna.all(Shot)[:2]
    anna.change("A", replace(a, note="one"), replace(b, note="one"))
    by("Ben", monkeypatch)
    ben.refresh()
    ben.change("B", replace(ben.get(Shot, a.id), note="two, later and better"))
    by("Anna", monkeypatch)
    with pytest.raises(Moved, match="Ben has changed the note") as caught:
        anna.undo()
    part = caught.value.parts[0]
    assert (part.was, part.there, part.wanted) == ("one", "two, later and better", "")
    assert anna.get(Shot, b.id).note == "one"
    entry = anna.undo("leave")
    assert entry is not None and len(entry.left) == 1
    assert (anna.get(Shot, a.id).note, anna.get(Shot, b.id).note) == ("two, later and better", "")
    anna.redo("leave")
    assert anna.get(Shot, b.id).note == "one"
    assert anna.undo("overwrite") is not None
    assert anna.get(Shot, a.id).note == ""


def test_who_changed_it_is_known_on_another_day(
    anna: Production, ben: Production, monkeypatch: pytest.MonkeyPatch
) -> None:
    anna.change("A", replace(anna.all(Shot)[0], note="one"))
    by("Ben", monkeypatch)
    ben.refresh()
    ben.change("B", replace(ben.all(Shot)[0], note="two"))
    by("Anna", monkeypatch)
    with pytest.raises(Moved, match="Ben has changed"):
        Production.open(anna.path).undo()


def test_two_programs_of_one_person_do_not_undo_one_step_twice(anna: Production) -> None:
    again = Production.open(anna.path)
    anna.change("note", replace(anna.all(Shot)[0], note="x"))
    again.refresh()
    anna.undo()
    with pytest.raises(AquinError, match="not the last step any more"):
        again.undo()
    assert again.redo() is not None
    assert Production.open(anna.path).all(Shot)[0].note == "x"


def test_undo_of_a_record_that_others_now_need_is_refused(
    anna: Production, ben: Production, monkeypatch: pytest.MonkeyPatch
) -> None:
    anna.change("new camera", made := Camera("Egret"))
    by("Ben", monkeypatch)
    ben.refresh()
    ben.change("it is Egret's", replace(ben.all(Shot)[0], camera_id=made.id))
    by("Anna", monkeypatch)
    with pytest.raises(Moved, match="Ben has tied to this shot A0"):
        anna.undo()
    anna.undo("overwrite")
    assert Production.open(anna.path).all(Shot)[0].camera_id == ""


# any order


def held(production: Production) -> dict[str, list[object]]:
    return {
        k.table: sorted(json.dumps(row_of(r), sort_keys=True) for r in production.all(k)) for k in RECORDS
    }


@cache
def at_first() -> bytes:
    """A small production."""
    with tempfile.TemporaryDirectory() as folder:
        made = Production.create(Path(folder) / "p.aquin")
        root, camera, setup = Root("media", "media"), Camera("Heron"), Setup("galley")
        shots = (Shot(root.id, f"{k}", f"{k}", camera_id=camera.id, setup_id=setup.id) for k in range(3))
        made.change("log", root, camera, setup, *shots)
        made.close()
        return made.path.read_bytes()


class Hands(RuleBasedStateMachine):
    """Three programs of two people on one file, in any order."""

    @initialize()
    def start(self) -> None:
        self.folder = tempfile.TemporaryDirectory(dir="/dev/shm" if os.access("/dev/shm", os.W_OK) else None)
        self.path = Path(self.folder.name) / "p.aquin"
        self.path.write_bytes(at_first())
        self.count = 0
        self.seats: list[Production] = []
        for who in ("Anna", "Anna", "Ben"):
            os.environ["AQUIN_PERSON"] = who
            self.seats.append(Production.open(self.path))
        self.stale: list[Record] = []

    def teardown(self) -> None:
        os.environ.pop("AQUIN_PERSON", None)
        if not hasattr(self, "seats"):
            return
        for seat in self.seats:
            seat.close()
        final = Production.open(self.path)
        assert held(final) == replayed(final), "the journal tells all that happened"
        final.close()
        self.folder.cleanup()

    def at(self, seat: int) -> Production:
        os.environ["AQUIN_PERSON"] = self.seats[seat]._stacks.who
        return self.seats[seat]

    def change(self, seat: int, *records: Record, drop: tuple[Record, ...] = ()) -> None:
        with suppress(AquinError):
            self.at(seat).change("step", *records, drop=drop)

    def pick(self, seat: int, kind: type[Record], which: int) -> Record | None:
        there = self.seats[seat].all(kind)
        return there[which % len(there)] if there else None

    seats_ = st.integers(0, 2)
    which_ = st.integers(0, 5)

    @rule(seat=seats_, which=which_, word=st.sampled_from("abc"), name=st.sampled_from(["note", "take"]))
    def edit(self, seat: int, which: int, word: str, name: str) -> None:
        if shot := self.pick(seat, Shot, which):
            self.stale.append(shot)
            self.change(seat, replace(shot, **{name: word}))  # type: ignore[arg-type]

    @rule(seat=seats_, which=which_, word=st.sampled_from("abc"))
    def edit_stale(self, seat: int, which: int, word: str) -> None:
        old = [r for r in self.stale if isinstance(r, Shot | Setup | Camera)]
        if old:
            self.change(seat, replace(old[which % len(old)], note=word))

    @rule(seat=seats_, which=which_, value=st.integers(0, 3))
    def grade(self, seat: int, which: int, value: int) -> None:
        if shot := self.pick(seat, Shot, which):
            there = [g for g in self.seats[seat].all(Grade) if g.shot_id == shot.id]
            old = there[0] if there else Grade("trim", shot_id=shot.id)
            self.change(seat, replace(old, values={"stops": float(value)}))

    @rule(seat=seats_, key=st.sampled_from("abc"), value=st.integers(0, 3))
    def option(self, seat: int, key: str, value: int) -> None:
        held = dict(self.seats[seat].option("x", {}))
        self.change(seat, Option(held | {key: value}, id="x"))

    @rule(seat=seats_, which=which_)
    def new(self, seat: int, which: int) -> None:
        camera, setup = Camera("Egret"), Setup("pier")
        moved = [
            replace(s, camera_id=camera.id) for s in [self.pick(seat, Shot, which)] if isinstance(s, Shot)
        ]
        self.change(seat, camera, setup, *moved)

    @rule(seat=seats_, which=which_)
    def cut(self, seat: int, which: int) -> None:
        edit = Edit("cut")
        shot = self.pick(seat, Shot, which)
        id = shot.id if shot else ""
        self.change(seat, edit, Event(edit.id, 0, "r", "c", "a", "b", shot_id=id))

    @rule(seat=seats_, which=which_, kind=st.sampled_from([Shot, Camera, Setup, Edit, Grade, Root]))
    def drop(self, seat: int, which: int, kind: type[Record]) -> None:
        if kind is Root and which:
            return
        if record := self.pick(seat, kind, which):
            self.stale.append(record)
            self.change(seat, drop=(record,))

    @rule(seat=seats_, which=which_)
    def in_its_stead(self, seat: int, which: int) -> None:
        """One setup goes, another takes its shots, in one step."""
        old, made = self.pick(seat, Setup, which), Setup("in its stead")
        shots = [s for s in self.seats[seat].all(Shot) if old is not None and s.setup_id == old.id]
        if old is not None:
            self.change(seat, made, *(replace(s, setup_id=made.id) for s in shots[:2]), drop=(old,))

    @rule(
        seat=seats_,
        others=st.sampled_from(["refuse", "leave", "overwrite"]),
        step=st.sampled_from(["undo", "redo"]),
    )
    def step(self, seat: int, others: str, step: str) -> None:
        with suppress(AquinError):
            getattr(self.at(seat), step)(others)

    @rule(seat=seats_)
    def refresh(self, seat: int) -> None:
        self.at(seat).refresh()

    @rule(seat=seats_)
    def reopen(self, seat: int) -> None:
        who = self.seats[seat]._stacks.who
        self.seats[seat].close()
        os.environ["AQUIN_PERSON"] = who
        self.seats[seat] = Production.open(self.path)

    @invariant()
    def file_holds_together(self) -> None:
        if not hasattr(self, "seats"):
            return
        self.count += 1
        if self.count % 6:
            return
        for seat in self.seats:
            seat.refresh()
        seen = [held(s) for s in self.seats]
        fresh = Production.open(self.path, read_only=True)
        assert all(one == held(fresh) for one in seen), "every program sees the same"
        check_references(fresh)
        numbers = [e.number for e in fresh.journal(10_000)]
        assert numbers == list(range(len(numbers), 0, -1))
        for seat in self.seats:
            known = Stacks(seat._stacks.who, seat._stacks.seat)
            known.load(
                (e.number, e.step, e.of, e.what, e.who, e.seat) for e in reversed(fresh.journal(10_000))
            )
            assert (known.done, known.undone) == (seat._stacks.done, seat._stacks.undone)
        fresh.close()


def check_references(production: Production) -> None:
    places: set[object] = set()
    for kind in RECORDS:
        for record in production.all(kind):
            for name, target in REFERENCES.items():
                if name in NAMES[kind] and (id := getattr(record, name)):
                    assert production.find(target, id) is not None, f"{kind.table}.{name} points at nothing"
            place = place_of(record)
            if isinstance(record, Grade | Place) and place is not None:
                assert place not in places
                places.add(place)


def replayed(production: Production) -> dict[str, list[object]]:
    """What the journal's entries make of nothing, applied one after the other."""
    rows: dict[str, dict[str, dict[str, object]]] = {k.table: {} for k in RECORDS}
    for entry in reversed(production.journal(100_000, changes=True)):
        for table, id, before, after in entry.changes:
            there = rows[table].get(id)
            if before is None:
                assert there is None, f"{entry.number}: a record came that was there"
            else:
                assert there is not None, f"{entry.number}: what changed was not there"
                assert all(there[k] == v for k, v in before.items()), f"{entry.number}: it was not so before"
            if after is None:
                del rows[table][id]
            else:
                rows[table][id] = (there or {}) | after
    return {
        k.table: sorted(
            json.dumps({n: rows[k.table][i][n] for n in NAMES[k]}, sort_keys=True) for i in rows[k.table]
        )
        for k in RECORDS
    }


ORDERS = int(os.environ.get("AQUIN_ORDERS", "15"))
"""Orders that are tried; thousands were, by AQUIN_ORDERS=5000."""

TestAnyOrder = Hands.TestCase
TestAnyOrder.settings = settings(
    max_examples=ORDERS,
    stateful_step_count=25,
    deadline=None,
    phases=[Phase.explicit, Phase.reuse, Phase.generate],
    suppress_health_check=list(HealthCheck),
)


@pytest.fixture(autouse=True)
def nobody() -> Iterator[None]:
    before = os.environ.get("AQUIN_PERSON")
    yield
    os.environ.pop("AQUIN_PERSON", None) if before is None else os.environ.update(AQUIN_PERSON=before)


# who is there


def test_a_long_job_is_one_programs_alone_and_free_once_that_is_gone(
    anna: Production, ben: Production
) -> None:
    with anna.alone("settle", "settling"):
        with pytest.raises(AquinError, match="Anna is settling"), ben.alone("settle", "settling"):
            pass
        assert [(s.who, s.work) for s in ben.seats()] == [("Anna", (("settle", "settling"),))]
    with ben.alone("settle", "settling"):
        pass
    code = OTHER.replace('print(production.change("other", replace(shot, note="other")).number)', CLAIM)
    subprocess.run([sys.executable, "-c", code, str(anna.path), "0"], check=False)
    assert anna.seats() == [] or all(s.process == os.getpid() for s in anna.seats())
    with anna.alone("settle", "settling"):  # the program that had it was killed
        pass


CLAIM = 'production.claim("settle", "settling"); import os; os.kill(os.getpid(), 9)'


def test_seats_come_and_go_and_say_where_they_are(anna: Production, ben: Production) -> None:
    shot = anna.all(Shot)[2]
    anna.attend(shot.id)
    assert [(s.shot_id, s.process) for s in ben.seats()] == [(shot.id, os.getpid())]
    number = ben.newest
    assert not ben.refresh() and ben.newest == number  # being there is no decision
    anna.close()
    assert ben.seats() == []
    anna.attend(shot.id)  # closed: says nothing any more
    assert ben.seats() == []


# what was measured


def test_a_file_that_was_replaced_is_not_taken_for_the_one_that_was_logged(tmp_path: Path) -> None:
    from aquin.production import media

    made = Production.create(tmp_path / "p.aquin")
    file = tmp_path / "a.mkv"
    file.write_bytes(b"first" * 1000)
    size, modified, content = media.content_of(file)
    root = Root("media", ".")
    shot = Shot(root.id, "a.mkv", "a", codec="x", frames=2, bytes=size, modified=modified, content=content)
    made.change("log", root, shot)
    assert media.content_there(made, shot) == content
    file.write_bytes(b"other" * 1000)
    os.utime(file, (modified + 10, modified + 10))
    media._there.clear()
    assert media.content_there(made, shot) == media.content_of(file)[2] != content
    os.utime(file, (modified + 20, modified + 20))
    file.write_bytes(b"first" * 1000)  # the same again, at another time
    media._there.clear()
    assert media.content_there(made, shot) == content
    file.unlink()
    media._there.clear()
    assert media.content_there(made, shot) == content
