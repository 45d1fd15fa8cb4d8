"""The journal for people: who did what, when and why, to which shots and cameras; in words, and filtered."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

from aquin.colour.grade import Grade as Correction
from aquin.production.change_words import changed, plain
from aquin.production.entries import Entry
from aquin.production.merging import MERGED
from aquin.production.naming import called
from aquin.production.putting import REFERENCES
from aquin.production.records import Camera, Grade, Option, Setup, Shot
from aquin.production.rows import BY_TABLE, Change, Spoilt, checked_changes, record_of, row_of

if TYPE_CHECKING:
    from aquin.production.store import Production

KINDS = (
    "grade",
    "look",
    "shots",
    "charts",
    "plan",
    "edit",
    "agreed",
    "notes",
    "release",
    "merge",
    "settings",
)
MOST = 200
"""Changes of an entry that are told one by one."""


@dataclass(frozen=True)
class Line:
    """One entry. `kinds`: of `KINDS`; `shots`, `cameras`, `setups`: ids of what it concerns. `merged`: the number of
    the merge that brought it, where it is of another copy's journal.
    """

    number: int
    at: str
    who: str
    what: str
    why: str
    step: str
    seat: str = ""
    kinds: frozenset[str] = frozenset()
    shots: frozenset[str] = frozenset()
    cameras: frozenset[str] = frozenset()
    setups: frozenset[str] = frozenset()
    merged: int = 0
    of: int | None = None
    """The entry that an undo or redo belongs to."""
    changes: tuple[Change, ...] = field(default=(), repr=False)

    @property
    def day(self) -> str:
        return self.at[:10]

    @property
    def words(self) -> str:
        """What was done, with the word for what undo and redo do."""
        return {"undo": "taken back: ", "redo": "done again: "}.get(self.step, "") + self.what

    def data(self) -> dict[str, Any]:
        return {
            "number": self.number,
            "at": self.at,
            "who": self.who,
            "seat": self.seat,
            "step": self.step,
            "what": self.what,
            "why": self.why,
            "kinds": sorted(self.kinds),
            "merged": self.merged or None,
            "of": self.of,
        }


@dataclass(frozen=True)
class Sieve:
    """What is wanted; empty: anything. `text`: words that all occur in what was done or why."""

    who: str = ""
    shot_id: str = ""
    camera_id: str = ""
    day: str = ""
    kind: str = ""
    text: str = ""

    def keeps(self, line: Line, production: Production | None = None) -> bool:
        shot = production.find(Shot, self.shot_id) if production is not None and self.shot_id else None
        return (
            (not self.who or line.who == self.who)
            and (not self.day or line.day == self.day)
            and (not self.kind or self.kind in line.kinds)
            and all(w in f"{line.what} {line.why}".lower() for w in self.text.lower().split())
            and (not self.shot_id or _concerns(line, self.shot_id, shot))
            and (not self.camera_id or self.camera_id in line.cameras)
        )


def _concerns(line: Line, id: str, shot: Shot | None) -> bool:
    """Whether it is about a shot: itself, or its camera's balance in its setup."""
    if id in line.shots:
        return True
    if shot is None or "grade" not in line.kinds:
        return False
    return shot.camera_id in line.cameras and shot.setup_id in line.setups


def lines_of(production: Production, limit: int = 100_000) -> list[Line]:
    """The whole journal, the newest first, each merge followed by the entries that it brought. Takes a moment."""
    brought: dict[str, Sequence[Any]] = {
        o.id: o.value.get("entries", ())
        for o in production.all(Option)
        if o.id.startswith(MERGED) and isinstance(o.value, Mapping)
    }
    out = []
    for entry in production.journal(limit, changes=True):
        line = _line(production, entry)
        out.append(line)
        for id in [c[1] for c in entry.changes if c[1] in brought and c[3] is not None]:
            for said in reversed(brought.pop(id)):
                out.append(_brought(production, said, entry.number))
    return out


def _brought(production: Production, said: Mapping[str, Any], merge: int) -> Line:
    """What another copy's journal says, as a merge has brought it; older merges kept no single changes."""
    at, who, what, why, step, seat = (
        str(said.get(k, "")) for k in ("at", "who", "what", "why", "step", "seat")
    )
    try:
        changes = checked_changes(said.get("changes", ()))
    except Spoilt:
        changes = ()
    entry = Entry(int(said.get("number", 0)), at, who, what, why, step, None, changes, seat)
    line = _line(production, entry)
    return replace(line, kinds=line.kinds | {"merge"}, merged=merge)


def _line(production: Production, entry: Entry) -> Line:
    kinds, shots, cameras, setups = set[str](), set[str](), set[str](), set[str]()
    for table, id, before, after in entry.changes:
        row = (before or {}) | (after or {})
        held = production.find(BY_TABLE[table], id)
        if held is not None:
            row = row_of(held) | row
        kinds.add(_kind(table, id, row))
        if table == "shot":
            shots.add(id)
        if table == "option" and id.partition(":")[0] in ("agreed", "notes", "mark", "chart"):
            shots.add(id.partition(":")[2])
        for name, found in (("shot_id", shots), ("camera_id", cameras), ("setup_id", setups)):
            if row.get(name) and table != "event":
                found.add(str(row[name]))
        if table == "camera":
            cameras.add(id)
        if table == "setup":
            setups.add(id)
    return Line(
        entry.number,
        entry.at,
        entry.who,
        entry.what,
        entry.why,
        entry.step,
        entry.seat,
        frozenset(kinds),
        frozenset(shots - {""}),
        frozenset(cameras),
        frozenset(setups),
        0,
        entry.of,
        entry.changes,
    )


