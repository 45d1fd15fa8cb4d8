"""A production on a PostgreSQL server: changed by several, its line cut, its server killed, its roles enforced by the
server itself. Nothing here is simulated but the cutting of the line.
"""

import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import ClassVar

import pytest
import sqlalchemy as sql
from hypothesis import HealthCheck, Phase, settings
from hypothesis import strategies as st
from hypothesis.stateful import initialize, invariant, rule, run_state_machine_as_test

from aquin.errors import AquinError
from aquin.jobs.people import let_in, people_of, role_in
from aquin.production import Camera, Grade, Option, Production, Record, Root, Setup, Shot
from aquin.production.address import Address, NeedsPassword, address_of, is_address, slug
from aquin.production.moved import LineCut, Moved
from aquin.production.notes import add_note, notes_of
from aquin.production.records import RECORDS
from aquin.production.server import secrets
from aquin.production.server.sharing import share
from aquin.production.unsent import FIRST
from postgres import Postgres, Wire
from production.test_several_hands import Hands, check_references, held, replayed
from shoots import small_film

SOON = 1.0
"""Seconds within which others have what one saved."""


@pytest.fixture
def film(tmp_path: Path) -> Iterator[Production]:
    (tmp_path / "media").mkdir()
    made = small_film(tmp_path, 5)
    yield made
    made.close()


@pytest.fixture
def seat(server: Postgres, database: str, film: Production) -> Iterator[Callable[..., Production]]:
    """Opens the shared film for an account, over a wire where one is given."""
    share(film, address_of(server.url(database, "lead", "ferry")))
    lead = Production.open(server.url(database, "lead", "ferry"))
    let_in(lead, [("anna", "grades"), ("ben", "leads"), ("carla", "looks")])
    lead.close()
    opened = []

    def at(who: str = "ben", wire: Wire | None = None) -> Production:
        made = Production.open(server.url(database, who, "ferry", port=wire.port if wire else 0))
        opened.append(made)
        return made

    yield at
    for one in opened:
        one.close()


@pytest.fixture
def wire(server: Postgres) -> Iterator[Wire]:
    made = Wire(server.port)
    yield made
    made.close()


def until(there: Callable[[], object], seconds: float = 10) -> float:
    """Wait until something holds; how long that took."""
    begun = time.monotonic()
    while not there():
        assert time.monotonic() - begun < seconds, "it did not come about"
        time.sleep(0.005)
    return time.monotonic() - begun


def first(production: Production) -> Shot:
    return production.all(Shot)[0]


# addresses


def test_an_address_is_read_written_and_holds_no_password() -> None:
    said = "postgresql://mara@films.example:6000/grade?production=ferry&sslmode=require"
    found = address_of(said)
    assert (found.user, found.host, found.port, found.database) == ("mara", "films.example", 6000, "grade")
    assert (found.production, found.options) == ("ferry", (("sslmode", "require"),))
    assert address_of(str(found)) == found
    assert address_of("postgresql:///grade?service=films").host == ""
    assert not is_address("/films/ferry.aquin") and not is_address(Path("ferry.aquin"))
    for wrong in (
        "postgresql://a:secret@h/d",
        "postgresql://h/d?production=%2f",
        "postgresql://h:x/d",
        "postgresql://h/d?x=1",
    ):
        with pytest.raises(AquinError) as caught:
            address_of(wrong)
        assert "secret" not in caught.value.line()


def test_names_become_what_a_server_takes() -> None:
    assert slug("Ferry film, day 2!") == "ferry_film_day_2"
    assert len(Address(production=slug("x" * 300)).schema) + len("_abcd_grades") <= 63  # NAMEDATALEN - 1
    assert slug('a"; DROP SCHEMA x; --') == "a_drop_schema_x"


# there and back


