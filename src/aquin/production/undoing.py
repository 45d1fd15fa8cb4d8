"""Taking back one step, or making it again, where others have worked since: what would be overwritten is compared with
what is there.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from operator import attrgetter
from typing import TYPE_CHECKING, Any, Literal

from aquin.production.memory import Memory, place_of
from aquin.production.moved import Apart, Part, merged
from aquin.production.naming import called
from aquin.production.putting import HARD, REFERENCES
from aquin.production.records import Record
from aquin.production.rows import BY_TABLE, Change, Row, apply_changes, grouped, record_of, row_of
from aquin.production.tables import TABLES

if TYPE_CHECKING:
    from collections.abc import Sequence

    import sqlalchemy as sql

_GET = {name: attrgetter(name) for name in REFERENCES}

OnOthers = Literal["refuse", "leave", "overwrite", "merge"]
"""What has changed since: nothing is taken back, or all but that, or that as well; or parts that differ are merged."""


@dataclass
class Plan:
    """What is to be written. `parts`: where the file is not as the step left it; `held`: of those, what can't be
    overwritten either.
    """

    memory: Memory
    others: OnOthers
    changes: list[Change] = field(default_factory=list)
    parts: list[Part] = field(default_factory=list)
    rows: dict[tuple[type[Record], str], Row | None] = field(default_factory=dict)
    """What the plan makes of records so far."""
    taken: dict[Any, list[str]] = field(default_factory=dict)

    def row(self, kind: type[Record], id: str) -> Row | None:
        """A record as it is once the plan so far is carried out."""
        if (kind, id) in self.rows:
            return self.rows[kind, id]
        found = self.memory.records[kind].get(id)
        return None if found is None else row_of(found)

    def set(self, kind: type[Record], id: str, before: Row | None, after: Row | None) -> None:
        whole = self.row(kind, id)
        self.changes.append((kind.table, id, before, after))
        self.rows[kind, id] = None if after is None else dict(after) if whole is None else whole | after

    def note(self, kind: type[Record], id: str, name: str = "", what: str = "changed", **values: Any) -> None:
        """One thing that is not as the step left it, and whose doing that is."""
        record = self.memory.records[kind].get(id)
        steps = self.memory.steps_since(kind, id, 0)
        hit = [s for s in steps if not name or _field(s.before, name) != _field(s.after, name)]
        who = hit[-1].by.who if hit else ""
        self.parts.append(
            Part(kind.table, id, called(self.memory.records, record, kind), name, who, what=what, **values)
        )


def _field(record: Any, name: str) -> Any:
    return getattr(record, name, None)


def plan(memory: Memory, changes: Sequence[Change], step: str, others: OnOthers) -> Plan:
    """What undo or redo of a step's changes would write now; nothing is written."""
    made = Plan(memory, others)
    wanted = list(changes)
    if step == "undo":
        wanted = [(table, id, after, before) for table, id, before, after in reversed(wanted)]
    going = {(BY_TABLE[t], id) for t, id, _, after in wanted if after is None}
    for table, id, expected, after in wanted:
        kind = BY_TABLE[table]
        now = made.row(kind, id)
        if after is None:
            _remove(made, kind, id, expected, now, going)
        elif expected is None:
            _bring_back(made, kind, id, after, now)
        else:
            _renew(made, kind, id, expected, after, now)
    return made


def carry_out(connection: sql.Connection, made: Plan) -> None:
    for kind, group in grouped(made.changes):
        apply_changes(connection, TABLES[kind], group)