def _kind(table: str, id: str, row: Mapping[str, Any]) -> str:
    if table == "grade":
        return "look" if row.get("layer") == "look" else "grade"
    if table == "option":
        if id.startswith(MERGED):
            return "merge"
        start = id.partition(":")[0]
        return {
            "agreed": "agreed",
            "notes": "notes",
            "releases": "release",
            "mark": "charts",
            "config": "plan",
        }.get(start, "settings")
    return {"camera": "plan", "edit": "edit", "event": "edit"}.get(table, "shots")


def told(production: Production, line: Line) -> list[str]:
    """What an entry changed, one thing a line: what it was and what it became."""
    out = []
    records = production._memory.records
    for table, id, before, after in line.changes[:MOST]:
        kind = BY_TABLE[table]
        if kind is Option and id.startswith(MERGED):
            continue
        held = production.find(kind, id)
        row = (row_of(held) if held is not None else {}) | (before or {}) | (after or {})
        try:
            name = called(records, held if held is not None else record_of(kind, dict(row)), kind, id)
        except (KeyError, TypeError):
            name = f"a {table}"
        numbers = ""
        if table == "grade" and (before is None or after is None):
            numbers = f", {grade_text(dict(row.get('values') or {}))}"
        elif table == "option" and (before is None or after is None):
            numbers = f", {plain(row.get('value'))}"
        if before is None:
            out.append(f"{name}: new{numbers}")
        elif after is None:
            out.append(f"{name}: removed{numbers}")
        else:
            for key in after:
                if key in ("inputs", "modified", "metadata"):
                    continue
                was, now = (_named(production, key, v) for v in (before.get(key), after[key]))
                out += _became(name, key, was, now)
    if len(line.changes) > MOST:
        out.append(f"and {len(line.changes) - MOST} more")
    return out


def _field(name: str) -> str:
    return {"values": "numbers", "on": "on"}.get(name, name.removesuffix("_id").replace("_", " "))


def _named(production: Production, key: str, value: Any) -> Any:
    """What a record is called where a field refers to one."""
    if key not in REFERENCES or not value:
        return value
    found: Any = production.find(REFERENCES[key], str(value))
    return getattr(found, "name", "") or "one that is gone"


def _became(name: str, key: str, before: Any, after: Any) -> list[str]:
    """What one field of a record was and is."""
    if key == "values" and isinstance(after, Mapping) and "stops" in after:
        was = grade_text(before) if isinstance(before, Mapping) else plain(before)
        return [f"{name}, numbers: {was} → {grade_text(after)}"]
    field = name if key == "value" else f"{name}, {_field(key)}"
    return [f"{field}: {line}" for line in changed(before, after)]


def grade_text(values: Mapping[str, Any]) -> str:
    """A grade's numbers in the trade's units; what is none as it is."""
    try:
        grade = Correction.of(values)
        mired, duv = grade.balance.shift
        stops, warm, green = (
            f"{value:+z.{digits}f}".replace("-", "−")
            for value, digits in (
                (grade.balance.stops, 2),
                (mired, 0),
                (1e3 * duv, 1),
            )
        )
        text = f"{stops} st, {warm} mired, {green} 10⁻³ Duv"
    except (ValueError, KeyError, TypeError):
        return plain(values)
    return text + (
        f" and {grade.beyond_cdl}" if grade.beyond_cdl else "" if grade.trim.neutral else " and a trim"
    )


def grades_around(production: Production, line: Line, shot: Shot) -> tuple[Correction, Correction] | None:
    """A shot's grade before and after an entry; None where it did not change it."""
    if line.merged:
        return _grades_told(production, line, shot)
    from aquin.production.history import history_of

    steps = history_of(production, shot, 100_000)
    for k, step in enumerate(steps[:-1]):
        if step.at == line.at and step.who == line.who:
            return steps[k + 1].grade, step.grade
    return None


def _grades_told(production: Production, line: Line, shot: Shot) -> tuple[Correction, Correction] | None:
    """The same from what an entry itself holds, as it was in another copy: of the shot's trim, else of its balance."""
    found: dict[bool, tuple[Correction, Correction]] = {}
    for table, id, before, after in line.changes:
        held = production.find(Grade, id) if table == Grade.table else None
        row = (row_of(held) if held is not None else {}) | (before or {}) | (after or {})
        own = row.get("shot_id") == shot.id
        cells = (row.get("setup_id"), row.get("camera_id")) == (shot.setup_id, shot.camera_id)
        if "values" not in (before or {}) | (after or {}) or not (own or (cells and not row.get("shot_id"))):
            continue
        try:
            first, then = (Correction.of((r or {}).get("values") or {}) for r in (before, after))
        except (ValueError, KeyError, TypeError):
            continue
        found[own] = first, then
    return found.get(True) or found.get(False)


def people_in(lines: Iterable[Line]) -> list[str]:
    return sorted({line.who for line in lines if line.who})


def days_in(lines: Iterable[Line]) -> list[str]:
    return sorted({line.day for line in lines if line.day}, reverse=True)


def names_of(production: Production, line: Line) -> str:
    """Which shots or cameras it concerns, in a few words."""
    shots = [s.name for id in line.shots if (s := production.find(Shot, id)) is not None]
    if shots:
        return shots[0] if len(shots) == 1 else f"{len(shots)} shots"
    cameras = [c.name for id in line.cameras if (c := production.find(Camera, id)) is not None]
    setups = [p.name for id in line.setups if (p := production.find(Setup, id)) is not None]
    both = ((cameras, "cameras"), (setups, "setups"))
    return ", ".join(group[0] if len(group) == 1 else f"{len(group)} {word}" for group, word in both if group)
