"""What a newer edit changes: which pieces moved, came, went, were trimmed, retimed or reversed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from aquin.production.cut.pieces import Piece

if TYPE_CHECKING:
    from aquin.production.cut.judged import Continuity

What = Literal["moved", "came", "went", "trimmed", "retimed", "reversed"]
SAME_SPEED = 1e-3


@dataclass(frozen=True)
class Change:
    """One piece that differs. `before`, `after`: numbers in the older and the newer edit, counted from 1; None where
    it is not there.
    """

    what: What
    name: str
    before: int | None
    after: int | None
    words: str


def compared(old: Sequence[Piece], new: Sequence[Piece]) -> list[Change]:
    """The changes, by where they stand in the newer edit, those that went last.

    A piece is the same one where it is of the same shot and shows most of the same frames. One has moved where the
    others that stayed are not what it stands between any more (the longest run that kept its order stays).
    """
    pairs = _pairs(old, new)
    stay = _in_order([a for a, _ in pairs])
    out: list[Change] = []
    for k, (a, b) in enumerate(pairs):
        out += _changed(old[a], new[b], k in stay)
    matched_old, matched_new = {a for a, _ in pairs}, {b for _, b in pairs}
    out += [
        Change("came", p.name, None, p.number, f"frames {_range(p)}")
        for k, p in enumerate(new)
        if k not in matched_new
    ]
    out.sort(key=lambda c: (c.after or 0, c.what))
    out += [
        Change("went", p.name, p.number, None, f"frames {_range(p)}")
        for k, p in enumerate(old)
        if k not in matched_old
    ]
    return out


def _pairs(old: Sequence[Piece], new: Sequence[Piece]) -> list[tuple[int, int]]:
    """Which piece of the old edit is which of the new one, by the new order: most shared frames first."""
    by_source: dict[str, list[int]] = {}
    for k, piece in enumerate(old):
        by_source.setdefault(_source(piece), []).append(k)
    ranked = sorted(
        (
            (-_shared(old[a], piece), abs(old[a].number - piece.number), b, a)
            for b, piece in enumerate(new)
            for a in by_source.get(_source(piece), ())
        )
    )
    used_old, used_new, found = set[int](), set[int](), list[tuple[int, int]]()
    for shared, _, b, a in ranked:
        if not shared or a in used_old or b in used_new:
            continue
        used_old.add(a)
        used_new.add(b)
        found.append((a, b))
    return sorted(found, key=lambda p: p[1])


def _source(piece: Piece) -> str:
    return piece.shot.id if piece.shot is not None else f"{piece.event.reel}/{piece.event.clip}"


def _span(piece: Piece) -> tuple[int, int]:
    return min(piece.first, piece.last), max(piece.first, piece.last)


def _shared(a: Piece, b: Piece) -> float:
    """Share of frames that both show, of the shorter one; pieces without a shot by their timecodes."""
    if a.shot is None or b.shot is None:
        return float(a.event.source_in == b.event.source_in)
    (a0, a1), (b0, b1) = _span(a), _span(b)
    both = min(a1, b1) - max(a0, b0) + 1
    return max(both, 0) / min(a1 - a0 + 1, b1 - b0 + 1)


def _in_order(old: Sequence[int]) -> set[int]:
    """Places of the longest run of pairs whose old order is their new one."""
    best: list[tuple[int, int]] = []
    for k, place in enumerate(old):
        length, at = max(((b[0], j) for j, b in enumerate(best[:k]) if old[j] < place), default=(0, -1))
        best.append((length + 1, at))
    if not best:
        return set()
    at = max(range(len(best)), key=lambda k: best[k][0])
    stay = set[int]()
    while at >= 0:
        stay.add(at)
        at = best[at][1]
    return stay


def _changed(a: Piece, b: Piece, stays: bool) -> list[Change]:
    found: list[tuple[What, str]] = []
    if not stays:
        found.append(("moved", f"from {a.number} to {b.number}"))
    speeds = a.event.speed, b.event.speed
    if (speeds[0] < 0) != (speeds[1] < 0):
        found.append(("reversed", "now backwards" if speeds[1] < 0 else "now forwards"))
    if abs(abs(speeds[0]) - abs(speeds[1])) > SAME_SPEED:
        found.append(("retimed", f"from {100 * abs(speeds[0]):.4g} % to {100 * abs(speeds[1]):.4g} %"))
    elif _span(a) != _span(b):
        found.append(("trimmed", f"frames {_range(a)}, now {_range(b)}"))
    return [Change(what, b.name, a.number, b.number, words) for what, words in found]


def _range(piece: Piece) -> str:
    low, high = _span(piece)
    return f"{low} to {high}"


def new_cuts(found: Continuity, before: Continuity) -> list[int]:
    """Positions of the cuts of a newer edit whose two sides did not meet there before."""
    known = {c.key for c in before.cuts}
    return [c.position for c in found.cuts if c.key not in known]
