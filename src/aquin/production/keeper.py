"""Where a production is kept: what differs between a file of this machine and a server's database."""

from __future__ import annotations

import os
import sqlite3
import tempfile
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol

import sqlalchemy as sql

from aquin.errors import AquinError
from aquin.files import write_safely
from aquin.production.migrations import SCHEMA, migrate
from aquin.production.network import network
from aquin.production.opening import (
    SUFFIX,
    bring_up,
    damaged,
    engine_for,
    examine,
    explain,
    snapshot,
)
from aquin.production.people import person
from aquin.production.rows import Spoilt
from aquin.production.tables import APPLICATION_ID

if TYPE_CHECKING:
    from aquin.production.server.kept import Kept

Looked = tuple[int, ...]
"""Numbers that change when something was written: by others at all, what is measured, what is found."""


class Keeper(Protocol):
    """`path`: the file, or this machine's folder for a server's production with the name of a file that is not there;
    `place`: what people call it; `who`: the name that this program's changes bear; `order`: the column that tells in
    which order rows came; `shared`: whether other machines write there, so that presence needs no lock of the file;
    `measures`: whether what is measured here is kept there; `kept`: what this machine keeps of it beside.
    """

    path: Path
    order: str
    shared: bool
    kept: Kept | None

    @property
    def measures(self) -> bool: ...
    @property
    def up(self) -> bool: ...
    @property
    def leads(self) -> bool: ...
    @property
    def place(self) -> str | Path: ...
    @property
    def who(self) -> str: ...
    def clock(self) -> datetime:
        """The time by which presence is told, which all seats share."""

    def connect(self) -> sql.Connection: ...
    def check(self, connection: sql.Connection) -> None:
        """Refuse what is damaged. Raises AquinError."""

    def token(self, connection: sql.Connection) -> int:
        """A number that changes whenever another program writes."""

    def look(self, connection: sql.Connection) -> Looked: ...
    def quiet(self, seen: Looked) -> bool:
        """Whether it is known without asking that nothing has been written."""

    def put(self, connection: sql.Connection, table: sql.Table, rows: list[dict[str, Any]]) -> None:
        """Insert rows, or renew those of the same key."""

    def explain(self, error: Exception, what: str) -> AquinError: ...
    def attach(self, connection: sql.Connection | None, path: Path) -> None:
        """Keep a file that lies beside the production with it."""

    def fetch(self, connection: sql.Connection) -> None:
        """Have the files here that others keep with it."""

    def close(self) -> None: ...


class FileKeeper:
    """A production file on this machine, which only SQLite opens."""

    order = "rowid"
    shared, measures, up, leads = False, True, True, True
    kept: Kept | None = None

    def __init__(self, path: Path, where: Path, read_only: bool, keep: Any = None) -> None:
        self.path = path
        self._keep = keep  # the folder of a snapshot lives as long as this
        self._engine = engine_for(where, read_only)

    @property
    def place(self) -> str | Path:
        return self.path

    @property
    def who(self) -> str:
        return person()

    def clock(self) -> datetime:
        return datetime.now(UTC)

    def connect(self) -> sql.Connection:
        return self._engine.connect()

    def check(self, connection: sql.Connection) -> None:
        if connection.exec_driver_sql("PRAGMA quick_check(1)").scalar_one() != "ok":
            raise AquinError(
                "the production file is damaged", self.path, "Open a backup or a copy of it instead"
            )

    def token(self, connection: sql.Connection) -> int:
        return int(connection.exec_driver_sql("PRAGMA data_version").scalar_one())

    def look(self, connection: sql.Connection) -> Looked:
        newest = "SELECT coalesce(max(rowid), 0) FROM "
        measured, found = (
            connection.exec_driver_sql(newest + t).scalar_one() for t in ("measurement", "finding")
        )
        return self.token(connection), measured, found

    def quiet(self, seen: Looked) -> bool:
        return False

    def put(self, connection: sql.Connection, table: sql.Table, rows: list[dict[str, Any]]) -> None:
        connection.execute(sql.insert(table).prefix_with("OR REPLACE"), rows)

    def explain(self, error: Exception, what: str) -> AquinError:
        return explain(error, self.path, what)

    def attach(self, connection: sql.Connection | None, path: Path) -> None:
        """It lies where it belongs."""

    def fetch(self, connection: sql.Connection) -> None:
        """They lie where they belong."""

    def close(self) -> None:
        self._engine.dispose()
        if self._keep is not None:
            self._keep.cleanup()


def make_file(path: Path, fill: Callable[[sql.Connection], None] | None = None, force: bool = False) -> None:
    """A new production file with its tables, whole or not at all; `fill` writes into it. Raises AquinError where
    something of that name exists, or changes of an earlier one lie beside it.
    """
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
            if fill is not None:
                fill(connection)
        engine.dispose()

    try:
        write_safely(path, build, force=force)
    except (sql.exc.DBAPIError, OSError) as error:
        raise explain(error, path, "the production can't be made") from error


def open_file(path: Path, read_only: bool) -> tuple[FileKeeper, bool, tuple[str, ...]]:
    """A production file, whether it is open for reading only, and what is to be said about how it was opened; an older
    one is migrated after a backup, a newer one opens read-only. Raises AquinError.
    """
    notes: list[str] = []
    sealed = not (os.access(path, os.W_OK) and os.access(path.parent, os.W_OK))
    if sealed:
        notes.append("The file or its folder can't be written to, so it is open for reading only.")
    if kind := network(path):
        notes.append(
            f"The file lies in a folder of another machine ({kind}), where several programs at once are not safe: "
            "it is open for this one alone. To work together, share it through a server (aquin share), or keep it "
            "on a drive of the machine that all work at."
        )
    if (path.parent / "release.json").is_file():
        notes.append("This is the copy in a release: it is open for reading only. Save a copy to work on.")
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
        return FileKeeper(path, where, read_only or sealed, keep), read_only or sealed, tuple(notes)
    except (Spoilt, sql.exc.SQLAlchemyError, sqlite3.Error, OSError) as error:
        raise damaged(error, path) from error


def copy_file(source: sql.Connection, own: Path, path: Path, force: bool) -> None:
    """A whole copy of an open file under another name. Raises AquinError."""
    if path.absolute() == own or (path.exists() and path.samefile(own)):
        raise AquinError("a copy needs another name", path, "Choose another name or folder")
    if force and path.with_name(f"{path.name}-wal").exists():
        raise AquinError("that production is open, or was not closed", path, "Choose another name")

    def copy(part: Path) -> None:
        target = sqlite3.connect(part)
        raw: Any = source.connection.driver_connection
        raw.backup(target)
        target.executescript("DELETE FROM seat; DELETE FROM claim;")
        target.execute("PRAGMA journal_mode = DELETE")
        target.close()

    try:
        write_safely(path, copy, force)
    except (sql.exc.DBAPIError, sqlite3.Error, OSError) as error:
        raise explain(error, path, "the copy was not written") from error
