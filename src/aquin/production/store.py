"""The production file: an SQLite database in which every change is one transaction together with its journal entry."""

import getpass
import json
import os
import sqlite3
import tempfile
import threading
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import sqlalchemy as sql

from aquin.errors import AquinError
from aquin.files import write_safely
from aquin.production.migrations import SCHEMA, migrate
from aquin.production.opening import SUFFIX, bring_up, check_header, engine_for, explain, snapshot, version_of
from aquin.production.recomputable import Recomputable, now
from aquin.production.records import RECORDS, Camera, Edit, Grade, Option, Record, Root, Setup, Shot, new_id
from aquin.production.rows import (
    BY_TABLE,
    NAMES,
    Change,
    R,
    Row,
    apply_changes,
    changes_of,
    chunks,
    grouped,
    record_of,
    row_of,
    rows_of,
    update_rows,
)
from aquin.production.tables import APPLICATION_ID, JOURNAL, TABLES

_SOFT: dict[str, type[Record]] = {
    "camera_id": Camera,
    "setup_id": Setup,
    "shot_id": Shot,
    "hero_id": Shot,
    "source_id": Shot,
}
_REFERENCES = _SOFT | {"root_id": Root, "edit_id": Edit}


@dataclass(frozen=True)
class Entry:
    """One journal entry. `of` is the number of the entry that an undo or redo belongs to."""

    number: int
    at: str
    who: str
    what: str
    why: str
    step: str
    of: int | None
    changes: tuple[Change, ...] = ()


