"""Notes on shots: to a person or a role, open or done; kept with the production, merged by note where several write."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from typing import TYPE_CHECKING, Any

from aquin.errors import AquinError
from aquin.production.recomputable import now
from aquin.production.records import Option, Shot, new_id

if TYPE_CHECKING:
    from aquin.production.store import Entry, Production

KEY = "notes:"
ROLES = ("editor", "colourist", "director", "camera", "effects")
"""Whom a note may be for beside persons (common practice)."""
MOST = 2000
"""Letters of a note."""


@dataclass(frozen=True)
class Note:
    """`to`: a person or a role; empty: everybody. `done`: who saw to it; empty: it is open."""

    who: str
    at: str
    text: str
    to: str = ""
    done: str = ""
    done_at: str = ""
    id: str = field(default_factory=new_id)

    @property
    def words(self) -> str:
        """In a line."""
        to = f" to {self.to}" if self.to else ""
        done = f" (done, {self.done})" if self.done else ""
        return f"{self.who}{to}: {self.text}{done}"


def notes_of(production: Production, shot_id: str) -> list[Note]:
    """A shot's notes, the oldest first; what another program spoilt is left out."""
    held = production.option(f"{KEY}{shot_id}")
    out = []
    for said in held if isinstance(held, list) else []:
        if (
            isinstance(said, Mapping)
            and isinstance(said.get("id"), str)
            and isinstance(said.get("text"), str)
        ):
            texts = {k: str(said.get(k) or "") for k in ("who", "at", "text", "to", "done", "done_at")}
            out.append(Note(**texts, id=str(said["id"])))
    return out


def open_notes(production: Production, shot_id: str) -> list[Note]:
    """Those that nobody has seen to."""
    return [n for n in notes_of(production, shot_id) if not n.done]


def every_note(production: Production) -> list[tuple[Shot, Note]]:
    """All notes with their shots, the newest first."""
    found = []
    for option in production.all(Option):
        shot = production.find(Shot, option.id.removeprefix(KEY)) if option.id.startswith(KEY) else None
        if shot is not None:
            found += [(shot, note) for note in notes_of(production, shot.id)]
    return sorted(found, key=lambda f: f[1].at, reverse=True)


def add_note(production: Production, shot: Shot, text: str, to: str = "") -> Note:
    """Write a note. Raises AquinError for an empty one."""
    words = " ".join(text.split())[:MOST]
    if not words:
        raise AquinError("the note is empty", None, "Say what is to be seen to")
    note = Note(production.who, now(), words, " ".join(to.split())[:100])
    _keep(production, shot, [*notes_of(production, shot.id), note], f"note on {shot.name}", words)
    return note


def finish_note(production: Production, shot: Shot, id: str, done: bool = True) -> Entry | None:
    """Mark a note as seen to, or open it again. Raises AquinError where there is none."""
    notes = notes_of(production, shot.id)
    if not any(n.id == id for n in notes):
        raise AquinError("that note is not there", production.place, f"See: aquin note, of {shot.name}")
    made = [
        replace(n, done=production.who if done else "", done_at=now() if done else "") if n.id == id else n
        for n in notes
    ]
    word = "done" if done else "open again"
    return _keep(
        production, shot, made, f"note on {shot.name}: {word}", next(n.text for n in made if n.id == id)
    )


def _keep(production: Production, shot: Shot, notes: list[Note], what: str, why: str) -> Entry | None:
    held: list[dict[str, Any]] = [asdict(n) for n in notes]
    option = production.find(Option, f"{KEY}{shot.id}")
    made = Option(held, id=f"{KEY}{shot.id}") if option is None else replace(option, value=held)
    return production.change(what, made, why=why)


def people_of(production: Production) -> list[str]:
    """Whom a note may be for: everybody who has worked on it, and roles."""
    names = dict.fromkeys(e.who for e in production.journal(2000) if e.who)
    return [*names, *(r for r in ROLES if r not in names)]
