"""A copy that went to another house comes back: by identity and journal, three ways. What does not touch is taken, what
does is told with what it was, what it is here and what it is there.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any, Literal

from aquin.errors import AquinError
from aquin.production.moved import Apart, merged
from aquin.production.naming import called
from aquin.production.putting import ONE_THING, REFERENCES
from aquin.production.records import RECORDS, Grade, Option, Record
from aquin.production.rows import BY_TABLE, TUPLES, Row, record_of, row_of

if TYPE_CHECKING:
    from aquin.production.entries import Entry
    from aquin.production.store import Production

Take = Literal["mine", "theirs", "between"]
TAKES: tuple[Take, ...] = ("mine", "theirs", "between")
MERGED = "merged:"
"""Options that say what was merged: up to which of the other's entries, and which entries these were."""
EVERY = 1_000_000
Key = tuple[str, str]
"""A table and a record's id."""


@dataclass(frozen=True)
class Conflict:
    """One value that both have changed, or a record that one removed and the other changed. `field` is empty for all of
    a record; None stands for one that is not there.
    """

    table: str
    id: str
    record: str
    field: str
    base: Any
    mine: Any
    theirs: Any
    shot_id: str = ""
    can_take: bool = True
    """Whether theirs can be taken at all: not where it refers to something that is gone here."""

    @property
    def key(self) -> tuple[str, str, str]:
        return self.table, self.id, self.field

    def data(self) -> dict[str, Any]:
        return {
            "record": self.record,
            "field": self.field,
            "base": self.base,
            "mine": self.mine,
            "theirs": self.theirs,
        }


@dataclass
class Plan:
    """What a merge would do. `puts`: by record the fields that are taken, or a whole new row; `drops`: records that go;
    `entries`: the other's journal since what is shared.
    """

    newest: str
    puts: dict[Key, Row] = field(default_factory=dict)
    fresh: set[Key] = field(default_factory=set)
    drops: list[Key] = field(default_factory=list)
    conflicts: list[Conflict] = field(default_factory=list)
    entries: tuple[Entry, ...] = ()

    @property
    def taken(self) -> int:
        """How many records change without any question."""
        return len(self.puts) + len(self.drops)


def plan_merge(mine: Production, theirs: Production) -> Plan:
    """Takes a moment. Raises AquinError where the two are not copies of one production."""
    if mine.identity != theirs.identity:
        raise AquinError(
            "this is no copy of the production: they have no journal entry in common",
            theirs.path,
            "Merge a copy of this production, or a release of it",
        )
    own, other = mine.entry_ids(), theirs.entry_ids()
    known = set(own) | {str(o.value["newest"]) for o in _merges(mine)}
    base = max(number for number, id in enumerate(other, 1) if id in known)
    back = [n for n, id in enumerate(own, 1) if id in {str(o.value["newest"]) for o in _merges(theirs)}]
    news = [e for e in theirs.journal(len(other) - base, changes=True) if e.number > base]
    plan = Plan(other[-1], entries=tuple(reversed(news)))
    was = _as_at(theirs, news)
    seen = _as_at(mine, mine.journal(len(own) - max(back), changes=True)) if back else None
    for key, before in was.items():
        _weigh(plan, mine, theirs, key, before, seen)
    _refuse_dangling(plan, mine)
    return plan


def _merges(production: Production) -> Iterable[Option]:
    return [
        o
        for o in production.all(Option)
        if o.id.startswith(MERGED)
        and isinstance(o.value, Mapping)
        and "newest" in o.value
        and isinstance(o.value.get("entries"), list)
    ]


def _as_at(production: Production, news: Sequence[Entry]) -> dict[Key, Row | None]:
    """Each record that entries have changed (the newest entry first), as it was before them; None: not there."""
    rows: dict[Key, Row | None] = {}
    for entry in news:
        for table, id, before, after in reversed(entry.changes):
            key = table, id
            if key not in rows:
                held = production.find(BY_TABLE[table], id)
                rows[key] = None if held is None else row_of(held)
            if before is None:
                rows[key] = None
            elif after is None:
                rows[key] = dict(before)
            else:
                rows[key] = (rows[key] or {}) | before
    return rows