class Production(Recomputable):
    """One open production file. Records are read from memory; `change` writes. Safe to use from several threads.

    `notes` are things the person should know about how it was opened. Errors are AquinError, and leave file and
    memory as they were.
    """

    def __init__(
        self, path: Path, where: Path, read_only: bool, notes: tuple[str, ...] = (), keep: Any = None
    ) -> None:
        self.path, self.read_only, self.notes = path, read_only, notes
        self.watchers: list[Callable[[], None]] = []
        self._keep = keep  # the folder of a snapshot lives as long as this
        self._lock = threading.RLock()
        self._engine = engine_for(where, read_only)
        self._records: dict[type[Record], dict[str, Any]] = {}
        self._done: list[int] = []
        self._undone: list[int] = []
        self._titles: dict[int, str] = {}
        self._seen = -1
        with self._errors():
            self._load()

    # opening and closing

    @classmethod
    def create(cls, path: Path, name: str = "") -> "Production":
        """A new, empty production file. Raises AquinError where something of that name exists."""
        path = path.absolute()
        if path.suffix != SUFFIX:
            raise AquinError("a production file ends in .aquin", path, f"Name it {path.stem}{SUFFIX}")

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
        check_header(path)
        notes: list[str] = []
        sealed = not (os.access(path, os.W_OK) and os.access(path.parent, os.W_OK))
        if sealed:
            notes.append("The file or its folder can't be written to, so it is open for reading only.")
        keep = tempfile.TemporaryDirectory(prefix="aquin-") if sealed else None
        where = path if keep is None else snapshot(path, Path(keep.name))
        try:
            version = version_of(where, path)
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
        except (sql.exc.SQLAlchemyError, sqlite3.Error, OSError) as error:
            raise explain(error, path, "the production can't be opened") from error

    def close(self) -> None:
        with self._lock:
            self._engine.dispose()
            if self._keep is not None:
                self._keep.cleanup()

    def save_copy(self, path: Path, force: bool = False) -> None:
        """A whole copy under another name; this file stays the one in use. Raises AquinError."""
        if path.absolute() == self.path:
            raise AquinError("a copy needs another name", path, "Choose another name or folder")

        def copy(part: Path) -> None:
            with self._lock, self._engine.connect() as connection:
                target = sqlite3.connect(part)
                raw: Any = connection.connection.driver_connection
                raw.backup(target)
                target.execute("PRAGMA journal_mode = DELETE")
                target.close()

        try:
            write_safely(path, copy, force)
        except (sql.exc.DBAPIError, sqlite3.Error, OSError) as error:
            raise explain(error, path, "the copy was not written") from error

    # reading

    def all(self, kind: type[R]) -> list[R]:
        """All records of a kind, by position where they have one, else in the order in which they came."""
        found = list(self._records[kind].values())
        if kind is not Option and "position" in NAMES[kind]:
            found.sort(key=lambda r: r.position)
        return found

    def get(self, kind: type[R], id: str) -> R:
        """Raises KeyError."""
        found: R = self._records[kind][id]
        return found

    def find(self, kind: type[R], id: str) -> R | None:
        return self._records[kind].get(id)

    def option(self, name: str, default: Any = None) -> Any:
        """A setting of the production."""
        found = self._records[Option].get(name)
        return default if found is None else found.value

    @property
    def name(self) -> str:
        return str(self.option("name", self.path.stem))

    # changing

    def change(self, what: str, *records: Record, drop: Iterable[Record] = (), why: str = "") -> Entry | None:
        """Write records and drop others as one step that can be undone; None when nothing differs.

        Only the fields that differ from what this program last read are written, so another seat's work on other
        fields stays.
        What refers to a dropped record is cleared or dropped with it. Raises AquinError, and then nothing has
        changed.
        """
        with self._lock, self._writing() as connection:
            changes = self._drops(connection, list(drop)) if drop else []
            changes += self._puts(connection, records)
            entry = self._finish(connection, what, why, "do", None, changes)
        if entry is not None:
            self._tell()
        return entry

    def undo(self) -> Entry | None:
        """Take back the last step, also one of an earlier day; None when there is none."""
        return self._step(self._done, "undo")

    def redo(self) -> Entry | None:
        return self._step(self._undone, "redo")

    @property
    def newest(self) -> int:
        """The number of the step that undo would take back; 0 where there is none."""
        return self._done[-1] if self._done else 0

    @property
    def can_undo(self) -> str | None:
        """What undo would take back."""
        return self._titles[self._done[-1]] if self._done and not self.read_only else None

    @property
    def can_redo(self) -> str | None:
        return self._titles[self._undone[-1]] if self._undone and not self.read_only else None

    def journal(self, limit: int = 200, changes: bool = False) -> list[Entry]:
        """The newest entries first."""
        columns = [c for c in JOURNAL.c if c.name not in ("id", "changes")]
        if changes:
            columns.append(JOURNAL.c.changes)
        with self._lock, self._errors(), self._engine.connect() as connection:
            rows = connection.execute(
                sql.select(*columns).order_by(JOURNAL.c.number.desc()).limit(limit)
            ).all()
        return [
            Entry(
                r.number, r.at, r.who, r.what, r.why, r.step, r.of, changes_of(r.changes) if changes else ()
            )
            for r in rows
        ]

    def refresh(self) -> bool:
        """Read again if another program has changed the file since; tells whether it had."""
        with self._lock, self._errors():
            with self._engine.connect() as connection:
                now = int(connection.exec_driver_sql("PRAGMA data_version").scalar_one())
            if now == self._seen:
                return False
            self._load()
        self._tell()
        return True

    # inside

    def _load(self) -> None:
        with self._engine.connect() as connection:
            bad = connection.exec_driver_sql("PRAGMA quick_check(1)").scalar_one()
            if bad != "ok":
                raise AquinError(
                    "the production file is damaged", self.path, "Open a backup or a copy of it instead"
                )
            self._seen = int(connection.exec_driver_sql("PRAGMA data_version").scalar_one())
            records: dict[type[Record], dict[str, Any]] = {}
            for kind, table in TABLES.items():  # `select` names the columns that this version knows
                rows = connection.execute(sql.select(*(table.c[name] for name in NAMES[kind])))
                made = (record_of(kind, dict(zip(NAMES[kind], row, strict=True))) for row in rows)
                records[kind] = {record.id: record for record in made}
            self._records = records
            self._done, self._undone, self._titles = [], [], {}
            steps = sql.select(JOURNAL.c.number, JOURNAL.c.step, JOURNAL.c.of, JOURNAL.c.what)
            for number, step, of, what in connection.execute(steps.order_by(JOURNAL.c.number)):
                self._note(number, step, of, what)

    def _note(self, number: int, step: str, of: int | None, what: str) -> None:
        """Keep the two stacks of undo and redo along with the journal."""
        if step == "do" or of is None:
            self._done.append(number)
            self._undone.clear()
            self._titles[number] = what
        else:
            there, here = (self._done, self._undone) if step == "undo" else (self._undone, self._done)
            there.remove(of)
            here.append(of)

    def _puts(self, connection: sql.Connection, records: Iterable[Record]) -> list[Change]:
        groups: dict[type[Record], dict[str, Record]] = {}
        for record in records:
            groups.setdefault(type(record), {})[record.id] = record
        changes: list[Change] = []
        for kind in sorted(groups, key=RECORDS.index):
            group, table = groups[kind], TABLES[kind]
            self._check_references(kind, group.values(), groups)
            there = rows_of(connection, table, group)
            fresh, renewed = [], []
            for id, record in group.items():
                after = row_of(record)
                if id not in there:
                    fresh.append(after)
                    changes.append((kind.table, id, None, after))
                    continue
                known = self._records[kind].get(id)
                base = row_of(known) if known is not None else there[id]
                new = {k: v for k, v in after.items() if v != base[k] and v != there[id][k]}
                if new:
                    renewed.append((id, new))
                    changes.append((kind.table, id, {k: there[id][k] for k in new}, new))
            if fresh:
                connection.execute(sql.insert(table), fresh)
            update_rows(connection, table, renewed)
        return changes

    def _check_references(
        self, kind: type[Record], group: Iterable[Record], groups: Mapping[type[Record], Mapping[str, Any]]
    ) -> None:
        for name, target in _SOFT.items():
            if name in NAMES[kind]:
                known = self._records[target].keys() | groups.get(target, {}).keys()
                for record in group:
                    id = getattr(record, name)
                    if id and id not in known:
                        raise AquinError(
                            f"a {kind.table} refers to a {target.table} that is not there",
                            self.path,
                            "Undo, and try again",
                        )

    def _drops(self, connection: sql.Connection, drop: list[Record]) -> list[Change]:
        changes: list[Change] = []
        for kind in [k for k in reversed(RECORDS) if any(type(r) is k for r in drop)]:
            ids = {r.id for r in drop if type(r) is kind}
            for name in (n for n, target in _REFERENCES.items() if target is kind):
                changes += self._cleared(connection, name, ids)
            there = rows_of(connection, TABLES[kind], ids)
            for chunk in chunks(list(there)):
                connection.execute(sql.delete(TABLES[kind]).where(TABLES[kind].c.id.in_(chunk)))
            changes += [(kind.table, id, row, None) for id, row in there.items()]
        return changes

    def _cleared(self, connection: sql.Connection, name: str, ids: set[str]) -> list[Change]:
        """Clear or drop what refers to records that go."""
        changes: list[Change] = []
        for kind, table in reversed(TABLES.items()):
            if name not in table.c:
                continue
            hit = [r for r in self._records[kind].values() if getattr(r, name) in ids]
            if name not in _SOFT or (kind is Grade and name != "source_id"):
                changes += self._drops(connection, hit)
                continue
            update_rows(connection, table, [(r.id, {name: ""}) for r in hit])
            changes += [(kind.table, r.id, {name: getattr(r, name)}, {name: ""}) for r in hit]
        return changes

    def _step(self, stack: list[int], step: str) -> Entry | None:
        with self._lock:
            if not stack:
                return None
            number = stack[-1]
            with self._writing() as connection:
                text = connection.execute(
                    sql.select(JOURNAL.c.changes).where(JOURNAL.c.number == number)
                ).scalar_one()
                changes = list(changes_of(text))
                if step == "undo":
                    changes = [(table, id, after, before) for table, id, before, after in reversed(changes)]
                for kind, group in grouped(changes):
                    apply_changes(connection, TABLES[kind], group)
                entry = self._finish(connection, self._titles[number], "", step, number, changes)
        self._tell()
        return entry

    def _finish(
        self,
        connection: sql.Connection,
        what: str,
        why: str,
        step: str,
        of: int | None,
        changes: list[Change],
    ) -> Entry | None:
        """The journal entry, then the commit, then memory."""
        if not changes:
            return None
        row: Row = {"at": now(), "who": person(), "what": what, "why": why, "step": step, "of": of}
        text = json.dumps(changes, allow_nan=False, separators=(",", ":"))
        done = connection.execute(sql.insert(JOURNAL).values(id=new_id(), changes=text, **row))
        assert done.inserted_primary_key is not None
        number = int(done.inserted_primary_key[0])
        connection.commit()
        renewed = {BY_TABLE[t]: dict(self._records[BY_TABLE[t]]) for t in {change[0] for change in changes}}
        for table, id, _, after in changes:
            kind = BY_TABLE[table]
            if after is None:
                renewed[kind].pop(id, None)
            else:
                known = renewed[kind].get(id)
                whole = after if known is None else row_of(known) | after
                renewed[kind][id] = record_of(kind, dict(whole))
        self._records = self._records | renewed  # put in place at once: reading needs no lock
        self._note(number, step, of, what)
        return Entry(number, row["at"], row["who"], what, why, step, of, tuple(changes))

    @contextmanager
    def _writing(self) -> Iterator[sql.Connection]:
        if self.read_only:
            raise AquinError(
                "this production is open for reading only", self.path, "Save a copy, and work in the copy"
            )
        with self._errors("the change was not saved"), self._engine.connect() as plain:
            connection = plain.execution_options(writes=True)
            with connection.begin():
                yield connection
                if connection.in_transaction():
                    connection.commit()

    @contextmanager
    def _errors(self, what: str = "the production can't be read") -> Iterator[None]:
        try:
            yield
        except (sql.exc.SQLAlchemyError, sqlite3.Error) as error:
            raise explain(error, self.path, what) from error

    def _tell(self) -> None:
        for watcher in list(self.watchers):
            watcher()


def person() -> str:
    """Who is written into the journal: AQUIN_PERSON, else the name of the account."""
    try:
        return os.environ.get("AQUIN_PERSON") or getpass.getuser()
    except (KeyError, OSError):
        return "someone"