def _remove(
    made: Plan, kind: type[Record], id: str, expected: Row | None, now: Row | None, going: set[Any]
) -> None:
    if now is None:
        return
    moved = [k for k, v in (expected or {}).items() if now.get(k) != v]
    for name in moved:
        made.note(kind, id, name, was=(expected or {})[name], there=now[name])
    referring = [r for r in _referring(made, kind, id) if (type(r[0]), r[0].id) not in going]
    for record, _ in referring:
        made.note(type(record), record.id, what="tied to this")
    if (moved or referring) and made.others != "overwrite":
        return
    for record, name in referring:
        of = type(record)
        if name in HARD or (of.table == "grade" and name != "source_id"):
            _remove(made, of, record.id, None, made.row(of, record.id), going)
        elif made.row(of, record.id) is not None:
            made.set(of, record.id, {name: id}, {name: ""})
    made.set(kind, id, made.row(kind, id), None)


def _referring(made: Plan, kind: type[Record], id: str) -> list[tuple[Any, str]]:
    """Records that refer to one that is to go, and by which column."""
    out = []
    for name in (n for n, target in REFERENCES.items() if target is kind):
        for of in (k for k, table in TABLES.items() if name in table.c):
            for record in made.memory.by(of, _GET[name]).get(id, ()):
                row = made.row(of, record.id)
                if row is not None and row[name] == id:
                    out.append((record, name))
    return out


def _bring_back(made: Plan, kind: type[Record], id: str, after: Row, now: Row | None) -> None:
    """A record that the step had removed."""
    if now is not None:
        for name in (k for k, v in after.items() if now.get(k) != v):
            made.note(kind, id, name, there=now[name], wanted=after[name])
            if made.others == "overwrite" and _can_refer(made, name, after[name]):
                made.set(kind, id, {name: now[name]}, {name: after[name]})
        return
    row = dict(after)
    for name, target in REFERENCES.items():
        if row.get(name) and made.row(target, row[name]) is None:
            made.note(target, row[name], what="removed")
            if name in HARD:
                return
            row[name] = ""
    if not _place_is_free(made, kind, id, row):
        return
    made.set(kind, id, None, row)


def _place_is_free(made: Plan, kind: type[Record], id: str, row: Row) -> bool:
    """Whether nothing else stands for the same; on demand that is removed."""
    place = place_of(record_of(kind, dict(row)))
    if place is None or kind.table == "shot":
        return True
    there = [r.id for r in made.memory.by(kind, place_of).get(place, ())] + made.taken.get((kind, place), [])
    for other in there:
        standing = made.row(kind, other)
        if other == id or standing is None or place_of(record_of(kind, dict(standing))) != place:
            continue
        made.note(kind, other, what="just made")
        if made.others != "overwrite":
            return False
        made.set(kind, other, standing, None)
    made.taken.setdefault((kind, place), []).append(id)
    return True


def _renew(made: Plan, kind: type[Record], id: str, expected: Row, after: Row, now: Row | None) -> None:
    """Fields that the step had changed."""
    if now is None:
        made.note(kind, id, what="removed")
        return
    new: Row = {}
    for name, value in after.items():
        if name not in now or now[name] == value:
            continue
        if now[name] != expected.get(name):
            if (
                made.others == "merge"
                and (both := _both(kind, expected.get(name), value, now[name])) is not None
            ):
                new[name] = both
                continue
            made.note(kind, id, name, was=expected.get(name), there=now[name], wanted=value)
            if made.others != "overwrite":
                continue
        if not _can_refer(made, name, value):
            made.note(REFERENCES[name], value, what="removed")
            continue
        new[name] = value
    if new and _place_is_free(made, kind, id, now | new):
        made.set(kind, id, {k: now[k] for k in new}, new)


def _both(kind: type[Record], was: Any, wanted: Any, there: Any) -> Any:
    """A mapping or list of named things with what two have changed in it; None where they changed the same. The
    numbers of a grade go together.
    """
    if kind.table == "grade" or not isinstance(wanted, dict | list):
        return None
    try:
        return merged(was, wanted, there)
    except Apart:
        return None


def _can_refer(made: Plan, name: str, value: Any) -> bool:
    return name not in REFERENCES or not value or made.row(REFERENCES[name], value) is not None
