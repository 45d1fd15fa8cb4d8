"""Connections to the server, and its errors in words."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from typing import Any

import sqlalchemy as sql

from aquin.errors import AquinError
from aquin.production.address import Address, NeedsPassword, address_of
from aquin.production.moved import LineCut
from aquin.production.rows import Spoilt

CONNECT, ANSWER = 5, 2500
"""Seconds that one waits for a connection, and milliseconds for the network to take what is sent."""
GONE = "-c tcp_keepalives_idle=5 -c tcp_keepalives_interval=2 -c tcp_keepalives_count=3 -c tcp_user_timeout=10000"
"""How long the server holds what a seat holds whose line is cut."""
PATIENCE = "-c lock_timeout=2s -c idle_in_transaction_session_timeout=8s"
"""How long one waits for another who writes (then the change waits to be sent), and how long one who was cut off in the
middle of writing holds the others up.
"""

WAITS = {
    "53100": "the server's disk is full",
    "53200": "the server has no memory left",
    "53300": "the server has too many connections",
    "55P03": "another program is writing",
}
"""States of a server that pass."""

Secret = Callable[[], str]
"""Gives the password; empty: the server's own ways (trust, peer, ~/.pgpass, a service file, a certificate)."""


def driver() -> Any:
    """The package for PostgreSQL. Raises AquinError."""
    try:
        import psycopg
    except ImportError as error:
        raise AquinError(
            "productions on a server need the extra package 'psycopg'",
            None,
            "Install it: pip install 'aquin[server]'",
        ) from error
    return psycopg


def connect(address: Address, secret: Secret, autocommit: bool = False) -> Any:
    """A connection of the driver. Raises its errors."""
    words: dict[str, Any] = dict(address.options)
    for key, value in (
        ("user", address.user),
        ("host", address.host),
        ("port", address.port),
        ("dbname", address.database),
        ("password", secret()),
    ):
        if value:
            words[key] = value
    path = f"-c search_path={address.schema}" if address.production else ""
    return driver().connect(
        **words,
        connect_timeout=CONNECT,
        tcp_user_timeout=ANSWER,
        keepalives_idle=5,
        keepalives_interval=2,
        keepalives_count=3,
        application_name="aquin",
        client_encoding="utf8",
        options=f"{path} {GONE} {PATIENCE}",
        autocommit=autocommit,
    )


def engine_for(
    address: Address, secret: Secret, met: Callable[[Any], None] = lambda made: None
) -> sql.Engine:
    """A pool of connections; whoever writes a decision does it alone, presence has a lock of its own. `met` hears of
    each connection.
    """

    def made() -> Any:
        found = connect(address, secret)
        met(found)
        return found

    engine = sql.create_engine(
        "postgresql+psycopg://",
        creator=made,
        poolclass=sql.pool.QueuePool,
        pool_size=2,
        max_overflow=4,
        pool_timeout=30,
        json_serializer=lambda v: json.dumps(v, allow_nan=False, separators=(",", ":")),
    )
    one, beside = lock_of(address.schema), lock_of(f"{address.schema}/seats")

    @sql.event.listens_for(engine, "begin")
    def begin(connection: sql.Connection) -> None:
        options = connection.get_execution_options()
        if options.get("writes"):
            connection.exec_driver_sql(f"SELECT pg_advisory_xact_lock({one})")
        elif options.get("aside"):
            connection.exec_driver_sql(f"SELECT pg_advisory_xact_lock({beside})")
        else:
            connection.exec_driver_sql("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY")

    return engine


def lock_of(name: str) -> int:
    """The number of a lock that programs agree on."""
    return int.from_bytes(hashlib.blake2b(name.encode(), digest_size=8).digest(), "big", signed=True)


def explain(error: Exception, place: Address | str, what: str) -> AquinError:
    """A server's error as what happened, where, what next (SQLSTATE: PostgreSQL documentation, appendix A)."""
    if isinstance(error, AquinError):
        return error
    raw = getattr(error, "orig", None) or error
    state = str(getattr(raw, "sqlstate", None) or "")
    text = " ".join(str(raw).split())
    if isinstance(error, Spoilt):
        return AquinError(f"{what}: {text}", str(place), "Another program has changed it: use a copy")
    state = state or _state_of(text)
    if state in ("28P01", "28000"):
        return NeedsPassword(
            f"{what}: the server does not let this account in ({_short(text)})", address_of(place)
        )
    if state == "3D000":
        return AquinError("the server has no such database", str(place), "Check the address")
    if state == "42501":
        return AquinError(
            f"{what}: the server does not allow this account to do that",
            str(place),
            "Ask who leads the production",
        )
    if (
        state in WAITS
    ):  # it is there, and can't take it just now: what is changed waits, as when the line is cut
        return LineCut(f"{what}: {WAITS[state]}", str(place), "It is tried again by itself")
    if state in ("3F000", "42P01"):
        return AquinError("the production is not on that server any more", str(place), "Ask who leads it")
    if cut(error):
        return LineCut(f"{what}: the server does not answer ({text})", str(place), "Check the line to it")
    return AquinError(f"{what} ({text})", str(place), "Try again; what was saved before is safe")


def _state_of(text: str) -> str:
    """The driver gives none where no connection came about: by what the server says, if it says it in English."""
    low = text.lower()
    if "password" in low or ("role" in low and "does not exist" in low) or "no pg_hba.conf entry" in low:
        return "28000"
    return "3D000" if "database" in low and "does not exist" in low else ""


def _short(text: str) -> str:
    """What the server said, without the machine's part of it."""
    return text.rpartition("FATAL:")[2].strip() or text


def cut(error: Exception) -> bool:
    """Whether the line is gone, rather than the statement wrong."""
    raw = getattr(error, "orig", None) or error
    state = str(getattr(raw, "sqlstate", None) or "")
    if state[:2] in ("08", "57") or state == "25P03":
        return True
    if isinstance(error, sql.exc.TimeoutError):
        return True
    kind = type(raw).__name__
    return not state and (kind in ("OperationalError", "InterfaceError", "ConnectionTimeout"))
