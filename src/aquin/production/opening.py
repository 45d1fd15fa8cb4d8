"""Opening a production file: looking at it before it is trusted, connecting, migrating, and saying clearly what is
wrong.
"""

import json
import shutil
import sqlite3
import struct
from pathlib import Path

import sqlalchemy as sql
from sqlalchemy.pool import StaticPool

from aquin.errors import AquinError
from aquin.files import write_safely
from aquin.production.migrations import migrate
from aquin.production.tables import APPLICATION_ID

SUFFIX = ".aquin"
MAGIC = b"SQLite format 3\0"
_HEADER = 100


def check_header(path: Path) -> None:
    """Refuse what is no production file, from its first bytes and without touching it. Raises AquinError."""
    if not path.exists():
        raise AquinError(
            "the production does not exist", path, "Check the name, or whether its drive is connected"
        )
    if path.is_dir():
        raise AquinError("this is a folder", path, "Name the .aquin file in it")
    try:
        size = path.stat().st_size
        with path.open("rb") as stream:
            head = stream.read(_HEADER)
    except OSError as error:
        raise AquinError(
            f"the production can't be read ({error.strerror})", path, "Check its permissions"
        ) from error
    if not head:
        raise AquinError("the production file is empty", path, "Open a backup or a copy of it instead")
    if head[:16] != MAGIC or len(head) < _HEADER:
        raise AquinError("this is no production of Aquin", path, "Choose a file that ends in .aquin")
    page, pages, mark = (
        struct.unpack(">H", head[16:18])[0],
        *struct.unpack(">I", head[28:32]),
        struct.unpack(">I", head[68:72])[0],
    )
    if mark != APPLICATION_ID:
        raise AquinError("this is another program's database", path, "Choose a production file of Aquin")
    page = 65536 if page == 1 else page
    if size < page * pages and not path.with_name(path.name + "-wal").exists():
        raise AquinError(
            f"the production file ends early ({size} of {page * pages} bytes)",
            path,
            "Open a backup or a copy of it instead",
        )


def snapshot(path: Path, folder: Path) -> Path:
    """A private copy of a file that can't be opened in its place, with the changes that are still in its log."""
    copy = folder / path.name
    try:
        shutil.copyfile(path, copy)
        log = path.with_name(path.name + "-wal")
        if log.exists():
            shutil.copyfile(log, folder / log.name)
    except OSError as error:
        raise AquinError(
            f"the production can't be read ({error.strerror})", path, "Check its permissions"
        ) from error
    return copy


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
    if "malformed" in low or "not a database" in low or "no such table" in low or "no such column" in low:
        return AquinError(
            f"{what}: the production file is damaged ({text})", path, "Open a backup or a copy of it instead"
        )
    if "locked" in low or "busy" in low:
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


def engine_for(path: Path, read_only: bool, wal: bool = True) -> sql.Engine:
    """One connection, shared under the production's lock; explicit transactions, and a file safe against power
    failure.
    """

    def connect() -> sqlite3.Connection:
        mode = "ro" if read_only else "rw" if wal else "rwc"
        made = sqlite3.connect(
            f"{path.as_uri()}?mode={mode}",
            uri=True,
            timeout=10,
            isolation_level=None,
            check_same_thread=False,
        )
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
        json_serializer=lambda v: json.dumps(v, allow_nan=False, separators=(",", ":")),
    )

    @sql.event.listens_for(engine, "begin")
    def begin(connection: sql.Connection) -> None:
        writes = connection.get_execution_options().get("writes")
        connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")

    return engine


def version_of(where: Path, path: Path) -> int:
    """The number of the file's newest migration. Raises AquinError for another program's database."""
    made = sqlite3.connect(f"{where.as_uri()}?mode=ro", uri=True)
    try:
        mark = int(made.execute("PRAGMA application_id").fetchone()[0])
        version = int(made.execute("PRAGMA user_version").fetchone()[0])
    finally:
        made.close()
    if mark != APPLICATION_ID:
        raise AquinError("this is another program's database", path, "Choose a production file of Aquin")
    return version


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
