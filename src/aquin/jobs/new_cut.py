"""A newer edit of a production: conformed again, with what it changes; and an edit written back with its jumps."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING

from aquin.exchange.edits import read_edit
from aquin.exchange.marked_edit import Mark, MarkedPiece, write_marked
from aquin.production.conform import Conformed, conform, conformed
from aquin.production.cut.pieces import piece_of, pieces_of
from aquin.production.cut.recut import Change, compared

if TYPE_CHECKING:
    from aquin.production import Edit, Production
    from aquin.production.cut.judged import Continuity, Cut


@dataclass(frozen=True)
class NewCut:
    """An edit that was conformed, and what differs from the one before."""

    conformed: Conformed
    before: str
    changes: tuple[Change, ...]

    @property
    def summary(self) -> str:
        return summed(self.changes)


def summed(changes: Sequence[Change]) -> str:
    """How much changed, in words."""
    many = Counter(c.what for c in changes)
    return ", ".join(f"{n} {what}" for what, n in many.items()) or "nothing changed"


def take_new_cut(production: Production, path: Path, against: Edit, rate: Fraction = Fraction(24)) -> NewCut:
    """Read a newer edit, compare it with one that is kept, and keep it; grades stay with their shots. Raises
    AquinError.
    """
    read = read_edit(path, rate)
    tried = conformed(production, read)
    old = pieces_of(production, against)
    changes = tuple(compared(old, [piece_of(production, e) for e in tried.events]))
    made = conform(production, read, f"after {against.name}: {summed(changes)}")
    return NewCut(made, against.name, changes)


def words_of(cut: Cut) -> str:
    """What is written at a cut for other programs."""
    if cut.meant:
        return f"meant so: {cut.meant}"
    said = [f"{j.axis} {j.difference:+z.2f} {UNITS.get(j.axis, '')}".strip() for j in cut.jumps if j.jumps]
    return f"jump: {', '.join(said)}"


UNITS = {"exposure": "st", "warmth": "mired", "tint": "1e-3 Duv"}


def write_back(production: Production, found: Continuity, out: Path, force: bool = False) -> int:
    """Write the edit with a marker at each jump, at each cut that is meant so, and the notes of shots; how many there
    are. Raises AquinError.
    """
    at = {c.position: c for c in found.cuts if c.jump or c.meant}
    pieces, noted = [], set[str]()
    for piece in found.pieces:
        marks = []
        cut = at.get(piece.number)
        if cut is not None:
            marks.append(Mark("jump" if cut.jump else "meant so", words_of(cut)))
        if piece.shot is not None and piece.shot.note and piece.shot.id not in noted:
            noted.add(piece.shot.id)
            marks.append(Mark("note", piece.shot.note))
        path, start, frames = "", "", 0
        if piece.shot is not None:
            path, start, frames = piece.shot.path, piece.shot.start, piece.shot.frames
        rate = str(piece.shot.fps or found.edit.rate) if piece.shot is not None else found.edit.rate
        pieces.append(MarkedPiece(piece.event, path, start, rate, frames, tuple(marks)))
    write_marked(out, found.edit.name, Fraction(found.edit.rate), pieces, force)
    return sum(len(p.marks) for p in pieces)
