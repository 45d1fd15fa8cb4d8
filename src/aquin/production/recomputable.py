"""What a production keeps that can always be computed again: measurements, and what the last audit found."""

import json
import threading
from collections.abc import Iterable, Mapping
from contextlib import AbstractContextManager
from datetime import UTC, datetime
from typing import Any

import sqlalchemy as sql

from aquin.production.rows import chunks
from aquin.production.tables import FINDING, JOURNAL, MEASUREMENT


class Recomputable:
    """A part of `Production`, which gives the file and its lock."""

    _lock: threading.RLock
    _engine: sql.Engine

    def _writing(self) -> AbstractContextManager[sql.Connection]:
        raise NotImplementedError

    def _errors(self, what: str = "") -> AbstractContextManager[None]:
        raise NotImplementedError

    def _tell(self) -> None:
        raise NotImplementedError

    @property
    def identity(self) -> str:
        """What a production and all its copies share: the id of their first journal entry."""
        query = sql.select(JOURNAL.c.id).order_by(JOURNAL.c.number).limit(1)
        with self._lock, self._errors(), self._engine.connect() as connection:
            return str(connection.execute(query).scalar() or "")

    def entry_ids(self) -> list[str]:
        """The ids of all journal entries, the first one first."""
        query = sql.select(JOURNAL.c.id).order_by(JOURNAL.c.number)
        with self._lock, self._errors(), self._engine.connect() as connection:
            return [str(id) for (id,) in connection.execute(query)]

    def measured(self, kind: str) -> dict[str, Any]:
        """Everything measured of a kind, by the hash of what it was measured from."""
        query = sql.select(MEASUREMENT.c.key, MEASUREMENT.c["values"]).where(MEASUREMENT.c.kind == kind)
        with self._lock, self._errors(), self._engine.connect() as connection:
            return {row[0]: row[1] for row in connection.execute(query) if row[1] is not None}

    def measured_of(self, kind: str, keys: Iterable[str]) -> dict[str, Any]:
        """What was measured of a kind for some keys."""
        query = sql.select(MEASUREMENT.c.key, MEASUREMENT.c["values"]).where(MEASUREMENT.c.kind == kind)
        out: dict[str, Any] = {}
        with self._lock, self._errors(), self._engine.connect() as connection:
            for chunk in chunks(list(keys)):
                for row in connection.execute(query.where(MEASUREMENT.c.key.in_(chunk))):
                    if row[1] is not None:
                        out[row[0]] = row[1]
        return out

    def keep_measured(self, kind: str, values: Mapping[str, Any]) -> None:
        """Remember measurements by their keys."""
        rows = [{"key": k, "kind": kind, "at": now(), "values": v} for k, v in values.items()]
        if rows:
            with self._writing() as connection:
                connection.execute(sql.insert(MEASUREMENT).prefix_with("OR REPLACE"), rows)

    def findings(self) -> list[Any]:
        """What the last audit kept."""
        with self._lock, self._errors(), self._engine.connect() as connection:
            rows = connection.execute(sql.select(FINDING.c["values"]).order_by(FINDING.c.key))
            return [v for (v,) in rows if isinstance(v, dict)]

    def keep_findings(self, values: Mapping[str, Any]) -> None:
        """Put these in the place of the last audit's; nothing is written or told where they are the same."""
        with self._lock, self._errors(), self._engine.connect() as connection:
            kept = {r.key: r[1] for r in connection.execute(sql.select(FINDING.c.key, FINDING.c["values"]))}
        if json.dumps(kept, sort_keys=True) == json.dumps(values, sort_keys=True):
            return
        with self._writing() as connection:
            connection.execute(sql.delete(FINDING))
            if values:
                rows = [{"key": k, "values": v} for k, v in values.items()]
                connection.execute(sql.insert(FINDING), rows)
        self._tell()


def now() -> str:
    """The time of day as it stands in the file."""
    return datetime.now(UTC).isoformat(timespec="milliseconds")
