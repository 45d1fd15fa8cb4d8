"""Writing records and dropping them, once memory holds what the file holds: only fields that the caller changed, and
none that another has changed since the caller read it.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any, Literal

from aquin.errors import AquinError
from aquin.production.memory import Memory, Records
from aquin.production.moved import Apart, Part, merged
from aquin.production.naming import called
from aquin.production.records import RECORDS, Camera, Edit, Grade, Record, Root, Setup, Shot
from aquin.production.rows import NAMES, Change, Row, chunks, row_of, update_rows, wrote
from aquin.production.tables import TABLES

if TYPE_CHECKING:
    import sqlalchemy as sql

SOFT: dict[str, type[Record]] = {
    "camera_id": Camera,
    "setup_id": Setup,
    "shot_id": Shot,
    "hero_id": Shot,
    "source_id": Shot,
}
"""Columns that may stand empty, and what they refer to."""
HARD: dict[str, type[Record]] = {"root_id": Root, "edit_id": Edit}
REFERENCES = SOFT | HARD

ONE_THING = ("values", "origin", "inputs", "source_id")
"""Columns of a grade that only make sense together."""

OnMoved = Literal["refuse", "skip"]
"""Where another changed it meanwhile: nothing is written, or all but that record, also what this program changed."""


@dataclass
class Pending:
    """One change while it is written. `before`: what this program knew when it was asked."""

    connection: sql.Connection
    memory: Memory
    before: Records
    known: int
    moved: OnMoved = "refuse"
    parts: list[Part] = field(default_factory=list)
    """Where others were there first."""
    changes: list[Change] = field(default_factory=list)
    dropped: dict[type[Record], set[str]] = field(default_factory=dict)
    emptied: dict[tuple[type[Record], str], Row] = field(default_factory=dict)
    """Fields that this change has emptied, since what they referred to goes."""

    def row(self, record: Record) -> Row:
        """A record that is there, as this change has left it so far."""
        return row_of(record) | self.emptied.get((type(record), record.id), {})

    def there(self, kind: type[Record], id: str) -> Any:
        """A record that this change does not remove; None where there is none."""
        return None if id in self.dropped.get(kind, ()) else self.memory.records[kind].get(id)


def put(pending: Pending, records: Iterable[Record]) -> None:
    """Write records, new ones and the changed fields of others. Raises AquinError."""
    groups: dict[type[Record], dict[str, Record]] = {}
    for record in records:
        groups.setdefault(type(record), {})[record.id] = record
    for kind in sorted(groups, key=RECORDS.index):
        fresh: list[Row] = []
        renewed: list[tuple[str, Row]] = []
        for id, record in groups[kind].items():
            there = pending.there(kind, id)
            if there is None:
                placed = _in_its_place(pending, record)
                if placed is None:
                    continue
                record, there = placed
            after = row_of(record)
            if there is None:
                _check_references(pending, record, after, groups)
                fresh.append(after)
                pending.changes.append((kind.table, id, None, after))
                continue
            new = _changed(pending, record, there, after)
            if new:
                _check_references(pending, record, new, groups)
                now = pending.row(there)
                renewed.append((there.id, new))
                pending.changes.append((kind.table, there.id, {k: now[k] for k in new}, new))
        _write(pending.connection, TABLES[kind], fresh, renewed)


def _write(
    connection: sql.Connection, table: sql.Table, fresh: list[Row], renewed: list[tuple[str, Row]]
) -> None:
    import sqlalchemy as sql

    if fresh:
        connection.execute(sql.insert(table), fresh)
    update_rows(connection, table, renewed)


def _in_its_place(pending: Pending, record: Record) -> tuple[Record, Any] | None:
    """A record that is not there, and the one that it is written into, if any: new, or removed by another, or made by
    another as well. None: left out.
    """
    memory, kind = pending.memory, type(record)
    gone = memory.gone(kind, record.id)
    if gone is not None and record.stamp and not gone.here:
        name = called(pending.before, record)
        pending.parts.append(Part(kind.table, record.id, name, "", gone.who, what="removed"))
        return None
    other = memory.standing_for(record)
    if other is None or pending.there(kind, other.id) is None:
        return record, None
    if kind is Shot and other.id in pending.before[Shot]:
        return record, None
    maker = memory.maker(kind, other.id)
    unseen = other.id not in pending.before[kind] and maker is not None and not maker.here
    if unseen or (pending.moved == "skip" and maker is not None and maker.here):
        assert maker is not None
        name = called(memory.records, other)
        pending.parts.append(Part(kind.table, other.id, name, "", maker.who, what="just made"))
        return None
    return replace(record, id=other.id, stamp=other.stamp), other


def _changed(pending: Pending, record: Record, there: Any, after: Row) -> Row:
    """The fields to be written; parts that another changed meanwhile are merged where they differ, else noted."""
    memory, kind = pending.memory, type(record)
    base_record: Any = memory.version(kind, there.id, record.stamp) if record.stamp else None
    stamp = record.stamp if base_record is not None else pending.known
    if base_record is None:
        base_record = pending.before[kind].get(there.id)
    now = pending.row(there)
    base = row_of(base_record) if base_record is not None else {}
    ours, theirs = _since(pending, kind, there.id, stamp)
    base |= {k: now[k] for k in ours if k not in theirs}  # what this program did itself, it may do again
    asked = {k: v for k, v in after.items() if v != base.get(k, MISSING_FIELD) and v != now[k]}
    if not asked or not theirs:
        return asked
    one = kind is Grade and any(k in theirs for k in ONE_THING) and any(k in asked for k in ONE_THING)
    new: Row = {}
    parts: list[Part] = []
    for name, value in asked.items():
        who = theirs.get(name) or (theirs[next(k for k in ONE_THING if k in theirs)] if one else "")
        if not who or (one and name not in ONE_THING):
            new[name] = value
            continue
        try:
            if one or not isinstance(value, dict | list):
                raise Apart
            new[name] = merged(base.get(name), value, now[name])
        except Apart:
            title = called(memory.records, there)
            parts.append(Part(kind.table, there.id, title, name, who, base.get(name), now[name], value))
    pending.parts += parts
    return {} if parts else new


def wished(pending: Pending) -> list[Change]:
    """All that a change was to write, also what it met others at."""
    out = list(pending.changes)
    for part in pending.parts:
        if part.field:
            out.append((part.table, part.id, {part.field: part.was}, {part.field: part.wanted}))
    return out


MISSING_FIELD: Any = object()


def _since(pending: Pending, kind: type[Record], id: str, stamp: int) -> tuple[set[str], dict[str, str]]:
    """Fields that were changed since a version was read: by this program, and by others (field to who); a long job is
    to respect what this program did, too.
    """
    ours: set[str] = set()
    theirs: dict[str, str] = {}
    for step in pending.memory.steps_since(kind, id, stamp):
        before = row_of(step.before) if step.before is not None else {}
        after = row_of(step.after) if step.after is not None else {}
        for name in NAMES[kind]:
            if before.get(name, MISSING_FIELD) != after.get(name, MISSING_FIELD):
                if step.by.here and pending.moved != "skip":
                    ours.add(name)
                else:
                    theirs[name] = step.by.who
    return ours, theirs


def _check_references(
    pending: Pending, record: Record, fields: Row, groups: Mapping[type[Record], Mapping[str, Any]]
) -> None:
    kind = type(record)
    for name, target in REFERENCES.items():
        id = fields.get(name)
        if not id or id in groups.get(target, {}) or pending.there(target, id) is not None:
            continue
        gone = pending.memory.gone(target, id)
        why = "is not there" if gone is None or gone.here else f"{gone.who} has removed"
        raise AquinError(f"a {kind.table} refers to a {target.table} that {why}", None, "Undo, and try again")


# dropping


def drop(pending: Pending, records: list[Record]) -> None:
    """Remove records; what refers to them is cleared or removed with them."""
    memory = pending.memory
    for record in records:
        kind = type(record)
        stamp = record.stamp or pending.known
        foreign = [s.by for s in memory.steps_since(kind, record.id, stamp) if not s.by.here]
        if record.id in memory.records[kind] and foreign:
            name = called(memory.records, memory.records[kind][record.id])
            pending.parts.append(Part(kind.table, record.id, name, "", foreign[-1].who))
    for kind in [k for k in reversed(RECORDS) if any(type(r) is k for r in records)]:
        remove(pending, kind, {r.id for r in records if type(r) is kind} & memory.records[kind].keys())


def remove(pending: Pending, kind: type[Record], ids: set[str]) -> None:
    """Remove records by their ids, and clear or remove what refers to them."""
    import sqlalchemy as sql

    ids = ids - pending.dropped.get(kind, set())
    if not ids:
        return
    pending.dropped.setdefault(kind, set()).update(ids)
    for name in (n for n, target in REFERENCES.items() if target is kind):
        _clear(pending, name, ids)
    for chunk in chunks(list(ids)):
        gone = sql.delete(TABLES[kind]).where(TABLES[kind].c.id.in_(chunk))
        wrote(pending.connection.execute(gone), len(chunk))
    there = pending.memory.records[kind]
    pending.changes += [(kind.table, id, pending.row(there[id]), None) for id in ids]


def _clear(pending: Pending, name: str, ids: set[str]) -> None:
    """What refers to records that go: emptied where it may stand empty, else removed."""
    for kind, table in reversed(TABLES.items()):
        if name not in table.c:
            continue
        hit = [r for r in pending.memory.records[kind].values() if getattr(r, name) in ids]
        hit = [r for r in hit if pending.there(kind, r.id) is not None and pending.row(r)[name]]
        _new_to_us(pending, kind, hit)
        if name not in SOFT or (kind is Grade and name != "source_id"):
            remove(pending, kind, {r.id for r in hit})
            continue
        update_rows(pending.connection, table, [(r.id, {name: ""}) for r in hit])
        for record in hit:
            pending.changes.append((kind.table, record.id, {name: getattr(record, name)}, {name: ""}))
            pending.emptied.setdefault((kind, record.id), {})[name] = ""


def _new_to_us(pending: Pending, kind: type[Record], hit: list[Any]) -> None:
    """What another has put there since this program looked must not go unseen."""
    for record in hit:
        steps = pending.memory.steps_since(kind, record.id, pending.known)
        foreign = [s.by.who for s in steps if not s.by.here]
        if foreign:
            name = called(pending.memory.records, record)
            pending.parts.append(Part(kind.table, record.id, name, "", foreign[-1]))
