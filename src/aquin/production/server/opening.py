"""Opening a production on a server."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import sqlalchemy as sql

from aquin.errors import AquinError
from aquin.production.address import Address
from aquin.production.migrations import SCHEMA
from aquin.production.moved import LineCut
from aquin.production.rows import Spoilt
from aquin.production.server import schema, secrets
from aquin.production.server.engine import connect, explain
from aquin.production.server.keeper import ServerKeeper, folder_of
from aquin.production.server.outbox import FileOutbox, unsent_of, waiting_in

CANNOT = "the production can't be opened"


def open_shared(kind: Callable[..., Any], address: Address, read_only: bool) -> Any:
    """Open a server's production as a `Production` (`kind`); what could not be sent before is sent first."""
    address = the_one(address)
    try:
        keeper = ServerKeeper(address, lambda: secrets.secret_of(address))
    except Exception as error:
        raise _unopened(error, address) from error
    try:
        version = _version(keeper)
        if version != SCHEMA:
            raise AquinError(
                f"another version of Aquin keeps it (version {version}, this one knows {SCHEMA})",
                str(address),
                "Use the same version as the others"
                if version > SCHEMA
                else "With that version take it into a file (aquin share ADDRESS FILE), and share that with this one",
            )
        made = kind(keeper, read_only)
    except (Spoilt, sql.exc.SQLAlchemyError) as error:
        keeper.close()
        raise explain(error, address, CANNOT) from error
    except AquinError:
        keeper.close()
        raise
    if not read_only:
        made.outbox = FileOutbox(unsent_of(keeper.folder, made.identity), keeper.who, made.seat_id)
        made.adopt()
        made.send()
    keeper.line.changed = lambda up: _turned(made, keeper, up)
    keeper.line.waits = lambda: bool(made.waiting)
    keeper.line.start()
    return made


def _turned(production: Any, keeper: ServerKeeper, up: bool) -> None:
    """The line was cut, or is there again: what waits is sent."""
    if up:
        keeper.renew()
        if not production.read_only:
            production.send()
            production.send_measured()
        production.refresh()
    production.turned(up)


def the_one(address: Address) -> Address:
    """With the production's name, where the address leaves it out and the database holds one. Raises AquinError."""
    if address.production:
        return address
    names = productions_at(address)
    if len(names) == 1:
        return address.of(names[0])
    raise AquinError(
        "the database holds no production" if not names else f"the database holds {len(names)} productions",
        str(address),
        f"Name one: {address.of(names[0])}" if names else "Share one there: aquin share FILM.aquin ADDRESS",
    )


def productions_at(address: Address) -> list[str]:
    """The names of the productions in a database. Raises AquinError."""
    query = (
        "SELECT n.nspname FROM pg_namespace n JOIN pg_description d ON d.objoid = n.oid "
        f"WHERE n.nspname LIKE 'aquin\\_%%' AND d.description LIKE '{schema.MARK}%%' ORDER BY 1"
    )
    try:
        with connect(address, lambda: secrets.secret_of(address)) as connection:
            rows = connection.execute(query.replace("%%", "%")).fetchall()
    except Exception as error:
        raise _unopened(error, address) from error
    return [str(name).removeprefix("aquin_") for (name,) in rows]


def _version(keeper: ServerKeeper) -> int:
    with keeper.connect() as connection:
        try:
            there = sql.text("SELECT 1 FROM pg_namespace WHERE nspname = :n")
            if connection.execute(there, {"n": keeper.address.schema}).scalar() and keeper.role is None:
                raise _stranger(keeper)
            return int(connection.exec_driver_sql("SELECT version_num FROM alembic_version").scalar_one())
        except sql.exc.DBAPIError as error:
            if getattr(error.orig, "sqlstate", "") in ("42P01", "3F000"):
                raise AquinError(
                    f"the server has no production '{keeper.address.production}'",
                    keeper.place,
                    "Check the name; whoever leads it shares it with: aquin share FILM.aquin ADDRESS",
                ) from error
            raise


def _stranger(keeper: ServerKeeper) -> AquinError:
    return AquinError(
        f"nobody has let '{keeper.who}' into this production",
        keeper.place,
        f"Whoever leads it can: aquin people ADDRESS --let {keeper.who}=grades",
    )


def _unopened(error: Exception, address: Address) -> AquinError:
    """With what waits on this machine for that server."""
    found = explain(error, address, CANNOT)
    if (
        isinstance(found, LineCut)
        and address.production
        and (count := waiting_in(unsent_of(folder_of(address))))
    ):
        return LineCut(
            f"{found.what}; {count} changes wait here to be sent, and are safe", found.file, found.remedy
        )
    return found
