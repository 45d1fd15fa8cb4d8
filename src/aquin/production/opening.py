"""Opening a production file: looking at it before it is trusted, connecting, migrating, and saying clearly what is
wrong.
"""

import errno
import json
import os
import sqlite3
import stat
import subprocess
from pathlib import Path
from typing import Any

import sqlalchemy as sql
from sqlalchemy.pool import StaticPool

from aquin.errors import AquinError
from aquin.files import write_safely
from aquin.production.migrations import migrate
from aquin.production.network import network
from aquin.production.rows import Spoilt
from aquin.production.tables import APPLICATION_ID

SUFFIX = ".aquin"
BUSY = 30
"""Seconds that one waits while another program writes."""


def examine(where: Path, path: Path) -> int:
    """The number of a production file's newest migration; anything else is refused, and not touched. Raises AquinError.

    The file is only ever opened by SQLite: closing it by any other way would take this process's locks off it.
    """
    _size(path)
    far = bool(network(where))
    made = sqlite3.connect(f"{where.as_uri()}?mode={'rw' if far else 'ro'}", uri=True, timeout=BUSY)
    try:
        if far:
            made.execute("PRAGMA locking_mode = EXCLUSIVE")
        mark, version = (
            int(made.execute(f"PRAGMA {name}").fetchone()[0]) for name in ("application_id", "user_version")
        )
    except sqlite3.OperationalError as error:
        raise explain(error, path, "the production can't be opened") from error
    except sqlite3.DatabaseError as error:
        if "not a database" in str(error):
            raise AquinError(
                "this is no production of Aquin", path, "Choose a file that ends in .aquin"
            ) from error
        raise damaged(error, path) from error
    finally:
        made.close()
    if mark != APPLICATION_ID:
        raise AquinError("this is another program's database", path, "Choose a production file of Aquin")
    return version


def damaged(error: Exception, path: Path) -> AquinError:
    """Why a file can't be read: that it ends early, where that is so by its first bytes, which another program reads
    (the database file format, sqlite.org/fileformat.html, 1.3).
    """
    head = subprocess.run(["head", "-c", "100", "--", str(path)], capture_output=True).stdout
    page, pages = int.from_bytes(head[16:18], "big"), int.from_bytes(head[28:32], "big")
    size, whole = path.stat().st_size if path.exists() else 0, (65536 if page == 1 else page) * pages
    if len(head) < 100 or size >= whole:
        return explain(error, path, "the production can't be opened")
    return AquinError(
        f"the production file ends early ({size} of {whole} bytes)",
        path,
        "Open a backup or a copy of it instead",
    )


def _size(path: Path) -> int:
    try:
        found = path.stat()
    except FileNotFoundError:
        raise AquinError(
            "the production does not exist", path, "Check the name, or whether its drive is connected"
        ) from None
    except OSError as error:
        raise AquinError(
            f"the production can't be read ({error.strerror})", path, "Check its permissions"
        ) from error
    if stat.S_ISDIR(found.st_mode):
        raise AquinError("this is a folder", path, "Name the .aquin file in it")
    if not stat.S_ISREG(found.st_mode):
        raise AquinError("this is no file", path, "Choose a file that ends in .aquin")
    if not os.access(path, os.R_OK):
        raise AquinError(
            f"the production can't be read ({os.strerror(errno.EACCES)})", path, "Check its permissions"
        )
    if not found.st_size:
        raise AquinError("the production file is empty", path, "Open a backup or a copy of it instead")
    return found.st_size


def snapshot(path: Path, folder: Path) -> Path:
    """A private copy of a file that can't be opened in its place, with the changes that are still in its log. Another
    program makes it, since this one may have the file open (see `examine`).
    """
    _size(path)
    files = [p for p in (path, path.with_name(f"{path.name}-wal")) if p.exists()]
    done = subprocess.run(["cp", "--", *map(str, files), str(folder)], capture_output=True, text=True)
    if done.returncode:
        why = done.stderr.strip().rpartition(": ")[2]
        raise AquinError(f"the production can't be read ({why})", path, "Check its permissions")
    return folder / path.name


