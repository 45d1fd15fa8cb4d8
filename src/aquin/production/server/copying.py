"""All of a production from one place to another, in one transaction, whole or not at all."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import sqlalchemy as sql

from aquin.errors import AquinError
from aquin.production.address import Address
from aquin.production.keeper import make_file
from aquin.production.migrations import migrate
from aquin.production.server import schema, secrets
from aquin.production.server.engine import engine_for, explain
from aquin.production.server.keeper import MOST_BYTES, ServerKeeper, digest_of
from aquin.production.tables import FINDING, JOURNAL, MEASUREMENT, TABLES

Tell = Callable[[float, str], None]
COPIED = [*TABLES.values(), JOURNAL, MEASUREMENT, FINDING]
"""Tables that travel, in the order in which they refer to each other; who is there does not."""
ROWS = 500
_RECORDS = {t.name for t in TABLES.values()}


def make_empty(address: Address, name: str) -> str:
    """A new production without anything in it; why it has no roles, where it has none. Raises AquinError."""
    if not address.production:
        raise AquinError("the address names no production", str(address), f"Write {address.of('name')}")
    return make(address, name or address.production, lambda connection: None)


def make(address: Address, title: str, fill: Callable[[sql.Connection], None]) -> str:
    engine = engine_for(address, lambda: secrets.secret_of(address))
    refused = ""
    try:
        with engine.connect().execution_options(writes=True) as connection, connection.begin():
            there = sql.text("SELECT 1 FROM pg_namespace WHERE nspname = :n")
            if connection.execute(there, {"n": address.schema}).scalar():
                raise AquinError(
                    "the server has a production of that name",
                    str(address),
                    "Give it another: ?production=NAME",
                )
            connection.exec_driver_sql(f"CREATE SCHEMA {address.schema}")
            connection.exec_driver_sql(f"SET LOCAL search_path = {address.schema}")
            migrate(connection)
            schema.extras(connection, address.schema, title)
            fill(connection)
            try:
                with connection.begin_nested():
                    schema.make_roles(connection, address)
            except sql.exc.DBAPIError as error:
                if getattr(error.orig, "sqlstate", "") != "42501":
                    raise
                refused = (
                    "this account may not make roles on the server, so that only itself can open the production: "
                    "ask who runs the server for CREATEROLE, then: aquin people ADDRESS --roles"
                )
    except sql.exc.SQLAlchemyError as error:
        raise explain(error, address, "the production can't be shared") from error
    finally:
        engine.dispose()
    return refused


def copy_rows(source: sql.Connection, target: sql.Connection, order: str, tell: Tell | None) -> None:
    """All rows of all tables, in their order."""
    total = sum(source.execute(sql.select(sql.func.count()).select_from(t)).scalar_one() for t in COPIED)
    done = 0
    for table in COPIED:
        by = "number" if table is JOURNAL else order if table.name in _RECORDS else "key"
        for rows in _in_parts(source, sql.select(table).order_by(sql.literal_column(by))):
            target.execute(sql.insert(table), rows)
            done += len(rows)
            if tell is not None:
                tell(done / max(total, 1), table.name)


def _in_parts(source: sql.Connection, query: sql.Select[Any]) -> Iterator[list[dict[str, Any]]]:
    result = source.execution_options(stream_results=True).execute(query)
    for rows in result.partitions(ROWS):
        yield [_plain(dict(row._mapping)) for row in rows]


def _plain(row: dict[str, Any]) -> dict[str, Any]:
    """A row that a server can hold: its texts have no NUL and no halves of letters."""
    return {k: _text(v) if isinstance(v, str) else v for k, v in row.items()}


def _text(value: str) -> str:
    return value.replace("\0", "").encode("utf-8", "replace").decode()


def attach(connection: sql.Connection, path: Path) -> None:
    data = path.read_bytes()
    if len(data) > MOST_BYTES:
        raise AquinError("the file is too large to be shared", path, "At most 64 MB")
    connection.execute(
        sql.text(f"INSERT INTO {schema.FILES} (name, digest, content) VALUES (:n, :d, :c)"),
        {"n": path.name, "d": digest_of(data), "c": data},
    )


def to_file(connection: sql.Connection, keeper: Any, path: Path, force: bool) -> None:
    """A server's production as a file, with the files that belong to it beside. Raises AquinError."""
    assert isinstance(keeper, ServerKeeper)
    if force and path.with_name(f"{path.name}-wal").exists():
        raise AquinError("that production is open, or was not closed", path, "Choose another name")
    names = connection.exec_driver_sql(f"SELECT name, content FROM {schema.FILES} ORDER BY name").all()
    make_file(path.absolute(), lambda target: copy_rows(connection, target, keeper.order, None), force)
    for name, content in names:
        target = path.absolute().parent / Path(str(name)).name
        if not target.exists():
            target.write_bytes(bytes(content))