def _weigh(
    plan: Plan,
    mine: Production,
    theirs: Production,
    key: Key,
    base: Row | None,
    seen: Mapping[Key, Row | None] | None,
) -> None:
    """One record that they have changed."""
    table, id = key
    kind = BY_TABLE[table]
    if kind is Option and id.startswith(MERGED):
        return
    there, here = theirs.find(kind, id), mine.find(kind, id)
    now = None if there is None else row_of(there)
    if now == base:
        return
    if here is None and base is None and there is not None:
        here = mine._memory.standing_for(there)  # both made what only one can stand for
        if here is None:
            plan.puts[key] = dict(now or {})
            plan.fresh.add(key)
            return
    own = None if here is None else row_of(here)
    last = base if seen is None else seen.get(key, own)
    """Ours as they last saw it: what we did not touch since then is as they saw it."""
    if seen is not None and last == now:
        return  # they have it from us, as it was then
    if now is None:
        if own in (base, last):
            plan.drops.append(key)
        elif own is not None:
            plan.conflicts.append(_conflict(mine, theirs, key, "", base, own, None))
        return
    if own is None:
        plan.conflicts.append(_conflict(mine, theirs, key, "", base, None, now))
        return
    _fields(plan, mine, theirs, key, (base or {}, own, now), last or {})


def _fields(
    plan: Plan,
    mine: Production,
    theirs: Production,
    key: Key,
    rows: tuple[Row, Row, Row],
    seen: Row,
) -> None:
    """The fields that they changed of a record that both have."""
    base, own, now = rows
    kind, target = BY_TABLE[key[0]], (key[0], str(own["id"]))
    asked = {
        k: v for k, v in now.items() if k != "id" and v != base.get(k) and v != own[k] and v != seen.get(k)
    }
    one = kind is Grade and any(k in asked for k in ONE_THING)
    ours = [k for k in own if own[k] != base.get(k) and own[k] != seen.get(k)]
    if one and any(k in ours for k in ONE_THING):
        plan.conflicts.append(_conflict(mine, theirs, target, "values", base, own, now))
        asked = {k: v for k, v in asked.items() if k not in ONE_THING}
    new: Row = {}
    for name, value in asked.items():
        if name not in ours:  # as it was when they last saw it
            new[name] = value
            continue
        try:
            if kind is Option and target[1] == "releases":
                new[name] = _both_releases(own[name], value)
            elif isinstance(value, dict | list):
                new[name] = merged(base.get(name), own[name], value)
            else:
                raise Apart
        except Apart:
            plan.conflicts.append(_conflict(mine, theirs, target, name, base, own, now))
    if new:
        plan.puts[target] = plan.puts.get(target, {}) | new


def _both_releases(a: Any, b: Any) -> list[Any]:
    """Releases of both houses, each once."""
    found = {str(r.get("seal")): r for r in [*(b or []), *(a or [])] if isinstance(r, Mapping)}
    return sorted(found.values(), key=lambda r: (int(r.get("version", 0)), str(r.get("when", ""))))


def _conflict(
    mine: Production,
    theirs: Production,
    key: Key,
    name: str,
    base: Row | None,
    own: Row | None,
    now: Row | None,
) -> Conflict:
    kind = BY_TABLE[key[0]]
    held = mine.find(kind, key[1])
    records = mine if held is not None else theirs
    record = held if held is not None else theirs.find(kind, key[1])

    def of(row: Row | None) -> Any:
        return None if row is None else row.get(name) if name else row.get("name", row.get("value", "there"))

    shot = str(
        (own or now or {}).get("shot_id") or ((own or now or {}).get("id") if key[0] == "shot" else "")
    )
    title = called(records._memory.records, record, kind, key[1])
    return Conflict(key[0], key[1], title, name, of(base), of(own), of(now), shot)


def _refuse_dangling(plan: Plan, mine: Production) -> None:
    """New records that refer to what is gone here are not taken."""
    while True:
        lost = []
        for key in plan.fresh:
            row = plan.puts[key]
            for name, target in REFERENCES.items():
                id = row.get(name)
                there = not id or (target.table, id) in plan.puts or mine.find(target, str(id)) is not None
                if not there:
                    lost.append(key)
        if not lost:
            return
        for key in dict.fromkeys(lost):
            row = plan.puts.pop(key)
            plan.fresh.discard(key)
            name = str(row.get("name") or f"a {key[0]}")
            plan.conflicts.append(
                Conflict(
                    key[0],
                    key[1],
                    f"{name}, which refers to what is gone here",
                    "",
                    None,
                    None,
                    "new",
                    "",
                    False,
                )
            )