def test_all_of_a_production_goes_to_the_server_and_back(
    film: Production, server: Postgres, database: str, tmp_path: Path
) -> None:
    film.change(
        "odd words",
        replace(first(film), note="Ölzeug; 'quoted' \\ “–”\n\tend", metadata={"a": [1, None, 0.1]}),
    )
    film.keep_measured("test", {"k": {"x": 1.25}})
    film.change("drop", drop=[film.all(Shot)[2]])
    film.undo()
    done = share(film, address_of(server.url(database, "lead", "ferry")))
    there = Production.open(done.address)
    assert there.identity == film.identity
    known = film.entry_ids()
    assert there.entry_ids()[: len(known)] == known
    for kind in (k for k in RECORDS if k.table not in ("root", "place")):
        assert there.all(kind) == film.all(kind), "the same, and in the same order"
    assert there.measured("test") == {"k": {"x": 1.25}}
    assert there.name == "Ferry film"
    back = tmp_path / "back" / "ferry.aquin"
    back.parent.mkdir()
    there.save_copy(back)
    again = Production.open(back)
    for kind in RECORDS:
        assert again.all(kind) == there.all(kind)
    assert [(e.id if hasattr(e, "id") else e.number, e.at, e.who, e.what) for e in again.journal()] == [
        (e.number, e.at, e.who, e.what) for e in there.journal()
    ]
    assert held(again) == replayed(again)
    assert again.measured("test") == {"k": {"x": 1.25}}
    again.close()
    there.close()


def test_media_beside_the_file_are_found_from_the_server(
    film: Production, server: Postgres, database: str, tmp_path: Path
) -> None:
    from aquin.production.media import file_of

    there = Production.open(share(film, address_of(server.url(database, "lead", "ferry"))).address)
    assert file_of(there, first(there)) == tmp_path / "media" / "0.mkv"
    there.close()


