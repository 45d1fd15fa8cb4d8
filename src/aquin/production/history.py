"""What a shot was graded with before: its trims and its camera's balances, taken from the journal."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from aquin.colour.grade import Grade as Correction
from aquin.production.grading import followed
from aquin.production.records import Grade, Shot
from aquin.production.rows import record_of, row_of

if TYPE_CHECKING:
    from aquin.production.store import Production


DEPTH = 400
"""Journal entries that are looked through."""


@dataclass(frozen=True)
class Step:
    """The grade that a shot had from one moment on: when, who and what made it so."""

    at: str
    who: str
    what: str
    grade: Correction


def history_of(production: Production, shot: Shot, depth: int = DEPTH) -> list[Step]:
    """The newest first; the last one is how it was filmed, or how it was `depth` entries ago. Raises AquinError."""
    rows: dict[str, dict[str, Any]] = {
        g.id: row_of(g) for g in production.all(Grade) if g.layer in ("balance", "trim")
    }
    out: list[Step] = []
    for entry in production.journal(depth, changes=True):
        concerned = [c for c in entry.changes if c[0] == Grade.table and _is_of(c, rows, shot)]
        if not concerned:
            continue
        word = {"undo": "undone: ", "redo": "done again: "}.get(entry.step, "")
        now = _grade(rows, shot)
        if not out or out[-1].grade != now:
            out.append(Step(entry.at, entry.who, word + entry.what, now))
        else:  # the later entry changed nothing that is seen
            out[-1] = Step(entry.at, entry.who, word + entry.what, now)
        for _, id, before, after in reversed(concerned):
            if before is None:
                rows.pop(id, None)
            elif after is None:
                rows[id] = dict(before)
            else:
                rows[id] = rows.get(id, {}) | before
    first = _grade(rows, shot)
    if not out or out[-1].grade != first:
        out.append(Step("", "", "as filmed" if first == Correction() else "before", first))
    return out


def _is_of(change: tuple[Any, ...], rows: Mapping[str, Mapping[str, Any]], shot: Shot) -> bool:
    _, id, before, after = change
    row = rows.get(id) or after or before or {}
    if row.get("layer") == "trim":
        return bool(row.get("shot_id") == shot.id)
    return bool((row.get("camera_id"), row.get("setup_id")) == (shot.camera_id, shot.setup_id))


def _grade(rows: Mapping[str, Mapping[str, Any]], shot: Shot) -> Correction:
    """What the shot is graded with, given these grades."""
    found: dict[str, Grade] = {}
    for id, row in rows.items():
        if _is_of((Grade.table, id, None, None), rows, shot):
            found[str(row["layer"])] = record_of(Grade, dict(row))

    def find(id: str) -> Grade | None:
        return record_of(Grade, dict(rows[id])) if id in rows else None

    for layer in ("trim", "balance"):
        made = followed(found.get(layer), find)
        if made is not None:
            return made
    return Correction()
