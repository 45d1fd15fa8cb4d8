"""Entries of the journal."""

from dataclasses import dataclass
from typing import Any

from aquin.production.moved import Part
from aquin.production.rows import Change, Spoilt, changes_of


@dataclass(frozen=True)
class Entry:
    """One journal entry. `of` is the number of the entry that an undo or redo belongs to, `seat` the workstation,
    `left` what was left as others had made it, `waiting` whether the server does not have it yet. Number 0: nothing was
    written, since all of it was left.
    """

    number: int
    at: str
    who: str
    what: str
    why: str
    step: str
    of: int | None
    changes: tuple[Change, ...] = ()
    seat: str = ""
    left: tuple[Part, ...] = ()
    waiting: bool = False


def held_changes(text: str) -> tuple[Change, ...]:
    """What an entry holds; nothing where another program spoilt it."""
    try:
        return changes_of(text)
    except Spoilt:
        return ()


def entry_of(row: Any, changes: tuple[Change, ...]) -> Entry:
    return Entry(
        row.number, row.at, row.who, row.what, row.why, row.step, row.of, changes, getattr(row, "seat", "")
    )