def explain(error: Exception, path: Path, what: str) -> AquinError:
    """A database's or system's error as what happened, which file, what next."""
    text = str(getattr(error, "orig", None) or getattr(error, "strerror", None) or error)
    low = text.lower()
    if "disk is full" in low or "no space" in low:
        return AquinError(
            f"{what}: the disk is full",
            path,
            "Free some space and do it again; what was saved before is safe",
        )
    if (
        isinstance(error, Spoilt)
        or "malformed" in low
        or "not a database" in low
        or "no such table" in low
        or "no such column" in low
    ):
        return AquinError(
            f"{what}: the production file is damaged ({text})", path, "Open a backup or a copy of it instead"
        )
    if "locked" in low or "busy" in low:
        if network(path):
            return AquinError(
                f"{what}: another program has the file open, and it lies in a folder of another machine",
                path,
                "Close it there, or work in a copy",
            )
        return AquinError(f"{what}: another program is writing to the file", path, "Try again in a moment")
    if "readonly" in low or "permission" in low or "unable to open" in low:
        return AquinError(
            f"{what}: the file or its folder can't be written to ({text})",
            path,
            "Check the permissions and the drive",
        )
    if "i/o error" in low:
        return AquinError(f"{what}: the drive does not answer", path, "Check the drive, then do it again")
    return AquinError(f"{what} ({text})", path, "Try again; what was saved before is safe")


def _held(text: Any) -> Any:
    """What a JSON column holds; None where another program spoilt it. SQLite gives a bare number as a number (affinity
    NUMERIC, sqlite.org/datatype3.html, 3.1).
    """
    if isinstance(text, int | float):
        return text
    try:
        return json.loads(text)
    except (ValueError, TypeError, RecursionError):
        return None


def engine_for(path: Path, read_only: bool, wal: bool = True) -> sql.Engine:
    """One connection, shared under the production's lock; explicit transactions, and a file safe against power
    failure.
    """

    def connect() -> sqlite3.Connection:
        mode = "ro" if read_only else "rw" if wal else "rwc"
        made = sqlite3.connect(
            f"{path.as_uri()}?mode={mode}",
            uri=True,
            timeout=BUSY,
            isolation_level=None,
            check_same_thread=False,
        )
        if network(path):  # no shared memory there: one program at a time, which then needs none
            made.execute("PRAGMA locking_mode = EXCLUSIVE")
        made.execute("PRAGMA foreign_keys = ON")
        if not read_only:
            if wal:
                made.execute("PRAGMA journal_mode = WAL")
            made.execute("PRAGMA synchronous = FULL")
        return made

    engine = sql.create_engine(
        "sqlite://",
        creator=connect,
        poolclass=StaticPool,
        json_deserializer=_held,
        json_serializer=lambda v: json.dumps(v, allow_nan=False, separators=(",", ":")),
    )

    @sql.event.listens_for(engine, "begin")
    def begin(connection: sql.Connection) -> None:
        options = connection.get_execution_options()
        writes = options.get("writes")
        if writes and not read_only:  # what can be measured again need not wait for the disk
            driver: Any = connection.connection.driver_connection
            driver.execute(f"PRAGMA synchronous = {'NORMAL' if options.get('relaxed') else 'FULL'}")
        connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")

    return engine


def bring_up(where: Path, path: Path, version: int, backup: bool) -> list[str]:
    """Migrate an older file after a backup beside it; a snapshot needs none."""
    notes = []
    if backup:
        spare = path.with_name(f"{path.stem}.version-{version}{SUFFIX}")

        def copy(part: Path) -> None:
            source, target = sqlite3.connect(where), sqlite3.connect(part)
            source.backup(target)
            target.execute("PRAGMA journal_mode = DELETE")
            source.close()
            target.close()

        write_safely(spare, copy, force=True)
        notes.append(f"The file was brought up to this version of Aquin. A backup is {spare.name}.")
    engine = engine_for(where, read_only=False)
    with engine.connect().execution_options(writes=True) as connection, connection.begin():
        migrate(connection)
    engine.dispose()
    return notes
