"""The production file: an SQLite database in which every change is one transaction together with its journal entry."""

import json
import os
import sqlite3
import tempfile
import threading
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import replace
from pathlib import Path
from typing import Any, Literal

import sqlalchemy as sql

from aquin.errors import AquinError
from aquin.files import write_safely
from aquin.production import putting, undoing
from aquin.production.entries import Entry, entry_of, held_changes
from aquin.production.memory import By, Memory, Unknown
from aquin.production.migrations import SCHEMA, migrate
from aquin.production.moved import Moved, Part
from aquin.production.network import network
from aquin.production.opening import SUFFIX, bring_up, damaged, engine_for, examine, explain, snapshot
from aquin.production.people import person, workstation
from aquin.production.presence import Present
from aquin.production.recomputable import Recomputable, now
from aquin.production.records import Edit, Event, Option, Place, Record, Root, Shot, new_id
from aquin.production.rows import NAMES, Change, R, Row, Spoilt, changes_of, check_row, record_of
from aquin.production.stacks import Stacks
from aquin.production.tables import APPLICATION_ID, JOURNAL, TABLES

__all__ = ["Entry", "Production"]


class Production(Recomputable, Present):
    """One open production file. Records are read from memory; `change` writes. Safe to use from several threads.

    `notes` are things the person should know about how it was opened. `watchers` are called after any change, `news`
    with the entries that others have written. `lent`: folders of roots by their ids, where they can't be written down.
    Errors are AquinError, and leave file and memory as they were.
    """

    def __init__(
        self, path: Path, where: Path, read_only: bool, notes: tuple[str, ...] = (), keep: Any = None
    ) -> None:
        super().__init__()
        self.path, self.read_only, self.notes = path, read_only, notes
        self.lent: dict[str, Path] = {}
        self.watchers: list[Callable[[], None]] = []
        self.news: list[Callable[[Sequence[Entry]], None]] = []
        self._keep = keep  # the folder of a snapshot lives as long as this
        self._lock = threading.RLock()
        self._engine = engine_for(where, read_only)
        self._memory = Memory()
        self._stacks = Stacks(person(), workstation())
        self._seen: tuple[int, ...] = ()
        self._fresh: list[Entry] = []
        self._load()

    # opening and closing

    @classmethod
    def create(cls, path: Path, name: str = "") -> "Production":
        """A new, empty production file. Raises AquinError where something of that name exists."""
        path = path.absolute()
        if path.suffix != SUFFIX:
            raise AquinError("a production file ends in .aquin", path, f"Name it {path.stem}{SUFFIX}")

        for log in (path.with_name(f"{path.name}-wal"), path.with_name(f"{path.name}-journal")):
            if log.exists() and not path.exists():
                raise AquinError(
                    "changes of an earlier production of that name lie there",
                    log,
                    "Move it away, or take another name",
                )

        def build(part: Path) -> None:
            engine = engine_for(part, read_only=False, wal=False)
            with engine.connect().execution_options(writes=True) as connection, connection.begin():
                migrate(connection)
                connection.exec_driver_sql(f"PRAGMA application_id = {APPLICATION_ID}")
            engine.dispose()

        try:
            write_safely(path, build, force=False)
        except (sql.exc.DBAPIError, OSError) as error:
            raise explain(error, path, "the production can't be made") from error
        made = cls.open(path)
        made.change("new production", Option(name or path.stem, id="name"))
        return made

    @classmethod
    def open(cls, path: Path, read_only: bool = False) -> "Production":
        """Open a production file; an older one is migrated after a backup, a newer one opens read-only."""
        path = path.absolute()
        notes: list[str] = []
        sealed = not (os.access(path, os.W_OK) and os.access(path.parent, os.W_OK))
        if sealed:
            notes.append("The file or its folder can't be written to, so it is open for reading only.")
        if kind := network(path):
            notes.append(
                f"The file lies in a folder of another machine ({kind}), where several programs at once are not safe: "
                "it is open for this one alone. To work together, keep it on a drive of the machine that all work at."
            )
        if (path.parent / "release.json").is_file():
            notes.append(
                "This is the copy in a release: it is open for reading only. Save a copy to work on."
            )
            read_only = True
        keep = tempfile.TemporaryDirectory(prefix="aquin-") if sealed else None
        try:
            where = path if keep is None else snapshot(path, Path(keep.name))
            version = examine(where, path)
            if version > SCHEMA:
                notes.append(
                    f"A newer Aquin wrote this file (version {version}, this one knows {SCHEMA}): it is open "
                    "for reading only."
                )
                read_only = True
            elif version < SCHEMA:
                if read_only and keep is None:
                    keep = tempfile.TemporaryDirectory(prefix="aquin-")
                    where = snapshot(path, Path(keep.name))
                notes += bring_up(where, path, version, backup=keep is None)
            return cls(path, where, read_only or sealed, tuple(notes), keep)
        except (Spoilt, sql.exc.SQLAlchemyError, sqlite3.Error, OSError) as error:
            raise damaged(error, path) from error

    def close(self) -> None:
        with suppress(AquinError):  # a drive that is gone keeps nobody from closing
            self.leave()
        with self._lock:
            self.closed = True
            self._engine.dispose()
            if self._keep is not None:
                self._keep.cleanup()

    def save_copy(self, path: Path, force: bool = False) -> None:
        """A whole copy under another name; this file stays the one in use. Raises AquinError."""
        if path.absolute() == self.path or (path.exists() and path.samefile(self.path)):
            raise AquinError("a copy needs another name", path, "Choose another name or folder")
        if force and path.with_name(f"{path.name}-wal").exists():
            raise AquinError("that production is open, or was not closed", path, "Choose another name")

        def copy(part: Path) -> None:
            with self._lock, self._engine.connect() as connection:
                target = sqlite3.connect(part)
                raw: Any = connection.connection.driver_connection
                raw.backup(target)
                target.executescript("DELETE FROM seat; DELETE FROM claim;")
                target.execute("PRAGMA journal_mode = DELETE")
                target.close()

        try:
            write_safely(path, copy, force)
        except (sql.exc.DBAPIError, sqlite3.Error, OSError) as error:
            raise explain(error, path, "the copy was not written") from error

    # reading

    def all(self, kind: type[R]) -> list[R]:
        """All records of a kind, by position where they have one, else in the order in which they came."""
        found = list(self._memory.records[kind].values())
        if kind is not Option and "position" in NAMES[kind]:
            found.sort(key=lambda r: r.position)
        return found

    def get(self, kind: type[R], id: str) -> R:
        """Raises KeyError."""
        found: R = self._memory.records[kind][id]
        return found

    def find(self, kind: type[R], id: str) -> R | None:
        return self._memory.find(kind, id)

    def by(self, kind: type[R], key: Callable[[R], Any]) -> dict[Any, list[R]]:
        """Records sorted by what a function of the module level gives for them; made once for each state of theirs."""
        return self._memory.by(kind, key)

    def option(self, name: str, default: Any = None) -> Any:
        """A setting of the production."""
        found = self._memory.find(Option, name)
        return default if found is None else found.value

    @property
    def name(self) -> str:
        return str(self.option("name", self.path.stem))

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
        known, before = self._memory.number, self._memory.records
        with self._writing() as connection:
            pending = putting.Pending(connection, self._memory, before, known, moved)
            if dropping := list(drop):
                putting.drop(pending, dropping)
            putting.put(pending, records)
            if pending.parts and moved == "refuse":
                raise Moved(pending.parts, self.path)
            if pending.parts and not pending.changes:
                return Entry(
                    0, now(), person(), what, why, "none", None, (), workstation(), tuple(pending.parts)
                )
            entry = self._finish(connection, what, why, "do", None, pending.changes, known)
        return None if entry is None else replace(entry, left=tuple(pending.parts))

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
        done = self._stacks.done
        return done[-1] if done else 0

    @property
    def done(self) -> tuple[int, ...]:
        """The numbers of this person's steps that undo would take back, the last one last."""
        return self._stacks.done

    @property
    def can_undo(self) -> str | None:
        """What undo would take back."""
        return None if self.read_only else self._stacks.title("undo")

    @property
    def can_redo(self) -> str | None:
        return None if self.read_only else self._stacks.title("redo")

    def journal(self, limit: int = 200, changes: bool = False) -> list[Entry]:
        """The newest entries first."""
        columns = [c for c in JOURNAL.c if c.name not in ("id", "changes")]
        if changes:
            columns.append(JOURNAL.c.changes)
        with self._lock, self._errors(), self._engine.connect() as connection:
            rows = connection.execute(
                sql.select(*columns).order_by(JOURNAL.c.number.desc()).limit(limit)
            ).all()
        return [entry_of(r, held_changes(r.changes) if changes else ()) for r in rows]

    def refresh(self) -> bool:
        """Take in what other programs have changed since; tells whether they had."""
        with self._lock, self._errors(), self._engine.connect() as connection:
            if self.closed or self._token(connection) == self._seen[0]:
                return False
            before, seen = self._memory.number, self._seen
            self._pull(connection)
            if (self._memory.number, self._seen[1:]) == (before, seen[1:]):
                return False  # only who is there has changed
        self._tell()
        return True

    # inside

    def _token(self, connection: sql.Connection) -> int:
        """A number that changes whenever another program writes."""
        return int(connection.exec_driver_sql("PRAGMA data_version").scalar_one())

    def _look(self, connection: sql.Connection) -> tuple[int, ...]:
        """That number, and others that change with what is measured and found."""
        newest = "SELECT coalesce(max(rowid), 0) FROM "
        measured, found = (
            connection.exec_driver_sql(newest + t).scalar_one() for t in ("measurement", "finding")
        )
        return self._token(connection), measured, found

    def _load(self) -> None:
        with self._engine.connect() as connection:
            bad = connection.exec_driver_sql("PRAGMA quick_check(1)").scalar_one()
            if bad != "ok":
                raise AquinError(
                    "the production file is damaged", self.path, "Open a backup or a copy of it instead"
                )
            self._seen = self._look(connection)
            self._read_all(connection)

    def _read_all(self, connection: sql.Connection) -> None:
        number = connection.execute(sql.select(sql.func.max(JOURNAL.c.number))).scalar() or 0
        records: dict[type[Record], dict[str, Any]] = {}
        for kind, table in TABLES.items():  # `select` names the columns that this version knows
            rows = connection.execute(sql.select(*(table.c[name] for name in NAMES[kind])))
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
        self._seen = self._look(connection)
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

    def _step(self, step: Literal["undo", "redo"], others: undoing.OnOthers) -> Entry | None:
        asked = self._stacks.top(step)
        if asked is None:
            return None
        known = self._memory.number
        with self._writing() as connection:
            word = "taken back" if step == "undo" else "done again"
            if self._stacks.top(step) != asked:
                said = self._stacks.title(step)
                raise AquinError(
                    f"not {word}: '{self._stacks.titles.get(asked, 'the last step')}' is not the last step any more",
                    self.path,
                    f"What would be {word} now is: {said}" if said else "",
                )
            text = connection.execute(
                sql.select(JOURNAL.c.changes).where(JOURNAL.c.number == asked)
            ).scalar_one()
            plan = undoing.plan(self._memory, changes_of(text), step, others)
            if plan.parts and others == "refuse":
                parts = self._whose(connection, plan.parts)
                raise Moved(
                    parts, self.path, "Do the rest of it, or all, or leave it", word, bool(plan.changes)
                )
            undoing.carry_out(connection, plan)
            title = self._stacks.titles.get(asked, "")
            entry = self._finish(connection, title, "", step, asked, plan.changes, known)
        return (
            replace(entry, left=tuple(plan.parts) if others == "leave" else ()) if entry is not None else None
        )

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

    def _finish(
        self,
        connection: sql.Connection,
        what: str,
        why: str,
        step: str,
        of: int | None,
        changes: list[Change],
        known: int,
    ) -> Entry | None:
        """The journal entry, then the commit, then memory, which holds what the file holds."""
        if not changes and step == "do":
            return None
        number = self._memory.number + 1
        row: Row = {"at": now(), "who": person(), "what": what, "why": why, "step": step, "of": of}
        row |= {"seat": workstation(), "number": number}
        text = json.dumps(changes, allow_nan=False, separators=(",", ":"))
        connection.execute(sql.insert(JOURNAL).values(id=new_id(), changes=text, based_on=known, **row))
        connection.commit()
        written = changes_of(text)
        self._memory.apply(written, By(number, row["who"], True))
        self._stacks.note(number, step, of, what, row["who"], row["seat"], here=True)
        return Entry(number, row["at"], row["who"], what, why, step, of, written, row["seat"])

    @contextmanager
    def _writing(self) -> Iterator[sql.Connection]:
        """The file for this program alone, once memory holds what the file holds."""
        if self.read_only:
            raise AquinError(
                "this production is open for reading only", self.path, "Save a copy, and work in the copy"
            )
        before = self._memory.number
        try:
            with (
                self._lock,
                self._errors("the change was not saved"),
                self._engine.connect() as plain,
            ):
                connection = plain.execution_options(writes=True)
                with connection.begin():
                    self._pull(connection)
                    yield connection
                    if connection.in_transaction():
                        connection.commit()
        finally:
            if self._memory.number != before:
                self._tell()

    @contextmanager
    def _errors(self, what: str = "the production can't be read") -> Iterator[None]:
        try:
            yield
        except Spoilt as error:
            raise AquinError(
                f"{what}: {error}", self.path, "Another program has changed the file: use a backup or a copy"
            ) from error
        except (sql.exc.SQLAlchemyError, sqlite3.Error) as error:
            raise explain(error, self.path, what) from error

    def _tell(self) -> None:
        with self._lock:
            news, self._fresh = self._fresh, []
        for hear in list(self.news) if news else ():
            hear(news)
        for watcher in list(self.watchers):
            watcher()
