"""The production file: an SQLite database in which every change is one transaction together with its journal entry."""

import json
import sqlite3
import threading
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import replace
from pathlib import Path
from typing import Any, Literal

import sqlalchemy as sql

from aquin.errors import AquinError
from aquin.production import putting, undoing
from aquin.production.address import Address, address_of, is_address
from aquin.production.entries import Entry, entry_of, held_changes
from aquin.production.keeper import Keeper, copy_file, make_file, open_file
from aquin.production.memory import By, Memory, Unknown
from aquin.production.moved import LineCut, Moved, Part
from aquin.production.opening import damaged
from aquin.production.people import workstation
from aquin.production.presence import Present
from aquin.production.reading import Reading
from aquin.production.recomputable import Recomputable, now
from aquin.production.records import Edit, Event, Option, Place, Record, Root, Shot, new_id
from aquin.production.rows import NAMES, Change, Row, Spoilt, changes_of, check_row, record_of
from aquin.production.stacks import Stacks
from aquin.production.tables import JOURNAL, TABLES
from aquin.production.unsent import Nowhere, Unsent, Waiting, held, waiting_of

__all__ = ["Entry", "Production"]


class Production(Reading, Recomputable, Present, Unsent):
    """One open production file. Records are read from memory; `change` writes. Safe to use from several threads.

    `notes` are things the person should know about how it was opened. `watchers` are called after any change, `news`
    with the entries that others have written, `disagreed` when a change was refused since another had been there
    first, `turned` when the line to a server is cut or is there again. `lent`: folders of roots by their ids, where
    they can't be written down.
    Errors are AquinError, and leave file and memory as they were.
    """

    def __init__(self, keeper: Keeper, read_only: bool, notes: tuple[str, ...] = ()) -> None:
        super().__init__()
        Unsent.__init__(self)
        self._keeper, self.path, self.place = keeper, keeper.path, keeper.place
        self.read_only, self.notes = read_only, notes
        self.lent: dict[str, Path] = {}
        self.watchers: list[Callable[[], None]] = []
        self.turned: Callable[[bool], None] = lambda up: None
        self.disagreed: list[Callable[[Moved], None]] = []
        self.news: list[Callable[[Sequence[Entry]], None]] = []
        self._lock = threading.RLock()
        self._memory = self._shown = Memory()
        self._stacks = self._shown_stacks = Stacks(keeper.who, workstation())
        self._seen: tuple[int, ...] = ()
        self._fresh: list[Entry] = []
        self._load()

    # opening and closing

    @classmethod
    def create(cls, path: str | Path | Address, name: str = "") -> "Production":
        """A new, empty production. Raises AquinError where something of that name exists."""
        if is_address(path):
            from aquin.production.server.copying import make_empty

            make_empty(address_of(path), name)
        else:
            path = Path(path).absolute()
            make_file(path)
        made = cls.open(path)
        made.change("new production", Option(name or made.path.stem, id="name"))
        return made

    @classmethod
    def open(cls, path: str | Path | Address, read_only: bool = False) -> "Production":
        """Open a production: a file, or by the address of a server's (postgresql://...). An older one is migrated, a
        newer one opens read-only.
        """
        if is_address(path):
            from aquin.production.server.opening import open_shared

            found: Production = open_shared(cls, address_of(path), read_only)
            return found
        path = Path(path).absolute()
        keeper, sealed, notes = open_file(path, read_only)
        try:
            return cls(keeper, sealed, notes)
        except (Spoilt, sql.exc.SQLAlchemyError, sqlite3.Error, OSError) as error:
            raise damaged(error, path) from error

    def close(self) -> None:
        with suppress(AquinError):  # a drive that is gone keeps nobody from closing
            self.leave()
        with self._lock:
            self.closed = True
            if self.outbox is not None:
                self.outbox.close()
        self._keeper.close()

    def save_copy(self, path: Path, force: bool = False) -> None:
        """A whole copy as a file under another name; this one stays the one in use. Raises AquinError."""
        if not self._keeper.shared:
            with self._lock, self._keeper.connect() as connection:
                copy_file(connection, self.path, path, force)
            return
        from aquin.production.server.copying import to_file

        with self._errors("the copy was not written"), self._keeper.connect() as connection:
            to_file(connection, self._keeper, path, force)

    def attach(self, path: Path) -> None:
        """Keep a file with the production that was written beside it, before a change names it. Raises AquinError."""
        if self._keeper.shared:
            with self._writing() as connection:
                self._keeper.attach(connection, path)

    # reading

    @property
    def name(self) -> str:
        return str(self.option("name", self.path.stem))

    @property
    def home(self) -> Path:
        """The folder for what is made of it: that of the file, for a server's production the person's own."""
        return Path.home() if self._keeper.shared else self.path.parent

    @property
    def shared(self) -> bool:
        """Whether it is kept on a server."""
        return self._keeper.shared

    @property
    def leads(self) -> bool:
        """Whether this person may decide everything: always in a file."""
        return self._keeper.leads

    @property
    def who(self) -> str:
        """Whose name this program's changes bear."""
        return self._keeper.who

    # changing

    def change(
        self,
        what: str,
        *records: Record,
        drop: Iterable[Record] = (),
        why: str = "",
        moved: putting.OnMoved = "refuse",
    ) -> Entry | None:
        """Write records and drop others as one step that can be undone; None when nothing differs.

        Only the fields that differ from what the record was made from are written, so another seat's work on other
        fields stays. Where another seat has changed the same since, parts of a mapping or of a list of named things
        are merged, and anything else raises Moved; with `moved` as "skip", for long jobs, such records are left as
        they are and told in `Entry.left`, also where this program itself has changed them. What refers to a dropped
        record is cleared or dropped with it. Raises AquinError, and then nothing has changed.
        """
        dropping, made = list(drop), list(records)
        known, before = self._shown.number, self._shown.records
        item = waiting_of(new_id(), what, why, "do", None, known)
        try:
            with self._writing() as connection:
                pending = putting.Pending(connection, self._memory, before, known, moved)
                if not self._filled(pending, made, dropping):
                    return Entry(
                        0, now(), self.who, what, why, "none", None, (), workstation(), tuple(pending.parts)
                    )
                entry = self._finish(connection, item, pending.changes)
        except Moved as error:
            error.item = replace(item, changes=held(error.changes))
            for hear in list(self.disagreed):
                hear(error)
            raise
        except LineCut:
            if self.outbox is None:
                raise
            with self._lock:
                at = self._shown
                pending = putting.Pending(Nowhere(), at, at.records, at.number, moved)  # type: ignore[arg-type]
                if not self._filled(pending, made, dropping) or not pending.changes:
                    return None
                entry = self._hold(replace(item, known=at.number, changes=held(pending.changes)))
            self._tell()
        return None if entry is None else replace(entry, left=tuple(pending.parts))

    def _filled(self, pending: putting.Pending, records: list[Record], dropping: list[Record]) -> bool:
        """Whether anything is left to be done. Raises Moved."""
        if dropping:
            putting.drop(pending, dropping)
        putting.put(pending, records)
        if pending.parts and pending.moved == "refuse":
            refused = Moved(pending.parts, self.place)
            refused.changes = putting.wished(pending)
            raise refused
        return bool(pending.changes or not pending.parts)

    def undo(self, others: undoing.OnOthers = "refuse") -> Entry | None:
        """Take back this person's last step, also one of an earlier day; None when there is none. Where others have
        changed the same since, it raises Moved, or leaves their work, or overwrites it.
        """
        return self._step("undo", others)

    def redo(self, others: undoing.OnOthers = "refuse") -> Entry | None:
        return self._step("redo", others)

    @property
    def newest(self) -> int:
        """The number of the step that undo would take back; 0 where there is none."""
        done = self._shown_stacks.done
        return done[-1] if done else 0

    @property
    def done(self) -> tuple[int, ...]:
        """The numbers of this person's steps that undo would take back, the last one last."""
        return self._shown_stacks.done

    @property
    def can_undo(self) -> str | None:
        """What undo would take back."""
        return None if self.read_only else self._shown_stacks.title("undo")

    @property
    def can_redo(self) -> str | None:
        return None if self.read_only else self._shown_stacks.title("redo")

    def journal(self, limit: int = 200, changes: bool = False) -> list[Entry]:
        """The newest entries first."""
        columns = [c for c in JOURNAL.c if c.name not in ("id", "changes")]
        if changes:
            columns.append(JOURNAL.c.changes)
        with self._lock, self._errors(), self._keeper.connect() as connection:
            rows = connection.execute(
                sql.select(*columns).order_by(JOURNAL.c.number.desc()).limit(limit)
            ).all()
        return [entry_of(r, held_changes(r.changes) if changes else ()) for r in rows]

    def refresh(self) -> bool:
        """Take in what other programs have changed since; tells whether they had."""
        if self._keeper.quiet(self._seen) or self._ahead:
            return False
        with self._lock, self._errors(), self._keeper.connect() as connection:
            if self.closed or self._keeper.token(connection) == self._seen[0]:
                return False
            before, seen = self._memory.number, self._seen
            self._pull(connection)
            if (self._memory.number, self._seen[1:]) == (before, seen[1:]):
                return False  # only who is there has changed
        self._tell()
        return True

    # inside

    def _load(self) -> None:
        with self._keeper.connect() as connection:
            self._keeper.check(connection)
            self._seen = self._keeper.look(connection)
            self._keeper.fetch(connection)
            self._read_all(connection)

    def _read_all(self, connection: sql.Connection) -> None:
        number = connection.execute(sql.select(sql.func.max(JOURNAL.c.number))).scalar() or 0
        records: dict[type[Record], dict[str, Any]] = {}
        for kind, table in TABLES.items():  # `select` names the columns that this version knows
            named = sql.select(*(table.c[name] for name in NAMES[kind]))
            rows = connection.execute(named.order_by(sql.literal_column(self._keeper.order)))
            group = records[kind] = {}
            for row in rows:
                check_row(kind, row)
                made = record_of(kind, dict(zip(NAMES[kind], row, strict=True)), number)
                group[made.id] = made
        for kind, name, target in (
            (Shot, "root_id", Root),
            (Event, "edit_id", Edit),
            (Place, "root_id", Root),
        ):
            if any(getattr(r, name) not in records[target] for r in records[kind].values()):
                raise Spoilt(f"a {kind.table} refers to a {target.table} that is not there")
        self._memory.load(records, number, By(number, "another program", False))
        c = JOURNAL.c
        steps = sql.select(c.number, c.step, c.of, c.what, c.who, c.seat).order_by(c.number)
        self._stacks.load(tuple(row) for row in connection.execute(steps))

    def _pull(self, connection: sql.Connection) -> None:
        """Bring memory up to the file by what the journal says that others did."""
        self._seen = self._keeper.look(connection)
        query = sql.select(JOURNAL).where(JOURNAL.c.number > self._memory.number).order_by(JOURNAL.c.number)
        news: list[Entry] = []
        try:
            news = [entry_of(row, changes_of(row.changes)) for row in connection.execute(query)]
            for entry in news:
                self._memory.apply(entry.changes, By(entry.number, entry.who, False))
                self._stacks.note(entry.number, entry.step, entry.of, entry.what, entry.who, entry.seat)
        except (Unknown, Spoilt):
            self._read_all(connection)
        self._fresh += news
        if news:
            self._keeper.fetch(connection)

    def _step(self, step: Literal["undo", "redo"], others: undoing.OnOthers) -> Entry | None:
        asked = self._shown_stacks.top(step)
        if asked is None:
            return None
        title = self._shown_stacks.titles.get(asked, "")
        item = waiting_of(new_id(), title, "", step, asked, self._shown.number)
        try:
            with self._writing() as connection:
                self._still(step, asked)
                query = sql.select(JOURNAL.c.changes).where(JOURNAL.c.number == asked)
                changes = changes_of(connection.execute(query).scalar_one())
                plan = self._planned(step, changes, others, connection)
                undoing.carry_out(connection, plan)
                entry = self._finish(connection, item, plan.changes)
        except LineCut:
            if self.outbox is None or asked not in self._own:
                raise
            with self._lock:
                plan = self._planned(step, self._own[asked], others)
                entry = self._hold(replace(item, changes=held(plan.changes)))
            self._tell()
        return (
            replace(entry, left=tuple(plan.parts) if others == "leave" else ()) if entry is not None else None
        )

    def _still(self, step: str, asked: int) -> None:
        """Refuse a step that is not the last one any more."""
        if self._stacks.top(step) != asked:
            word = "taken back" if step == "undo" else "done again"
            said = self._stacks.title(step)
            raise AquinError(
                f"not {word}: '{self._stacks.titles.get(asked, 'the last step')}' is not the last step any more",
                self.place,
                f"What would be {word} now is: {said}" if said else "",
            )

    def _planned(
        self,
        step: str,
        changes: Sequence[Change],
        others: undoing.OnOthers,
        connection: sql.Connection | None = None,
    ) -> undoing.Plan:
        memory = self._shown if connection is None else self._memory
        plan = undoing.plan(memory, changes, step, others)
        if plan.parts and others == "refuse":
            word = "taken back" if step == "undo" else "done again"
            parts = plan.parts if connection is None else self._whose(connection, plan.parts)
            raise Moved(parts, self.place, "Do the rest of it, or all, or leave it", word, bool(plan.changes))
        return plan

    def _whose(self, connection: sql.Connection, parts: Sequence[Part]) -> list[Part]:
        """With the names of those who changed it before this program was started."""
        out = []
        for part in parts:
            if not part.who:
                query = sql.select(JOURNAL.c.who, JOURNAL.c.changes).where(
                    JOURNAL.c.changes.contains(part.id)
                )
                for row in connection.execute(query.order_by(JOURNAL.c.number.desc()).limit(20)):
                    hit = [c for c in held_changes(row.changes) if c[1] == part.id]
                    if any(not part.field or part.field in (c[3] or {}) for c in hit):
                        part = replace(part, who=row.who)
                        break
            out.append(part)
        return out

    def _finish(self, connection: sql.Connection, item: Waiting, changes: list[Change]) -> Entry | None:
        """The journal entry, then the commit, then memory, which holds what the file holds."""
        if not changes and item.step == "do":
            return None
        number = self._memory.number + 1
        row: Row = {"at": item.at, "who": self.who, "what": item.what, "why": item.why, "step": item.step}
        row |= {"of": item.of, "seat": workstation(), "number": number, "based_on": min(item.known, number)}
        text = json.dumps(changes, allow_nan=False, separators=(",", ":"))
        connection.execute(sql.insert(JOURNAL).values(id=item.id, changes=text, **row))
        connection.commit()
        written = changes_of(text)
        self._memory.apply(written, By(number, row["who"], True))
        self._stacks.note(number, item.step, item.of, item.what, row["who"], row["seat"], here=True)
        self._keep_own(number, written)
        return Entry(
            number, item.at, row["who"], item.what, item.why, item.step, item.of, written, row["seat"]
        )

    @contextmanager
    def _writing(self, relaxed: bool = False) -> Iterator[sql.Connection]:
        """The file for this program alone, once memory holds what the file holds. `relaxed`: for what can be measured
        again, which a power failure may cost.
        """
        if self.read_only:
            raise AquinError(
                "this production is open for reading only", self.place, "Save a copy, and work in the copy"
            )
        before = self._memory.number
        try:
            with (
                self._lock,
                self._errors("the change was not saved"),
                self._alone(relaxed) as connection,
                connection.begin(),
            ):
                self._pull(connection)
                yield connection
                if connection.in_transaction():
                    connection.commit()
        finally:
            if self._memory.number != before and not self._sending:
                self._tell()

    @contextmanager
    def _alone(self, relaxed: bool) -> Iterator[sql.Connection]:
        if self._ahead and not self._sending:
            raise LineCut("earlier changes wait to be sent", self.place, "They are kept on this machine")
        with self._keeper.connect() as plain:
            yield plain.execution_options(writes=True, relaxed=relaxed)

    @contextmanager
    def _errors(self, what: str = "the production can't be read") -> Iterator[None]:
        try:
            yield
        except Spoilt as error:
            raise AquinError(
                f"{what}: {error}", self.place, "Another program has changed the file: use a backup or a copy"
            ) from error
        except (sql.exc.SQLAlchemyError, sqlite3.Error) as error:
            raise self._keeper.explain(error, what) from error

    def _tell(self) -> None:
        with self._lock:
            news, self._fresh = self._fresh, []
        for hear in list(self.news) if news else ():
            hear(news)
        for watcher in list(self.watchers):
            watcher()
