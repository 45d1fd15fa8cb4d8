"""A production in a schema of a PostgreSQL database."""

from __future__ import annotations

import hashlib
import threading
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import sqlalchemy as sql
from sqlalchemy.dialects.postgresql import insert

from aquin.errors import AquinError
from aquin.files import write_safely
from aquin.own_files import state_folder
from aquin.production.address import Address
from aquin.production.keeper import Looked
from aquin.production.moved import LineCut
from aquin.production.server import schema
from aquin.production.server.engine import Secret, cut, engine_for, explain
from aquin.production.server.kept import Kept
from aquin.production.server.line import Line

MOST_BYTES = 64 * 2**20
"""The largest file that is kept with a production."""


class ServerKeeper:
    """`role`: what this account may do."""

    order = "came"
    shared = True

    def __init__(self, address: Address, secret: Secret) -> None:
        self.address = address
        self.folder = folder_of(address)
        self.path = self.folder / f"{address.stem}.aquin"
        self.line = Line(address, secret)
        self._engine = engine_for(address, secret, self.line.meet)
        self.kept: Kept | None = Kept(self.folder / "measured.db")
        self._fetched = 0
        self._fetching = threading.Lock()
        with self._engine.connect() as connection:
            row = connection.exec_driver_sql("SELECT session_user, clock_timestamp()").one()
            self._who, self._ahead = str(row[0]), (row[1] - datetime.now(UTC)).total_seconds()
            self.role: schema.Role | None = schema.role_of(connection, address)

    @property
    def leads(self) -> bool:
        return self.role == "leads"

    @property
    def up(self) -> bool:
        return self.line.up

    @property
    def measures(self) -> bool:
        """Who only looks leaves nothing there that others rely on."""
        return self.role in ("grades", "leads")

    @property
    def place(self) -> str | Path:
        return str(self.address)

    @property
    def who(self) -> str:
        """The account: the server takes no entry in another name."""
        return self._who

    def clock(self) -> datetime:
        """The server's: machines' clocks differ."""
        return datetime.now(UTC) + timedelta(seconds=self._ahead)

    def connect(self) -> sql.Connection:
        """Raises LineCut at once while the line is known to be cut."""
        if not self.line.up:
            raise LineCut(
                "the line to the server is cut", self.place, "What you change is kept here, and sent later"
            )
        return self._engine.connect()

    def check(self, connection: sql.Connection) -> None:
        """The server sees to that."""

    def token(self, connection: sql.Connection) -> int:
        return self.line.counts["journal"]

    def look(self, connection: sql.Connection) -> Looked:
        counts = self.line.counts
        return counts["journal"], counts["measurement"], counts["finding"]

    def quiet(self, seen: Looked) -> bool:
        counts = self.line.counts
        return not self.line.up or seen == (counts["journal"], counts["measurement"], counts["finding"])

    def put(self, connection: sql.Connection, table: sql.Table, rows: list[dict[str, Any]]) -> None:
        made = insert(table)
        keys = [c.name for c in table.primary_key]
        rest = {c.name: made.excluded[c.name] for c in table.c if c.name not in keys}
        connection.execute(made.on_conflict_do_update(index_elements=keys, set_=rest), rows)

    def explain(self, error: Exception, what: str) -> AquinError:
        if cut(error):
            self.line.fell()
            self._engine.dispose()
        found = explain(error, self.address, what)
        if self.role != "leads" and "does not allow" in found.what:
            may = f"who {self.role} {schema.ROLES[self.role]}" if self.role else "it may not open it"
            return AquinError(f"{found.what} ({may})", self.place, found.remedy)
        return found

    def renew(self) -> None:
        """After the line was cut: no connection of before is used again."""
        self._engine.dispose()

    # files

    def attach(self, connection: sql.Connection | None, path: Path) -> None:
        """Keep a file's content on the server under its name. Raises AquinError."""
        assert connection is not None
        try:
            data = path.read_bytes()
        except OSError as error:
            raise AquinError(f"the file can't be read ({error.strerror})", path, "Choose it again") from error
        if len(data) > MOST_BYTES:
            raise AquinError("the file is too large to be shared", path, "At most 64 MB")
        connection.execute(
            sql.text(
                f"INSERT INTO {schema.FILES} (name, digest, content) VALUES (:name, :digest, :content) "
                "ON CONFLICT (name) DO UPDATE SET digest = excluded.digest, content = excluded.content, "
                f"came = nextval(pg_get_serial_sequence('{schema.FILES}', 'came'))"
            ),
            {"name": path.name, "digest": digest_of(data), "content": data},
        )

    def fetch(self, connection: sql.Connection) -> None:
        with self._fetching:
            newer = (
                f"SELECT name, digest, came FROM {schema.FILES} WHERE came > {self._fetched:d} ORDER BY came"
            )
            for name, digest, came in connection.exec_driver_sql(newer).all():
                target = self.folder / Path(str(name)).name
                if not (target.is_file() and digest_of(target.read_bytes()) == digest):
                    whole = sql.text(f"SELECT content FROM {schema.FILES} WHERE name = :name")
                    data = bytes(connection.execute(whole, {"name": name}).scalar_one())
                    write_safely(target, lambda p, d=data: _put(p, d), force=True)  # type: ignore[misc]
                self._fetched = came

    def close(self) -> None:
        self.line.close()
        self._engine.dispose()
        if self.kept is not None:
            self.kept.close()


def folder_of(address: Address) -> Path:
    """This machine's folder for a server's production: files that belong to it, and what waits to be sent."""
    folder = state_folder() / "servers" / address.mark
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def digest_of(data: bytes) -> str:
    return hashlib.blake2b(data, digest_size=16).hexdigest()


def _put(path: Path, data: bytes) -> None:
    path.write_bytes(data)
