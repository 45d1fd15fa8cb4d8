"""The records of a production as this program last read them, with the versions that they had before."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from aquin.production.records import RECORDS, Grade, Place, Record, Shot
from aquin.production.rows import BY_TABLE, NAMES, Change, R, record_of, row_of

KEPT = 40
"""Earlier versions that are kept of one record."""

Records = Mapping[type[Record], Mapping[str, Any]]


@dataclass(frozen=True)
class By:
    """Whose entry it was. `here`: this program's."""

    number: int
    who: str
    here: bool


@dataclass(frozen=True)
class Step:
    """One version of a record that another took the place of; None: it was not there."""

    before: Any
    after: Any
    by: By


class Unknown(Exception):
    """An entry changes what this program has never read: all has to be read again."""


def place_of(record: Record) -> tuple[str, ...] | None:
    """What no other record of its kind may stand for: of a grade what it grades, of a shot its file. None: several
    may.
    """
    if isinstance(record, Grade):
        if record.layer == "look":
            return None
        return record.layer, record.camera_id, record.setup_id, record.shot_id
    if isinstance(record, Place):
        return record.root_id, record.workstation
    if isinstance(record, Shot):
        return record.root_id, record.path
    return None


class Memory:
    """Read without a lock: what changes is put in place at once. `number`: the newest journal entry that is in."""

    def __init__(self) -> None:
        self.records: dict[type[Record], dict[str, Any]] = {kind: {} for kind in RECORDS}
        self.number = 0
        self._steps: dict[tuple[type[Record], str], tuple[Step, ...]] = {}
        self._made: dict[tuple[type[Record], str], By] = {}
        self._sorted: dict[Any, tuple[Any, Any]] = {}
        self._ahead: dict[tuple[type[Record], str, int], Any] = {}
        self._from = sys.maxsize
        self._since = 0

    # reading

    def find(self, kind: type[R], id: str) -> R | None:
        return self.records[kind].get(id)

    def by(self, kind: type[R], key: Callable[[R], Any]) -> dict[Any, list[R]]:
        """Records sorted by something; made once for each state of their kind."""
        group = self.records[kind]
        known = self._sorted.get((kind, key))
        if known is None or known[0] is not group:
            out: dict[Any, list[R]] = {}
            for record in group.values():
                out.setdefault(key(record), []).append(record)
            known = (group, out)
            self._sorted[kind, key] = known
        found: dict[Any, list[R]] = known[1]
        return found

    def standing_for(self, record: Record) -> Any:
        """The record that stands for the same; None where there is none."""
        place = place_of(record)
        if place is None:
            return None
        found = self.by(type(record), place_of).get(place)
        return found[0] if found else None

    def version(self, kind: type[R], id: str, stamp: int) -> R | None:
        """A record as it was when a version of it was read; None where that is not known any more."""
        now = self.records[kind].get(id)
        if now is not None and now.stamp == stamp:
            found: R = now
            return found
        for step in reversed(self._steps.get((kind, id), ())):
            if step.before is not None and step.before.stamp == stamp:
                older: R = step.before
                return older
        ahead: R | None = self._ahead.get((kind, id, stamp))
        return ahead

    def steps_since(self, kind: type[Record], id: str, stamp: int) -> list[Step]:
        """What happened to a record after a version of it was read."""
        if stamp >= self._from and (kind, id, stamp) in self._ahead:
            stamp = self._since
        return [s for s in self._steps.get((kind, id), ()) if s.by.number > stamp]

    def maker(self, kind: type[Record], id: str) -> By | None:
        """Who made a record since this program has the production open."""
        return self._made.get((kind, id))

    def gone(self, kind: type[Record], id: str) -> By | None:
        """Who removed a record that is not there now; None where that is not known."""
        steps = self._steps.get((kind, id), ())
        return steps[-1].by if steps and steps[-1].after is None and id not in self.records[kind] else None

    # changing

    def fork(self) -> Memory:
        """Another that begins like this one, for changes that the server does not have yet."""
        made = Memory()
        made.records, made.number = self.records, self.number
        made._steps, made._made = dict(self._steps), dict(self._made)
        made._ahead, made._from, made._since = self._ahead, self._from, self._since
        return made

    def recall(self, ahead: Memory, first: int, since: int) -> None:
        """Remember versions that were shown while entries from `first` on waited, so that a change that is based on one
        is compared with what others have done since entry `since`.
        """
        for (kind, id), steps in ahead._steps.items():
            for record in (r for s in steps for r in (s.before, s.after) if r is not None):
                if record.stamp >= first:
                    self._ahead[kind, id, record.stamp] = record
        self._from, self._since = first, min(since, self._since or since)

    def load(self, records: dict[type[Record], dict[str, Any]], number: int, by: By) -> None:
        """All of the file, read anew."""
        old = self.records
        for kind, group in records.items():
            for id in (old[kind].keys() | group.keys()) if self.number else ():
                before, after = old[kind].get(id), group.get(id)
                if before != after:
                    self._keep(kind, id, Step(before, after, by))
        self.records, self.number = records, number

    def apply(self, changes: Iterable[Change], by: By) -> None:
        """What one journal entry changed. Raises Unknown, and then nothing has changed."""
        renewed: dict[type[Record], dict[str, Any]] = {}
        steps: list[tuple[type[Record], str, Step]] = []
        for table, id, _, after in changes:
            kind = BY_TABLE[table]
            group = renewed.get(kind)
            if group is None:
                group = renewed[kind] = dict(self.records[kind])
            known = group.pop(id, None) if after is None else group.get(id)
            if after is not None:
                if known is None and len(after) < len(NAMES[kind]):
                    raise Unknown
                whole = after if known is None else row_of(known) | after
                try:
                    group[id] = record_of(kind, dict(whole), by.number)
                except KeyError as error:
                    raise Unknown from error
            if known is not None or after is not None:
                steps.append((kind, id, Step(known, group.get(id), by)))
        for kind, id, step in steps:
            self._keep(kind, id, step)
        self.records, self.number = self.records | renewed, by.number

    def _keep(self, kind: type[Record], id: str, step: Step) -> None:
        if step.before is None:
            self._made[kind, id] = step.by
        self._steps[kind, id] = (*self._steps.get((kind, id), ())[-KEPT + 1 :], step)
