"""From a file to a server and back: everything, in one transaction, whole or not at all."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import sqlalchemy as sql

from aquin.errors import AquinError
from aquin.production.address import Address, slug
from aquin.production.keeper import make_file
from aquin.production.migrations import migrate
from aquin.production.server import schema, secrets
from aquin.production.server.engine import engine_for, explain
from aquin.production.server.keeper import MOST_BYTES, ServerKeeper, digest_of
from aquin.production.tables import FINDING, JOURNAL, MEASUREMENT, TABLES

if TYPE_CHECKING:
    from aquin.production.store import Production

Tell = Callable[[float, str], None]
COPIED = [*TABLES.values(), JOURNAL, MEASUREMENT, FINDING]
"""Tables that travel, in the order in which they refer to each other; who is there does not."""
ROWS = 500


@dataclass(frozen=True)
class Shared:
    """`roles`: why the server could not be given roles; empty where it could. `files`: those that went with it."""

    address: Address
    entries: int
    files: tuple[str, ...]
    roles: str = ""


def share(production: Production, address: Address, tell: Tell | None = None) -> Shared:
    """Put a production on a server, as it is; the file stays as it was. Raises AquinError, and then the server is as
    it was.
    """
    if production.waiting or production.refused:
        raise AquinError("changes of it wait to be sent", production.place, "Wait for its server first")
    address = address if address.production else address.of(slug(production.name) or "production")
    files = files_of(production)
    with production._lock, production._errors(), production._keeper.connect() as source:

        def fill(connection: sql.Connection) -> None:
            _copy(source, connection, production._keeper.order, tell)
            for path in files:
                _attach(connection, path)

        refused = _make(address, production.name, fill)
    _place_roots(production, address)
    return Shared(address, production.journal(1)[0].number, tuple(p.name for p in files), refused)


def make_empty(address: Address, name: str) -> str:
    """A new production without anything in it; why it has no roles, where it has none. Raises AquinError."""
    if not address.production:
        raise AquinError("the address names no production", str(address), f"Write {address.of('name')}")
    return _make(address, name or address.production, lambda connection: None)


def _make(address: Address, title: str, fill: Callable[[sql.Connection], None]) -> str:
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


def _copy(source: sql.Connection, target: sql.Connection, order: str, tell: Tell | None) -> None:
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


_RECORDS = {t.name for t in TABLES.values()}


def _in_parts(source: sql.Connection, query: sql.Select[Any]) -> Iterator[list[dict[str, Any]]]:
    result = source.execution_options(stream_results=True).execute(query)
    for rows in result.partitions(ROWS):
        yield [_plain(dict(row._mapping)) for row in rows]


def _plain(row: dict[str, Any]) -> dict[str, Any]:
    """A row that a server can hold: its texts have no NUL and no halves of letters."""
    return {k: _text(v) if isinstance(v, str) else v for k, v in row.items()}


def _text(value: str) -> str:
    return value.replace("\0", "").encode("utf-8", "replace").decode()


def files_of(production: Production) -> list[Path]:
    """Files that lie beside the production and belong to it: those that its records and options name."""
    base = production.path.parent
    words: set[str] = set()

    def look(value: Any) -> None:
        if isinstance(value, str) and re.fullmatch(r"[^/\0]{1,200}\.[A-Za-z0-9]{2,5}", value):
            words.add(value)
        elif isinstance(value, dict):
            for v in value.values():
                look(v)
        elif isinstance(value, list | tuple):
            for v in value:
                look(v)

    from aquin.production.records import Grade, Option

    look(production.option("config"))
    for grade in production.all(Grade):
        look(dict(grade.values))
    for option in production.all(Option):
        look(option.value)
    found = [base / w for w in sorted(words) if (base / w).is_file()]
    config = base / "config.ocio"
    if production.option("config") is None and config.is_file():
        found.append(config)
    for path in [p for p in found if p.suffix == ".ocio"]:
        found += [q for q in named_in(path, base) if q not in found]
    return found


def named_in(config: Path, base: Path) -> list[Path]:
    """Files beside a configuration that it names."""
    text = config.read_text(encoding="utf-8", errors="replace")
    names = re.findall(r"src:\s*\"?([^\s,}\"]+)", text)
    return [base / n for n in sorted(set(names)) if "/" not in n and (base / n).is_file()]


def _attach(connection: sql.Connection, path: Path) -> None:
    data = path.read_bytes()
    if len(data) > MOST_BYTES:
        raise AquinError("the file is too large to be shared", path, "At most 64 MB")
    connection.execute(
        sql.text(f"INSERT INTO {schema.FILES} (name, digest, content) VALUES (:n, :d, :c)"),
        {"n": path.name, "d": digest_of(data), "c": data},
    )


def _place_roots(production: Production, address: Address) -> None:
    """Folders that were found beside the file have their place on this machine said."""
    from aquin.production.media import root_folder
    from aquin.production.people import workstation
    from aquin.production.records import Place, Root
    from aquin.production.store import Production

    folders = {root.id: root_folder(production, root) for root in production.all(Root) if root.beside}
    shared = Production.open(str(address))
    try:
        here = {p.root_id: p for p in shared.all(Place) if p.workstation == workstation()}
        puts: list[Any] = []
        for root in shared.all(Root):
            folder = folders.get(root.id)
            if root.beside:
                puts.append(replace(root, beside=""))
            if folder is not None and root.id in here:
                puts.append(replace(here[root.id], folder=str(folder.absolute())))
            elif folder is not None:
                puts.append(Place(root.id, workstation(), str(folder.absolute())))
        shared.change("share the production", *puts)
    finally:
        shared.close()


def to_file(connection: sql.Connection, keeper: Any, path: Path, force: bool) -> None:
    """A server's production as a file, with the files that belong to it beside. Raises AquinError."""
    assert isinstance(keeper, ServerKeeper)
    if force and path.with_name(f"{path.name}-wal").exists():
        raise AquinError("that production is open, or was not closed", path, "Choose another name")
    names = connection.exec_driver_sql(f"SELECT name, content FROM {schema.FILES} ORDER BY name").all()
    make_file(path.absolute(), lambda target: _copy(connection, target, keeper.order, None), force)
    for name, content in names:
        target = path.absolute().parent / Path(str(name)).name
        if not target.exists():
            target.write_bytes(bytes(content))