def merge(
    mine: Production,
    theirs: Production,
    plan: Plan,
    takes: Mapping[tuple[str, str, str], Take] | None = None,
    take: Take = "mine",
) -> Entry | None:
    """Carry a plan out as one step that can be undone. `takes`: by conflict; `take`: for the others. None where there
    is nothing new. Raises AquinError, and then nothing has changed.
    """
    if not plan.entries:
        return None
    puts = {key: dict(row) for key, row in plan.puts.items()}
    fresh, drops, answers = set(plan.fresh), list(plan.drops), []
    for conflict in plan.conflicts:
        chosen = (takes or {}).get(conflict.key, take)
        if not conflict.can_take:
            chosen = "mine"
        answers.append({"record": conflict.record, "field": conflict.field, "take": chosen})
        if chosen != "mine":
            _take(mine, theirs, conflict, chosen, puts, fresh, drops)
    records = [_record(mine, key, row, key in fresh) for key, row in puts.items()]
    gone = [found for table, id in drops if (found := mine.find(BY_TABLE[table], id)) is not None]
    said = {
        "newest": plan.newest,
        "entries": [*_handed_on(mine, theirs, plan.entries)],
        "conflicts": answers,
    }
    who = ", ".join(dict.fromkeys(e.who for e in plan.entries if e.who))
    return mine.change(
        f"merge what {who or 'somebody'} did in {theirs.path.name}",
        *sorted(records, key=lambda r: RECORDS.index(type(r))),
        Option(said, id=f"{MERGED}{plan.newest}"),
        drop=gone,
        why=f"{len(plan.entries)} entries, {plan.taken} records taken, {len(plan.conflicts)} asked",
    )


def _handed_on(mine: Production, theirs: Production, entries: Sequence[Entry]) -> Iterator[dict[str, Any]]:
    """Entries as they are kept here, whole, each once: also what `theirs` has from a merge with somebody else."""
    ids = theirs.entry_ids()
    known = {*mine.entry_ids(), *(str(e.get("id", "")) for o in _merges(mine) for e in o.value["entries"])}
    brought = {o.id: o.value["entries"] for o in _merges(theirs)}
    for entry in entries:
        if ids[entry.number - 1] in known:
            continue
        changes = []
        for table, id, before, after in entry.changes:
            if table == Option.table and id.startswith(MERGED):
                if after is not None:
                    yield from (dict(e) for e in brought.pop(id, ()) if str(e.get("id", "")) not in known)
                continue
            changes.append([table, id, before, after])
        yield {
            "id": ids[entry.number - 1],
            "number": entry.number,
            "at": entry.at,
            "who": entry.who,
            "what": entry.what,
            "why": entry.why,
            "step": entry.step,
            "seat": entry.seat,
            "changes": changes,
        }


def _take(
    mine: Production,
    theirs: Production,
    conflict: Conflict,
    chosen: Take,
    puts: dict[Key, Row],
    fresh: set[Key],
    drops: list[Key],
) -> None:
    key = conflict.table, conflict.id
    there = theirs.find(BY_TABLE[conflict.table], conflict.id)
    if conflict.field:
        value = conflict.theirs if chosen == "theirs" else between(conflict.mine, conflict.theirs)
        row = {conflict.field: value}
        if conflict.table == Grade.table and chosen == "theirs" and there is not None:
            row |= {name: row_of(there)[name] for name in ONE_THING}
        puts[key] = puts.get(key, {}) | row
        return
    if chosen == "between":
        raise AquinError(
            f"nothing lies between {conflict.record} being there and not", None, "Take one of the two"
        )
    if there is None:
        drops.append(key)
        return
    row = row_of(there)
    for name, target in REFERENCES.items():
        if (
            row.get(name)
            and mine.find(target, str(row[name])) is None
            and (target.table, str(row[name])) not in puts
        ):
            raise AquinError(
                f"{conflict.record} refers to a {target.table} that is gone here", None, "Keep yours"
            )
    puts[key] = row
    fresh.add(key)


def between(a: Any, b: Any) -> Any:
    """Half way between two values of one shape. Raises AquinError where nothing lies there."""
    if isinstance(a, bool) or isinstance(b, bool) or a is None or b is None or isinstance(a, str):
        if a == b:
            return a
        raise AquinError("nothing lies between the two", None, "Take one of them")
    if isinstance(a, int | float) and isinstance(b, int | float):
        return (a + b) / 2
    if isinstance(a, Mapping) and isinstance(b, Mapping) and a.keys() == b.keys():
        return {k: between(a[k], b[k]) for k in a}
    if isinstance(a, Sequence) and isinstance(b, Sequence) and len(a) == len(b):
        return [between(x, y) for x, y in zip(a, b, strict=True)]
    raise AquinError("nothing lies between the two", None, "Take one of them")


def _record(mine: Production, key: Key, row: Row, new: bool) -> Record:
    kind = BY_TABLE[key[0]]
    if new:
        return record_of(kind, dict(row))
    held: Any = mine.find(kind, key[1])
    values = {k: tuple(v) if k in TUPLES[kind] else v for k, v in row.items() if k != "id"}
    made: Record = replace(held, **values)
    return made
