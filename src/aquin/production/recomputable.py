"""What a production keeps that can always be computed again: measurements, and what the last audit found."""

from __future__ import annotations

import json
import threading
from collections.abc import Iterable, Mapping
from contextlib import AbstractContextManager, suppress
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

import sqlalchemy as sql

from aquin.production.moved import LineCut
from aquin.production.rows import CHUNK, chunks
from aquin.production.tables import FINDING, JOURNAL, MEASUREMENT

if TYPE_CHECKING:
    from aquin.production.keeper import Keeper


class Recomputable:
    """A part of `Production`, which gives the file and its lock."""

    _lock: threading.RLock
    _found: list[Any] | None = None
    _keeper: Keeper

    def _writing(self, relaxed: bool = False) -> AbstractContextManager[sql.Connection]:
        raise NotImplementedError

    def _errors(self, what: str = "") -> AbstractContextManager[None]:
        raise NotImplementedError

    def _tell(self) -> None:
        raise NotImplementedError

    @property
    def identity(self) -> str:
        """What a production and all its copies share: the id of their first journal entry."""
        query = sql.select(JOURNAL.c.id).order_by(JOURNAL.c.number).limit(1)
        with self._lock, self._errors(), self._keeper.connect() as connection:
            return str(connection.execute(query).scalar() or "")

    def entry_ids(self) -> list[str]:
        """The ids of all journal entries, the first one first."""
        query = sql.select(JOURNAL.c.id).order_by(JOURNAL.c.number)
        with self._lock, self._errors(), self._keeper.connect() as connection:
            return [str(id) for (id,) in connection.execute(query)]

    def measured(self, kind: str) -> dict[str, Any]:
        """Everything measured of a kind, by the hash of what it was measured from."""
        if self._keeper.kept is not None:
            self._catch_up(kind)
            return self._keeper.kept.values(kind)
        query = sql.select(MEASUREMENT.c.key, MEASUREMENT.c["values"]).where(MEASUREMENT.c.kind == kind)
        with self._lock, self._errors(), self._keeper.connect() as connection:
            return {row[0]: row[1] for row in connection.execute(query) if row[1] is not None}

    def measured_of(self, kind: str, keys: Iterable[str]) -> dict[str, Any]:
        """What was measured of a kind for some keys."""
        if self._keeper.kept is not None:
            self._catch_up(kind)
            return self._keeper.kept.values(kind, keys)
        query = sql.select(MEASUREMENT.c.key, MEASUREMENT.c["values"]).where(MEASUREMENT.c.kind == kind)
        out: dict[str, Any] = {}
        with self._lock, self._errors(), self._keeper.connect() as connection:
            for chunk in chunks(list(keys)):
                for row in connection.execute(query.where(MEASUREMENT.c.key.in_(chunk))):
                    if row[1] is not None:
                        out[row[0]] = row[1]
        return out

    def keep_measured(self, kind: str, values: Mapping[str, Any]) -> None:
        """Remember measurements by their keys."""
        rows = [{"key": k, "kind": kind, "at": now(), "values": v} for k, v in values.items()]
        if rows and self._keeper.kept is not None:
            self._keeper.kept.put(rows, unsent=True)
            with suppress(LineCut):  # it is kept here, and sent later
                self.send_measured()
        elif rows:
            with self._writing(relaxed=True) as connection:
                self._keeper.put(connection, MEASUREMENT, rows)

    def send_measured(self) -> None:
        """Give the server what was measured here; nothing where this account only looks. Raises AquinError."""
        kept = self._keeper.kept
        if kept is None or not self._keeper.measures:
            return
        rows = kept.unsent()
        for k in range(0, len(rows), CHUNK):
            part = rows[k : k + CHUNK]
            with self._errors("what was measured was not sent"), self._keeper.connect() as plain:
                connection = plain.execution_options(aside=True)
                with connection.begin():
                    self._keeper.put(connection, MEASUREMENT, part)
            kept.sent(part)

    def _catch_up(self, kind: str) -> None:
        """Read what the server has of a kind and this machine has not; nothing while the line is cut."""
        kept = self._keeper.kept
        assert kept is not None
        c = MEASUREMENT.c
        with suppress(LineCut), self._errors(), self._keeper.connect() as connection:
            here = kept.times(kind)
            there = connection.execute(sql.select(c.key, c.at).where(c.kind == kind))
            missing = [key for key, at in there if here.get(key) != at]
            for chunk in chunks(missing):
                rows = connection.execute(sql.select(MEASUREMENT).where(c.kind == kind, c.key.in_(chunk)))
                kept.put([dict(row._mapping) for row in rows], unsent=False)

    def findings(self) -> list[Any]:
        """What the last audit kept; while the line to a server is cut, what was read last."""
        try:
            with self._lock, self._errors(), self._keeper.connect() as connection:
                rows = connection.execute(sql.select(FINDING.c["values"]).order_by(FINDING.c.key))
                self._found = [v for (v,) in rows if isinstance(v, dict)]
        except LineCut:
            if self._found is None:
                raise
        return list(self._found)

    def keep_findings(self, values: Mapping[str, Any]) -> None:
        """Put these in the place of the last audit's; nothing is written or told where they are the same."""
        if not self._keeper.measures:
            return
        with self._lock, self._errors(), self._keeper.connect() as connection:
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
