"""The pieces of an edit in cut order, and how the frames at its cuts are read."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from aquin.colour.grade import Grade as Correction
from aquin.errors import AquinError
from aquin.production.grading import held_grade
from aquin.production.records import Edit, Event, Shot

if TYPE_CHECKING:
    from aquin.production.match_work import Ref
    from aquin.production.shoot import Shoot
    from aquin.production.store import Production


@dataclass(frozen=True)
class Piece:
    """One piece of an edit: frames `first` to `last` of its shot, both included, in the order in which they are seen
    (`last` lies before `first` where it runs backwards). `shot` is None where nothing was conformed.
    """

    event: Event
    shot: Shot | None
    first: int
    last: int

    @property
    def number(self) -> int:
        """Counted from 1 in cut order."""
        return self.event.position + 1

    @property
    def name(self) -> str:
        return self.shot.name if self.shot is not None else self.event.clip or self.event.reel

    @property
    def readable(self) -> bool:
        return self.shot is not None and not self.shot.trouble


def edit_named(production: Production, name: str | None = None) -> Edit:
    """The edit of that name; without a name the one that was conformed last. Raises AquinError."""
    edits = production.all(Edit)
    if not edits:
        raise AquinError(
            "no edit is conformed yet", production.place, "Log an .edl, .otio or .xml: aquin ingest, or Shots"
        )
    if name is None:
        return max(edits, key=lambda e: e.position)
    found = [e for e in edits if e.name == name]
    if not found:
        raise AquinError(
            f"there is no edit '{name}'", production.place, f"There are: {', '.join(e.name for e in edits)}"
        )
    return found[0]


def pieces_of(production: Production, edit: Edit) -> list[Piece]:
    """In cut order."""
    events = sorted(
        (e for e in production.all(Event) if e.edit_id == edit.id), key=lambda e: (e.position, e.id)
    )
    return [piece_of(production, event) for event in events]


def piece_of(production: Production, event: Event) -> Piece:
    shot = production.find(Shot, event.shot_id) if event.shot_id else None
    if shot is None:
        return Piece(event, None, event.first, event.first)
    # the piece's length counts at the edit's rate; as many of the shot's own frames as its timecodes say
    long = max(event.own_frames or event.frames, 1)
    low = min(max(event.first, shot.first), shot.first + max(shot.frames, 1) - 1)
    high = min(low + long - 1, shot.first + max(shot.frames, 1) - 1)
    return Piece(event, shot, high, low) if event.speed < 0 else Piece(event, shot, low, high)


def unused(production: Production, pieces: Sequence[Piece]) -> list[Shot]:
    """Shots of scenes that an edit does not use."""
    used = {p.shot.id for p in pieces if p.shot is not None}
    return [s for s in production.all(Shot) if s.kind == "shot" and s.id not in used]


def graded_at(production: Production, shot: Shot, frame: int) -> Correction:
    """What a frame is graded with."""
    return (held_grade(production, shot) or Correction()).at(frame)


def ref_at(shoot: Shoot, piece: Piece, frame: int, grade: Correction | None = None) -> Ref | None:
    """How a frame of a piece is read; None where it can't be now. `grade`: its shot's, where it is at hand."""
    shot = piece.shot
    if shot is None or shot.trouble:
        return None
    return shoot.ref(shot, frame, grade or held_grade(shoot.production, shot))
