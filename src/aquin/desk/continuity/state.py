"""What the Continuity view shows, without Qt: the edits, one of them as measured, and the cut that is looked at."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from aquin.production import Edit
from aquin.production.cut.lanes import LANES, UNITS

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.colour.grade import Grade
    from aquin.production import Production, Shot
    from aquin.production.cut.closing import Side
    from aquin.production.cut.judged import Continuity, Cut, Jump
    from aquin.production.cut.odd import Odd
    from aquin.production.cut.pieces import Piece
    from aquin.production.cut.recut import Change

ORDERS = ("cut order", "setup", *LANES)
"""How the whole cut can be laid out."""
SHORT = {"stop": "st", "mired": "mired", "1e-3 Duv": "10⁻³ Duv", "ratio": "×", "%": "%", "degree": "°"}
DIGITS = {"stop": 2, "mired": 0, "1e-3 Duv": 1, "ratio": 2, "%": 1, "degree": 1}


@dataclass
class CutDesk:
    """`chosen`: the position of the cut that is looked at."""

    production: Production | None = None
    config: ColourConfig | None = None
    found: Continuity | None = None
    chosen: int = 0
    odd: dict[int, Odd] = field(default_factory=dict)
    edit_id: str = ""
    order: str = "cut order"
    changes: tuple[Change, ...] = ()
    before: str = ""
    """The edit that the changes are against."""

    def read(self) -> None:
        """Take over which edits there are."""
        edits = self.edits
        if not any(e.id == self.edit_id for e in edits):
            self.edit_id = max(edits, key=lambda e: e.position).id if edits else ""
            self.found, self.chosen = None, 0

    @property
    def edits(self) -> list[Edit]:
        return [] if self.production is None else self.production.all(Edit)

    @property
    def edit(self) -> Edit | None:
        return next((e for e in self.edits if e.id == self.edit_id), None)

    def show(self, found: Continuity) -> None:
        """Another state of the measured edit; the cut that is looked at stays, or the worst one is chosen."""
        from aquin.production.cut.odd import falling_out

        self.found, self.odd = found, falling_out(found)
        if self.cut is None:
            first = [*found.jumping, *found.cuts]
            self.chosen = first[0].position if first else 0

    @property
    def cut(self) -> Cut | None:
        return self.at(self.chosen)

    def at(self, position: int) -> Cut | None:
        cuts = self.found.cuts if self.found is not None else ()
        return next((c for c in cuts if c.position == position), None)

    def step(self, by: int, jumps_only: bool = False) -> None:
        """The next or previous cut, or jump."""
        if self.found is None or not self.found.cuts:
            return
        places = [c.position for c in self.found.cuts if c.jump or not jumps_only]
        later = [p for p in places if (p > self.chosen if by > 0 else p < self.chosen)]
        if later:
            self.chosen = later[0] if by > 0 else later[-1]

    def rows(self) -> list[tuple[str, tuple[str, ...], str]]:
        """The list of jumps, worst first: id, columns (number, what), and in words."""
        out: list[tuple[str, tuple[str, ...], str]] = []
        for cut in self.found.jumping if self.found is not None else []:
            worst = cut.worst
            assert worst is not None
            said = f"cut {cut.position}, {cut.left.name} to {cut.right.name}: {jump_words(worst)}"
            out.append((str(cut.position), (str(cut.position), jump_words(worst)), said))
        return out

    def moved_by(self, side: Side) -> int:
        """How many other cuts closing this one moves."""
        cut = self.cut
        if cut is None or self.found is None:
            return 0
        from aquin.production.cut.closing import also_moved

        return len(also_moved(self.found, cut, side))

    def open_about(self) -> list[tuple[str, str]]:
        """What is open about the shots on both sides of the cut, and what is to be done."""
        cut = self.cut
        if cut is None or self.production is None:
            return []
        from aquin.production.cells import open_findings

        found = open_findings(self.production)
        out: dict[str, tuple[str, str]] = {}
        for piece in (cut.left, cut.right):
            for finding in found.get(piece.shot.id, ()) if piece.shot is not None else ():
                out.setdefault(finding.key, (f"{piece.name}: {finding.said}", finding.advice))
        return list(out.values())

    @property
    def laid_out(self) -> list[tuple[str, list[Piece]]]:
        """The whole cut in groups with their headings, in the chosen order."""
        if self.found is None:
            return []
        from aquin.production.cut.odd import sorted_by

        by_number = {p.number: p for p in self.found.pieces}
        if self.order == "setup":
            return self._by_setup(list(self.found.pieces))
        if self.order == "cut order":
            return [("", list(self.found.pieces))]
        return [(self.order, [by_number[n] for n in sorted_by(self.found, self.order)])]

    def left_out(self) -> list[Piece]:
        """The shots that the edit does not use, as pieces with numbers below 1."""
        from aquin.production import Event
        from aquin.production.cut.pieces import Piece, unused

        if self.production is None or self.found is None:
            return []
        shots = unused(self.production, self.found.pieces)
        return [
            Piece(Event("", -k - 2, s.reel, s.name, "", ""), s, s.first, s.first) for k, s in enumerate(shots)
        ]

    def grade_of(self, shot: Shot) -> Grade | None:
        """What a shot is graded with."""
        from aquin.production.grading import held_grade

        return None if self.production is None else held_grade(self.production, shot)

    def _by_setup(self, pieces: Sequence[Piece]) -> list[tuple[str, list[Piece]]]:
        from aquin.production import Setup

        assert self.production is not None
        names = {s.id: s.name for s in self.production.all(Setup)}
        groups: dict[str, list[Piece]] = {}
        for piece in pieces:
            held = piece.shot.setup_id if piece.shot is not None else ""
            groups.setdefault(names.get(held, "no setup"), []).append(piece)
        return list(groups.items())

    def said_of(self, piece: Piece) -> str:
        """What stands below a piece on the sheet."""
        from aquin.production.cut.odd import value_of

        if self.found is None:
            return piece.name
        parts = [f"{piece.number}  {piece.name}"]
        if self.order in LANES:
            value = value_of(self.found, piece.number, self.order)
            parts.append(value_words(self.order, value) if value == value else "not measured")
        odd = self.odd.get(piece.number)
        if odd is not None and odd.odd:
            parts.append(f"{odd.axis} {odd.far:+z.1f} σ".replace("-", "−"))
        return "\n".join(["   ".join(parts[:1]), "   ".join(parts[1:])]).rstrip()

    # decisions

    def close(self, side: Side, why: str = "") -> None:
        """Close the jump at the cut that is looked at. Raises AquinError."""
        from aquin.production.cut.closing import close

        cut = self.cut
        if cut is not None and self.production is not None and self.config is not None:
            close(self.production, self.config, cut, side, why)

    def mean(self, reason: str) -> None:
        """Say that it is meant so. Raises AquinError."""
        from aquin.production.cut.closing import meant

        cut = self.cut
        if cut is not None and self.production is not None:
            meant(self.production, cut, reason)

    def next_step(self) -> tuple[str, str]:
        if self.production is None:
            return "Open a production", "file.open"
        if not self.edits:
            return "Conform an edit", "continuity.new"
        if self.found is None:
            return "Measure the cut", "continuity.measure"
        if self.found.unmeasured:
            return f"{self.found.unmeasured} cuts are not measured", "continuity.measure"
        if self.found.jumping:
            return f"{len(self.found.jumping)} cuts jump: look at the worst", "continuity.worst"
        return "Nothing jumps that is not meant: lay the whole cut out", "continuity.sheet"


def jump_words(jump: Jump) -> str:
    """An axis and by how much, as people write it."""
    return f"{jump.axis} {difference_words(jump)}"


def difference_words(jump: Jump) -> str:
    unit = UNITS[jump.axis]
    if unit == "ratio":
        return f"×{1 + jump.difference:.2f}"
    return f"{jump.difference:+z.{DIGITS[unit]}f} {SHORT[unit]}".replace("-", "−")


def value_words(axis: str, value: float) -> str:
    unit = UNITS[axis]
    return f"{value:+z.{DIGITS[unit]}f} {SHORT[unit]}".replace("-", "−")
