"""What was measured, as this machine keeps it of a server's production: read without the line, and sent when it is
there. All of it can be measured again.
"""

from __future__ import annotations

import json
import sqlite3
import threading
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from aquin.production.rows import chunks

Row = dict[str, Any]


class Kept:
    """A small SQLite file; where it can't be used, one in memory. `unsent`: what the server does not have."""

    def __init__(self, path: Path) -> None:
        self._lock = threading.Lock()
        try:
            self._held = self._open(str(path))
        except sqlite3.Error:
            self._held = self._open(":memory:")

    @staticmethod
    def _open(name: str) -> sqlite3.Connection:
        made = sqlite3.connect(name, check_same_thread=False, timeout=5, isolation_level=None)
        made.execute("PRAGMA journal_mode = WAL")
        made.execute("PRAGMA synchronous = NORMAL")
        made.execute(
            "CREATE TABLE IF NOT EXISTS kept (kind TEXT, key TEXT, at TEXT, held TEXT, unsent INTEGER, "
            "PRIMARY KEY (kind, key))"
        )
        return made

    def put(self, rows: Iterable[Row], unsent: bool) -> None:
        """Rows of measurements. What the disk has no room for is measured again another day."""
        lines = [
            (r["kind"], r["key"], r["at"], json.dumps(r["values"], separators=(",", ":")), int(unsent))
            for r in rows
        ]
        with self._lock:
            try:
                self._held.execute("BEGIN")
                self._held.executemany("INSERT OR REPLACE INTO kept VALUES (?, ?, ?, ?, ?)", lines)
                self._held.execute("COMMIT")
            except sqlite3.Error:
                if self._held.in_transaction:
                    self._held.execute("ROLLBACK")

    def times(self, kind: str) -> dict[str, str]:
        """When each was measured, by key."""
        return dict(self._all("SELECT key, at FROM kept WHERE kind = ?", kind))

    def values(self, kind: str, keys: Iterable[str] | None = None) -> dict[str, Any]:
        if keys is None:
            found = self._all("SELECT key, held FROM kept WHERE kind = ?", kind)
        else:
            found = []
            for part in chunks(list(keys)):
                marks = ",".join("?" * len(part))
                found += self._all(
                    f"SELECT key, held FROM kept WHERE kind = ? AND key IN ({marks})", kind, *part
                )
        out = {}
        for key, text in found:
            value = json.loads(text)
            if value is not None:
                out[key] = value
        return out

    def unsent(self) -> list[Row]:
        rows = self._all("SELECT kind, key, at, held FROM kept WHERE unsent")
        return [{"kind": k, "key": key, "at": at, "values": json.loads(v)} for k, key, at, v in rows]

    def sent(self, rows: Iterable[Row]) -> None:
        with self._lock:
            self._held.executemany(
                "UPDATE kept SET unsent = 0 WHERE kind = ? AND key = ? AND at = ?",
                [(r["kind"], r["key"], r["at"]) for r in rows],
            )

    def close(self) -> None:
        with self._lock:
            self._held.close()

    def _all(self, query: str, *values: str) -> list[Any]:
        with self._lock:
            return self._held.execute(query, values).fetchall()