def test_what_is_there_already_is_not_overwritten_and_a_failure_leaves_nothing(
    film: Production, server: Postgres, database: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    to = address_of(server.url(database, "lead", "ferry"))
    share(film, to)
    with pytest.raises(AquinError, match="a production of that name"):
        share(film, to)
    monkeypatch.setattr("aquin.production.server.sharing.copy_rows", lambda *a: 1 / 0)
    with pytest.raises(ZeroDivisionError):
        share(film, to.of("second"))
    rows = server.run("SELECT nspname FROM pg_namespace WHERE nspname LIKE 'aquin%'", database=database)
    assert rows == [("aquin_ferry",)]


def test_one_production_needs_no_name_and_several_do(
    film: Production, server: Postgres, database: str
) -> None:
    with pytest.raises(AquinError, match="holds no production"):
        Production.open(server.url(database, "lead"))
    share(film, address_of(server.url(database, "lead", "ferry")))
    Production.open(server.url(database, "lead")).close()
    made = Production.create(server.url(database, "lead", "harbour"), "Harbour")
    assert made.name == "Harbour" and made.all(Shot) == []
    made.close()
    with pytest.raises(AquinError, match="holds 2 productions"):
        Production.open(server.url(database, "lead"))
    with pytest.raises(AquinError, match="no production 'pier'"):
        Production.open(server.url(database, "lead", "pier"))
    with pytest.raises(AquinError, match="no such database"):
        Production.open(server.url("nowhere", "lead", "pier"))


def test_another_version_of_the_tables_is_refused_with_what_to_do(
    film: Production, server: Postgres, database: str
) -> None:
    done = share(film, address_of(server.url(database, "lead", "ferry")))
    for version, wanted in (("0099", "Use the same version as the others"), ("0004", "take it into a file")):
        server.run(f"UPDATE aquin_ferry.alembic_version SET version_num = '{version}'", database=database)
        with pytest.raises(AquinError, match=wanted):
            Production.open(done.address)


def test_looks_and_configurations_go_with_it(
    film: Production, server: Postgres, database: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from aquin.colour.config import ColourConfig
    from aquin.production.looks import import_look, looks_of
    from aquin.production.settings import choose_config, config_of

    text = ColourConfig.load().text()
    (tmp_path / "show.ocio").write_text(text)
    choose_config(film, tmp_path / "show.ocio")
    done = share(film, address_of(server.url(database, "lead", "ferry")))
    assert done.files == ("show.ocio",)
    one = Production.open(done.address)
    cube = tmp_path / "warm.cube"
    rows = [f"{r} {g} {b}" for b in (0, 1) for g in (0, 1) for r in (0, 1)]
    cube.write_text("LUT_3D_SIZE 2\n" + "\n".join(rows) + "\n")
    import_look(one, config_of(one), cube, "working", "working", "Warm")
    monkeypatch.setenv("AQUIN_STATE", str(tmp_path / "another machine"))
    two = Production.open(done.address)
    assert two.path != one.path
    found = looks_of(two, config_of(two))
    assert [h.name for h in found] == ["Warm"] and found[0].look is not None
    one.close()
    two.close()


# several seats


def test_what_one_saves_the_others_have_within_a_second_and_told(seat: Callable[..., Production]) -> None:
    one, two = seat("anna"), seat("ben")
    said: list[str] = []
    two.news.append(lambda entries: said.extend(f"{e.who}: {e.what}" for e in entries))
    one.change("trim A0", Grade("trim", shot_id=first(one).id, values={"stops": 0.5}))
    took = until(lambda: two.refresh() or two.all(Grade), SOON)
    assert took < SOON and said == ["anna: trim A0"]
    assert not two.refresh(), "nothing is new"


def test_the_same_by_two_is_refused_and_said(seat: Callable[..., Production]) -> None:
    one, two = seat("ben"), seat("lead")
    a, b = first(one), first(two)
    one.change("note", replace(a, note="one"))
    with pytest.raises(Moved, match="ben has changed the note of shot A0"):
        two.change("note", replace(b, note="two"))
    assert two.change("take", replace(b, take="7")) is not None


def test_who_is_there_and_at_work_on_what(seat: Callable[..., Production]) -> None:
    one, two = seat("anna"), seat("ben")
    one.attend(first(one).id)
    assert [(s.who, s.shot_id) for s in two.seats()] == [("anna", first(one).id)]
    with (
        one.alone("settle", "settling"),
        pytest.raises(AquinError, match="anna is settling"),
        two.alone("settle", "settling"),
    ):
        pass
    one.close()
    assert two.seats() == []


class SharedHands(Hands):
    """Three programs of two people on a server, in any order, each of whose lines is cut and mended."""

    server: Postgres
    database: str
    number = 0

    @initialize()
    def start(self) -> None:
        type(self).number += 1
        self.address = self.server.url(self.database, "lead", f"p{self.number}")
        made = Production.create(self.address)
        root, camera, setup = Root("media"), Camera("Heron"), Setup("galley")
        shots = (Shot(root.id, f"{k}", f"{k}", camera_id=camera.id, setup_id=setup.id) for k in range(3))
        made.change("log", root, camera, setup, *shots)
        let_in(made, [("ben", "leads")])
        made.close()
        self.count = 0
        self.seats = [self.open(who) for who in ("lead", "lead", "ben")]
        self.stale: list[Record] = []

    def open(self, who: str) -> Production:
        return Production.open(self.address.replace("lead@", f"{who}@"))

    def teardown(self) -> None:
        if not hasattr(self, "seats"):
            return
        self.mend_all()
        for seat in self.seats:
            seat.close()
        final = Production.open(self.address)
        assert held(final) == replayed(final), "the journal tells all that happened"
        check_references(final)
        final.close()

    def at(self, seat: int) -> Production:
        return self.seats[seat]

    @rule(seat=st.integers(0, 2))
    def cut_line(self, seat: int) -> None:
        self.seats[seat]._keeper.line.up = False  # type: ignore[attr-defined]

    @rule(seat=st.integers(0, 2))
    def mend_line(self, seat: int) -> None:
        self.seats[seat]._keeper.line.up = True  # type: ignore[attr-defined]
        self.seats[seat].send()

    @rule(seat=st.integers(0, 2), take=st.sampled_from(["rest", "all", "none"]))
    def decide(self, seat: int, take: str) -> None:
        for item in self.seats[seat].refused[:1]:
            with suppress(AquinError):
                self.seats[seat].decide(item.id, take)  # type: ignore[arg-type]

    @rule(seat=st.integers(0, 2))
    def refresh(self, seat: int) -> None:
        self.look(self.seats[seat])

    @rule(seat=st.integers(0, 2))
    def reopen(self, seat: int) -> None:
        """Also while something waits: another program takes it up."""
        who = self.seats[seat].who
        waiting = [w.id for w in self.seats[seat].waiting]
        self.seats[seat].close()
        self.seats[seat] = self.open(who)
        assert not self.seats[seat].waiting
        there = {*self.seats[seat].entry_ids(), *(w.id for w in self.seats[seat].refused)}
        for id in waiting:
            assert id in there or id in self.seats[seat].needless, "sent, or refused and told"

    @staticmethod
    def look(seat: Production) -> None:
        seat._keeper.line.counts["journal"] += 1  # type: ignore[attr-defined]  # as the server's news does a moment later
        seat.refresh()

    def mend_all(self) -> None:
        for seat in self.seats:
            seat._keeper.line.up = True  # type: ignore[attr-defined]
            seat.send()
            assert not seat.waiting

    @invariant()
    def file_holds_together(self) -> None:
        if not hasattr(self, "seats"):
            return
        self.count += 1
        if self.count % 8:
            return
        self.mend_all()
        for seat in self.seats:
            self.look(seat)
        fresh = Production.open(self.address, read_only=True)
        assert all(held(s) == held(fresh) for s in self.seats), "every program sees the same"
        check_references(fresh)
        numbers = [e.number for e in fresh.journal(10_000)]
        assert numbers == list(range(len(numbers), 0, -1))
        fresh.close()


def test_no_order_of_changes_undo_cut_lines_and_new_programs_loses_anything(
    server: Postgres, database: str
) -> None:
    count = int(os.environ.get("AQUIN_ORDERS", "0")) or 12

    class Here(SharedHands):
        pass

    Here.server, Here.database = server, database
    run_state_machine_as_test(
        Here,
        settings=settings(
            max_examples=count,
            stateful_step_count=30,
            deadline=None,
            suppress_health_check=list(HealthCheck),
            phases=[Phase.generate, Phase.shrink] if count > 12 else [Phase.generate],
        ),
    )


# the line is cut


def test_a_cut_line_means_waiting_to_send(
    seat: Callable[..., Production], wire: Wire, server: Postgres
) -> None:
    one, other = seat("ben", wire), seat("lead")
    turned: list[bool] = []
    one.turned = turned.append
    wire.cut()
    begun = time.monotonic()
    made = one.change("note", replace(first(one), note="kept"))
    assert made is not None and made.waiting and time.monotonic() - begun < 5
    assert first(one).note == "kept" and first(other).note == ""
    until(lambda: not one._keeper.line.up)  # type: ignore[attr-defined]
    begun = time.monotonic()
    for k in range(20):
        one.change("take", replace(first(one), take=f"{k}"))
    assert (time.monotonic() - begun) / 20 < 0.05, "once it is known, nobody waits for the line"
    assert len(one.waiting) == 21 and one.newest >= FIRST
    assert one.undo() is not None and first(one).take == "18"
    other.change("slate", replace(first(other), slate="9"))  # another field of the same shot
    wire.mend()
    until(lambda: not one.waiting and one._keeper.line.up)  # type: ignore[attr-defined]
    until(
        lambda: one.refresh() or first(one).slate == "9", SOON
    )  # what others did is read after one's own is sent
    assert (first(one).note, first(one).take, first(one).slate) == ("kept", "18", "9")
    until(lambda: other.refresh() or first(other).take == "18", SOON)
    entries = one.journal()
    assert [e.number for e in entries] == list(range(len(entries), 0, -1))
    assert entries[-1].at <= next(e for e in entries if e.what == "note").at
    assert one.newest < FIRST and False in turned and turned[-1]


def test_a_server_that_is_killed_and_started_again_loses_nothing(
    seat: Callable[..., Production], server: Postgres
) -> None:
    one, two = seat("ben"), seat("lead")
    one.change("before", replace(first(one), note="before"))
    server.kill()
    try:
        assert one.change("while", replace(one.all(Shot)[1], note="one")).waiting  # type: ignore[union-attr]
        assert two.change("while", replace(two.all(Shot)[2], note="two")).waiting  # type: ignore[union-attr]
        with pytest.raises(LineCut):
            one.journal()
    finally:
        server.start()
    until(lambda: not one.waiting and not two.waiting)
    for production in (one, two):
        until(
            lambda p=production: p.refresh() or [s.note for s in p.all(Shot)[:3]] == ["before", "one", "two"]
        )


def test_a_server_that_stands_still_holds_nobody_up_for_long(
    seat: Callable[..., Production], server: Postgres
) -> None:
    one = seat("ben")
    time.sleep(0.5)
    server.freeze(True)
    try:
        begun = time.monotonic()
        made = one.change("while", replace(first(one), note="kept"))
        assert made is not None and made.waiting and time.monotonic() - begun < 6
        begun = time.monotonic()
        one.change("while", replace(first(one), take="2"))
        assert time.monotonic() - begun < 0.05
    finally:
        server.freeze(False)
    until(lambda: not one.waiting, 20)
    assert (first(one).note, first(one).take) == ("kept", "2")
    assert [e.what for e in one.journal(2)] == ["while", "while"]


def test_a_program_that_is_killed_while_it_waits_has_its_changes_sent_by_the_next(
    seat: Callable[..., Production], wire: Wire, server: Postgres, database: str
) -> None:
    code = (
        "import sys; from dataclasses import replace; from aquin.production import Production, Shot\n"
        "p = Production.open(sys.argv[1]); print('open', flush=True); sys.stdin.readline()\n"
        "for k in range(5): p.change(f'take {k}', replace(p.all(Shot)[0], take=str(k)))\n"
        "print(len(p.waiting), flush=True); sys.stdin.readline()"
    )
    url = server.url(database, "ben", "ferry", port=wire.port)
    program = subprocess.Popen(
        [sys.executable, "-c", code, url], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )
    assert program.stdin is not None and program.stdout is not None
    assert program.stdout.readline() == "open\n"
    wire.cut()
    program.stdin.write("\n")
    program.stdin.flush()
    assert program.stdout.readline() == "5\n"
    program.send_signal(signal.SIGKILL)
    program.wait()
    with pytest.raises(LineCut, match="5 changes wait here"):
        Production.open(url)
    wire.mend()
    again = seat("ben", wire)
    assert first(again).take == "4" and not again.waiting
    assert [e.what for e in again.journal(5)] == [f"take {k}" for k in (4, 3, 2, 1, 0)]
    assert again.undo() is not None and first(again).take == "3", "they are this person's own steps"


def test_a_line_that_is_cut_after_the_commit_doubles_nothing(
    seat: Callable[..., Production], monkeypatch: pytest.MonkeyPatch
) -> None:
    one = seat("ben")
    commit = sql.Connection.commit

    def cut(connection: sql.Connection) -> None:
        commit(connection)
        monkeypatch.undo()
        raise sql.exc.OperationalError(
            "COMMIT", {}, __import__("psycopg").OperationalError("gone"), None, True
        )

    monkeypatch.setattr(sql.Connection, "commit", cut)
    made = one.change("once", replace(first(one), note="once"))
    assert made is not None and made.waiting
    until(lambda: not one.waiting)
    assert [e.what for e in one.journal()].count("once") == 1
    assert first(one).note == "once"


def test_what_others_changed_meanwhile_is_refused_kept_and_decided(seat: Callable[..., Production]) -> None:
    one, other = seat("ben"), seat("lead")
    one._keeper.line.up = False  # type: ignore[attr-defined]
    for k in range(3):
        one.change(f"shot {k}", replace(one.all(Shot)[k], note="mine", take="mine"))
    one.change("options", Option({"b": 1}, id="x"))
    for k in range(3):
        other.change("theirs", replace(other.all(Shot)[k], note="theirs"))
    one._keeper.line.up = True  # type: ignore[attr-defined]
    one.send()
    assert not one.waiting and [r.what for r in one.refused] == ["shot 0", "shot 1", "shot 2"]
    assert one.option("x") == {"b": 1} and first(one).note == "theirs" and first(one).take == ""
    assert "lead has changed the note of shot A0" in one.refused[0].words
    one.close()
    again = seat("ben")
    assert len(again.refused) == 3, "they are kept until somebody decides"
    for item, take in zip(again.refused, ("rest", "all", "none"), strict=True):
        again.decide(item.id, take)  # type: ignore[arg-type]
    shots = again.all(Shot)
    assert [(s.note, s.take) for s in shots[:3]] == [("theirs", "mine"), ("mine", "mine"), ("theirs", "")]
    assert not again.refused and not list(again.path.parent.parent.glob("*/unsent-*"))


def test_parts_that_differ_are_merged_when_they_are_sent(seat: Callable[..., Production]) -> None:
    one, other = seat("ben"), seat("lead")
    one.change("options", Option({"a": 0}, id="x"))
    until(lambda: other.refresh() or other.option("x"), SOON)
    one._keeper.line.up = False  # type: ignore[attr-defined]
    one.change("options", Option({"a": 0, "mine": 1}, id="x"))
    other.change("options", Option({"a": 0, "theirs": 2}, id="x"))
    one._keeper.line.up = True  # type: ignore[attr-defined]
    one.send()
    assert one.option("x") == {"a": 0, "mine": 1, "theirs": 2} and not one.refused


def test_what_one_account_could_not_send_is_never_sent_in_anothers_name(
    seat: Callable[..., Production],
) -> None:
    one = seat("ben")
    one._keeper.line.up = False  # type: ignore[attr-defined]
    one.change("note", replace(first(one), note="by ben"))
    one.close()
    assert first(seat("lead")).note == ""
    assert first(seat("ben")).note == "by ben"


def test_a_dialog_that_showed_what_was_waiting_overwrites_nothing(seat: Callable[..., Production]) -> None:
    """It was opened while the line was cut, and saved when it was there again."""
    one, other = seat("ben"), seat("lead")
    one._keeper.line.up = False  # type: ignore[attr-defined]
    one.change("take", replace(first(one), take="1"))
    shown = first(one)
    other.change("note", replace(first(other), note="theirs"))
    one._keeper.line.up = True  # type: ignore[attr-defined]
    one.send()
    one.change("slate", replace(shown, slate="5"))
    assert (first(one).take, first(one).note, first(one).slate) == ("1", "theirs", "5")
    with pytest.raises(Moved, match="lead has changed the note"):
        one.change("note", replace(shown, note="mine"))


def test_a_disk_that_is_full_while_the_line_is_cut_is_said_and_nothing_pretended(
    seat: Callable[..., Production], monkeypatch: pytest.MonkeyPatch
) -> None:
    one = seat("ben")
    one._keeper.line.up = False  # type: ignore[attr-defined]

    def full(fd: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("aquin.production.server.outbox.os.fsync", full)
    with pytest.raises(AquinError, match="can't be kept here"):
        one.change("note", replace(first(one), note="x"))
    assert first(one).note == "" and not one.waiting
    monkeypatch.undo()
    one._keeper.line.up = True  # type: ignore[attr-defined]
    assert one.change("note", replace(first(one), note="x")) is not None


def test_what_was_measured_is_read_without_the_line_and_sent_later(
    seat: Callable[..., Production], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    one = seat("anna")
    monkeypatch.setenv("AQUIN_STATE", str(tmp_path / "another machine"))
    two = seat("ben")
    one.keep_measured("test", {"a": 1})
    assert two.measured("test") == {"a": 1}
    for seat_ in (one, two):
        seat_._keeper.line.up = False  # type: ignore[attr-defined]
    one.keep_measured("test", {"b": [2.5]})
    assert one.measured("test") == {"a": 1, "b": [2.5]} and two.measured_of("test", ["a", "b"]) == {"a": 1}
    for seat_ in (one, two):
        seat_._keeper.line.up = True  # type: ignore[attr-defined]
    one.send_measured()
    assert two.measured("test") == {"a": 1, "b": [2.5]}


# roles and passwords


def test_the_server_itself_refuses_what_a_role_may_not(seat: Callable[..., Production]) -> None:
    shot = first(seat("lead")).id
    may = {
        "trim": lambda p: p.change("t", Grade("trim", shot_id=shot, values={"stops": len(p.who) / 10})),
        "agree": lambda p: p.change("a", Option({p.who: 1}, id=f"agreed:{shot}")),
        "note": lambda p: add_note(p, p.get(Shot, shot), f"by {p.who}"),
        "look": lambda p: p.change("l", Grade("look", values={"name": p.who})),
        "camera": lambda p: p.change("c", replace(p.all(Camera)[0], note=p.who)),
        "screens": lambda p: p.change("d", Option([p.who], id="deliverables")),
        "drop": lambda p: p.change("x", drop=[p.all(Shot)[-1]]),
    }
    wanted = {"carla": {"note"}, "anna": {"note", "trim", "agree"}, "ben": set(may)}
    for who, allowed in wanted.items():
        production, done = seat(who), set()
        for name, work in may.items():
            before = held(production)
            try:
                # what another put there first would be no question of roles
                production.refresh()
                if name == "trim":
                    found = [g for g in production.all(Grade) if g.layer == "trim"]
                    made = found[0] if found else Grade("trim", shot_id=shot)
                    production.change("t", replace(made, values={"stops": len(who) / 10}))
                else:
                    work(production)
                done.add(name)
            except Moved:
                raise
            except AquinError as error:
                assert "does not allow this account" in error.what, error
                assert held(production) == before, "nothing was changed"
        assert done == allowed, who
    fresh = seat("lead")
    assert held(fresh) == held(seat("ben")) and {
        n.who for n in notes_of(fresh, fresh.get(Shot, shot).id)
    } == {
        "carla",
        "anna",
        "ben",
    }


def test_the_journal_can_be_added_to_in_ones_own_name_only_and_never_changed(
    seat: Callable[..., Production], server: Postgres, database: str
) -> None:
    import psycopg

    columns = "(number, id, at, who, what, why, step, changes)"
    entry = f"INSERT INTO journal {columns} VALUES (%s, %s, '', %s, '', '', 'do', '[]')"
    for who in ("carla", "anna", "ben"):
        with psycopg.connect(
            host="127.0.0.1",
            port=server.port,
            user=who,
            dbname=database,
            options="-c search_path=aquin_ferry",
        ) as raw:
            for statement, values in (
                (entry, (1000, "x", "lead")),
                ("UPDATE journal SET who = 'nobody'", ()),
                ("DELETE FROM journal", ()),
                ("DROP TABLE journal", ()),
                ("ALTER TABLE journal DISABLE ROW LEVEL SECURITY", ()),
            ):
                with pytest.raises(psycopg.errors.InsufficientPrivilege):
                    raw.execute(statement, values)
                raw.rollback()


def test_strangers_are_not_let_in_and_who_leads_may_let_others_in(seat: Callable[..., Production]) -> None:
    with pytest.raises(AquinError, match="nobody has let 'guest' into this production"):
        seat("guest")
    leader = seat("ben")
    let_in(leader, [("guest", role_in("grades"))])
    assert people_of(leader).let_in == (
        ("anna", "grades"),
        ("ben", "leads"),
        ("carla", "looks"),
        ("guest", "grades"),
    )
    assert people_of(seat("guest")).me == ("guest", "grades")
    let_in(leader, [("guest", None)])
    with pytest.raises(AquinError, match="nobody has let"):
        seat("guest")
    with pytest.raises(AquinError, match="no account 'nobody at all'"):
        let_in(leader, [("nobody at all", "looks")])
    with pytest.raises(AquinError, match="does not allow this account"):
        let_in(seat("anna"), [("guest", "leads")])


def test_a_password_is_asked_for_kept_in_the_keyring_and_nowhere_else(
    film: Production, server: Postgres, database: str, own_state: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    import keyring
    from keyring.backend import KeyringBackend

    class Ring(KeyringBackend):
        priority = 1
        held: ClassVar[dict[tuple[str, str], str]] = {}

        def get_password(self, service: str, username: str) -> str | None:
            return self.held.get((service, username))

        def set_password(self, service: str, username: str, password: str) -> None:
            self.held[service, username] = password

    before = keyring.get_keyring()
    keyring.set_keyring(Ring())
    word = "0e5c-seal-harbour"
    server.run("CREATE ROLE dora LOGIN PASSWORD '" + word + "'")
    share(film, address_of(server.url(database, "lead", "ferry")))
    lead = Production.open(server.url(database, "lead", "ferry"))
    let_in(lead, [("dora", "grades")])
    lead.close()
    rules = server.folder / "data" / "pg_hba.conf"
    text = rules.read_text()
    rules.write_text("host all dora 127.0.0.1/32 scram-sha-256\n" + text)
    server.run("SELECT pg_reload_conf()")
    time.sleep(0.3)
    url = server.url(database, "dora", "ferry")
    try:
        for wrong in ("", "wrong"):
            secrets.keep_secret(address_of(url), wrong, False)
            with pytest.raises(NeedsPassword):
                Production.open(url)
        secrets.forget(address_of(url))
        assert secrets.keep_secret(address_of(url), word, True)
        secrets.forget(address_of(url))
        opened = Production.open(url)
        opened.change("trim", Grade("trim", shot_id=first(opened).id, values={"stops": 0.1}))
        text_of_journal = json.dumps([str(e) for e in opened.journal(100, changes=True)])
        copy = film.path.with_name("copy.aquin")
        opened.save_copy(copy)
        opened.close()
        files = [p for p in (*own_state.rglob("*"), copy) if p.is_file()]
        assert files and not [p for p in files if word.encode() in p.read_bytes()]
        assert word not in text_of_journal and list(Ring.held.values()) == [word]
    finally:
        rules.write_text(text)
        server.run("SELECT pg_reload_conf()")
        keyring.set_keyring(before)
